import type { QueryClient } from '@tanstack/vue-query'
import { reactive } from 'vue'
import type { Of } from './client'

/** Live progress by plan, with the latest samples of the running part. */
export const progress = reactive(new Map<string, Of<'RecordProgress'> & { samples: number[] }>())

/** Listens to what happens and marks what must be asked for again. */
export function watchEvents(queries: QueryClient): void {
  const source = new EventSource('/api/events')
  const stale = (...keys: string[]) => keys.forEach((k) => void queries.invalidateQueries({ queryKey: [k] }))
  source.addEventListener('progress', (e) => {
    const p = JSON.parse((e as MessageEvent<string>).data) as Of<'RecordProgress'>
    const before = progress.get(p.plan)
    const same = before && before.step === p.step && before.repeat === p.repeat && before.channel === p.channel
    const samples = same ? before.samples.slice(-119) : []
    if (p.value) samples.push(p.value)
    progress.set(p.plan, { ...p, samples })
  })
  let waiting = false
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
