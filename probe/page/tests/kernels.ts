// The processor's workloads as a WebAssembly module, in as many workers as there are threads.
import { runtime, threads } from '../device'
import { duration, type Env, ok, part, script, series, sustained } from '../harness'
import code from '../kernels.worker.ts?worker&url'
import type { Answer, Ask } from '../kernels.worker'
import type { Outcome, Series } from '../wire'

declare const KERNELS: { version: string; size: number }

let module: Promise<WebAssembly.Module> | undefined
let worker: Promise<string> | undefined

/** prepare loads the module and the worker's code, once. */
export async function prepare(told: (share: number) => void): Promise<[WebAssembly.Module, string]> {
  module ??= fetched(told)
  worker ??= script(code)
  try {
    return [await module, await worker]
  } catch (e) {
    module = worker = undefined
    throw e
  }
}

/** fetched loads the module once and tells which share has come. */
async function fetched(told: (share: number) => void): Promise<WebAssembly.Module> {
  const answer = await fetch(`kernels.wasm?v=${KERNELS.version}`)
  if (!answer.ok || !answer.body) throw new Error(`the processor's workloads did not come: ${answer.status}`)
  const bytes = new Uint8Array(KERNELS.size)
  const from = answer.body.getReader()
  let at = 0
  for (;;) {
    const { done, value } = await from.read()
    if (done) break
    if (at + value.length > bytes.length) throw new Error('the processor\'s workloads are longer than they should be; load the page anew')
    bytes.set(value, at)
    at += value.length
    told(at / bytes.length)
  }
  if (at !== bytes.length) throw new Error('the processor\'s workloads came in part only')
  return WebAssembly.compile(bytes)
}

class Thread {
  private worker: Worker
  work = 0 // of the timed part so far
  unit = '' // of the kernel that was prepared last

  constructor(at: string) {
    this.worker = new Worker(at, { type: 'module' })
  }

  ask(a: Ask): Promise<{ work: number; seconds: number }> {
    this.work = 0
    return new Promise((done, fail) => {
      this.worker.onmessage = (e: MessageEvent<Answer>) => {
        const x = e.data
        if (x.done && x.unit) this.unit = x.unit
        if (!x.done) this.work = x.work
        else if (x.error) fail(new Error(x.error))
        else done({ work: x.work ?? 0, seconds: x.seconds ?? 0 })
      }
      this.worker.onerror = (e) => fail(new Error(e.message || 'a worker could not be started'))
      this.worker.postMessage(a)
    })
  }
  end(): void {
    this.worker.terminate()
  }
}

const warmUp = 200

/** crew starts so many threads with the module in each. */
export async function crew(env: Env, n: number): Promise<Thread[]> {
  const [m, at] = await prepare((share) => env.report({ phase: `loading, ${Math.round(100 * share)} %`, share: 0 }))
  const list = Array.from({ length: n }, () => new Thread(at))
  await Promise.all(list.map((t) => t.ask({ do: 'load', module: m })))
  return list
}

/** rate times one part of a kernel on some threads. Each thread's rate is its own work over its own time; they add up. */
async function rate(env: Env, list: Thread[], kernel: string, of: string, channel: string): Promise<{ rate: number; series: Series }> {
  env.report({ phase: `${channel}, warming up`, share: 0, channel })
  await Promise.all(list.map((t, thread) => t.ask({ do: 'prepare', kernel, part: of, thread })))
  await Promise.all(list.map((t) => t.ask({ do: 'run', ms: warmUp, slice: warmUp })))
  const long = sustained(env)
  const length = 1000 * (long ? duration(env) : env.seconds)
  const every = long ? Math.min(1000, length / 40) : length / 10
  const { unit } = list[0]!
  const out = series(long ? 'rate' : channel, unit)
  const begin = performance.now()
  let [lastAt, last] = [begin, 0]
  const timer = setInterval(() => {
    const now = performance.now()
    const work = list.reduce((sum, t) => sum + t.work, 0)
    if (work === last || now - begin > length) return
    const v = ((work - last) / (now - lastAt)) * 1000
    lastAt = now
    last = work
    out.times.push((now - begin) / 1000)
    out.values.push(v)
    env.report({ phase: channel, share: Math.min(1, (now - begin) / length), channel, unit, value: v })
  }, every)
  try {
    const made = await Promise.all(list.map((t) => t.ask({ do: 'run', ms: length, slice: Math.min(50, every / 2) })))
    await Promise.all(list.map((t) => t.ask({ do: 'check' })))
    return { rate: made.reduce((sum, x) => sum + x.work / x.seconds, 0), series: out }
  } finally {
    clearInterval(timer)
  }
}

/** counts are the thread counts of a scaling curve: every one up to four, then doubling, and all. */
function counts(all: number): number[] {
  const out: number[] = []
  for (let n = 1; n < all; n++) if (n <= 4 || (n & (n - 1)) === 0) out.push(n)
  return [...out, all]
}

export async function kernel(env: Env): Promise<Partial<Outcome>> {
  const { test } = env
  const of = test.of || test.slug
  const out: Outcome = { observed: { runtime: runtime() }, negotiated: {}, readings: [], series: [] }
  const list = await crew(env, threads())
  const stop = () => list.forEach((t) => t.end())
  env.signal.addEventListener('abort', stop)
  try {
    if (test.slug.endsWith('-scaling')) {
      const curve: Series = { ...series('rate', ''), axis: 'threads', along: '{thread}' }
      const ns = counts(list.length)
      for (const [i, n] of ns.entries()) {
        const r = await rate(part(env, i, ns.length), list.slice(0, n), of, '', `${n} threads`)
        curve.unit = r.series.unit
        curve.times.push(n)
        curve.values.push(r.rate)
      }
      out.series = [curve]
      out.readings = [ok('speed-up', curve.values.at(-1)! / curve.values[0]!)]
      return out
    }
    if (sustained(env)) {
      out.series = [(await rate(env, list, of, '', 'rate')).series]
      return out
    }
    for (const [i, m] of test.measures.entries()) {
      const [, p, who] = /^(?:(.*)-)?(single|all)$/.exec(m.slug) ?? []
      const r = await rate(part(env, i, test.measures.length), who === 'single' ? list.slice(0, 1) : list, of, p ?? '', m.slug)
      out.readings.push(ok(m.slug, r.rate))
      out.series.push(r.series)
    }
    return out
  } finally {
    env.signal.removeEventListener('abort', stop)
    stop()
  }
}

export const runners = { '*': kernel }
