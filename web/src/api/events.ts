import type { QueryClient } from '@tanstack/vue-query'
import { reactive } from 'vue'
import type { Of } from './client'

/** Live progress by plan, with the latest samples of the running part. */
export const progress = reactive(new Map<string, Of<'RecordProgress'> & { samples: number[] }>())

/**
 * Listens to what happens and marks what must be asked for again. A browser keeps few connections to
 * one service, so only a page that is looked at holds one; coming back, it asks for everything anew.
 */
export function watchEvents(queries: QueryClient): void {
  const stale = (...keys: string[]) => keys.forEach((k) => void queries.invalidateQueries({ queryKey: [k] }))
  let source: EventSource | undefined
  let waiting = false
  function listen() {
    if (source || document.visibilityState === 'hidden') return
    source = new EventSource('/api/events')
    source.addEventListener('progress', (e) => {
      const p = JSON.parse((e as MessageEvent<string>).data) as Of<'RecordProgress'>
      const before = progress.get(p.plan)
      const same = before && before.step === p.step && before.repeat === p.repeat && before.channel === p.channel
      const samples = same ? before.samples.slice(-119) : []
      if (p.value) samples.push(p.value)
      progress.set(p.plan, { ...p, samples })
    })
    source.addEventListener('run', () => {
      if (waiting) return // runs come in bursts; one look a second is enough
      waiting = true
      setTimeout(() => {
        waiting = false
        stale('bench', 'ranking', 'chart', 'runs', 'measures')
      }, 1000)
    })
    source.addEventListener('bench', () => stale('bench'))
    source.addEventListener('catalogue', () => stale('models', 'model', 'fields', 'ranking', 'chart'))
    source.addEventListener('review', () => stale('reviews', 'review'))
  }
  function rest() {
    source?.close()
    source = undefined
  }
  listen()
  addEventListener('pagehide', rest)
  addEventListener('pageshow', listen)
  document.addEventListener('visibilitychange', () => {
    if (document.visibilityState === 'hidden') return rest()
    listen()
    void queries.invalidateQueries()
  })
}
