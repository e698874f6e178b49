// The page as an agent: it joins a plan with a one-time code, does what the service says is next, keeps every result on
// the device until the service has acknowledged it, and goes on where it was after whatever broke it off.
import { battery, charge, describe, distances, median, observe } from './device'
import { execute } from './execute'
import { type Before, type Env, lasting, NotRun, series, usual } from './harness'
import * as kept from './keep'
import { attended, awake, rest, Trouble, visible, watched } from './trouble'
import { type Account, type Action, call, type Decision, type Directive, type Incident, type Job, type Joined, type Mark, type Outcome, type Progress, Refused, type Run, type Sample, symbol } from './wire'

interface Session {
  token: string
  id: string // names this joining
  name: string // of the device, as the service knows it
}
interface Begun {
  job: Job
  run: string
  at: string
}

/** Beats is what is kept of a lasting load while it goes on: the device may be off before it can say that it ends. */
interface Beats {
  run: string
  start: number // ms since 1970
  channels: Record<string, { times: number[]; values: number[] }> // times in seconds from then
  observed: Record<string, string>
  negotiated: Record<string, string>
  marks: Mark[]
}

// A battery at or below this charge, in per cent, that fell silent was empty.
const empty = 6
// How long a lasting load may have been broken off and still goes on, in ms.
const goesOn = 5 * 60000
const mostMarks = 50

const api = '/api/agent/'

/** uuid makes a UUID version 7 (RFC 9562). */
export function uuid(): string {
  const b = crypto.getRandomValues(new Uint8Array(16))
  let t = Date.now()
  for (let i = 5; i >= 0; i--, t = Math.floor(t / 256)) b[i] = t & 255
  b[6] = (b[6]! & 15) | 0x70
  b[8] = (b[8]! & 63) | 0x80
  const h = [...b].map((x) => x.toString(16).padStart(2, '0')).join('')
  return `${h.slice(0, 8)}-${h.slice(8, 12)}-${h.slice(12, 16)}-${h.slice(16, 20)}-${h.slice(20)}`
}

function secret(): string {
  return btoa(String.fromCharCode(...crypto.getRandomValues(new Uint8Array(32)))).replace(/\+/g, '-').replace(/\//g, '_').replace(/=+$/, '')
}

const key = (j: Job): string => `${j.step} ${j.repeat}`

/** Work is one plan on this device. What people see of it is told through changed. */
export class Work {
  joined!: Joined
  jobs: Job[] = []
  done = new Set<string>()
  outcomes = new Map<number, { done: number; bad?: string }>() // by step
  state: Progress['state'] = 'working'
  sample: Sample = { phase: '', share: 0 }
  current?: Job
  ask?: string
  waiting = 0 // results that the service has not acknowledged
  offline = false
  awake = false
  refused: string[] = []
  over: '' | 'done' | 'stopped' | 'elsewhere' = ''
  private directive: Directive = {}
  private begun = 0
  private run = ''
  private marks: Mark[] = []
  private broken: Record<number, number> = {}
  private failed = new Map<string, { step: number; repeat: number; times: number }>() // and was not kept
  private made: Account['made'] = []
  private ahead: Action[] = [] // what the service said last
  private asked?: Account['asked'] // of a person, last
  private did = '' // the request that is done, as a person says
  private asks = 0
  private confirmed = false
  private setup = ''
  private rested = 0 // when the last run ended
  private learned: Record<string, number> = {}
  private best = 0 // most frames a second seen so far
  private delivering?: Promise<void>
  private beats?: Beats
  private beat?: { at: number; values: Record<string, number> } // that the service does not know yet
  /** A load that fell silent, of which only a person knows how it ended. */
  unsettled?: { name: string; charge?: number; settle(wentOff: boolean): Promise<void> }

  private constructor(private session: Session, private changed: () => void) {}

  /** join spends a code. The secret of a new session is kept before the code is spent. */
  static async join(code: string, changed: () => void): Promise<Work> {
    const id = uuid().slice(-12)
    const machine = await describe(id)
    const s: Session = { token: secret(), id, name: machine.name }
    await kept.put('joining', s)
    const w = new Work(s, changed)
    for (let tries = 1; ; tries++) {
      try {
        w.joined = await call<Joined>(`${api}join`, '', { code, token: s.token, machine })
        break
      } catch (e) {
        if (e instanceof Refused || tries === 4) {
          await kept.drop('joining')
          throw e
        }
        await rest(1000 * tries)
      }
    }
    await kept.put('session', s)
    await kept.drop('joining')
    for (const k of ['begun', 'broken', 'started', 'beats']) await kept.drop(k) // another plan's journal says nothing of this one
    await w.enter()
    return w
  }

  /** resume goes on with the session that is kept on this device; undefined where there is none. */
  static async resume(changed: () => void): Promise<Work | undefined> {
    const s = (await kept.get<Session>('joining')) ?? (await kept.get<Session>('session'))
    if (!s) return undefined
    const w = new Work(s, changed)
    w.joined = await call<Joined>(`${api}rejoin`, s.token, { ...(await describe(s.id)), name: s.name })
    await kept.put('session', s)
    await kept.drop('joining')
    await w.enter()
    return w
  }

  static async forget(): Promise<void> {
    for (const k of ['session', 'joining', 'begun', 'broken', 'started', 'beats']) await kept.drop(k)
  }

  private async enter(): Promise<void> {
    const j = this.joined
    this.jobs = j.jobs
    this.learned = { ...j.learned }
    for (const r of j.received) this.count(r)
    for (const k of await kept.waiting()) {
      const r = k.body as Run
      if (k.path === 'runs' && r.plan === j.plan.id) this.count(r, r.outcome)
    }
    this.broken = (await kept.get<Record<number, number>>('broken')) ?? {}
    const open = await kept.get<Begun>('begun')
    const beats = await kept.get<Beats>('beats')
    if (open && !this.done.has(key(open.job)) && beats?.run === open.run && heard(beats) > 0 && lasting(this.test(open.job.test))) {
      await this.resumed(open, beats)
      await this.look().catch(() => undefined)
      return
    }
    if (open && !this.done.has(key(open.job))) await this.broke(open, 'crash', 'The page was closed, or the device was started anew')
    await kept.drop('begun')
    await this.look().catch(() => undefined) // it is asked again when the work begins
  }

  /** resumed finds out how a lasting load that fell silent ended: the battery was empty; or the page was only loaded anew, and it goes on. */
  private async resumed(open: Begun, beats: Beats): Promise<void> {
    const last = beats.channels['battery.charge']?.values.at(-1)
    const test = this.test(open.job.test)
    const down = test.analysis === 'rundown'
    const silent = Date.now() - (beats.start + 1000 * heard(beats))
    const now = await charge()
    const plugged = (await battery())?.charging
    if (down && last !== undefined && last <= empty) return this.settle(open, beats, 'went off')
    if (silent < goesOn && (down ? !plugged && (last === undefined || now === undefined || now <= last + 0.5) : plugged)) {
      this.beats = beats
      return
    }
    if (!down) return this.settle(open, beats, 'ended')
    this.unsettled = { name: test.name, charge: last, settle: async (off) => {
      this.unsettled = undefined
      await this.settle(open, beats, off ? 'went off' : 'ended')
    } }
  }

  /** settle makes the run of what was kept of it. */
  private async settle(open: Begun, b: Beats, end: string): Promise<void> {
    await this.finish({ ...(await this.newRun(open.job)), id: open.run, started: open.at, ended: new Date(b.start + 1000 * heard(b)).toISOString(), observed: { ...(await observe()), ...b.observed }, negotiated: { ...b.negotiated, 'battery.end': end }, series: seriesOf(b), marks: b.marks }, open.job)
  }

  /** keepBeat keeps how far a lasting load is, on the device first, then with the service. */
  private async keepBeat(run: Run, at: number, values: Record<string, number>, said: Pick<Outcome, 'observed' | 'negotiated'>): Promise<void> {
    const b = (this.beats ??= { run: run.id, start: Date.now() - 1000 * at, channels: {}, observed: {}, negotiated: {}, marks: this.marks })
    Object.assign(b, said, { marks: this.marks })
    for (const [k, v] of Object.entries(values)) {
      const c = (b.channels[k] ??= { times: [], values: [] })
      c.times.push(at)
      c.values.push(v)
    }
    await kept.put('beats', b)
    const lit = parseFloat(said.observed['display.luminance'] ?? '')
    this.beat = { at, values: { ...values, ...(lit > 0 ? { 'display.luminance': lit } : {}) } }
  }

  private count(j: Job, outcome?: Run['outcome'], bad?: string): void {
    this.done.add(key(j))
    if (outcome) this.made = [...(this.made ?? []), { step: j.step, repeat: j.repeat, test: j.test, outcome }]
    const o = this.outcomes.get(j.step) ?? { done: 0 }
    o.done++
    if (bad) o.bad = bad
    this.outcomes.set(j.step, o)
  }

  test(slug: string) {
    return this.joined.tests.find((t) => t.slug === slug)!
  }
  setupOf = (step: number): string => this.joined.plan.steps[step]!.setup || this.joined.plan.setup
  setupName = (slug: string): string => this.joined.setups.find((s) => s.slug === slug)?.name ?? slug
  get started(): Promise<boolean | undefined> {
    return kept.get<boolean>('started')
  }

  /** left is how many seconds are left, as far as one knows. */
  left(): number {
    let sum = 0
    for (const j of this.jobs) {
      if (this.done.has(key(j)) || this.directive.skip?.includes(j.step)) continue
      sum += this.takes(j) + (this.joined.plan.cool?.seconds ?? 0)
    }
    return Math.max(0, sum - (this.current ? this.takes(this.current) * this.sample.share : 0))
  }
  private takes(j: Job): number {
    const { options } = this.joined.plan.steps[j.step]!
    return (options ? undefined : this.learned[j.test]) ?? usual(this.test(j.test), options)
  }

  /** alone makes this page the one that works for the session: an older one, in another tab, leaves it. */
  private alone(): void {
    const others = new BroadcastChannel('durvek-probe')
    others.onmessage = (e) => {
      if (e.data === this.session.id && !this.over) this.over = 'elsewhere'
    }
    others.postMessage(this.session.id)
  }

  /** go works until nothing is left or people stop the plan, and delivers everything. */
  async go(): Promise<void> {
    await kept.put('started', true)
    this.alone()
    let reporting: Promise<void> | undefined
    const report = setInterval(() => {
      reporting ??= this.report().finally(() => (reporting = undefined))
    }, 1000)
    try {
      this.deliver()
      await this.loop()
      if (this.over === 'elsewhere') return
      this.current = undefined
      this.sample = { phase: 'delivering', share: 1 }
      this.changed()
      for (;;) {
        this.deliver()
        await this.delivering
        if (!(await kept.waiting()).length) {
          clearInterval(report) // nothing is told of a plan that is over
          await reporting
          try {
            await call(`${api}finish`, this.session.token, {})
            break
          } catch (e) {
            if (e instanceof Refused) break
          }
        }
        await rest(1000)
      }
      if (!this.over) this.over = 'done'
      await Work.forget()
    } finally {
      clearInterval(report)
    }
    this.changed()
  }

  /** loop does what the service says is next until that is the end. */
  private async loop(): Promise<void> {
    for (let x = await this.next(); x && !this.over; x = await this.next()) {
      switch (x.do) {
        case 'done':
          if (x.stopped) this.over = 'stopped'
          return
        case 'wait':
          this.tell('paused', { phase: x.text ?? '', share: 0 })
          await rest(1000)
          break
        case 'ask':
          await this.hand(x.ask!)
          break
        case 'give-up':
          for (const j of this.jobs) if (j.step === x.step && !this.done.has(key(j))) await this.finish({ ...(await this.newRun(j)), outcome: 'parked', failure: x.text }, j)
          break
        case 'run':
          this.ask = this.asked = undefined
          await this.cool(x.cool?.seconds ?? 0)
          await this.make(x.job!, x.on_failure!)
          this.rested = performance.now()
      }
    }
  }

  /** looks what is next without waiting for it: from here on the plan goes on without a connection. */
  private async look(): Promise<Action> {
    const a: Account = { setup: this.setup, observed: await observe(), made: this.made, broken: Object.entries(this.broken).map(([step, times]) => ({ step: +step, times })), failed: [...this.failed.values()], asked: this.asked, did: this.did }
    const d = await call<Decision>(`${api}next`, this.session.token, a, 5000)
    this.ahead = d.actions
    this.setup = d.setup
    this.did = ''
    return d.actions[0]!
  }

  /** next is what is to be done, as the service says; undefined once the work is over. While the service cannot be reached, what it said last goes on, down to what only the service can decide. */
  private async next(): Promise<Action | undefined> {
    for (let pause = 500; !this.over; pause = Math.min(2 * pause, 10000)) {
      try {
        return await this.look()
      } catch (e) {
        if (e instanceof Refused && e.status !== 401) throw e
        if (e instanceof Refused) this.over = 'stopped' // another device has this plan now
        else if (this.goesOn()) return this.ahead[0]
        this.offline = true
        this.changed()
      }
      if (!this.over) await rest(pause)
    }
  }

  /** goesOn tells whether what the service said last can be done without it; what is done of it is taken away. */
  private goesOn(): boolean {
    const { stop, pause, skip } = this.directive
    for (; !stop && !pause && this.ahead.length; this.ahead = this.ahead.slice(1)) {
      const x = this.ahead[0]!
      if (x.do === 'run' && (this.done.has(key(x.job!)) || skip?.includes(x.job!.step))) continue
      if (x.do === 'give-up' && !this.jobs.some((j) => j.step === x.step && !this.done.has(key(j)))) continue
      if (x.do === 'ask' && this.did === x.ask!.id) {
        this.setup = x.ask!.setup
        continue
      }
      if (x.do === 'run') this.setup = this.setupOf(x.job!.step)
      return x.do !== 'wait' && x.do !== 'done'
    }
    return false
  }

  private async cool(seconds: number): Promise<void> {
    const left = this.rested ? 1000 * seconds - (performance.now() - this.rested) : 0
    if (left <= 0) return
    this.tell('cooling', { phase: 'cooling down', share: 0 })
    await rest(left)
  }

  private tell(state: Progress['state'], sample: Sample): void {
    this.state = state
    this.sample = sample
    this.changed()
  }

  /** hand shows what a person is to do, and waits a moment for it. */
  private async hand(ask: NonNullable<Account['asked']>): Promise<void> {
    if (this.asked?.id !== ask.id) this.confirmed = false
    this.asked = ask
    this.ask = ask.text
    this.tell('needs-you', { phase: ask.text, share: 0 })
    const done = () => this.confirmed || this.directive.confirmed === ask.id
    for (let i = 0; i < 10 && !done(); i++) await rest(100)
    if (!done()) return
    this.did = ask.id
    this.ask = undefined
    this.tell('working', { phase: 'goes on', share: 0 })
  }
  confirm(): void {
    this.confirmed = true
  }

  private async newRun(j: Job): Promise<Run> {
    const p = this.joined.plan
    const now = new Date().toISOString()
    return { id: uuid(), test: j.test, test_version: this.test(j.test).version, subject: p.unit, host: p.host, place: p.place, setup: this.setupOf(j.step), sitting: this.joined.sitting, plan: p.id, step: j.step, repeat: j.repeat, started: now, ended: now, outcome: 'done', source: 'agent', by: this.session.name, options: p.steps[j.step]!.options, readings: [], course: this.broken[j.step] ? { attempt: this.broken[j.step] } : {} }
  }

  /** make makes one run under the eyes of the watch. One that met trouble counts for nothing and is made anew. */
  private async make(job: Job, onFailure: NonNullable<Action['on_failure']>): Promise<void> {
    this.current = job
    this.marks = []
    if (document.visibilityState === 'visible') this.tell('working', { phase: 'starting', share: 0 })
    await visible()
    if (this.over) return
    this.awake = await awake()
    const run = await this.newRun(job)
    const test = this.test(job.test)
    const earlier = await kept.get<Begun>('begun')
    const before = this.beats && earlier?.run === this.beats.run && key(earlier.job) === key(job) ? this.beats : undefined
    if (before) {
      run.id = before.run
      run.started = earlier!.at
      this.marks = [...before.marks, { kind: 'dropout', at: heard(before), text: `the page was loaded anew; nothing went on for ${Math.round((Date.now() - before.start) / 1000 - heard(before))} s` }]
    } else this.beats = undefined
    const open: Begun = { job, run: run.id, at: run.started }
    await kept.put('begun', open)
    this.run = run.id
    this.begun = performance.now() - (before ? Date.now() - before.start : 0)
    const bears = lasting(test)
    const watch = bears ? { signal: new AbortController().signal, end: attended(this.begun, (m) => this.marks.length < mostMarks && this.marks.push(m)) } : watched()
    const left = new AbortController()
    const charge = series('battery.charge', '%')
    const battery = setInterval(() => void observe().then((o) => {
      if (!o['battery.charge'] || bears) return // a lasting load tells it itself
      charge.times.push((performance.now() - this.begun) / 1000)
      charge.values.push(parseFloat(o['battery.charge']))
    }), 5000)
    const looking = setInterval(() => {
      if (this.over || this.directive.stop || this.directive.skip?.includes(job.step)) left.abort(new Error('told to stop'))
    }, 300)
    const signal = AbortSignal.any ? AbortSignal.any([watch.signal, left.signal]) : both(watch.signal, left.signal)
    let out: Partial<Outcome> = {}
    try {
      if (!bears) await this.saving(signal)
      const first = await observe()
      const supply = this.joined.setups.find((s) => s.slug === run.setup)?.conditions?.supply
      if (!bears && this.joined.plan.on_departure === 'stop' && supply && first.supply && first.supply !== supply) throw new Error(`stopped early: supply ${first.supply}, not ${supply}`)
      const env: Env = {
        test, options: run.options ?? {}, seconds: 1, signal, token: this.session.token, report: (s) => this.tell('working', s), conditions: this.joined.setups.find((s) => s.slug === run.setup)?.conditions,
        ...(bears ? { beat: (at: number, values: Record<string, number>, said: Pick<Outcome, 'observed' | 'negotiated'>) => this.keepBeat(run, at, values, said), before: before && earlierOf(before) } : {}),
      }
      out = await execute(env)
      const told = out.series ?? []
      if (bears && this.beats) out.series = seriesOf(this.beats).filter((s) => told.some((x) => x.channel === s.channel)) // with what was before a break
      this.depart(run, first, { ...(await observe()), ...out.observed })
    } catch (e) {
      if (left.signal.aborted && this.beats?.run === run.id && heard(this.beats) > 0) return void (await this.settle(open, this.beats, 'ended'))
      if (left.signal.aborted) {
        await kept.drop('begun')
        return
      }
      const cause = signal.aborted ? signal.reason : e
      this.ask = undefined
      if (cause instanceof Trouble) {
        watch.end()
        await this.broke(open, 'interruption', cause.message[0]!.toUpperCase() + cause.message.slice(1))
        this.tell('working', { phase: 'waits until the page is seen', share: 0 })
        return
      }
      run.outcome = e instanceof NotRun ? 'not-run' : 'failed'
      run.failure = e instanceof Error ? e.message : String(e)
    } finally {
      watch.end()
      clearInterval(looking)
      clearInterval(battery)
    }
    const took = (performance.now() - this.begun) / 1000
    run.ended = new Date(Date.parse(run.started) + took * 1000).toISOString()
    const least = this.joined.plan.least ?? 0
    if (run.outcome === 'done' && took < least) this.marks.push({ kind: 'too-short', text: `it took ${took.toFixed(1)} s; the plan says at least ${least} s` })
    if (run.outcome === 'done' && !run.options) this.learned[job.test] = took
    if (run.outcome === 'failed' && onFailure !== 'go-on') this.ahead = []
    if (run.outcome === 'failed' && onFailure === 'again') {
      const f = this.failed.get(key(job))
      this.failed.set(key(job), { step: job.step, repeat: job.repeat, times: (f?.times ?? 0) + 1 })
      await this.note(open, 'failure', `${this.test(job.test).name}, repeat ${job.repeat + 1}, failed and is tried again: ${run.failure}.`)
      return
    }
    await this.finish({ ...run, observed: { ...(await observe()), ...out.observed }, negotiated: out.negotiated, readings: run.outcome === 'done' ? (out.readings ?? []) : [], series: [...(out.series ?? []), ...(charge.values.length > 1 ? [charge] : [])], marks: this.marks }, job)
  }

  /** saving finds out whether the browser shows fewer frames than it did: the device saves power. A person has a minute to end that. */
  private async saving(signal: AbortSignal): Promise<void> {
    for (let tries = 0; ; tries++) {
      const ms = await distances(15, signal)
      signal.throwIfAborted()
      const now = ms?.length ? 1000 / median(ms) : 0
      if (!now || now >= 0.65 * this.best) {
        this.best = Math.max(this.best, now)
        if (this.ask) this.tell('working', { phase: 'goes on', share: 0 })
        this.ask = undefined
        return
      }
      if (!this.ask) this.asks++
      this.ask = 'Switch power saving off, or plug the device in'
      const why = `the browser shows ${now.toFixed(0)} frames a second, ${this.best.toFixed(0)} before: the device saves power`
      this.tell('needs-you', { phase: why, share: 0 })
      if (tries === 30) {
        this.ask = undefined
        throw new Trouble(why)
      }
      await rest(2000, signal)
    }
  }

  /** depart marks what is not as the setup says, and what changed while the run went on. */
  private depart(run: Run, before: Record<string, string>, after: Record<string, string>): void {
    const want = this.joined.setups.find((s) => s.slug === run.setup)?.conditions ?? {}
    const changes = []
    for (const k of Object.keys(after)) {
      const named = k === 'graphics.chip' && after[k]!.toLowerCase().includes((want[k] ?? '').toLowerCase()) // browsers name more than the chip
      if (want[k] && want[k] !== after[k] && !named) this.marks.push({ kind: 'departure', text: `${k.replace('.', ' ')} ${after[k]}, not ${want[k]}` })
      if (k in before && before[k] !== after[k] && k !== 'battery.charge') changes.push({ at: (performance.now() - this.begun) / 1000, condition: k, from: before[k], to: after[k] })
    }
    if (changes.length) run.course = { ...run.course, changes }
  }

  /** broke takes note of an attempt that counts for nothing. */
  private async broke(open: Begun, kind: string, why: string): Promise<void> {
    const name = this.test(open.job.test).name
    const n = (this.broken[open.job.step] = (this.broken[open.job.step] ?? 0) + 1)
    this.ahead = []
    await kept.put('broken', this.broken)
    await this.note(open, kind, `${why} while ${name}, repeat ${open.job.repeat + 1}, went on; attempt ${n} counts for nothing.`)
  }

  /** note keeps an incident until the service has it. */
  private async note(open: Begun, kind: string, text: string): Promise<void> {
    const x: Incident = { id: uuid(), unit: this.joined.plan.unit, plan: this.joined.plan.id, run: open.run, step: open.job.step, test: open.job.test, at: new Date().toISOString(), kind, times: 1, by: this.session.name, text }
    await kept.keep({ id: x.id, path: 'incidents', body: x })
    await kept.drop('begun')
    this.deliver()
  }

  private async finish(r: Run, job: Job): Promise<void> {
    await kept.keep({ id: r.id, path: 'runs', body: r })
    await kept.drop('begun')
    await kept.drop('beats')
    this.beats = this.beat = undefined
    this.count(job, r.outcome, r.outcome === 'done' ? undefined : `${r.outcome === 'not-run' ? 'not run: ' : ''}${r.failure}`)
    this.deliver()
    this.changed()
  }

  /** deliver sends what is kept, in order, until nothing waits or there is no connection. */
  deliver(): void {
    this.delivering ??= this.send().finally(() => (this.delivering = undefined))
  }
  private async send(): Promise<void> {
    for (;;) {
      const list = (await kept.waiting()).sort((a, b) => (a.id < b.id ? -1 : 1))
      this.waiting = list.length
      if (!list.length) return
      for (const k of list) {
        try {
          await call(api + k.path, this.session.token, k.body, 60000)
        } catch (e) {
          if (!(e instanceof Refused)) {
            this.offline = true
            this.changed()
            return // the next report tries again
          }
          this.refused.push(e.message)
          await kept.put(`refused ${k.id}`, k) // it stays on the device, though nobody will take it
        }
        await kept.sent(k.id)
        this.offline = false
        this.waiting--
        this.changed()
      }
    }
  }

  /** report tells the service where the plan stands and hears what people want of it. */
  private async report(): Promise<void> {
    if (this.over) return
    if (this.waiting) this.deliver()
    const j = this.current
    const { beat } = this
    const p: Progress = {
      plan: this.joined.plan.id, done: this.done.size, jobs: this.jobs.length, step: j?.step ?? 0, repeat: j?.repeat ?? 0, test: j ? this.test(j.test).name : '', phase: this.sample.phase, share: this.sample.share, left: this.left(),
      state: this.state, setup: this.setup, run: this.run, at: j ? (performance.now() - this.begun) / 1000 : 0, marks: this.marks.length ? this.marks : undefined,
      ...(beat ? { beat: beat.values, at: beat.at } : {}),
      ...(this.sample.value ? { value: this.sample.value, unit: symbol(this.sample.unit ?? ''), channel: (j && this.test(j.test).measures.find((m) => m.slug === this.sample.channel)?.name) || this.sample.channel } : {}),
      ...(this.ask ? { ask: this.asked ?? { id: `${this.joined.sitting}-${this.asks}`, setup: this.setup, text: this.ask, now: true } } : {}),
    }
    try {
      this.directive = await call<Directive>(`${api}progress`, this.session.token, p, 5000)
      if (this.beat === beat) this.beat = undefined
      this.offline = false
    } catch (e) {
      // Another device has this plan now, or it is over.
      if (e instanceof Refused && [401, 409].includes(e.status)) this.directive = { stop: true }
      else this.offline = true
    }
    this.changed()
  }
}

function earlierOf(b: Beats): Before {
  return { at: b.start, done: b.channels.done?.values.at(-1) ?? 0, observed: b.observed, negotiated: b.negotiated }
}

/** heard is when the load was last heard of, in seconds from its start. */
const heard = (b: Beats): number => Math.max(0, ...Object.values(b.channels).map((c) => c.times.at(-1)!))

const seriesOf = (b: Beats): Outcome['series'] => Object.entries(b.channels).map(([channel, c]) => ({ channel, unit: channel === 'battery.charge' ? '%' : '1', ...c }))

function both(a: AbortSignal, b: AbortSignal): AbortSignal {
  const c = new AbortController()
  for (const s of [a, b]) s.addEventListener('abort', () => c.abort(s.reason))
  if (a.aborted) c.abort(a.reason)
  return c.signal
}
