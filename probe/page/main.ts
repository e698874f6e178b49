// What a person sees of the probe: one thing at a time, one large button.
import type { Work } from './session'
import { awake } from './trouble'
import { call, Refused, symbol } from './wire'

// What works through a plan is loaded once there is one: the first screen needs none of it.
const session = () => import('./session')
const execution = () => import('./execute')

interface About {
  desk: string
  tls: boolean
  own: boolean
}

const main = document.getElementById('main')!
const hash = decodeURIComponent(location.hash.slice(1))
let about: About = { desk: '', tls: false, own: false }

type Child = Node | string | undefined | false
function el<K extends keyof HTMLElementTagNameMap>(tag: K, props: Partial<HTMLElementTagNameMap[K]> & { class?: string } = {}, ...children: Child[]): HTMLElementTagNameMap[K] {
  const e = document.createElement(tag)
  const { class: name, ...rest } = props
  if (name) e.className = name
  Object.assign(e, rest)
  e.append(...children.filter((c): c is Node | string => !!c))
  return e
}
const button = (text: string, onclick: () => unknown, go = true) => el('button', { class: go ? 'go' : '', onclick: () => void onclick() }, text)
const show = (...children: Child[]) => main.replaceChildren(...children.filter((c): c is Node | string => !!c))
const foot = (...children: Child[]) => el('div', { class: 'foot' }, ...children)

function span(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`
  return `${(seconds / 3600).toFixed(1)} h`
}
const several = (n: number, one: string): string => `${n} ${one}${n === 1 ? '' : 's'}`
const figure = (v: number): string => (v >= 1000 ? Math.round(v).toLocaleString('en') : v.toPrecision(3))

function failed(e: unknown, again: () => unknown): void {
  const text = e instanceof Refused ? e.message : `No connection to the service (${e instanceof Error ? e.message : String(e)}).`
  show(el('h1', {}, 'This did not work'), el('p', { class: 'caution' }, text), el('p', { class: 'soft' }, e instanceof Refused ? 'Nothing was spent or lost.' : 'Is this device in the same network as the service? Results wait on this device.'), foot(button('Try again', again), button('Type another code', typed, false)))
}

/** typed asks for the code. */
function typed(): void {
  const field = el('input', { id: 'code', placeholder: 'ABCD-EFGH', autocomplete: 'off', autocapitalize: 'characters', spellcheck: false, maxLength: 9 })
  const go = () => {
    const code = field.value.toUpperCase().replace(/[^A-Z2-7]/g, '')
    if (code.length !== 8) return field.focus()
    void enter(`${code.slice(0, 4)}-${code.slice(4)}`)
  }
  field.onkeydown = (e) => e.key === 'Enter' && go()
  show(el('h1', {}, 'Measure this device'), el('label', { htmlFor: 'code', class: 'soft' }, 'The code that the bench shows, eight characters:'), field, foot(button('Join', go), button('Test patterns, without a plan', patterns, false)))
  field.focus()
}

/** patterns shows what a meter is held against. */
function patterns(): void {
  const seconds = el('input', { id: 'seconds', inputMode: 'decimal', value: '0', autocomplete: 'off' })
  const go = async () => {
    await awake()
    await (await import('./patterns')).shown(Math.max(0, Number(seconds.value.replace(',', '.')) || 0))
  }
  show(
    el('h1', {}, 'Test patterns'),
    el('p', {}, 'Greys, colours, contrast, uniformity, single pixels, switching greys, a tone and a sweep, each over the whole screen.'),
    el('p', { class: 'soft' }, 'Tap on the right to go on, on the left to go back, at the top edge to leave; or the arrow keys and Esc. Automatic brightness off.'),
    el('label', { htmlFor: 'seconds', class: 'soft' }, 'Seconds for each, for a meter that reads by itself; 0 waits for you:'),
    seconds,
    foot(button('Show them', go), button('Type a code', typed, false)),
  )
}

/** secure explains the one confirmation that a secure connection needs. */
function secure(code: string): void {
  const to = `https://${location.host}/probe/#${code}`
  show(
    el('h1', {}, 'One confirmation'),
    el('p', {}, 'Browsers give WebGPU, storage and keeping the screen on to secure connections only. The service has one, but nobody outside vouches for it, so this device will warn once.'),
    about.own
      ? el('div', { class: 'sheet' }, el('p', {}, 'In the warning, choose ', el('strong', {}, 'Advanced'), ' or ', el('strong', {}, 'Details'), ', then go on to this address. Nothing is installed.'), el('p', { class: 'small soft' }, 'Or install ', el('a', { href: 'authority.crt' }, 'the service\'s certificate'), ' as an authority: it vouches for local addresses only.'))
      : undefined,
    foot(el('a', { class: 'button go', href: to }, 'Go on securely'), button('Go on without: some tests are left out', () => enter(code, true), false)),
  )
}

async function enter(code: string, plain = false): Promise<void> {
  if (!isSecureContext && about.tls && !plain) return secure(code)
  show(el('h1', {}, 'Joining'))
  try {
    const w = await (await session()).Work.join(code, () => draw())
    history.replaceState(null, '', location.pathname) // the code is spent
    await loaded(w)
    await ready(w)
  } catch (e) {
    failed(e, () => enter(code, plain))
  }
}

/** loaded brings all that the plan's tests need onto the device: from here on they need no connection. */
async function loaded(w: Work): Promise<void> {
  const bar = el('progress', { max: 1, value: 0 })
  bar.setAttribute('aria-label', 'Share that is loaded')
  show(el('h1', {}, 'Loading the tests'), bar)
  await (await execution()).prepare(w.joined.tests, (share) => (bar.value = share))
}

/** ready says what is coming and waits for the button. */
async function ready(w: Work): Promise<void> {
  const { cannot } = await execution()
  const tests = [...new Map(w.joined.plan.steps.map((s) => [s.test, w.test(s.test)])).values()]
  const out = tests.map((t) => [t, cannot(t)] as const).filter(([, why]) => why)
  const first = w.joined.prompts[w.joined.setups[0]?.slug ?? '']
  show(
    el('h1', {}, w.joined.plan.unit),
    el('p', { class: 'soft' }, `${w.joined.plan.name || 'Plan'}: ${several(w.jobs.length - w.done.size, 'run')} of ${several(tests.length, 'test')}, about ${span(w.left())}.`),
    el('div', { class: 'sheet hand' }, el('p', {}, first ? `${first}. ` : '', 'Close other pages and applications, let the device lie, and leave this page open.')),
    out.length > 0 && el('details', { class: 'sheet' }, el('summary', {}, `${several(out.length, 'test')} left out here`), el('ul', {}, ...out.map(([t, why]) => el('li', { class: 'bad' }, el('span', {}, t.name), el('span', {}, why))))),
    !isSecureContext && el('p', { class: 'small soft' }, 'This connection is not secure: keep the screen from going off by hand.'),
    foot(button('Start', () => begin(w)), el('p', { class: 'small soft' }, 'What comes out belongs to this unit. The page can deliver nothing else.')),
  )
}

/** unsettled asks how a load ended that fell silent. */
function unsettled(w: Work): void {
  const u = w.unsettled!
  const answer = (off: boolean) => async () => {
    await u.settle(off)
    await begin(w)
  }
  show(
    el('h1', {}, 'How did it end?'),
    el('p', {}, `${u.name} fell silent${u.charge === undefined ? '' : ` at ${Math.round(u.charge)} %`}. What it told until then is kept.`),
    foot(button('The device switched itself off', answer(true)), button('It was ended, or plugged in', answer(false), false)),
  )
}

let work: Work | undefined
async function begin(w: Work): Promise<void> {
  work = w
  await awake()
  draw()
  try {
    await w.go()
  } catch (e) {
    failed(e, () => location.reload())
    return
  }
  work = undefined
  if (w.over === 'elsewhere') return show(el('h1', {}, 'Opened elsewhere'), el('p', {}, 'Another tab of this browser goes on with the plan. This one may be closed.'))
  show(
    el('h1', {}, w.over === 'stopped' ? 'Stopped' : 'Done'),
    el('p', {}, `${w.done.size} of ${w.jobs.length} runs are delivered.`),
    ...w.refused.map((r) => el('p', { class: 'caution' }, r)),
    steps(w),
    foot(el('p', { class: 'soft' }, 'The figures are on the bench. This page may be closed.')),
  )
}

function steps(w: Work): HTMLElement {
  return el('ul', { class: 'sheet' }, ...w.joined.plan.steps.map((s, i) => {
    const o = w.outcomes.get(i)
    return el('li', { class: `${w.current?.step === i ? 'on' : ''} ${o?.bad ? 'bad' : ''}` }, el('span', {}, w.test(s.test).name), el('span', {}, o?.bad ?? (o ? `${o.done} of ${s.repeats}` : w.current?.step === i ? 'now' : '')))
  }))
}

let due = false
function draw(): void {
  if (!work || due) return
  due = true
  setTimeout(() => {
    due = false
    if (work) progress(work)
  }, 100)
}

let parts: { title: HTMLElement; phase: HTMLElement; rate: HTMLElement; bar: HTMLProgressElement; left: HTMLElement; hand: HTMLElement; note: HTMLElement; list: HTMLElement } | undefined
/** progress shows the plan at work. Its pieces stay, so that drawing takes nothing from what is measured. */
function progress(w: Work): void {
  if (!parts || !parts.title.isConnected) {
    parts = { title: el('h1'), phase: el('p', { class: 'soft' }), rate: el('div', { class: 'rate' }), bar: el('progress', { max: 1 }), left: el('p', { class: 'small soft' }), hand: el('div', { class: 'ask' }), note: el('p', { class: 'small' }), list: el('div') }
    parts.bar.setAttribute('aria-label', 'Share of the plan that is done')
    show(parts.title, parts.phase, parts.rate, parts.bar, parts.left, parts.hand, parts.note, parts.list)
  }
  const j = w.current
  const text = (e: HTMLElement, s: string) => e.textContent !== s && (e.textContent = s)
  text(parts.title, w.ask ? 'Your hand is needed' : j ? w.test(j.test).name : 'Delivering')
  text(parts.phase, w.ask ? '' : j ? `Repeat ${j.repeat + 1}, ${w.sample.phase}` : w.sample.phase)
  parts.rate.replaceChildren(...(w.sample.value ? [figure(w.sample.value), ' ', el('small', {}, symbol(w.sample.unit ?? ''))] : ['\u00a0']))
  parts.bar.value = (w.done.size + w.sample.share) / Math.max(1, w.jobs.length)
  text(parts.left, `${w.done.size} of ${w.jobs.length} runs done, about ${span(w.left())} left`)
  if (parts.hand.dataset.ask !== (w.ask ?? '')) {
    parts.hand.dataset.ask = w.ask ?? ''
    parts.hand.replaceChildren(...(w.ask ? [el('div', { class: 'sheet hand' }, el('p', {}, `${w.ask}.`)), button(`Done`, () => w.confirm())] : []))
  }
  parts.note.className = w.offline ? 'small caution' : 'small soft'
  text(parts.note, w.offline ? `No connection. ${w.waiting ? `${several(w.waiting, 'result')} kept on this device; ` : ''}it goes on, and delivers when the service is back.` : w.awake ? 'The screen is kept on. Leave the device alone.' : 'Keep the screen from going off. Leave the device alone.')
  const sign = `${w.done.size} ${j?.step}`
  if (parts.list.dataset.sign !== sign) {
    parts.list.dataset.sign = sign
    parts.list.replaceChildren(steps(w))
  }
}

async function start(): Promise<void> {
  if (hash.startsWith('local=')) {
    const title = el('h1', {}, 'For the agent on this machine')
    const phase = el('p', { class: 'soft' })
    const rate = el('div', { class: 'rate' })
    const bar = el('progress', { max: 1, value: 0 })
    bar.setAttribute('aria-label', 'Share of the run that is done')
    show(title, phase, rate, bar, el('p', { class: 'small soft' }, 'Leave this page open and in front; the agent closes the run when it is done.'))
    await (await import('./order')).serve(hash.slice(6), (s) => {
      title.textContent = s.test?.name ?? 'For the agent on this machine'
      phase.textContent = s.sample.phase
      phase.className = s.alone ? 'caution' : 'soft'
      rate.textContent = s.sample.value ? `${figure(s.sample.value)} ${symbol(s.sample.unit ?? '')}` : '\u00a0'
      bar.value = s.sample.share
    })
  }
  about = await call<About>('about.json', '').catch(() => about)
  document.getElementById('desk')!.textContent = about.desk
  if (hash === 'patterns') return patterns()
  const code = /^[A-Z2-7]{4}-[A-Z2-7]{4}$/.exec(hash.toUpperCase())?.[0]
  if (code) return enter(code)
  try {
    const w = await (await session()).Work.resume(() => draw())
    if (!w) return typed()
    await loaded(w)
    if (w.unsettled) return unsettled(w)
    if (await w.started) return await begin(w)
    await ready(w)
  } catch (e) {
    if (e instanceof Refused) {
      await (await session()).Work.forget()
      return typed()
    }
    failed(e, () => location.reload())
  }
}

void start()
