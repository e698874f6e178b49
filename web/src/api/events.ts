import type { QueryClient } from '@tanstack/vue-query'
import { reactive } from 'vue'
import type { Of } from './client'

/** What a plan's machine told of itself lately: the running part's samples, and each sensor's. */
export type Live = Of<'RecordProgress'> & { samples: number[]; sensors: Record<string, number[]> }

/** Live progress by plan. */
export const progress = reactive(new Map<string, Live>())

const kept = 240

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
      const samples = same ? before.samples.slice(1 - kept) : []
      if (p.value) samples.push(p.value)
      const sensors: Record<string, number[]> = {}
      for (const [channel, v] of Object.entries(p.last ?? {})) sensors[channel] = [...(before?.sensors[channel]?.slice(1 - kept) ?? []), v]
      progress.set(p.plan, { ...p, picture: p.picture ?? (before?.run === p.run ? before?.picture : undefined), samples, sensors })
    })
    source.addEventListener('run', () => {
      if (waiting) return // runs come in bursts; one look a second is enough
      waiting = true
      setTimeout(() => {
        waiting = false
        stale('bench', 'ranking', 'compared', 'chart', 'runs', 'measures', 'inspection', 'partners', 'history')
      }, 1000)
    })
    source.addEventListener('doubt', () => stale('doubts', 'rules', 'bench', 'run', 'runs', 'ranking', 'compared', 'chart'))
    source.addEventListener('bench', () => stale('bench'))
    source.addEventListener('incident', () => stale('bench', 'incidents'))
    source.addEventListener('catalogue', () => stale('models', 'model', 'fields', 'uses', 'ranking', 'compared', 'chart'))
    source.addEventListener('entry', () => stale('entries'))
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
