// The screen, and how it answers a finger.
import { distances, median } from '../device'
import { type Env, missing, ok, series } from '../harness'
import { rest } from '../trouble'
import type { Outcome } from '../wire'

const matches = (q: string) => matchMedia(q).matches

export async function facts(env: Env): Promise<Partial<Outcome>> {
  env.report({ phase: 'counting frames', share: 0.1 })
  const ms = await distances(150, env.signal)
  const gamut = ['rec2020', 'p3', 'srgb'].find((g) => matches(`(color-gamut: ${g})`)) ?? 'less than srgb'
  const frame = series('frame', 'ms')
  let at = 0
  for (const d of ms ?? []) {
    at += d / 1000
    frame.times.push(at)
    frame.values.push(d)
  }
  return {
    negotiated: { 'screen.gamut': gamut, 'screen.dynamic-range': matches('(dynamic-range: high)') ? 'high' : 'standard', 'screen.depth': `${screen.colorDepth} bits`, 'screen.touch': `${navigator.maxTouchPoints} fingers` },
    readings: [
      ms?.length ? ok('refresh', 1000 / median(ms)) : missing('refresh', 'the browser drew no frames'),
      ok('width', Math.round(screen.width * devicePixelRatio)),
      ok('height', Math.round(screen.height * devicePixelRatio)),
      ok('scale', devicePixelRatio),
    ],
    series: ms?.length ? [frame] : [],
  }
}

const taps = 20
const leastTaps = 10

/** ended resolves when the frame that the coming callback belongs to has been handed over. */
function ended(): Promise<number> {
  return new Promise((done) => {
    requestAnimationFrame(() => {
      const c = new MessageChannel()
      c.port1.onmessage = () => done(performance.now())
      c.port2.postMessage(0)
    })
  })
}

export async function touch(env: Env): Promise<Partial<Outcome>> {
  const field = document.getElementById('stage')!
  const say = document.createElement('div')
  say.className = 'say'
  field.className = 'field'
  field.replaceChildren(say)
  field.hidden = false
  const late = series('touch-to-frame', 'ms')
  const begin = performance.now()
  const heard: number[] = []
  try {
    say.textContent = `Tap anywhere, ${taps} times.`
    await new Promise<void>((done) => {
      const tapped = async (e: PointerEvent) => {
        field.classList.add('hit')
        const end = await ended()
        field.classList.remove('hit')
        if (late.values.length >= taps) return
        late.times.push((end - begin) / 1000)
        late.values.push(end - e.timeStamp)
        say.textContent = `${late.values.length} of ${taps}`
        env.report({ phase: `tap ${late.values.length} of ${taps}`, share: (0.8 * late.values.length) / taps, channel: 'median', unit: 'ms', value: median(late.values) })
        if (late.values.length === taps) done()
      }
      field.addEventListener('pointerdown', tapped)
      void rest(60000, env.signal).then(() => {
        field.removeEventListener('pointerdown', tapped)
        done()
      })
    })
    if (late.values.length < leastTaps) throw new Error(`only ${late.values.length} taps came within a minute; ${leastTaps} are needed`)
    say.textContent = 'Now move one finger in circles, for three seconds.'
    const moved = (e: PointerEvent) => {
      for (const x of e.getCoalescedEvents?.() ?? [e]) heard.push(x.timeStamp)
    }
    field.addEventListener('pointermove', moved)
    for (let i = 0; i < 60 && (heard.length < 2 || heard.at(-1)! - heard[0]! < 3000) && !env.signal.aborted; i++) {
      await rest(250, env.signal)
      env.report({ phase: 'a finger that moves', share: 0.8 + (0.2 * i) / 60 })
    }
    field.removeEventListener('pointermove', moved)
  } finally {
    field.hidden = true
    field.className = ''
    field.replaceChildren()
  }
  const sorted = [...late.values].sort((a, b) => a - b)
  const gaps = heard.slice(1).map((t, i) => t - heard[i]!).filter((d) => d > 0.1)
  return {
    readings: [ok('median', median(sorted)), ok('slow', sorted[Math.ceil(0.9 * sorted.length) - 1]!), gaps.length > 30 ? ok('reports', 1000 / median(gaps)) : missing('reports', 'the finger did not move for long enough')],
    series: [late],
  }
}

export const runners = { 'screen-facts': facts, 'touch-response': touch }
