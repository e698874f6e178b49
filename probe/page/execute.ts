// How a test's order becomes a run. Each file below tests/ makes some tests; a definition names the file, and what it needs of the browser.
import { observe } from './device'
import { type Env, NotRun, option, type Runner, type Tests } from './harness'
import type { Outcome, Test } from './wire'

const files = import.meta.glob<Tests>('./tests/*.ts')

async function file(t: Test): Promise<Tests | undefined> {
  return files[`./tests/${t.page}.ts`]?.()
}

async function runner(t: Test): Promise<Runner | undefined> {
  const { runners } = (await file(t)) ?? { runners: {} as Record<string, Runner> }
  return runners[t.slug] ?? runners[t.of ?? ''] ?? runners['*']
}

/** prepare brings all that tests need onto the device and tells which share has come. A lost connection then breaks none of them. */
export async function prepare(tests: Test[], told: (share: number) => void): Promise<void> {
  const here = tests.filter((t) => !cannot(t))
  const pages = [...new Set(here.map((t) => t.page))]
  for (const p of pages) {
    const of = here.filter((t) => t.page === p)
    await (await file(of[0]!))?.prepare?.(told, of)
  }
}

type Need = NonNullable<Test['browser_needs']>[number]

// What a test may need of a browser: whether it is there, and what is said where it is not.
const needs: Record<Need, { here: () => boolean; why: string }> = {
  secure: { here: () => isSecureContext, why: 'the browser gives this to secure pages only, and this connection is none' },
  webgpu: { here: () => !!navigator.gpu, why: 'this browser has no WebGPU' },
  screen: { here: () => screen.width > 0 && screen.height > 0, why: 'this browser shows nothing' },
}

/** cannot says why a test cannot be made on this device, or "". */
export function cannot(t: Test): string {
  if (!t.in_browser) return 'needs the agent; a browser cannot make it'
  return (t.browser_needs ?? []).map((n) => (needs[n].here() ? '' : needs[n].why)).find((why) => why) ?? ''
}

/** execute makes one run. It throws NotRun, the signal's reason, or what went wrong. */
export async function execute(env: Env): Promise<Outcome> {
  const why = cannot(env.test)
  if (why) throw new NotRun(why)
  const before = await observe()
  const out: Outcome = { observed: before, negotiated: {}, readings: [], series: [] }
  const make = await runner(env.test)
  if (!make) throw new NotRun(`this page has no test "${env.test.slug}"; bring page and service to the same version`)
  const made = make(env)
  const stopped = new Promise<never>((_, fail) => {
    const stop = () => fail(env.signal.reason)
    if (env.signal.aborted) stop()
    env.signal.addEventListener('abort', stop)
  })
  made.catch(() => {}) // it may end later, when nobody waits for it any more
  const got = await Promise.race([made, stopped])
  if (env.signal.aborted) throw env.signal.reason
  Object.assign(out.observed, got.observed)
  Object.assign(out.negotiated, got.negotiated)
  out.readings = got.readings ?? []
  out.series = got.series ?? []
  for (const o of env.test.options ?? []) if (o.match && !out.observed[`option.${o.slug}`]) out.observed[`option.${o.slug}`] = option(env, o.slug)
  return out
}
