// What every test of the page is made with: its environment, its options, its readings, and the clock around a load.
import type { Mark, Outcome, Reading, Sample, Series, Test } from './wire'

export interface Env {
  test: Test
  options: Record<string, string>
  seconds: number // length of each timed part
  signal: AbortSignal
  token: string // of the service; empty where the order came from an agent
  report(s: Sample): void
  conditions?: Record<string, string> // of the setup that it is made under
  beat?(at: number, values: Record<string, number>, said: Said): Promise<void> // keeps how far a lasting load is
  before?: Before // it goes on from there
}

type Said = Pick<Outcome, 'observed' | 'negotiated'>

/** Before is what was kept of a lasting load that was broken off and goes on. */
export interface Before extends Said {
  at: number // when it began, in ms since 1970
  done: number
}

/** lasting tells of tests that run until a battery is empty or full. They bear what would spoil a short one, and note it. */
export const lasting = (t: Test): boolean => t.analysis === 'rundown' || t.analysis === 'charging'

/** Marked takes a mark of a run. */
export type Marked = (m: Mark) => void

export type Runner = (env: Env) => Promise<Partial<Outcome>>

/** Tests is what a file of tests exports: how each is made, by its own slug or by that of the test it lasts longer than. */
export interface Tests {
  runners: Record<string, Runner>
  prepare?(told: (share: number) => void, tests: Test[]): Promise<unknown>
}

/** NotRun says why a test cannot be made here; it is found out before the test begins. */
export class NotRun extends Error {}

/** Wrong marks a picture or result that the device got wrong. */
export class Wrong extends Error {
  constructor(what: string) {
    super(`the device computed wrongly: ${what}`)
  }
}

/** script brings a worker's code onto the device and gives an address for it there. */
export async function script(url: string): Promise<string> {
  const answer = await fetch(url)
  if (!answer.ok) throw new Error(`the page's own code did not come: ${answer.status}`)
  return URL.createObjectURL(new Blob([await answer.blob()], { type: 'text/javascript' }))
}

/** sustained tells whether the test goes on for as long as its duration says, and is analysed as such. */
export const sustained = (env: Env): boolean => env.test.analysis === 'sustained'

/** option is the value of a test's option. */
export function option(env: Env, slug: string): string {
  return env.options[slug] || env.test.options?.find((o) => o.slug === slug)?.default || ''
}

const lengths: Record<string, number> = { ms: 0.001, s: 1, min: 60, h: 3600, d: 86400 }
function inSeconds(text: string): number {
  const m = /^([\d.]+)\s*(ms|s|min|h|d)?$/.exec(text)
  return m ? Number(m[1]) * (lengths[m[2] ?? 's'] ?? 1) : 0
}
/** duration is an option in seconds, the one of that name if no other is meant. */
export const duration = (env: Env, slug = 'duration'): number => inSeconds(option(env, slug))

/** number is the option's value in the unit it begins with. */
export const number = (env: Env, slug: string): number => parseFloat(option(env, slug)) || 0

/** usual is how many seconds one run takes under the given options, as far as the test says. */
export function usual(t: Test, options: Record<string, string> = {}): number {
  const usually = inSeconds(t.options?.find((o) => o.slug === 'duration')?.default ?? '')
  return (t.seconds ?? 5) + (options.duration ? inSeconds(options.duration) - usually : 0)
}

export const ok = (measure: string, value: number): Reading => ({ measure, state: 'ok', value })
export const missing = (measure: string, reason: string): Reading => ({ measure, state: 'missing', value: 0, reason })
export const series = (channel: string, unit: string): Series => ({ channel, unit, times: [], values: [] })

/** part is the environment of the i-th of n parts of a run: the shares that it reports are the run's. */
export const part = (env: Env, i: number, n: number): Env => ({ ...env, report: (s) => env.report({ ...s, share: (i + s.share) / n }) })

/** noise is a generator of 32-bit numbers from a seed (Marsaglia, Journal of Statistical Software 8(14), 2003). */
export function noise(seed: number): () => number {
  let x = seed >>> 0 || 1
  return () => {
    x ^= x << 13
    x >>>= 0
    x ^= x >>> 17
    x ^= x << 5
    return (x >>>= 0)
  }
}

/** Load is work that a graphics chip does in passes, without anybody waiting between them. */
export interface Load {
  amount: number // of one pass, in the unit's numerator
  submit(passes: number): void
  done(): Promise<void> // resolves when the oldest submission that was not awaited yet is done
}

// How long one batch of passes should take, in ms: long against the awaiting, short against a second.
const batch = 60
const warmUp = 250

/** rate times a load. Two batches are under way at a time, so that the chip never waits for the page. */
export async function rate(env: Env, channel: string, unit: string, load: Load): Promise<{ rate: number; series: Series }> {
  let passes = 1
  const warm = performance.now()
  for (;;) {
    const from = performance.now()
    load.submit(passes)
    await load.done()
    env.signal.throwIfAborted()
    const took = performance.now() - from
    if (took > batch / 2 && performance.now() - warm > warmUp) break
    passes = Math.max(1, Math.min(passes * 8, Math.round((passes * batch) / Math.max(took, 0.2)), 4096))
    env.report({ phase: `${channel}, warming up`, share: 0, channel })
    if (passes === 4096 && performance.now() - warm > warmUp) break
  }
  const long = sustained(env)
  const length = (long ? duration(env) : env.seconds) * 1000
  const every = long ? Math.min(1000, length / 40) : length / 10
  const out = series(long ? 'rate' : channel, unit)
  const begin = performance.now()
  let [lastAt, sinceWork, work] = [begin, 0, 0]
  load.submit(passes)
  for (;;) {
    load.submit(passes) // the next one stands ready while this one is awaited
    await load.done()
    env.signal.throwIfAborted()
    const now = performance.now()
    work += passes * load.amount
    sinceWork += passes * load.amount
    if (now - lastAt >= every || now - begin >= length) {
      const v = sinceWork / ((now - lastAt) / 1000)
      out.times.push((now - begin) / 1000)
      out.values.push(v)
      env.report({ phase: channel, share: Math.min(1, (now - begin) / length), channel, unit, value: v })
      lastAt = now
      sinceWork = 0
    }
    if (now - begin >= length) {
      const spent = (now - begin) / 1000
      await load.done() // the batch that stood ready
      return { rate: work / spent, series: out }
    }
  }
}
