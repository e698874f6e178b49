// Clips of film that the device makes for itself: nothing is shipped, nothing comes from elsewhere. A canvas is drawn from
// a seed and goes through the browser's own encoder, by codec, size and frame rate.
import { BufferTarget, canEncodeVideo, CanvasSource, Mp4OutputFormat, Output, type VideoCodec, type VideoEncodingConfig, WebMOutputFormat } from 'mediabunny'
import { noise } from './harness'

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
  const draw = drawing(canvas.getContext('2d', { alpha: false })!, f)
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
