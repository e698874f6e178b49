import type { QueryClient } from '@tanstack/vue-query'
import { reactive } from 'vue'

/** Whether the service answers. While it does not, it is asked every few seconds; when it is back, everything is asked for anew. */
export const link = reactive({ down: false, waits: '' })

let queries: QueryClient | undefined
let again: (() => void) | undefined
let asking = false

export function watchLink(q: QueryClient, resume: () => void): void {
  queries = q
  again = resume
  addEventListener('offline', lost)
  addEventListener('online', () => void look())
}

/** Takes note that the service did not answer. */
export function lost(): void {
  if (link.down) return
  link.down = true
  void look()
}

async function look(): Promise<void> {
  if (asking) return
  asking = true
  for (let wait = 1000; link.down; wait = Math.min(wait * 1.5, 8000)) {
    await new Promise((r) => setTimeout(r, wait))
    try {
      const answer = await fetch('/healthz', { cache: 'no-store' })
      if (answer.status < 500) link.down = false
    } catch {
      // it is asked once more
    }
  }
  asking = false
  void queries?.invalidateQueries()
  again?.()
}
