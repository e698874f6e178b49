// What the browser gives of storage and network.
import { link, median } from '../device'
import { type Env, NotRun, ok, script, series } from '../harness'
import code from '../storage.worker.ts?worker&url'
import type { Answer } from '../storage.worker'
import type { Outcome, Series } from '../wire'

let at: Promise<string> | undefined
/** prepare loads the worker's code, once. */
export const prepare = (): Promise<string> => (at ??= script(code))

export async function storage(env: Env): Promise<Partial<Outcome>> {
  const worker = new Worker(await prepare(), { type: 'module' })
  const end = () => worker.terminate()
  env.signal.addEventListener('abort', end)
  return new Promise<Partial<Outcome>>((done, fail) => {
    worker.onmessage = (e: MessageEvent<Answer>) => {
      const a = e.data
      if ('phase' in a) env.report(a)
      else if ('error' in a) fail(a.notRun ? new NotRun(a.error) : new Error(a.error))
      else done({ observed: { 'drive.cache': 'in use' }, readings: [ok('write', a.write), ok('read', a.read), ok('scattered', a.scattered)] })
    }
    worker.onerror = (e) => fail(new Error(e.message || 'a worker could not be started'))
    worker.postMessage(env.seconds)
  }).finally(() => {
    env.signal.removeEventListener('abort', end)
    end()
  })
}

const streams = 4
const piece = 1 << 20

export async function network(env: Env): Promise<Partial<Outcome>> {
  if (!env.token) throw new NotRun('this page speaks to the agent on its own machine; the agent measures the network itself, by the test "network"')
  const headers = { Authorization: `Bearer ${env.token}` }
  const at = (path: string) => `/api/agent/link/${path}`
  const { signal } = env
  const times: number[] = []
  for (const begin = performance.now(); times.length < 20 || performance.now() - begin < 500 * env.seconds; ) {
    const from = performance.now()
    const a = await fetch(`${at('echo')}?${times.length}`, { headers, signal, cache: 'no-store' })
    if (!a.ok) throw new Error(`the service answered ${a.status}`)
    times.push(performance.now() - from)
    env.report({ phase: 'round trips', share: 0.1, channel: 'median', unit: 'ms', value: median(times) })
  }
  const trips = times.slice(1).sort((a, b) => a - b) // the first opens the connection
  const all: Series[] = []
  const flow = async (channel: string, share: number, one: (count: (bytes: number) => void, until: number) => Promise<void>) => {
    const s = series(channel, 'Mbit/s')
    const begin = performance.now()
    const length = 1000 * env.seconds
    let [bytes, last, lastAt] = [0, 0, begin]
    const timer = setInterval(() => {
      const now = performance.now()
      const v = ((bytes - last) * 8) / 1000 / (now - lastAt)
      last = bytes
      lastAt = now
      s.times.push((now - begin) / 1000)
      s.values.push(v)
      env.report({ phase: channel === 'down' ? 'receiving' : 'sending', share, channel, unit: 'Mbit/s', value: v })
    }, length / 10)
    try {
      await Promise.all(Array.from({ length: streams }, () => one((n) => (bytes += n), begin + length)))
    } finally {
      clearInterval(timer)
    }
    all.push(s)
    return (bytes * 8) / 1000 / (performance.now() - begin)
  }
  const down = await flow('down', 0.3, async (count) => {
    const a = await fetch(`${at('down')}?seconds=${env.seconds}`, { headers, signal, cache: 'no-store' })
    if (!a.ok || !a.body) throw new Error(`the service answered ${a.status}`)
    for (const r = a.body.getReader(); ; ) {
      const { done, value } = await r.read()
      if (done) return
      count(value.length)
    }
  })
  const data = new Uint8Array(piece)
  for (let i = 0; i < piece; i += 65536) crypto.getRandomValues(data.subarray(i, i + 65536))
  const up = await flow('up', 0.7, async (count, until) => {
    while (performance.now() < until) {
      const a = await fetch(at('up'), { method: 'POST', headers: { ...headers, 'Content-Type': 'application/octet-stream' }, body: data, signal })
      const got = Number(await a.text())
      if (!a.ok || got !== piece) throw new Error(`${piece} bytes were sent and ${got} arrived`)
      count(piece)
    }
  })
  const name = link()
  return {
    observed: name ? { 'network.link': name } : {},
    readings: [ok('down', down), ok('up', up), ok('median', median(trips)), ok('latency-90', trips[Math.ceil(0.9 * trips.length) - 1]!)],
    series: all,
  }
}

export const runners = { 'browser-storage': storage, 'browser-network': network }
