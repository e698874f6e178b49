// Films: clips that the device encodes itself, by codec, size and frame rate, are played, and their frames counted.
import { type Env, missing, NotRun, number, ok, option, part } from '../harness'
import { rest } from '../trouble'
import type { Outcome, Reading } from '../wire'

const made = () => import('../clips')
/** prepare brings encoder's container and all onto the device. */
export const prepare = made

type Form = Parameters<typeof import('../clips').make>[0]

/** formOf reads a measure's name: the codec, the picture's height, the frames a second. */
function formOf(slug: string): Form {
  const [codec, height, rate] = slug.split('-') as [Form['codec'], string, string]
  return { codec, height: +height, width: (+height * 16) / 9, rate: +rate }
}
const called = (f: Form): string => `${f.codec}, ${f.width} × ${f.height}, ${f.rate} frames/s`

// How long a clip may take to be made, in ms: a device that makes it so slowly plays few like it.
const patience = 20000

/** played shows a clip for so long and counts: which share of its frames was not shown, and when the first one came. */
async function played(env: Env, clip: Awaited<ReturnType<typeof import('../clips').make>> & object, seconds: number): Promise<{ dropped: number; first: number }> {
  const { film } = await made()
  const from = performance.now()
  const { video, end } = await film(clip, env.signal)
  try {
    const first = await new Promise<number>((done) => video.requestVideoFrameCallback((now) => done(now - from)))
    // Counted between two frames that were shown, in the film's own time: a loop's seam is no part of it.
    let [frames, due, last] = [0, 0, undefined as VideoFrameCallbackMetadata | undefined]
    let over = false
    const one: VideoFrameRequestCallback = (_, m) => {
      if (last && m.mediaTime > last.mediaTime) {
        due += Math.round((m.mediaTime - last.mediaTime) * clip.rate)
        frames += Math.min(m.presentedFrames - last.presentedFrames, Math.round((m.mediaTime - last.mediaTime) * clip.rate))
      }
      last = m
      if (!over) video.requestVideoFrameCallback(one)
    }
    video.requestVideoFrameCallback(one)
    await rest(1000 * seconds, env.signal)
    over = true
    env.signal.throwIfAborted()
    if (due < clip.rate * seconds * 0.2) throw new Error(`only ${due} frames came due in ${seconds} s; the film stood still`)
    return { dropped: Math.max(0, 100 * (1 - frames / due)), first }
  } finally {
    end()
  }
}

async function playback(env: Env): Promise<Partial<Outcome>> {
  const { make, makes } = await made()
  if (!HTMLVideoElement.prototype.requestVideoFrameCallback) throw new NotRun('this browser does not tell which frames of a film it showed')
  const out: Outcome = { observed: {}, negotiated: {}, readings: [], series: [] }
  const seconds = number(env, 'length') * Math.min(1, env.seconds)
  const wanted = option(env, 'codecs')
  const starts: number[] = []
  const frugal: string[] = []
  const forms = env.test.measures.filter((m) => m.slug !== 'start')
  for (const [i, m] of forms.entries()) {
    const f = formOf(m.slug)
    const tell = part(env, i, forms.length)
    const left = (why: string) => out.readings.push(missing(m.slug, why))
    if ((wanted !== 'all' && wanted !== f.codec) || f.height > number(env, 'largest')) {
      left('left out of this run')
      continue
    }
    if (!(await makes(f))) {
      left(`this browser encodes no ${f.codec} of that size, so there is no clip of it`)
      continue
    }
    tell.report({ phase: `making ${called(f)}`, share: 0 })
    let clip
    try {
      clip = await make(f, 2 * Math.min(1, env.seconds), env.signal, patience)
    } catch (e) {
      env.signal.throwIfAborted()
      left(`its encoder failed: ${e instanceof Error ? e.message : String(e)}`)
      continue
    }
    if (!clip) {
      left(`two seconds of it took more than ${patience / 1000} s to encode here, so none was played`)
      continue
    }
    try {
      const can = await navigator.mediaCapabilities?.decodingInfo({ type: 'file', video: { contentType: clip.type, width: f.width, height: f.height, framerate: f.rate, bitrate: (8 * clip.bytes * f.rate) / clip.frames } }).catch(() => undefined)
      if (can?.powerEfficient) frugal.push(`${f.codec} ${f.height} ${f.rate}`)
      tell.report({ phase: `playing ${called(f)}`, share: 0.5 })
      const { dropped, first } = await played(env, clip, seconds)
      out.readings.push(ok(m.slug, dropped))
      starts.push(first)
    } catch (e) {
      env.signal.throwIfAborted()
      left(e instanceof Error ? e.message : String(e))
    } finally {
      URL.revokeObjectURL(clip.url)
    }
  }
  if (!starts.length) throw new NotRun('this browser encodes no film, so none could be played')
  starts.sort((a, b) => a - b)
  out.readings.push(ok('start', starts[starts.length >> 1]!))
  out.negotiated['video.frugal'] = frugal.join(', ') || 'none, as the browser says'
  return out
}

async function encoding(env: Env): Promise<Partial<Outcome>> {
  const { encoded } = await made()
  const of = option(env, 'encoder')
  const readings: Reading[] = []
  for (const [i, m] of env.test.measures.entries()) {
    const f: Form = { codec: m.slug as Form['codec'], width: 1920, height: 1080, rate: 30 }
    part(env, i, env.test.measures.length).report({ phase: `encoding ${called(f)}`, share: 0 })
    const rate = await encoded(f, 6 * Math.min(1, env.seconds), env.signal, of === 'any' ? 'no-preference' : `prefer-${of as 'hardware'}`)
    if (rate === undefined) readings.push(missing(m.slug, `this browser gives a page no ${m.slug} encoder${of === 'any' ? '' : ` in ${of}`}`))
    else if (!rate) readings.push(missing(m.slug, 'not a single frame was encoded in that time'))
    else readings.push(ok(m.slug, rate))
  }
  if (readings.every((r) => r.state === 'missing')) throw new NotRun(readings[0]!.reason!)
  return { readings }
}

export const runners = { 'video-playback': playback, 'video-encoding': encoding }
