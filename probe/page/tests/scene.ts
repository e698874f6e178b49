// A scene at sea, made in code: waves, buoys, sky. Every frame advances it by the same step, so that every device draws
// the same pictures however fast it is.
import { distances, median } from '../device'
import { duration, type Env, missing, noise, ok, option, series, sustained, Wrong } from '../harness'
import { references } from '../scene.reference'
import { rest } from '../trouble'
import { fences, picture, pixels, program, stage } from './webgl'
import type { Outcome, Reading, Series } from '../wire'

const qualities: Record<string, { grid: number; waves: number; buoys: number; octaves: number }> = {
  low: { grid: 96, waves: 4, buoys: 60, octaves: 2 },
  medium: { grid: 192, waves: 8, buoys: 240, octaves: 4 },
  high: { grid: 320, waves: 12, buoys: 800, octaves: 6 },
}
export const sizes = ['640x360', '960x540', '1280x720', '1600x900', '1920x1080', '2560x1440', '3840x2160'].map((s) => s.split('x').map(Number) as [number, number])
const step = 1 / 60 // of the scene's time a frame
const segments = 24

interface Scene {
  draw(frame: number, width: number, height: number): void
}

/** build compiles the scene for a quality; it draws into whatever framebuffer is bound. */
function build(gl: WebGL2RenderingContext, quality: string): Scene {
  const q = qualities[quality]!
  const next = noise(11)
  const unit = () => next() / 2 ** 32
  const waves = new Float32Array(4 * 12)
  for (let i = 0; i < 12; i++) {
    const length = 60 * 0.72 ** i
    const angle = 0.5 + (unit() - 0.5) * 1.8
    const k = (2 * Math.PI) / length
    waves.set([k * Math.cos(angle), k * Math.sin(angle), Math.sqrt(9.81 * k), 0.014 * length], 4 * i)
  }
  const sea = `uniform float t; uniform vec4 w[12];
    vec3 wave(vec2 p) { vec3 s = vec3(0.); for (int i = 0; i < ${q.waves}; i++) { float a = dot(w[i].xy, p) - w[i].z * t; s += vec3(w[i].w * sin(a), w[i].w * cos(a) * w[i].xy); } return s; }`
  const eye = `uniform float aspect, along;
    vec4 project(vec3 p) { vec3 v = p - vec3(0., 7., along); float c = .9848, s = .1736; v.yz = vec2(v.y * c + v.z * s, v.z * c - v.y * s); float n = .5, f = 600.; return vec4(v.x * 1.5 / aspect, v.y * 1.5, ((f + n) * v.z - 2. * f * n) / (f - n), v.z); }`
  const light = `uint mixed(uvec2 p) { uint h = p.x * 1597334677u ^ p.y * 3812015801u; h ^= h >> 15; h *= 2246822519u; return h ^ (h >> 13); }
    float cell(vec2 p) { ivec2 i = ivec2(floor(p)); vec2 f = p - vec2(i); f = f * f * (3. - 2. * f); vec4 h = vec4(mixed(uvec2(i)), mixed(uvec2(i + ivec2(1, 0))), mixed(uvec2(i + ivec2(0, 1))), mixed(uvec2(i + 1))) / 4294967295.; return mix(mix(h.x, h.y, f.x), mix(h.z, h.w, f.x), f.y); }
    float cloud(vec2 p) { float s = 0., a = .5; for (int i = 0; i < ${q.octaves}; i++) { s += a * cell(p); p = p * 2.03 + 7.; a *= .5; } return s; }
    vec3 sky(vec3 d) { float h = clamp(d.y, 0., 1.); vec3 c = mix(vec3(.78, .84, .87), vec3(.28, .47, .62), sqrt(h)); return mix(c, vec3(.95), smoothstep(.45, .8, cloud(d.xz / (d.y + .12) * 1.3 + 40.)) * .6 * smoothstep(0., .12, d.y)); }
    const vec3 sun = vec3(.36, .48, .8);`
  const fog = 'vec3 far(vec3 c, float d, vec3 dir) { return mix(c, sky(vec3(dir.x, .02, dir.z)), 1. - exp(-d * d / 60000.)); }'

  const skies = program(gl, `out vec2 v; void main() { v = vec2(float((gl_VertexID & 1) * 4 - 1), float((gl_VertexID & 2) * 2 - 1)); gl_Position = vec4(v, .9999, 1.); }`, `uniform float aspect; ${light} in vec2 v; out vec4 o;
    void main() { vec3 d = normalize(vec3(v.x * aspect / 1.5, v.y / 1.5, 1.)); d.yz = vec2(d.y * .9848 - d.z * .1736, d.z * .9848 + d.y * .1736); o = vec4(sky(vec3(d.x, max(d.y, 0.), d.z)), 1.); }`)
  const water = program(gl, `${sea} ${eye} layout(location = 0) in vec2 p; out vec3 at; out vec2 slope;
    void main() { vec2 g = vec2(p.x * (12. + p.y * 300.), along + 1. + p.y * p.y * 420.); vec3 s = wave(g); at = vec3(g.x, s.x, g.y); slope = s.yz; gl_Position = project(at); }`, `uniform float along; ${light} ${fog} in vec3 at; in vec2 slope; out vec4 o;
    void main() { vec3 v = at - vec3(0., 7., along); float d = length(v); v /= d; float near = exp(-d / 60.); vec2 ripple = (vec2(cloud(at.xz * 1.7), cloud(at.zx * 1.7 + 31.)) - .5) * .35 * near; vec3 n = normalize(vec3(-slope.x - ripple.x, 1., -slope.y - ripple.y)); float f = .03 + .97 * pow(1. - max(dot(n, -v), 0.), 5.);
      vec3 r = reflect(v, n); r.y = abs(r.y); vec3 c = mix(vec3(.02, .16, .2) + .06 * max(at.y, 0.), sky(r), f); c += vec3(1., .95, .85) * pow(max(dot(r, sun), 0.), 90.) * .8; c += .25 * smoothstep(.55, .75, cloud(at.xz * .35)) * smoothstep(.5, 1.6, at.y);
      o = vec4(far(c, d, v), 1.); }`)
  const buoys = program(gl, `${sea} ${eye} layout(location = 1) in vec3 p; layout(location = 2) in vec2 place; out vec3 n; out vec3 at; out float band;
    void main() { vec2 g = vec2(place.x, along + mod(place.y - along, 400.) + 4.); vec3 s = wave(g); float r = p.y > 1.5 ? .18 : .75 - p.y * .2; vec3 q = vec3(p.x * r, p.y, p.z * r); q.xz += s.yz * -p.y * .8; at = vec3(g.x, s.x - .3, g.y) + q; n = vec3(p.x, .3, p.z); band = p.y; gl_Position = project(at); }`, `uniform float along; ${light} ${fog} in vec3 n; in vec3 at; in float band; out vec4 o;
    void main() { vec3 v = at - vec3(0., 7., along); float d = length(v); vec3 c = fract(band * .75) < .5 ? vec3(.66, .12, .42) : vec3(.93, .9, .8); c *= .35 + .65 * max(dot(normalize(n), sun), 0.); o = vec4(far(c, d, v / d), 1.); }`)

  const vao = (f: () => number): { vao: WebGLVertexArrayObject; count: number } => {
    const v = gl.createVertexArray()
    gl.bindVertexArray(v)
    return { vao: v, count: f() }
  }
  const buffer = (kind: number, data: AllowSharedBufferSource) => {
    gl.bindBuffer(kind, gl.createBuffer())
    gl.bufferData(kind, data, gl.STATIC_DRAW)
  }
  const net = vao(() => {
    const n = q.grid
    const corners = new Float32Array(2 * (n + 1) * (n + 1))
    for (let y = 0, k = 0; y <= n; y++) for (let x = 0; x <= n; x++) corners.set([(2 * x) / n - 1, y / n], 2 * k++)
    const triangles = new Uint32Array(6 * n * n)
    for (let y = 0, k = 0; y < n; y++)
      for (let x = 0; x < n; x++, k += 6) {
        const a = y * (n + 1) + x
        triangles.set([a, a + 1, a + n + 1, a + n + 1, a + 1, a + n + 2], k)
      }
    buffer(gl.ARRAY_BUFFER, corners)
    gl.enableVertexAttribArray(0)
    gl.vertexAttribPointer(0, 2, gl.FLOAT, false, 0, 0)
    buffer(gl.ELEMENT_ARRAY_BUFFER, triangles)
    return triangles.length
  })
  const turned = vao(() => {
    const strip: number[] = []
    for (const [low, high] of [[0, 1.5], [1.5, 3]] as const)
      for (let i = 0; i < segments; i++) {
        const at = (k: number, y: number) => [Math.cos((2 * Math.PI * k) / segments), y, Math.sin((2 * Math.PI * k) / segments)]
        strip.push(...at(i, low), ...at(i + 1, low), ...at(i, high), ...at(i, high), ...at(i + 1, low), ...at(i + 1, high))
      }
    buffer(gl.ARRAY_BUFFER, new Float32Array(strip))
    gl.enableVertexAttribArray(1)
    gl.vertexAttribPointer(1, 3, gl.FLOAT, false, 0, 0)
    const places = new Float32Array(2 * 800)
    for (let i = 0; i < 800; i++) places.set([(unit() - 0.5) * 260, unit() * 400], 2 * i)
    buffer(gl.ARRAY_BUFFER, places)
    gl.enableVertexAttribArray(2)
    gl.vertexAttribPointer(2, 2, gl.FLOAT, false, 0, 0)
    gl.vertexAttribDivisor(2, 1)
    return strip.length / 3
  })
  const places = [skies, water, buoys].map((p) => ({ p, t: gl.getUniformLocation(p, 't'), w: gl.getUniformLocation(p, 'w'), aspect: gl.getUniformLocation(p, 'aspect'), along: gl.getUniformLocation(p, 'along') }))
  for (const x of places) {
    gl.useProgram(x.p)
    gl.uniform4fv(x.w, waves)
  }
  gl.enable(gl.DEPTH_TEST)
  gl.depthFunc(gl.LEQUAL)
  return {
    draw(frame, width, height) {
      const t = frame * step
      gl.viewport(0, 0, width, height)
      gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT)
      for (const [i, x] of places.entries()) {
        gl.useProgram(x.p)
        gl.uniform1f(x.t, t)
        gl.uniform1f(x.aspect, width / height)
        gl.uniform1f(x.along, (t * 4) % 400)
        gl.bindVertexArray(i === 2 ? turned.vao : net.vao)
        if (i === 0) gl.drawArrays(gl.TRIANGLES, 0, 3)
        else if (i === 1) gl.drawElements(gl.TRIANGLES, net.count, gl.UNSIGNED_INT, 0)
        else gl.drawArraysInstanced(gl.TRIANGLES, 0, turned.count, q.buoys)
      }
    },
  }
}

const columns = 16
const rows = 9
const scale = 20

/** coarse draws one frame into memory and gives the mean colours of 16 × 9 fields. */
function coarse(gl: WebGL2RenderingContext, s: Scene): number[] {
  const [w, h] = [columns * scale, rows * scale]
  const f = picture(gl, w, h, true)
  s.draw(100, w, h)
  const got = pixels(gl, w, h)
  const out: number[] = []
  for (let y = 0; y < rows; y++)
    for (let x = 0; x < columns; x++)
      for (let c = 0; c < 3; c++) {
        let sum = 0
        for (let v = 0; v < scale; v++) for (let u = 0; u < scale; u++) sum += got[4 * ((y * scale + v) * w + x * scale + u) + c]!
        out.push(Math.round(sum / scale / scale))
      }
  gl.bindFramebuffer(gl.FRAMEBUFFER, null)
  gl.deleteFramebuffer(f)
  return out
}

// How far a field's colour may lie from the known one: drivers round sines and powers each in its own way.
const offMean = 3
const offMost = 20

function verify(gl: WebGL2RenderingContext, s: Scene, quality: string): void {
  const got = coarse(gl, s)
  const want = references[quality] ? [...atob(references[quality]!)].map((c) => c.charCodeAt(0)) : []
  const off = got.map((v, i) => Math.abs(v - (want[i] ?? NaN)))
  const mean = off.reduce((a, b) => a + b, 0) / off.length
  if (!(mean <= offMean && Math.max(...off) <= offMost)) {
    console.info(`coarse picture at ${quality}: ${btoa(String.fromCharCode(...got))}`)
    throw new Wrong(`the scene's colours lie ${mean.toFixed(1)} from the known ones in the mean, ${Math.max(...off)} at most`)
  }
}

/** still sets the scene on the screen for whoever draws it at a pace of their own. */
export function still(env: Env, width: number, height: number, quality: string) {
  const canvas = Object.assign(document.createElement('canvas'), { width, height })
  const s = stage(env, canvas, true)
  const it = build(s.gl, quality)
  verify(s.gl, it, quality)
  const field = document.getElementById('stage')!
  field.className = ''
  field.replaceChildren(canvas)
  field.hidden = false
  return { ...s, draw: (frame: number) => it.draw(frame, width, height), end: () => { field.hidden = true; field.replaceChildren() } }
}

interface Shown {
  frames: Series
  lost: () => boolean
}

/** Screen shows the scene and keeps every frame's time. */
class Screen {
  private canvas = document.createElement('canvas')
  private over = document.createElement('div')
  private field = document.getElementById('stage')!
  readonly s
  private scene: Scene
  busy = 0 // ms that this harness took for itself, without drawing

  constructor(private env: Env, private quality: string) {
    this.s = stage(env, this.canvas, true)
    this.scene = build(this.s.gl, quality)
    verify(this.s.gl, this.scene, quality)
    this.over.className = 'over'
    this.field.replaceChildren(this.canvas, this.over)
    this.field.hidden = false
  }

  end(): void {
    this.field.hidden = true
    this.field.replaceChildren()
  }

  /** show draws a size for so many seconds, or until so many frames were drawn as well. */
  show(width: number, height: number, seconds: number, least: number, tell: (share: number, rate: number) => void): Promise<Shown> {
    this.canvas.width = width
    this.canvas.height = height
    const { lost } = this.s
    const frames = series('frame', 'ms')
    const { signal } = this.env
    this.busy = 0
    return new Promise((done, fail) => {
      let [n, first, last, said, since] = [0, 0, 0, 0, 0]
      const draw = (t: number) => {
        const from = performance.now()
        if (signal.aborted) return fail(signal.reason)
        if (lost()) return fail(new Error('the graphics driver was reset in mid-run'))
        if (!first) first = t
        else if (t > last) {
          frames.times.push((t - first) / 1000)
          frames.values.push(t - last)
        }
        last = t
        const spent = (t - first) / 1000
        if (t - said > 500) {
          const rate = frames.values.length > since ? (1000 * (frames.values.length - since)) / (t - said) : 0
          said = t
          since = frames.values.length
          this.over.textContent = `${width} × ${height}, ${this.quality}, ${rate.toFixed(rate < 10 ? 1 : 0)} frames/s`
          tell(Math.min(1, spent / seconds), rate)
        }
        if (spent >= seconds && (frames.values.length >= least || spent >= 4 * seconds)) return done({ frames, lost })
        const drawing = performance.now()
        this.scene.draw(n++, width, height)
        const drawn = performance.now()
        requestAnimationFrame(draw)
        this.busy += performance.now() - drawn + drawing - from
      }
      requestAnimationFrame(draw)
    })
  }
}

const leastFrames = 1010

export async function scene(env: Env): Promise<Partial<Outcome>> {
  const quality = option(env, 'quality')
  const [width, height] = option(env, 'size').split('x').map(Number) as [number, number]
  if (sustained(env)) return lasting(env, quality, width, height)
  const beat = await distances(60, env.signal)
  const refresh: Record<string, string> = beat?.length ? { 'screen.refresh': `${(1000 / median(beat)).toFixed(1)} Hz` } : {}
  const screen = new Screen(env, quality)
  try {
    await screen.show(width, height, Math.min(2, duration(env)), 0, () => env.report({ phase: 'warming up', share: 0 }))
    const { frames } = await screen.show(width, height, duration(env), duration(env) < 30 ? 0 : leastFrames, (share, value) => env.report({ phase: 'drawing', share, channel: 'mean', unit: '{frame}/s', value }))
    const whole = frames.times.at(-1)! * 1000
    return { observed: screen.s.observed, negotiated: { ...screen.s.negotiated, ...refresh, 'harness.share': `${((100 * screen.busy) / whole).toFixed(2)} % of the frames' time` }, series: [frames] }
  } finally {
    screen.end()
  }
}

/** lasting draws the scene into memory as fast as it goes. */
async function lasting(env: Env, quality: string, width: number, height: number): Promise<Partial<Outcome>> {
  const s = stage(env)
  const { gl } = s
  const it = build(gl, quality)
  verify(gl, it, quality)
  picture(gl, width, height, true)
  const f = fences(s)
  const length = duration(env)
  const every = Math.min(1, length / 40)
  const out = series('rate', '{frame}/s')
  const begin = performance.now()
  let [n, last, lastAt] = [0, 0, begin]
  it.draw(n++, width, height)
  f.mark()
  for (;;) {
    it.draw(n++, width, height)
    f.mark()
    await f.done()
    env.signal.throwIfAborted()
    const now = performance.now()
    if (now - lastAt >= 1000 * every) {
      const value = (1000 * (n - last)) / (now - lastAt)
      out.times.push((now - begin) / 1000)
      out.values.push(value)
      env.report({ phase: 'drawing into memory', share: Math.min(1, (now - begin) / 1000 / length), channel: 'rate', unit: '{frame}/s', value })
      last = n
      lastAt = now
    }
    if (now - begin >= 1000 * length) break
  }
  await f.done()
  return { observed: s.observed, negotiated: s.negotiated, series: [out] }
}

const trial = 2.5

/** holds tells whether frames came at a rate: the mean within 2 %, and one in a hundred at most late by half. */
function holds(frames: Series, rate: number): boolean {
  const ms = frames.values
  const total = ms.reduce((a, b) => a + b, 0)
  return (1000 * ms.length) / total >= 0.98 * rate && ms.filter((d) => d > 1500 / rate).length <= ms.length / 100
}

export async function hold(env: Env): Promise<Partial<Outcome>> {
  const quality = option(env, 'quality')
  const beat = await distances(60, env.signal)
  const refresh = beat?.length ? 1000 / median(beat) : 0
  const readings: Reading[] = []
  const negotiated: Record<string, string> = { 'screen.refresh': `${refresh.toFixed(1)} Hz` }
  const all: Series[] = []
  const screen = new Screen(env, quality)
  try {
    for (const [k, rate] of [30, 60].entries()) {
      const measure = `at-${rate}`
      if (refresh < 0.98 * rate) {
        readings.push(missing(measure, `the browser shows ${refresh.toFixed(0)} frames a second at most`))
        continue
      }
      const tell = (what: string) => (share: number, value: number) => env.report({ phase: what, share: (k + share) / 2, channel: 'mean', unit: '{frame}/s', value })
      const name = (i: number) => `${sizes[i]![0]} × ${sizes[i]![1]}`
      const tried = async (i: number, seconds: number) => {
        const { frames } = await screen.show(...sizes[i]!, seconds, 0, tell(`${rate} frames/s, ${name(i)}`))
        return frames
      }
      let [low, high] = [-1, sizes.length] // held, not held
      while (high - low > 1) {
        const i = (low + high) >> 1
        if (holds(await tried(i, Math.min(trial, duration(env))), rate)) low = i
        else high = i
        await rest(300, env.signal)
      }
      let held: Series | undefined
      for (; low >= 0 && !held; ) {
        const frames = await tried(low, duration(env))
        if (holds(frames, rate)) held = frames
        else low--
      }
      if (!held) {
        readings.push(missing(measure, `not even ${name(0)} holds ${rate} frames/s at this quality`))
        continue
      }
      readings.push(ok(measure, (sizes[low]![0] * sizes[low]![1]) / 1e6))
      negotiated[`held.${rate}`] = `${name(low)} at ${quality}`
      all.push({ ...held, channel: `frame at ${rate}` })
    }
  } finally {
    screen.end()
  }
  return { observed: screen.s.observed, negotiated: { ...screen.s.negotiated, ...negotiated }, readings, series: all }
}

export const runners = { 'graphics-scene': scene, 'graphics-hold': hold }
