// Clips of film that the device makes for itself: nothing is shipped, nothing comes from elsewhere. A canvas is drawn from
// a seed and goes through the browser's own encoder, by codec, size and frame rate.
import { BufferTarget, canEncodeVideo, CanvasSource, Mp4OutputFormat, Output, type VideoCodec, type VideoEncodingConfig, WebMOutputFormat } from 'mediabunny'
import { noise } from './harness'
import { chips } from './tests/webgl'

export const codecs = ['h264', 'hevc', 'vp9', 'av1'] as const
export type Codec = (typeof codecs)[number]
export interface Form {
  codec: Codec
  width: number
  height: number
  rate: number
}
export interface Clip extends Form {
  url: string
  type: string // as the browser is asked whether it plays it
  bytes: number
  frames: number
  rateMade: number // frames a second that the encoder made
  hardware: string // what was asked of the encoder
}

const inner: Record<Codec, VideoCodec> = { h264: 'avc', hevc: 'hevc', vp9: 'vp9', av1: 'av1' }

/** bits is what a clip of a form is given: a tenth of a bit a pixel, as films over the network have. */
export const bits = (f: Form): number => Math.round(0.1 * f.width * f.height * f.rate)

export type Hardware = 'prefer-hardware' | 'prefer-software' | 'no-preference'

function encoding(f: Form, hardware: Hardware): VideoEncodingConfig {
  return { codec: inner[f.codec], bitrate: bits(f), keyFrameInterval: 2, latencyMode: 'quality', hardwareAcceleration: hardware }
}

let software: boolean | undefined
/** picture is what frames are drawn with: in memory where no graphics chip draws, since reading back from one that is simulated takes longer than any encoder. */
function picture(canvas: OffscreenCanvas): OffscreenCanvasRenderingContext2D {
  if (software === undefined) {
    const gl = new OffscreenCanvas(1, 1).getContext('webgl2')
    const info = gl?.getExtension('WEBGL_debug_renderer_info')
    software = !gl || chips(String(gl.getParameter(info ? info.UNMASKED_RENDERER_WEBGL : gl.RENDERER)))['graphics.renderer'] === 'software'
  }
  return canvas.getContext('2d', { alpha: false, willReadFrequently: software })!
}

/** makes tells whether this browser encodes a form. */
export async function makes(f: Form, hardware: Hardware = 'no-preference'): Promise<boolean> {
  if (typeof VideoEncoder === 'undefined') return false
  const { codec, ...rest } = encoding(f, hardware)
  return canEncodeVideo(codec, { ...rest, width: f.width, height: f.height }).catch(() => false)
}

/** drawing paints the frames of a film: a sea chart that pans under drifting marks, with grain, so that no frame is like the one before. */
function drawing(g: OffscreenCanvasRenderingContext2D, f: Form): (frame: number) => void {
  const next = noise(23)
  const unit = () => next() / 2 ** 32
  const marks = Array.from({ length: 90 }, () => ({ x: unit(), y: unit(), r: 0.004 + 0.03 * unit(), hue: 160 + 140 * unit(), vx: unit() - 0.5, vy: unit() - 0.5 }))
  const grain = new OffscreenCanvas(256, 256)
  const gg = grain.getContext('2d')!
  const data = gg.createImageData(256, 256)
  for (let i = 0; i < data.data.length; i += 4) {
    data.data[i] = data.data[i + 1] = data.data[i + 2] = next() & 255
    data.data[i + 3] = 22
  }
  gg.putImageData(data, 0, 0)
  const pattern = g.createPattern(grain, 'repeat')!
  const { width: w, height: h } = f
  return (frame) => {
    const t = frame / f.rate
    const sky = g.createLinearGradient(0, 0, w, h)
    sky.addColorStop(0, `hsl(${200 + 15 * Math.sin(t)} 45% 62%)`)
    sky.addColorStop(1, `hsl(${180 + 10 * Math.cos(t)} 40% 28%)`)
    g.fillStyle = sky
    g.fillRect(0, 0, w, h)
    g.lineWidth = Math.max(1, h / 540)
    for (let k = 0; k < 14; k++) {
      g.strokeStyle = `hsl(${190 + 4 * k} 30% ${70 - 3 * k}%)`
      g.beginPath()
      for (let x = 0; x <= w; x += w / 64) g.lineTo(x, h * (0.1 + 0.06 * k + 0.03 * Math.sin((7 * x) / w + k + 1.5 * t)))
      g.stroke()
    }
    for (const m of marks) {
      g.fillStyle = `hsl(${m.hue} 55% 55%)`
      g.beginPath()
      g.arc(w * ((((m.x + 0.12 * m.vx * t) % 1) + 1) % 1), h * ((((m.y + 0.12 * m.vy * t) % 1) + 1) % 1), m.r * h, 0, 2 * Math.PI)
      g.fill()
    }
    g.save()
    g.translate((frame * 37) % 256, (frame * 91) % 256)
    g.fillStyle = pattern
    g.fillRect(-256, -256, w + 512, h + 512)
    g.restore()
  }
}

/** make makes a clip of so many seconds; undefined where that takes longer than it may, in ms. */
export async function make(f: Form, seconds: number, signal: AbortSignal, longest: number, hardware: Hardware = 'no-preference'): Promise<Clip | undefined> {
  const canvas = new OffscreenCanvas(f.width, f.height)
  const draw = drawing(picture(canvas), f)
  const target = new BufferTarget()
  const webm = f.codec === 'vp9'
  const output = new Output({ format: webm ? new WebMOutputFormat() : new Mp4OutputFormat(), target })
  let described = ''
  const source = new CanvasSource(canvas, { ...encoding(f, hardware), onEncoderConfig: (c) => (described = c.codec) })
  output.addVideoTrack(source, { frameRate: f.rate })
  await output.start()
  const frames = Math.max(2, Math.round(seconds * f.rate))
  const begin = performance.now()
  let drawn = 0
  try {
    for (let i = 0; i < frames; i++) {
      const from = performance.now()
      draw(i)
      drawn += performance.now() - from
      await source.add(i / f.rate, 1 / f.rate)
      signal.throwIfAborted()
      if (performance.now() - begin > longest) {
        await output.cancel()
        return undefined
      }
    }
    await output.finalize()
  } catch (e) {
    await output.cancel().catch(() => undefined)
    throw e
  }
  const spent = performance.now() - begin - drawn // the canvas is no part of the encoder's work
  const type = `video/${webm ? 'webm' : 'mp4'}; codecs="${described}"`
  const url = URL.createObjectURL(new Blob([target.buffer!], { type }))
  return { ...f, url, type, bytes: target.buffer!.byteLength, frames, rateMade: (1000 * frames) / Math.max(spent, 1), hardware }
}

// Codecs as the browser's own encoder is asked for them, for pictures up to 1920 × 1080.
const asked: Record<Codec, string> = { h264: 'avc1.640028', hevc: 'hvc1.1.6.L123.B0', vp9: 'vp09.00.41.08', av1: 'av01.0.08M.08' }

/** encoded is how many frames a second the encoder makes of a form, over so many seconds at most; the drawing is no part of it. Undefined where the browser has no such encoder. */
export async function encoded(f: Form, seconds: number, signal: AbortSignal, hardware: Hardware): Promise<number | undefined> {
  const config: VideoEncoderConfig = { codec: asked[f.codec], width: f.width, height: f.height, bitrate: bits(f), framerate: f.rate, hardwareAcceleration: hardware }
  if (typeof VideoEncoder === 'undefined' || !(await VideoEncoder.isConfigSupported(config).catch(() => ({ supported: false }))).supported) return undefined
  const canvas = new OffscreenCanvas(f.width, f.height)
  const draw = drawing(picture(canvas), f)
  // Frames stand ready, so that only the encoder works while it is timed.
  const frames = Array.from({ length: 30 }, (_, i) => {
    draw(i)
    return new VideoFrame(canvas, { timestamp: 0 })
  })
  let [made, wrong] = [0, undefined as Error | undefined]
  const encoder = new VideoEncoder({ output: () => void made++, error: (e) => (wrong = e) })
  try {
    encoder.configure(config)
    const begin = performance.now()
    for (let i = 0; performance.now() - begin < 1000 * seconds && !wrong; i++) {
      const frame = new VideoFrame(frames[i % frames.length]!, { timestamp: Math.round((1e6 * i) / f.rate) })
      encoder.encode(frame, { keyFrame: i % 60 === 0 })
      frame.close()
      while (encoder.encodeQueueSize > 2 && performance.now() - begin < 4000 * seconds) await new Promise((done) => setTimeout(done, 2))
      signal.throwIfAborted()
    }
    const spent = (performance.now() - begin) / 1000
    if (wrong) throw wrong
    return made / spent
  } finally {
    frames.forEach((x) => x.close())
    if (encoder.state !== 'closed') encoder.close()
  }
}

/** film puts a clip on the whole screen and lets it run in a loop. */
export async function film(c: Clip, signal: AbortSignal): Promise<{ video: HTMLVideoElement; end(): void }> {
  const field = document.getElementById('stage')!
  const video = document.createElement('video')
  video.muted = video.loop = video.playsInline = true
  video.src = c.url
  field.className = ''
  field.replaceChildren(video)
  field.hidden = false
  const end = () => {
    video.pause()
    video.removeAttribute('src')
    video.load()
    field.hidden = true
    field.replaceChildren()
  }
  try {
    await new Promise<void>((done, fail) => {
      signal.addEventListener('abort', () => fail(signal.reason))
      video.onerror = () => fail(new Error(`the browser does not play what it encoded: ${video.error?.message || c.type}`))
      video.onloadeddata = () => done()
    })
    await video.play()
  } catch (e) {
    end()
    throw e
  }
  return { video, end }
}
