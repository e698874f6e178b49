import { execFileSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { gunzipSync } from 'node:zlib'
import { defineConfig } from 'vite'
import { packed } from './packed'

// The probe: no framework, old devices, nothing loaded that the first screen does not need.
const kernels = readFileSync('../probe/page/public/kernels.wasm.gz')
export default defineConfig({
  root: '../probe/page',
  base: './',
  resolve: { alias: { mediabunny: fileURLToPath(new URL('node_modules/mediabunny', import.meta.url)) } },
  plugins: [packed('../probe/dist')],
  define: {
    KERNELS: JSON.stringify({ version: createHash('sha256').update(kernels).digest('hex').slice(0, 12), size: gunzipSync(kernels).length }),
    GO_VERSION: JSON.stringify(execFileSync(process.env.GO ?? 'go', ['env', 'GOVERSION']).toString().trim()),
  },
  build: { outDir: '../dist', emptyOutDir: true, target: 'es2020', modulePreload: false, assetsInlineLimit: 0 },
  worker: { format: 'es' },
})
