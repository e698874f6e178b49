import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import type { Plugin } from 'vite'

// The service sends packed files as they are, so they are packed here once.
export function packed(out: string): Plugin {
  const walk = (dir: string): string[] =>
    readdirSync(dir).flatMap((name) => {
      const path = join(dir, name)
      return statSync(path).isDirectory() ? walk(path) : [path]
    })
  return {
    name: 'packed',
    apply: 'build',
    closeBundle() {
      for (const path of walk(out).filter((p) => /\.(js|css|html|svg)$/.test(p))) {
        const data = readFileSync(path)
        if (data.length > 1024) writeFileSync(path + '.gz', gzipSync(data, { level: 9 }))
      }
    },
  }
}
