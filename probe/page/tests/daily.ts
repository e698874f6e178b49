// Loads of a day that run a battery down, paced: the same work each minute on a fast and on a slow device, counted. What
// comes late is not made up for, so that a slow device shows its pace. A heartbeat tells how far it is.
import { ask } from '../ask'
import { battery, charge } from '../device'
import { duration, type Env, noise, NotRun, number, option, series } from '../harness'
import { rest } from '../trouble'
import type { Outcome, Test } from '../wire'
import { article, pageOf, table } from './matter'

/** Load is one kind of work. Either it is asked for each piece, or it counts what it did by itself. */
interface Load {
  rate: number // pieces due a minute; 0 where it takes all it can get
  piece?(k: number): Promise<boolean>
  counted?(): number
  observed?: Record<string, string>
  negotiated?: Record<string, string>
  end(): void
}

async function reading(env: Env): Promise<Load> {
  const page = pageOf()
  const show = (n: number) => page.sheet.replaceChildren(...article(noise(1000 + n), true))
  let [articles, screens] = [0, 0]
  show(articles)
  return {
    rate: 8,
    end: page.end,
    async piece() {
      const from = page.sheet.scrollTop
      if (from + page.sheet.clientHeight >= page.sheet.scrollHeight - 4 || ++screens === 12) {
        show(++articles)
        screens = 0
        page.sheet.scrollTop = 0
        return page.drawn(env.signal)
      }
      const to = Math.min(from + 0.85 * page.sheet.clientHeight, page.sheet.scrollHeight - page.sheet.clientHeight)
      for (let begin = performance.now(), share = 0; share < 1; ) {
        if (!(await page.drawn(env.signal))) return false
        share = Math.min(1, (performance.now() - begin) / 600)
        page.sheet.scrollTop = from + (to - from) * (1 - (1 - share) ** 3)
      }
      return Math.abs(page.sheet.scrollTop - to) < 3
    },
  }
}

async function video(env: Env): Promise<Load> {
  const { film, make, makes } = await import('../clips')
  const [width, height] = option(env, 'size').split('x').map(Number) as [number, number]
  const form = { codec: option(env, 'codec') as 'h264', width, height, rate: Number(option(env, 'rate')) }
  if (!(await makes(form))) throw new NotRun(`this browser encodes no ${form.codec} at ${form.width} × ${form.height}, so that no clip could be made; choose another codec`)
  env.report({ phase: 'making the clip', share: 0 })
  const clip = await make(form, 10 * Math.min(1, env.seconds), env.signal, 10 * 60000)
  if (!clip) throw new NotRun(`${form.codec} at ${form.width} × ${form.height} is encoded so slowly here that ten seconds took more than ten minutes; choose a smaller size`)
  const shown = await film(clip, env.signal)
  const frames = counter(shown.video)
  return { rate: 60 * form.rate, counted: () => frames.shown(), negotiated: { 'clip.size': `${(clip.bytes / 1e6).toFixed(1)} MB` }, end: () => { frames.end(); shown.end() } }
}

/** counter counts the frames of a film that were shown. */
function counter(v: HTMLVideoElement): { shown(): number; end(): void } {
  let [n, handle, over] = [0, 0, false]
  if (!v.requestVideoFrameCallback) return { shown: () => { const q = v.getVideoPlaybackQuality(); return q.totalVideoFrames - q.droppedVideoFrames }, end: () => undefined }
  let [last, before] = [0, 0]
  const one: VideoFrameRequestCallback = (_, m) => {
    if (m.presentedFrames < last) before += last // it began to count anew
    last = m.presentedFrames
    n = before + last
    if (!over) handle = v.requestVideoFrameCallback(one)
  }
  handle = v.requestVideoFrameCallback(one)
  return { shown: () => n, end: () => { over = true; v.cancelVideoFrameCallback(handle) } }
}

// The call's picture, and which share of its frames a second needs so that it counts.
const call = { width: 640, height: 360, rate: 15, enough: 0.9 }

/** calling sends a small picture through the encoder and the decoder and shows it, as a call does; undefined where the browser has neither. */
async function calling(at: HTMLElement, signal: AbortSignal): Promise<{ shown(): number; end(): void } | undefined> {
  const config = { codec: 'vp8', width: call.width, height: call.height, bitrate: 700_000, framerate: call.rate, latencyMode: 'realtime' as const }
  if (typeof VideoEncoder === 'undefined' || typeof VideoDecoder === 'undefined' || !(await VideoEncoder.isConfigSupported(config).catch(() => ({ supported: false }))).supported) return undefined
  const canvas = document.createElement('canvas')
  const view = document.createElement('canvas')
  for (const c of [canvas, view]) [c.width, c.height] = [call.width, call.height]
  view.style.cssText = 'position:fixed;right:12px;bottom:12px;width:min(40vw,320px);height:auto;object-fit:contain'
  at.append(view)
  const [g, out] = [canvas.getContext('2d')!, view.getContext('2d')!]
  let [sent, shown] = [0, 0]
  const failed = () => undefined // what is not shown is counted as such
  const decoder = new VideoDecoder({ error: failed, output: (f) => { out.drawImage(f, 0, 0); f.close(); shown++ } })
  decoder.configure({ codec: 'vp8' })
  const encoder = new VideoEncoder({ error: failed, output: (chunk) => { if (decoder.state === 'configured') decoder.decode(chunk) } })
  encoder.configure(config)
  const timer = setInterval(() => {
    if (signal.aborted || encoder.state !== 'configured' || encoder.encodeQueueSize > 3) return
    const t = sent / call.rate
    g.fillStyle = `hsl(${200 + 20 * Math.sin(t)} 40% 40%)`
    g.fillRect(0, 0, call.width, call.height)
    for (let i = 0; i < 24; i++) {
      g.fillStyle = `hsl(${(40 * i) % 360} 50% 60%)`
      g.fillRect(320 + 200 * Math.sin(t + i), 180 + 120 * Math.cos(1.3 * t + i), 40, 24)
    }
    const frame = new VideoFrame(canvas, { timestamp: Math.round((1e6 * sent) / call.rate) })
    encoder.encode(frame, { keyFrame: sent % 150 === 0 })
    frame.close()
    sent++
  }, 1000 / call.rate)
  return {
    shown: () => shown,
    end() {
      clearInterval(timer)
      if (encoder.state !== 'closed') encoder.close()
      if (decoder.state !== 'closed') decoder.close()
    },
  }
}

async function office(env: Env): Promise<Load> {
  const page = pageOf()
  const next = noise(77)
  const text = document.createElement('textarea')
  text.setAttribute('aria-label', 'A document that is typed')
  const cells = table(12, 40)
  const words = article(noise(78), false)
  page.sheet.append(text, cells.element, ...words)
  const stream = await calling(page.sheet, env.signal)
  let before = 0
  return {
    rate: 60,
    observed: { content: stream ? 'with a call' : 'without a call' },
    negotiated: stream ? {} : { call: 'this browser gives a page no encoder, so no call went on beside it' },
    end() {
      stream?.end()
      page.end()
    },
    async piece(k) {
      if (k % 10 === 0) cells.again(next)
      else if (k % 10 === 5) page.sheet.scrollTop = page.sheet.scrollTop > page.sheet.clientHeight ? 0 : page.sheet.scrollTop + 0.85 * page.sheet.clientHeight
      else {
        for (const c of `${(next() % 1e6).toString(36)} `) {
          text.value = (text.value + c).slice(-1200)
          text.scrollTop = text.scrollHeight
          await rest(50, env.signal)
        }
      }
      const seen = await page.drawn(env.signal)
      const now = stream?.shown() ?? 0
      const enough = !stream || k === 0 || now - before >= call.enough * call.rate
      before = now
      return seen && enough
    },
  }
}

async function graphics(env: Env): Promise<Load> {
  const { still } = await import('./scene')
  const it = still(env, 1280, 720, option(env, 'quality'))
  const rate = Number(option(env, 'rate'))
  let [n, over, last] = [0, false, -1]
  const begin = performance.now()
  const draw = () => {
    if (over || env.signal.aborted) return
    const due = Math.floor(((performance.now() - begin) / 1000) * rate)
    if (due > last && !it.lost()) {
      it.draw(due)
      last = due
      n++
    }
    requestAnimationFrame(draw)
  }
  requestAnimationFrame(draw)
  return { rate: 60 * rate, counted: () => n, observed: it.observed, negotiated: it.negotiated, end: () => { over = true; it.end() } }
}

async function heavy(env: Env): Promise<Load> {
  const { crew } = await import('./kernels')
  const list = await crew(env, navigator.hardwareConcurrency || 1)
  let [before, over] = [0, false]
  const go = async (t: (typeof list)[number], thread: number) => {
    await t.ask({ do: 'prepare', kernel: 'hashing', part: '', thread })
    while (!over && !env.signal.aborted) {
      const { work } = await t.ask({ do: 'run', ms: 2000, slice: 100 })
      before += work // and the thread's own count begins anew with its next piece
    }
  }
  let wrong: unknown
  Promise.all(list.map(go)).catch((e) => (wrong = over ? undefined : e))
  const counted = () => {
    if (wrong) throw wrong // a thread that broke off works no more, and the battery would last the longer for it
    return (before + list.reduce((sum, t) => sum + t.work, 0)) / 1024
  }
  return { rate: 0, counted, end: () => { over = true; list.forEach((t) => t.end()) } }
}

/** prepare brings what the loads are made of onto the device. */
export async function prepare(told: (share: number) => void, tests: Test[]): Promise<void> {
  for (const { slug } of tests) {
    if (slug === 'rundown-video') await import('../clips')
    if (slug === 'rundown-graphics') await import('./scene')
    if (slug === 'rundown-heavy') await (await import('./kernels')).prepare(told)
  }
}

const loads: Record<string, (env: Env) => Promise<Load>> = { 'rundown-reading': reading, 'rundown-video': video, 'rundown-office': office, 'rundown-graphics': graphics, 'rundown-heavy': heavy }

/** lit is the luminance that the screen is set to: what was measured, or that nobody measured it. */
async function lit(env: Env): Promise<Pick<Outcome, 'observed' | 'negotiated'>> {
  const want = env.conditions?.['display.luminance'] || '200 cd/m²'
  const target = parseFloat(want.replace(',', '.'))
  const a = await ask({ white: true, text: `Set the screen's white to ${want} and measure it. Automatic brightness off, radio on, sound off.`, number: { label: 'Luminance as measured', unit: 'cd/m²' }, choices: ['Begin', 'Not measured'] }, env.signal)
  if (a.value === undefined) return { observed: { 'display.luminance': 'not measured' }, negotiated: {} }
  const near = Math.abs(a.value / target - 1) <= 0.05
  return { observed: { 'display.luminance': near ? want : `${Math.round(a.value)} cd/m²` }, negotiated: { 'luminance.measured': `${a.value} cd/m²` } }
}

/** full asks for a full battery off its charger. What cannot be observed is taken as it is. */
async function full(env: Env): Promise<void> {
  const b = await battery()
  if (!b) return
  if (b.level < 0.97) await ask({ text: `The battery is at ${Math.round(100 * b.level)} %. A run-down begins full: charge it first. One that begins lower is continued by reckoning.`, choices: ['Begin as it is'] }, env.signal)
  for (let tries = 0; b.charging; tries++) {
    if (tries === 3) throw new NotRun('the device says that it is on mains: nothing runs down')
    await ask({ text: 'Pull the plug: a run-down is made on battery.', choices: ['It is pulled'] }, env.signal)
    await rest(1000, env.signal)
  }
}

/** beating runs until one of its ends and tells how far it is from time to time. */
async function beating(env: Env, load: Load, ends: (level: number | undefined, seconds: number) => Promise<string> | string, share: (level: number | undefined, seconds: number) => number): Promise<Partial<Outcome>> {
  const begin = performance.now() - (env.before ? Date.now() - env.before.at : 0)
  const clock = () => performance.now() - begin
  const from = env.before?.done ?? 0
  const already = load.counted?.() ?? 0
  const each = load.rate ? 60000 / load.rate : 0
  const channels = { done: series('done', '1'), due: series('due', '1'), charge: series('battery.charge', '%') }
  let [done, end] = [from, '']
  const every = duration(env, 'heartbeat')
  const said = { observed: load.observed ?? {}, negotiated: load.negotiated ?? {} }
  const add = (s: typeof channels.done, at: number, v: number) => { s.times.push(at); s.values.push(v) }
  const beat = async (): Promise<void> => {
    const at = clock() / 1000
    const level = await charge()
    if (load.counted) done = from + load.counted() - already
    const values: Record<string, number> = { done, ...(each ? { due: Math.max(Math.floor(clock() / each), 0) } : {}), ...(level === undefined ? {} : { 'battery.charge': level }) }
    add(channels.done, at, values.done!)
    if (each) add(channels.due, at, values.due!)
    if (level !== undefined) add(channels.charge, at, level)
    await env.beat?.(at, values, said)
    const behind = each && values.due! > 5 && done < 0.98 * values.due!
    env.report({ phase: `${env.test.analysis === 'charging' ? 'charging' : 'running down'}${behind ? ', behind its pace' : ''}`, share: share(level, at), ...(level === undefined ? {} : { channel: 'battery.charge', unit: '%', value: level }) })
    end ||= await ends(level, at)
  }
  const pieces = async () => {
    for (let k = Math.floor(clock() / each); !end; k++) {
      if (clock() < k * each) await rest(k * each - clock(), env.signal)
      env.signal.throwIfAborted()
      if (clock() > (k + 2) * each) k = Math.floor(clock() / each) // what is late is not made up for
      if (!end && (await load.piece!(k))) done++
    }
  }
  let working: Promise<unknown> = Promise.resolve()
  try {
    await beat()
    if (load.piece && each) {
      working = pieces()
      working.catch(() => (end ||= 'ended'))
    }
    for (let next = Math.floor(clock() / 1000 / every + 1) * every; !end; next += every) {
      for (let left = 1000 * next - clock(); left > 0 && !end; left = 1000 * next - clock()) await rest(Math.min(left, 500), env.signal)
      env.signal.throwIfAborted()
      await beat()
    }
    await working
  } finally {
    end ||= 'ended'
    load.end()
  }
  return { observed: load.observed, negotiated: { ...load.negotiated, 'battery.end': end }, series: Object.values(channels).filter((s) => s.values.length) }
}

async function rundown(env: Env): Promise<Partial<Outcome>> {
  let light: Pick<Outcome, 'observed' | 'negotiated'> = env.before ?? { observed: {}, negotiated: {} }
  if (!env.before) {
    light = await lit(env)
    await full(env)
  }
  const load = await loads[env.test.slug]!(env)
  load.observed = { ...load.observed, ...light.observed, supply: 'battery' } // it may have been on its charger until just before
  load.negotiated = { ...load.negotiated, ...light.negotiated }
  const stop = number(env, 'until')
  const b = await battery()
  return beating(env, load, (level, seconds) => {
    if (b?.charging) return 'plugged in'
    if (level !== undefined && stop > 0 && level <= stop) return 'at charge level'
    return seconds >= duration(env, 'longest') ? 'ended' : ''
  }, (level, seconds) => (level === undefined ? Math.min(0.99, seconds / (env.test.seconds ?? 28800)) : Math.min(0.99, (100 - level) / (100 - stop))))
}

async function charging(env: Env): Promise<Partial<Outcome>> {
  const b = await battery()
  if (!b) throw new NotRun('this browser tells no charge level; read it off by hand')
  for (let tries = 0; !b.charging && !env.before; tries++) {
    if (tries === 3) throw new NotRun('the device says that it is not being charged')
    await ask({ text: `The battery is at ${Math.round(100 * b.level)} %; charging is timed from 10 % at most. Plug the charger in, and go on at once.`, choices: ['It is plugged in'] }, env.signal)
    await rest(500, env.signal)
  }
  const out = await beating(env, { rate: 0, counted: () => 0, observed: { supply: 'mains' }, end: () => undefined }, (level, seconds) => (level !== undefined && level >= 100 ? 'at charge level' : !b.charging || seconds >= duration(env, 'longest') ? 'ended' : ''), (level) => Math.min(0.99, (level ?? 0) / 100))
  return { ...out, series: out.series?.filter((s) => s.channel === 'battery.charge') }
}

export const runners = { ...Object.fromEntries(Object.keys(loads).map((k) => [k, rundown])), charging }
