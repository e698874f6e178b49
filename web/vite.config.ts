import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import vue from '@vitejs/plugin-vue'
import { defineConfig, type Plugin } from 'vite'
import vuetify from 'vite-plugin-vuetify'

// The service sends packed files as they are, so they are packed here once.
function packed(): Plugin {
  const walk = (dir: string): string[] =>
    readdirSync(dir).flatMap((name) => {
      const path = join(dir, name)
      return statSync(path).isDirectory() ? walk(path) : [path]
    })
  return {
    name: 'packed',
    apply: 'build',
    closeBundle() {
      for (const path of walk('dist').filter((p) => /\.(js|css|html|svg)$/.test(p))) {
        const data = readFileSync(path)
        if (data.length > 1024) writeFileSync(path + '.gz', gzipSync(data, { level: 9 }))
      }
    },
  }
}

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true }), packed()],
  build: { target: 'es2022', chunkSizeWarningLimit: 1200 },
})
