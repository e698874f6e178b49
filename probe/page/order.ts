// The page under an agent on the same machine: it asks for orders, makes them, and tells what came out.
import { execute } from './execute'
import { type Env, lasting, NotRun } from './harness'
import { attended, awake, rest, Trouble, visible, watched } from './trouble'
import { call, type Mark, Refused, type Outcome, type Sample, type Test } from './wire'

interface Order {
  id: number
  test: Test
  options?: Record<string, string>
  seconds?: number
  conditions?: Record<string, string>
}

export interface Shown {
  test?: Test
  sample: Sample
  alone: boolean // no agent answers
}

/** serve works for the agent for as long as the page is open. */
export async function serve(secret: string, changed: (s: Shown) => void): Promise<never> {
  for (let last = 0; ; ) {
    let o: Order | undefined
    try {
      o = await call<Order | undefined>('/order', secret, undefined, 3000)
      changed({ sample: { phase: 'waiting for the next run', share: 0 }, alone: false })
    } catch (e) {
      changed({ sample: { phase: e instanceof Refused ? e.message : 'waiting for the agent', share: 0 }, alone: true })
    }
    if (!o || o.id === last) {
      await rest(500)
      continue
    }
    last = o.id
    await make(o, secret, changed)
  }
}

async function make(o: Order, secret: string, changed: (s: Shown) => void): Promise<void> {
  let sample: Sample = { phase: 'starting', share: 0 }
  const tell = (body: object) => call('/told', secret, { id: o.id, ...body }, 60000)
  await visible()
  await awake()
  const marks: Mark[] = []
  const bears = lasting(o.test)
  const watch = bears ? { signal: new AbortController().signal, end: attended(performance.now(), (m) => marks.length < 50 && marks.push(m)) } : watched()
  let beats = Promise.resolve()
  const beat = setInterval(() => tell({ sample }).catch(() => undefined), 1000)
  const none: Outcome = { observed: {}, negotiated: {}, readings: [], series: [] }
  let answer: object
  try {
    const env: Env = {
      test: o.test, options: o.options ?? {}, seconds: o.seconds || 1, signal: watch.signal, token: '', conditions: o.conditions, report: (s) => changed({ test: o.test, sample: (sample = s), alone: false }),
      ...(bears ? { beat: async (_: number, values: Record<string, number>, said: Pick<Outcome, 'observed'>) => void (beats = beats.then(() => tell({ sample: { ...sample, beat: values, observed: said.observed } }).then(() => undefined, () => undefined))) } : {}) }
    answer = { outcome: await execute(env), marks }
  } catch (e) {
    const cause = watch.signal.aborted ? watch.signal.reason : e
    const error = cause instanceof Error ? cause.message : String(cause)
    answer = cause instanceof Trouble ? { error, broken: true } : { error, not_run: e instanceof NotRun, outcome: none }
  } finally {
    watch.end()
    clearInterval(beat)
  }
  await tell(answer).catch(() => undefined) // an agent that is gone makes the run anew
}
