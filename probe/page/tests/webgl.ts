// Graphics by WebGL2, drawn into memory. Each load is checked after it was timed: a wrong picture fails the run.
import { type Env, type Load, NotRun, Wrong, noise, ok, option, part, rate, sustained } from '../harness'
import { rest } from '../trouble'
import type { Outcome, Reading, Series } from '../wire'

export interface Stage {
  gl: WebGL2RenderingContext
  observed: Record<string, string>
  negotiated: Record<string, string>
  lost: () => boolean
}

/** stage opens WebGL2 on a canvas and says which chip draws, as far as the browser names it. */
export function stage(env: Env, canvas = document.createElement('canvas'), depth = false): Stage {
  const gl = canvas.getContext('webgl2', { alpha: false, antialias: false, depth, stencil: false, preserveDrawingBuffer: false, powerPreference: option(env, 'chip') === 'saving' ? 'low-power' : 'high-performance' })
  if (!gl) throw new NotRun('this browser has no WebGL2, or no graphics chip that it trusts')
  let lost = false
  canvas.addEventListener('webglcontextlost', () => (lost = true))
  gl.disable(gl.DITHER)
  const info = gl.getExtension('WEBGL_debug_renderer_info')
  const name = String(gl.getParameter(info ? info.UNMASKED_RENDERER_WEBGL : gl.RENDERER))
  const maker = String(gl.getParameter(info ? info.UNMASKED_VENDOR_WEBGL : gl.VENDOR))
  return { gl, lost: () => lost, observed: chips(name), negotiated: { 'graphics.named': `${maker}, ${name}`, 'graphics.largest': String(gl.getParameter(gl.MAX_TEXTURE_SIZE)) } }
}

/** chips reads chip, driver and whether the processor draws out of what a browser calls the renderer. */
export function chips(name: string): Record<string, string> {
  const out: Record<string, string> = { 'graphics.renderer': /swiftshader|llvmpipe|softpipe|lavapipe|software|basic render/i.test(name) ? 'software' : 'hardware' }
  const angle = /^ANGLE \((.*)\)$/.exec(name)?.[1]
  const parts = (angle ?? name).split(/,\s*(?![^(]*\))/)
  out['graphics.chip'] = (angle ? (parts[1] ?? parts[0]!) : parts[0]!).replace(/^(?:Vulkan|OpenGL(?: ES)?) [\d.]+ \((.*)\)$/, '$1').replace(/^ANGLE Metal Renderer: /, '').replace(/ (?:Direct3D|OpenGL|vs_).*$/, '').replace(/\s*\(0x[0-9A-Fa-f]+\)/g, '').trim()
  if (angle && parts[2]) out['graphics.driver'] = parts[2].trim()
  return out
}

export function program(gl: WebGL2RenderingContext, vertex: string, fragment: string): WebGLProgram {
  const p = gl.createProgram()
  for (const [kind, text] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]] as const) {
    const s = gl.createShader(kind)!
    gl.shaderSource(s, `#version 300 es\nprecision highp float;\nprecision highp int;\nprecision highp sampler2D;\n${text}`)
    gl.compileShader(s)
    if (!gl.getShaderParameter(s, gl.COMPILE_STATUS)) throw new Error(`the driver refused a shader: ${gl.getShaderInfoLog(s)}`)
    gl.attachShader(p, s)
  }
  gl.linkProgram(p)
  if (!gl.getProgramParameter(p, gl.LINK_STATUS)) throw new Error(`the driver refused a program: ${gl.getProgramInfoLog(p)}`)
  gl.useProgram(p)
  return p
}

/** picture makes a framebuffer with a texture of 8 bits a channel. */
export function picture(gl: WebGL2RenderingContext, width: number, height: number, depth = false): WebGLFramebuffer {
  const t = gl.createTexture()
  gl.bindTexture(gl.TEXTURE_2D, t)
  gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA8, width, height)
  const f = gl.createFramebuffer()
  gl.bindFramebuffer(gl.FRAMEBUFFER, f)
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, t, 0)
  if (depth) {
    const r = gl.createRenderbuffer()
    gl.bindRenderbuffer(gl.RENDERBUFFER, r)
    gl.renderbufferStorage(gl.RENDERBUFFER, gl.DEPTH_COMPONENT24, width, height)
    gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.DEPTH_ATTACHMENT, gl.RENDERBUFFER, r)
  }
  gl.bindTexture(gl.TEXTURE_2D, null)
  gl.viewport(0, 0, width, height)
  return f
}

export function pixels(gl: WebGL2RenderingContext, width: number, height: number): Uint8Array {
  const out = new Uint8Array(4 * width * height)
  gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, out)
  return out
}

/** fences awaits submissions in their order. Between two looks the page sleeps, so that it takes no power from the chip. */
export function fences(s: Stage): { mark(): void; done(): Promise<void> } {
  const { gl } = s
  const open: WebGLSync[] = []
  return {
    mark() {
      open.push(gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0)!)
      gl.flush()
    },
    async done() {
      const f = open.shift()
      if (!f) return
      while (!s.lost() && gl.clientWaitSync(f, 0, 0) === gl.TIMEOUT_EXPIRED) await rest(1)
      if (s.lost()) throw new Error('the graphics driver was reset in mid-run')
      gl.deleteSync(f)
    },
  }
}

function load(s: Stage, amount: number, pass: (i: number) => void): Load {
  const f = fences(s)
  let count = 0
  return {
    amount,
    submit(passes) {
      for (let i = 0; i < passes; i++) pass(count++)
      f.mark()
    },
    done: f.done,
  }
}

export interface Case {
  measure: string
  load: Load
  verify(): void | Promise<void>
}

/** cases times the measures of a test one after the other; a sustained test the first of them. */
export async function cases(env: Env, s: Pick<Stage, 'observed' | 'negotiated'>, unit: (measure: string) => string, makers: (() => Case | Promise<Case>)[], missing: Reading[] = []): Promise<Partial<Outcome>> {
  const readings: Reading[] = [...missing]
  const all: Series[] = []
  const list = sustained(env) ? makers.slice(0, 1) : makers
  for (const [i, make] of list.entries()) {
    const c = await make()
    const r = await rate(part(env, i, list.length), c.measure, unit(c.measure), c.load)
    await c.verify()
    if (!sustained(env)) readings.push(ok(c.measure, r.rate))
    all.push(r.series)
  }
  return { observed: s.observed, negotiated: s.negotiated, readings, series: all }
}

const whole = 'void main() { gl_Position = vec4(float((gl_VertexID & 1) * 4 - 1), float((gl_VertexID & 2) * 2 - 1), 0., 1.); }'
const side = 1024
const layers = 16 // of blended pictures a pass
const large = 2048 // side of opaque pictures: long enough against the call that draws them

export async function fill(env: Env): Promise<Partial<Outcome>> {
  const s = stage(env)
  const { gl } = s
  const target = picture(gl, side, side)
  const targets = [picture(gl, large, large), picture(gl, large, large)]
  const p = program(gl, whole, 'uniform vec4 c; out vec4 o; void main() { o = c; }')
  const colour = gl.getUniformLocation(p, 'c')
  const check = (n: number, want: number[]) => {
    const got = pixels(gl, n, n)
    for (let i = 0; i < got.length; i++) if (got[i] !== want[i & 3]) throw new Wrong(`pixel ${i >> 2} shows ${got[i]} instead of ${want[i & 3]}`)
  }
  const blended = (): Case => ({
    measure: 'blended',
    load: load(s, (layers * side * side) / 1e6, () => {
      gl.bindFramebuffer(gl.FRAMEBUFFER, target)
      gl.viewport(0, 0, side, side)
      gl.enable(gl.BLEND)
      gl.blendFunc(gl.ONE, gl.ONE)
      gl.clearColor(0, 0, 0, 0)
      gl.clear(gl.COLOR_BUFFER_BIT)
      gl.uniform4f(colour, 1 / 255, 2 / 255, 3 / 255, 1 / 255)
      gl.drawArraysInstanced(gl.TRIANGLES, 0, 3, layers)
    }),
    verify: () => check(side, [layers, 2 * layers, 3 * layers, layers]),
  })
  let last = 0
  const opaque = (): Case => ({
    measure: 'opaque',
    // Two pictures in turn: what a chip draws into one of them must be stored before the other begins.
    load: load(s, (large * large) / 1e6, (i) => {
      gl.disable(gl.BLEND)
      gl.viewport(0, 0, large, large)
      gl.bindFramebuffer(gl.FRAMEBUFFER, targets[i & 1]!)
      last = i % 251
      gl.uniform4f(colour, last / 255, (250 - last) / 255, 0.2, 1)
      gl.drawArrays(gl.TRIANGLES, 0, 3)
    }),
    verify: () => check(large, [last, 250 - last, 51, 255]),
  })
  return cases(env, s, () => '{pixel}/us', [blended, opaque])
}

const textured = 1024
const drawn = 512
const taps = 32

/** noisy is a picture of noise from a seed. */
export function noisy(seed: number, n: number): Uint8Array {
  const next = noise(seed)
  const words = new Uint32Array(n * n)
  for (let i = 0; i < words.length; i++) words[i] = next()
  return new Uint8Array(words.buffer)
}

/** near and scattered are what a pixel of the texture test must show, on the processor. */
export function near(t: Uint8Array, x: number, y: number): number[] {
  const sum = [0, 0, 0]
  for (let i = 0; i < taps; i++) {
    const at = 4 * (((y + (i >> 3)) & (textured - 1)) * textured + ((x + (i & 7)) & (textured - 1)))
    for (let c = 0; c < 3; c++) sum[c]! += t[at + c]!
  }
  return sum.map((v) => v / taps)
}
export function scattered(t: Uint8Array, x: number, y: number): number[] {
  let acc = 0
  let [px, py] = [x * 2, y * 2]
  for (let i = 0; i < taps; i++) {
    const at = 4 * ((py & (textured - 1)) * textured + (px & (textured - 1)))
    const [r, g, b] = [t[at]!, t[at + 1]!, t[at + 2]!]
    acc = (acc * 3 + b) & 255
    px = px * 5 + r * 4 + i
    py = py * 3 + g * 4 + i
    px &= 65535
    py &= 65535
  }
  return [acc]
}

export async function texture(env: Env): Promise<Partial<Outcome>> {
  const s = stage(env)
  const { gl } = s
  const data = noisy(5, textured)
  const tex = gl.createTexture()
  gl.bindTexture(gl.TEXTURE_2D, tex)
  gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA8, textured, textured)
  gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, textured, textured, gl.RGBA, gl.UNSIGNED_BYTE, data)
  const targets = [picture(gl, drawn, drawn), picture(gl, drawn, drawn)]
  gl.bindTexture(gl.TEXTURE_2D, tex)
  const make = (measure: string, filter: number, body: string, want: (x: number, y: number) => number[], off: number) => (): Case => {
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, filter)
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, filter)
    program(gl, whole, `uniform sampler2D t; out vec4 o; void main() { ivec2 p = ivec2(gl_FragCoord.xy); ${body} }`)
    return {
      measure,
      load: load(s, (taps * drawn * drawn) / 1e6, (i) => {
        gl.bindFramebuffer(gl.FRAMEBUFFER, targets[i & 1]!)
        gl.drawArrays(gl.TRIANGLES, 0, 3)
      }),
      verify() {
        const got = pixels(gl, drawn, drawn)
        const pick = noise(17)
        for (let i = 0; i < 256; i++) {
          const [x, y] = [pick() % drawn, pick() % drawn]
          for (const [c, v] of want(x, y).entries()) if (Math.abs(got[4 * (y * drawn + x) + c]! - v) > off) throw new Wrong(`pixel ${x}, ${y} shows ${got[4 * (y * drawn + x) + c]} instead of ${v.toFixed(1)}`)
        }
      },
    }
  }
  const beside = `vec3 a = vec3(0.); for (int i = 0; i < ${taps}; i++) a += texture(t, (vec2(p + ivec2(i & 7, i >> 3)) + .5) / ${textured}.).rgb; o = vec4(a / ${taps}., 1.);`
  const apart = `int a = 0; ivec2 q = p * 2; for (int i = 0; i < ${taps}; i++) { ivec4 v = ivec4(texelFetch(t, q & ${textured - 1}, 0) * 255. + .5); a = (a * 3 + v.b) & 255; q = (q * ivec2(5, 3) + v.rg * 4 + i) & 65535; } o = vec4(float(a) / 255., 0., 0., 1.);`
  return cases(env, s, () => '{texel}/us', [make('near', gl.LINEAR, beside, (x, y) => near(data, x, y), 2.5), make('scattered', gl.NEAREST, apart, (x, y) => scattered(data, x, y), 0.5)])
}

const cells = 256

/** net is the corners of the net, inner ones moved, and its triangles. */
export function net(): { corners: Float32Array; triangles: Uint32Array } {
  const next = noise(7)
  const n = cells + 1
  const corners = new Float32Array(2 * n * n)
  for (let y = 0; y < n; y++)
    for (let x = 0; x < n; x++) {
      const inner = x > 0 && y > 0 && x < cells && y < cells ? 0.6 / cells : 0
      corners[2 * (y * n + x)] = (2 * x) / cells - 1 + (next() / 2 ** 32 - 0.5) * inner
      corners[2 * (y * n + x) + 1] = (2 * y) / cells - 1 + (next() / 2 ** 32 - 0.5) * inner
    }
  const triangles = new Uint32Array(6 * cells * cells)
  let k = 0
  for (let y = 0; y < cells; y++)
    for (let x = 0; x < cells; x++) {
      const a = y * n + x
      for (const v of [a, a + 1, a + n, a + n, a + 1, a + n + 1]) triangles[k++] = v
    }
  return { corners, triangles }
}

/** checkNet holds a picture of the net against the colours of its places. */
export function checkNet(got: Uint8Array, flipped: boolean): void {
  for (let y = 0; y < drawn; y++)
    for (let x = 0; x < drawn; x++) {
      const i = 4 * (y * drawn + x)
      const want = [((x + 0.5) / drawn) * 255, (((flipped ? drawn - 1 - y : y) + 0.5) / drawn) * 255, 255]
      for (let c = 0; c < 3; c++) if (Math.abs(got[i + c]! - want[c]!) > 2) throw new Wrong(`the net's pixel ${x}, ${y} shows ${got[i + c]} instead of ${want[c]!.toFixed(0)}`)
    }
}

export async function geometry(env: Env): Promise<Partial<Outcome>> {
  const s = stage(env)
  const { gl } = s
  const { corners, triangles } = net()
  gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer())
  gl.bufferData(gl.ARRAY_BUFFER, corners, gl.STATIC_DRAW)
  gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, gl.createBuffer())
  gl.bufferData(gl.ELEMENT_ARRAY_BUFFER, triangles, gl.STATIC_DRAW)
  const targets = [picture(gl, drawn, drawn), picture(gl, drawn, drawn)]
  program(gl, 'layout(location = 0) in vec2 p; out vec2 v; void main() { v = p * .5 + .5; gl_Position = vec4(p, 0., 1.); }', 'in vec2 v; out vec4 o; void main() { o = vec4(v, 1., 1.); }')
  gl.enableVertexAttribArray(0)
  gl.vertexAttribPointer(0, 2, gl.FLOAT, false, 0, 0)
  gl.clearColor(0, 0, 0, 1)
  return cases(env, s, () => '{triangle}/us', [
    () => ({
      measure: 'triangles',
      load: load(s, triangles.length / 3e6, (i) => {
        gl.bindFramebuffer(gl.FRAMEBUFFER, targets[i & 1]!)
        gl.clear(gl.COLOR_BUFFER_BIT)
        gl.drawElements(gl.TRIANGLES, triangles.length, gl.UNSIGNED_INT, 0)
      }),
      verify: () => checkNet(pixels(gl, drawn, drawn), false),
    }),
  ])
}

const busy = 256
export const rounds = 256
export const factor = 0.9991
export const addend = 0.00045

/** chain is what the arithmetic's four chains come to from a start value, on the processor. */
export function chain(start: number): number {
  let sum = 0
  for (let k = 0; k < 4; k++) {
    let v = start * (1 - k / 8)
    for (let i = 0; i < rounds; i++) v = v * factor + addend
    sum += v
  }
  return sum / 4
}

export async function arithmetic(env: Env): Promise<Partial<Outcome>> {
  const s = stage(env)
  const { gl } = s
  const targets = [picture(gl, busy, busy), picture(gl, busy, busy)]
  const p = program(gl, whole, `uniform vec4 m, n; out vec4 o; void main() {
    float start = (gl_FragCoord.y * ${busy}. + gl_FragCoord.x) / ${busy * busy + busy}.;
    vec4 a = vec4(start), b = a * .875, c = a * .75, d = a * .625;
    for (int i = 0; i < ${rounds}; i++) { a = a * m + n; b = b * m + n; c = c * m + n; d = d * m + n; }
    float v = dot(a + b + c + d, vec4(1. / 16.)) * 255.;
    o = vec4(floor(v) / 255., fract(v), 0., 1.); }`)
  gl.uniform4f(gl.getUniformLocation(p, 'm'), factor, factor, factor, factor)
  gl.uniform4f(gl.getUniformLocation(p, 'n'), addend, addend, addend, addend)
  return cases(env, s, () => '{flop}/ns', [
    () => ({
      measure: 'f32',
      load: load(s, (busy * busy * rounds * 4 * 4 * 2) / 1e9, (i) => {
        gl.bindFramebuffer(gl.FRAMEBUFFER, targets[i & 1]!)
        gl.drawArrays(gl.TRIANGLES, 0, 3)
      }),
      verify() {
        const got = pixels(gl, busy, busy)
        const pick = noise(19)
        for (let i = 0; i < 256; i++) {
          const [x, y] = [pick() % busy, pick() % busy]
          const at = 4 * (y * busy + x)
          const v = (got[at]! + got[at + 1]! / 255) / 255
          const want = chain(((y + 0.5) * busy + x + 0.5) / (busy * busy + busy))
          if (Math.abs(v - want) > 0.002) throw new Wrong(`pixel ${x}, ${y} comes to ${v.toFixed(4)} instead of ${want.toFixed(4)}`)
        }
      },
    }),
  ])
}

export const runners = { 'graphics-fill': fill, 'graphics-texture': texture, 'graphics-geometry': geometry, 'graphics-arithmetic': arithmetic }
