// How a device answers while it has more and more to do, and how a radio link holds with distance.
import { threads } from '../device'
import { duration, type Env, missing, NotRun, number, ok, option, series } from '../harness'
import { rest } from '../trouble'
import type { Outcome, Reading } from '../wire'
import { pageOf } from './matter'

const work = `let x = 1, mine = new Float64Array(MEBIBYTES * 131072)
for (let i = 0; i < mine.length; i += 512) mine[i] = i
postMessage('ready')
for (;;) for (let i = 0; i < 1e6; i++) { x = (x * 1103515245 + 12345) % 2147483648; mine[(x * 97) % mine.length] += 1 }`

/** job is another one beside: it keeps a thread and its own memory busy until it is ended. */
function job(mebibytes: number): Promise<Worker> {
  const url = URL.createObjectURL(new Blob([work.replace('MEBIBYTES', String(mebibytes))], { type: 'text/javascript' }))
  const w = new Worker(url)
  return new Promise<Worker>((done, fail) => {
    w.onmessage = () => done(w)
    w.onerror = (e) => fail(new Error(e.message || 'a job could not be started'))
  }).finally(() => URL.revokeObjectURL(url))
}

const late = 100 // ms from which a person feels that a device lags

/** answers types and scrolls for so long and gives how many ms each act took until the frame that shows it had ended. */
async function answers(seconds: number, signal: AbortSignal, field: { text: HTMLTextAreaElement; sheet: HTMLElement }): Promise<number[]> {
  const out: number[] = []
  const shown = () => new Promise<number>((done) => requestAnimationFrame(() => {
    const c = new MessageChannel()
    c.port1.onmessage = () => done(performance.now())
    c.port2.postMessage(0)
  }))
  for (const begin = performance.now(), acts = { n: 0 }; performance.now() - begin < 1000 * seconds; acts.n++) {
    const due = begin + 100 * acts.n
    await rest(Math.max(0, due - performance.now()), signal)
    signal.throwIfAborted()
    if (acts.n % 4 === 3) field.sheet.scrollTop = (field.sheet.scrollTop + 40) % 400
    else field.text.value = (field.text.value + String.fromCharCode(97 + (acts.n % 26))).slice(-400)
    void field.text.offsetHeight
    out.push((await shown()) - Math.max(due, begin)) // from when it was due: a timer that comes late is felt as well
  }
  return out
}

const slow = (ms: number[]): number => [...ms].sort((a, b) => a - b)[Math.min(ms.length - 1, Math.floor(0.95 * ms.length))]!

export async function jobs(env: Env): Promise<Partial<Outcome>> {
  const all = threads()
  const steps = [...new Set([0, 1, Math.ceil(all / 2), all, 2 * all, 3 * all, 4 * all])].sort((a, b) => a - b)
  const page = pageOf()
  const text = document.createElement('textarea')
  text.setAttribute('aria-label', 'What is typed')
  const filling = Object.assign(document.createElement('p'), { textContent: 'Typing and scrolling, while more and more goes on beside it.' })
  filling.style.minHeight = '3000px'
  page.sheet.append(text, filling)
  const list: Worker[] = []
  const curve = { ...series('answer', 'ms'), axis: 'jobs', along: '{job}' }
  let held = -1
  let why = ''
  try {
    for (const [i, n] of steps.entries()) {
      env.report({ phase: `${n} jobs beside it`, share: i / steps.length })
      try {
        while (list.length < n) list.push(await job(number(env, 'memory')))
      } catch (e) {
        why = e instanceof Error ? e.message : String(e)
        break
      }
      await rest(300, env.signal)
      const v = slow(await answers(3 * Math.min(1, env.seconds), env.signal, { text, sheet: page.sheet }))
      curve.times.push(n)
      curve.values.push(v)
      if (v <= late && held === (curve.times.at(-2) ?? -1)) held = n
      if (v > 10 * late) break // it is far beyond what anybody bears
    }
  } finally {
    list.forEach((w) => w.terminate())
    page.end()
  }
  const at = (n: number) => curve.values[curve.times.indexOf(n)]
  const reading = (slug: string, n: number): Reading => (at(n) === undefined ? missing(slug, why || 'it lagged too much before') : ok(slug, at(n)!))
  return {
    negotiated: { threads: String(all), ...(why ? { 'jobs.ended': why } : {}) },
    readings: [reading('alone', 0), reading('full', all), reading('double', 2 * all), held < 0 ? missing('jobs', `it lags by more than ${late} ms with nothing beside it`) : held === steps.at(-1) ? { measure: 'jobs', state: 'at-ceiling', value: held } : ok('jobs', held)],
    series: [curve],
  }
}

/** wireless holds a link for so long: what it carries over time, how evenly, how soon it answers, what is lost. */
export async function wireless(env: Env): Promise<Partial<Outcome>> {
  if (!env.token) throw new NotRun('this page speaks to the agent on its own machine; a radio link is measured from a device that opens the probe itself')
  const headers = { Authorization: `Bearer ${env.token}` }
  const seconds = duration(env) * Math.min(1, env.seconds)
  const begin = performance.now()
  const clock = () => (performance.now() - begin) / 1000
  const rates = series('rate', 'Mbit/s')
  const trips = series('round-trip', 'ms')
  let [bytes, lost, row, sent, cut, over] = [0, 0, 0, 0, '', false]
  const end = new AbortController()
  env.signal.addEventListener('abort', () => end.abort(env.signal.reason))
  const receiving = (async () => {
    while (!over && !end.signal.aborted) {
      try {
        const a = await fetch(`/api/agent/link/down?seconds=${Math.max(1, Math.min(60, seconds))}`, { headers, signal: end.signal, cache: 'no-store' })
        for (const from = a.body!.getReader(); ; ) {
          const { done, value } = await from.read()
          if (done || over) break
          bytes += value.length
        }
      } catch (e) {
        if (over || end.signal.aborted) return
        cut ||= `the link broke off after ${clock().toFixed(0)} s`
        await rest(500, end.signal)
      }
    }
  })()
  const asking = (async () => {
    while (!over && !end.signal.aborted) {
      const from = performance.now()
      sent++
      const wait = new AbortController()
      const timer = setTimeout(() => wait.abort(), 1000)
      try {
        const a = await fetch('/api/agent/link/echo', { headers, signal: wait.signal, cache: 'no-store' })
        if (!a.ok) throw new Error(String(a.status))
        trips.times.push(clock())
        trips.values.push(performance.now() - from)
        row = 0
      } catch {
        if (!over && ++lost && ++row === 3) cut ||= `the link broke off after ${clock().toFixed(0)} s: three requests in a row were not answered`
      } finally {
        clearTimeout(timer)
      }
      await rest(200, end.signal)
    }
  })()
  for (let [at, had] = [0, 0]; clock() < seconds; ) {
    await rest(Math.min(1000, 250 * seconds), env.signal)
    env.signal.throwIfAborted()
    const now = clock()
    const v = ((bytes - had) * 8) / 1e6 / (now - at)
    rates.times.push(now)
    rates.values.push(v)
    ;[at, had] = [now, bytes]
    env.report({ phase: `at ${option(env, 'distance')}`, share: Math.min(1, now / seconds), channel: 'rate', unit: 'Mbit/s', value: v })
  }
  over = true
  end.abort()
  await Promise.all([receiving, asking])
  const sorted = [...trips.values].sort((a, b) => a - b)
  const mean = rates.values.reduce((a, b) => a + b, 0) / rates.values.length
  const readings: Reading[] = mean > 0 ? [ok('rate', mean), ok('evenness', (100 * rates.values.filter((v) => v >= mean / 2).length) / rates.values.length)] : [missing('rate', cut || 'nothing came over the link'), missing('evenness', 'nothing came over the link')]
  if (sorted.length >= 5) readings.push(ok('median', sorted[sorted.length >> 1]!), ok('jitter', sorted[Math.floor(0.9 * sorted.length)]! - sorted[Math.floor(0.1 * sorted.length)]!))
  else readings.push(missing('median', 'fewer than five answers came'), missing('jitter', 'fewer than five answers came'))
  readings.push(ok('lost', (100 * lost) / Math.max(1, sent)))
  const nav = navigator as { connection?: { type?: string } }
  return { observed: { 'network.link': nav.connection?.type || 'unknown' }, negotiated: cut ? { 'link.broke': cut } : {}, readings, series: [rates, trips] }
}

export const runners = { 'many-jobs': jobs, 'wireless-link': wireless }
