// Graphics and compute by WebGPU. Each load is checked after it was timed: a wrong picture or result fails the run.
import { type Env, type Load, missing, NotRun, noise, option, Wrong } from '../harness'
import { addend, type Case, cases, chain, checkNet, chips, factor, near, net, noisy, rounds, scattered } from './webgl'
import type { Outcome, Reading } from '../wire'

export interface Chip {
  device: GPUDevice
  half: boolean // 16-bit floating point
  packed: boolean // four 8-bit integers at once
  clocks: boolean // time stamps
  observed: Record<string, string>
  negotiated: Record<string, string>
  lost(): string
}

export async function chip(env: Env): Promise<Chip> {
  const adapter = await navigator.gpu?.requestAdapter({ powerPreference: option(env, 'chip') === 'saving' ? 'low-power' : 'high-performance' })
  if (!adapter) throw new NotRun('this browser has no WebGPU for the chip of this device')
  const has = (f: GPUFeatureName) => adapter.features.has(f)
  const device = await adapter.requestDevice({ requiredFeatures: (['shader-f16', 'timestamp-query'] as const).filter(has) })
  let why = ''
  void device.lost.then((x) => (why = x.message || 'the graphics driver was reset in mid-run'))
  device.addEventListener('uncapturederror', (e) => (why = (e as GPUUncapturedErrorEvent).error.message))
  const i = adapter.info
  const name = [i.vendor, i.architecture, i.device, i.description].filter(Boolean).join(' ')
  const observed = name ? chips(name) : { 'graphics.renderer': 'hardware' }
  if (i.description || i.device) observed['graphics.chip'] = i.description || i.device
  else delete (observed as Record<string, string>)['graphics.chip']
  if ((i as { isFallbackAdapter?: boolean }).isFallbackAdapter) observed['graphics.renderer'] = 'software'
  return { device, half: has('shader-f16'), packed: !!navigator.gpu.wgslLanguageFeatures?.has('packed_4x8_integer_dot_product'), clocks: has('timestamp-query'), observed, negotiated: { 'graphics.named': name || 'not told' }, lost: () => why }
}

/** load submits passes that record takes down; times are those of the queue's end. */
export function load(c: Chip, amount: number, record: (e: GPUCommandEncoder, i: number) => void): Load {
  const open: Promise<undefined>[] = []
  let count = 0
  return {
    amount,
    submit(passes) {
      const e = c.device.createCommandEncoder()
      for (let i = 0; i < passes; i++) record(e, count++)
      c.device.queue.submit([e.finish()])
      open.push(c.device.queue.onSubmittedWorkDone())
    },
    async done() {
      await open.shift()
      if (c.lost()) throw new Error(c.lost())
    },
  }
}

export async function read(c: Chip, fill: (e: GPUCommandEncoder, to: GPUBuffer) => void, size: number): Promise<ArrayBuffer> {
  const to = c.device.createBuffer({ size, usage: GPUBufferUsage.MAP_READ | GPUBufferUsage.COPY_DST })
  const e = c.device.createCommandEncoder()
  fill(e, to)
  c.device.queue.submit([e.finish()])
  await to.mapAsync(GPUMapMode.READ)
  const out = to.getMappedRange().slice(0)
  to.destroy()
  return out
}

/** stamped says beside the rate what the chip's own time stamps make of a pass, where it offers them. */
async function stamped(c: Chip, passes: number, record: (e: GPUCommandEncoder, stamps?: GPUComputePassTimestampWrites) => void): Promise<number> {
  const set = c.device.createQuerySet({ type: 'timestamp', count: 2 })
  const buffer = c.device.createBuffer({ size: 16, usage: GPUBufferUsage.QUERY_RESOLVE | GPUBufferUsage.COPY_SRC })
  const raw = await read(c, (e, to) => {
    for (let i = 0; i < passes; i++) record(e, { querySet: set, ...(i === 0 ? { beginningOfPassWriteIndex: 0 } : {}), ...(i === passes - 1 ? { endOfPassWriteIndex: 1 } : {}) })
    e.resolveQuerySet(set, 0, 2, buffer, 0)
    e.copyBufferToBuffer(buffer, 0, to, 0, 16)
  }, 16)
  set.destroy()
  const [from, to] = new BigUint64Array(raw)
  return Number(to! - from!) / 1e9 / passes
}

const format: GPUTextureFormat = 'rgba8unorm'
const whole = '@vertex fn vertex(@builtin(vertex_index) i: u32) -> @builtin(position) vec4f { return vec4f(f32(i & 1) * 4 - 1, f32(i & 2) * 2 - 1, 0, 1); }'

function target(c: Chip, side: number): GPUTexture {
  return c.device.createTexture({ size: [side, side], format, usage: GPUTextureUsage.RENDER_ATTACHMENT | GPUTextureUsage.COPY_SRC })
}
async function pixels(c: Chip, t: GPUTexture, side: number): Promise<Uint8Array> {
  return new Uint8Array(await read(c, (e, to) => e.copyTextureToBuffer({ texture: t }, { buffer: to, bytesPerRow: side * 4 }, [side, side]), side * side * 4))
}
function pipeline(c: Chip, code: string, buffers: GPUVertexBufferLayout[] = [], blend?: GPUBlendState): GPURenderPipeline {
  const module = c.device.createShaderModule({ code })
  return c.device.createRenderPipeline({ layout: 'auto', vertex: { module, buffers }, fragment: { module, targets: [{ format, ...(blend ? { blend } : {}) }] } })
}
function pass(e: GPUCommandEncoder, t: GPUTexture, p: GPURenderPipeline, draw: (r: GPURenderPassEncoder) => void): void {
  const r = e.beginRenderPass({ colorAttachments: [{ view: t.createView(), loadOp: 'clear', storeOp: 'store', clearValue: [0, 0, 0, 0] }] })
  r.setPipeline(p)
  draw(r)
  r.end()
}

const side = 1024
const layers = 16 // of blended pictures a pass
const large = 2048 // side of opaque pictures: long enough against the call that draws them

export async function fill(env: Env): Promise<Partial<Outcome>> {
  const c = await chip(env)
  const one = target(c, side)
  const targets = [target(c, large), target(c, large)]
  const check = async (list: GPUTexture[], n: number, want: number[]) => {
    for (const t of list) {
      const got = await pixels(c, t, n)
      if (!got[3]) continue // it was never drawn into
      for (let i = 0; i < got.length; i++) if (got[i] !== want[i & 3]) throw new Wrong(`pixel ${i >> 2} shows ${got[i]} instead of ${want[i & 3]}`)
    }
  }
  const blended = (): Case => {
    const add: GPUBlendComponent = { srcFactor: 'one', dstFactor: 'one', operation: 'add' }
    const p = pipeline(c, `${whole} @fragment fn fragment() -> @location(0) vec4f { return vec4f(1, 2, 3, 1) / 255; }`, [], { color: add, alpha: add })
    return { measure: 'blended', load: load(c, (layers * side * side) / 1e6, (e) => pass(e, one, p, (r) => r.draw(3, layers))), verify: () => check([one], side, [layers, 2 * layers, 3 * layers, layers]) }
  }
  const opaque = (): Case => {
    const p = pipeline(c, `${whole} @fragment fn fragment(@builtin(position) p: vec4f) -> @location(0) vec4f { return vec4f(50, 100, 150, 255) / 255; }`)
    return { measure: 'opaque', load: load(c, (large * large) / 1e6, (e, i) => pass(e, targets[i & 1]!, p, (r) => r.draw(3))), verify: () => check(targets, large, [50, 100, 150, 255]) }
  }
  return cases(env, c, () => '{pixel}/us', [blended, opaque])
}

const textured = 1024
const drawn = 512
const taps = 32

export async function texture(env: Env): Promise<Partial<Outcome>> {
  const c = await chip(env)
  const data = noisy(5, textured)
  const t = c.device.createTexture({ size: [textured, textured], format, usage: GPUTextureUsage.TEXTURE_BINDING | GPUTextureUsage.COPY_DST })
  c.device.queue.writeTexture({ texture: t }, data as Uint8Array<ArrayBuffer>, { bytesPerRow: textured * 4 }, [textured, textured])
  const targets = [target(c, drawn), target(c, drawn)]
  const make = (measure: string, filtered: boolean, body: string, want: (x: number, y: number) => number[], off: number) => (): Case => {
    const p = pipeline(c, `@group(0) @binding(0) var t: texture_2d<f32>; ${filtered ? '@group(0) @binding(1) var s: sampler;' : ''} ${whole} @fragment fn fragment(@builtin(position) at: vec4f) -> @location(0) vec4f { let p = vec2i(at.xy); ${body} }`)
    const entries: GPUBindGroupEntry[] = [{ binding: 0, resource: t.createView() }]
    if (filtered) entries.push({ binding: 1, resource: c.device.createSampler({ addressModeU: 'repeat', addressModeV: 'repeat', magFilter: 'linear', minFilter: 'linear' }) })
    const group = c.device.createBindGroup({ layout: p.getBindGroupLayout(0), entries })
    return {
      measure,
      load: load(c, (taps * drawn * drawn) / 1e6, (e, i) =>
        pass(e, targets[i & 1]!, p, (r) => {
          r.setBindGroup(0, group)
          r.draw(3)
        }),
      ),
      async verify() {
        const got = await pixels(c, targets[0]!, drawn)
        const pick = noise(17)
        for (let i = 0; i < 256; i++) {
          const [x, y] = [pick() % drawn, pick() % drawn]
          for (const [k, v] of want(x, y).entries()) if (Math.abs(got[4 * (y * drawn + x) + k]! - v) > off) throw new Wrong(`pixel ${x}, ${y} shows ${got[4 * (y * drawn + x) + k]} instead of ${v.toFixed(1)}`)
        }
      },
    }
  }
  const beside = `var a = vec3f(); for (var i = 0; i < ${taps}; i++) { a += textureSampleLevel(t, s, (vec2f(p + vec2i(i & 7, i >> 3)) + .5) / ${textured}, 0).rgb; } return vec4f(a / ${taps}, 1);`
  const apart = `var a = 0; var q = p * 2; for (var i = 0; i < ${taps}; i++) { let v = vec4i(textureLoad(t, q & vec2i(${textured - 1}), 0) * 255 + .5); a = (a * 3 + v.b) & 255; q = (q * vec2i(5, 3) + v.rg * 4 + i) & vec2i(65535); } return vec4f(f32(a) / 255, 0, 0, 1);`
  return cases(env, c, () => '{texel}/us', [make('near', true, beside, (x, y) => near(data, x, y), 2.5), make('scattered', false, apart, (x, y) => scattered(data, x, y), 0.5)])
}

function buffer(c: Chip, data: Float32Array | Uint32Array | Int32Array, usage: number): GPUBuffer {
  const b = c.device.createBuffer({ size: data.byteLength, usage: usage | GPUBufferUsage.COPY_DST })
  c.device.queue.writeBuffer(b, 0, data as Float32Array<ArrayBuffer>)
  return b
}

export async function geometry(env: Env): Promise<Partial<Outcome>> {
  const c = await chip(env)
  const { corners, triangles } = net()
  const at = buffer(c, corners, GPUBufferUsage.VERTEX)
  const index = buffer(c, triangles, GPUBufferUsage.INDEX)
  const targets = [target(c, drawn), target(c, drawn)]
  const p = pipeline(c, `struct V { @builtin(position) at: vec4f, @location(0) v: vec2f } @vertex fn vertex(@location(0) p: vec2f) -> V { return V(vec4f(p, 0, 1), p * .5 + .5); } @fragment fn fragment(v: V) -> @location(0) vec4f { return vec4f(v.v, 1, 1); }`,
    [{ arrayStride: 8, attributes: [{ shaderLocation: 0, offset: 0, format: 'float32x2' }] }])
  return cases(env, c, () => '{triangle}/us', [
    () => ({
      measure: 'triangles',
      load: load(c, triangles.length / 3e6, (e, i) =>
        pass(e, targets[i & 1]!, p, (r) => {
          r.setVertexBuffer(0, at)
          r.setIndexBuffer(index, 'uint32')
          r.drawIndexed(triangles.length)
        }),
      ),
      verify: async () => checkNet(await pixels(c, targets[0]!, drawn), true),
    }),
  ])
}

interface Step {
  pipeline: GPUComputePipeline
  group: GPUBindGroup
  groups: number[]
}
function step(c: Chip, code: string, buffers: GPUBuffer[], groups: number[]): Step {
  const p = c.device.createComputePipeline({ layout: 'auto', compute: { module: c.device.createShaderModule({ code }) } })
  return { pipeline: p, groups, group: c.device.createBindGroup({ layout: p.getBindGroupLayout(0), entries: buffers.map((b, binding) => ({ binding, resource: { buffer: b } })) }) }
}
function work(e: GPUCommandEncoder, steps: Step[], stamps?: GPUComputePassTimestampWrites): void {
  const p = e.beginComputePass(stamps && Object.keys(stamps).length > 1 ? { timestampWrites: stamps } : {})
  for (const s of steps) {
    p.setPipeline(s.pipeline)
    p.setBindGroup(0, s.group)
    p.dispatchWorkgroups(s.groups[0]!, s.groups[1] ?? 1)
  }
  p.end()
}
const storage = (c: Chip, size: number) => c.device.createBuffer({ size, usage: GPUBufferUsage.STORAGE | GPUBufferUsage.COPY_SRC | GPUBufferUsage.COPY_DST })

const busy = 65536

export async function arithmetic(env: Env): Promise<Partial<Outcome>> {
  const c = await chip(env)
  const make = (measure: string, type: string, off: number) => (): Case => {
    const out = storage(c, busy * 4)
    const constants = buffer(c, new Float32Array([factor, addend]), GPUBufferUsage.STORAGE)
    const s = step(c, `${type === 'f16' ? 'enable f16;' : ''} @group(0) @binding(0) var<storage, read_write> o: array<f32>; @group(0) @binding(1) var<storage> k: array<f32>;
      @compute @workgroup_size(64) fn main(@builtin(global_invocation_id) id: vec3u) {
        let m = vec4<${type}>(${type}(k[0])); let n = vec4<${type}>(${type}(k[1]));
        var a = vec4<${type}>(${type}(f32(id.x) / ${busy})); var b = a * .875; var c = a * .75; var d = a * .625;
        for (var i = 0; i < ${rounds}; i++) { a = a * m + n; b = b * m + n; c = c * m + n; d = d * m + n; }
        o[id.x] = f32(dot(a + b + c + d, vec4<${type}>(1. / 16.))); }`, [out, constants], [busy / 64])
    const amount = (busy * rounds * 4 * 4 * 2) / 1e9
    return {
      measure,
      load: load(c, amount, (e) => work(e, [s])),
      async verify() {
        const got = new Float32Array(await read(c, (e, to) => e.copyBufferToBuffer(out, 0, to, 0, busy * 4), busy * 4))
        const known = type === 'f16' ? chainHalf : chain
        for (let i = 0; i < busy; i += 97) if (!(Math.abs(got[i]! - known(i / busy)) <= off)) throw new Wrong(`number ${i} comes to ${got[i]} instead of ${known(i / busy).toFixed(4)}`)
        if (c.clocks) c.negotiated[`stamped.${measure}`] = `${(amount / (await stamped(c, 4, (e, w) => work(e, [s], w)))).toPrecision(4)} GFLOP/s by the chip's own time stamps`
      },
    }
  }
  const makers = [make('f32', 'f32', 0.002)]
  const none: Reading[] = []
  if (c.half) makers.push(make('f16', 'f16', 0.05))
  else none.push(missing('f16', 'the device offers no 16-bit floating point'))
  return cases(env, c, () => '{flop}/ns', makers, none)
}

/** half rounds to 16-bit floating point (IEEE 754 binary16), to nearest; subnormals are left as they are. */
function half(v: number): number {
  if (v === 0) return 0
  const e = Math.floor(Math.log2(Math.abs(v)))
  const unit = 2 ** (Math.max(e, -14) - 10)
  return Math.round(v / unit) * unit
}
/** chainHalf is the chain in 16 bits; rounding holds it up near where a step is below half a unit. */
function chainHalf(start: number): number {
  const m = half(factor)
  const n = half(addend)
  let sum = 0
  for (let k = 0; k < 4; k++) {
    let v = half(start * (1 - k / 8))
    for (let i = 0; i < rounds; i++) v = half(half(v * m) + n)
    sum += v
  }
  return sum / 4
}

const grid = 512
const sweeps = 20

async function solve(c: Chip): Promise<Case> {
  const next = noise(3)
  const start = new Float32Array(grid * grid)
  for (let i = 0; i < start.length; i++) start[i] = next() / 2 ** 32
  const a = buffer(c, start, GPUBufferUsage.STORAGE | GPUBufferUsage.COPY_SRC)
  const b = storage(c, start.byteLength)
  c.device.queue.writeBuffer(b, 0, start)
  const code = `@group(0) @binding(0) var<storage> a: array<f32>; @group(0) @binding(1) var<storage, read_write> b: array<f32>;
    @compute @workgroup_size(16, 16) fn main(@builtin(global_invocation_id) id: vec3u) { let x = id.x; let y = id.y; if (x == 0 || y == 0 || x >= ${grid - 1} || y >= ${grid - 1}) { return; } let i = y * ${grid} + x; b[i] = a[i] * .2 + (a[i - 1] + a[i + 1] + a[i - ${grid}] + a[i + ${grid}]) * .2; }`
  const there = step(c, code, [a, b], [grid / 16, grid / 16])
  const back = step(c, code, [b, a], [grid / 16, grid / 16])
  return {
    measure: 'grid',
    load: load(c, (2 * grid * grid) / 1e6, (e) => work(e, [there, back])),
    async verify() {
      c.device.queue.writeBuffer(a, 0, start)
      c.device.queue.writeBuffer(b, 0, start)
      const got = new Float32Array(await read(c, (e, to) => {
        for (let i = 0; i < sweeps / 2; i++) work(e, [there, back])
        e.copyBufferToBuffer(a, 0, to, 0, start.byteLength)
      }, start.byteLength))
      let [u, v] = [Float64Array.from(start), Float64Array.from(start)]
      for (let k = 0; k < sweeps; k++) {
        for (let y = 1; y < grid - 1; y++) for (let x = 1, i = y * grid + 1; x < grid - 1; x++, i++) v[i] = 0.2 * (u[i]! + u[i - 1]! + u[i + 1]! + u[i - grid]! + u[i + grid]!)
        ;[u, v] = [v, u]
      }
      for (let i = 0; i < u.length; i++) if (!(Math.abs(got[i]! - u[i]!) < 1e-4)) throw new Wrong(`cell ${i} comes to ${got[i]} instead of ${u[i]!.toFixed(5)}`)
    },
  }
}

const many = 16 << 20

async function sum(c: Chip): Promise<Case> {
  const data = storage(c, many * 4)
  const out = storage(c, 4)
  const hash = 'fn hash(i: u32) -> u32 { var h = i * 2654435769u; h ^= h >> 16; h *= 2246822507u; return h ^ (h >> 13); }'
  const make = step(c, `@group(0) @binding(0) var<storage, read_write> d: array<u32>; ${hash} @compute @workgroup_size(256) fn main(@builtin(global_invocation_id) id: vec3u) { for (var i = id.x; i < ${many}u; i += ${256 * 1024}u) { d[i] = hash(i); } }`, [data], [1024])
  const add = step(c, `@group(0) @binding(0) var<storage> d: array<vec4u>; @group(0) @binding(1) var<storage, read_write> o: atomic<u32>; var<workgroup> part: array<u32, 256>;
    @compute @workgroup_size(256) fn main(@builtin(global_invocation_id) id: vec3u, @builtin(local_invocation_index) l: u32) { var s = vec4u(); for (var i = id.x; i < ${many / 4}u; i += ${256 * 512}u) { s += d[i]; } part[l] = s.x + s.y + s.z + s.w; workgroupBarrier();
      for (var k = 128u; k > 0; k >>= 1) { if (l < k) { part[l] += part[l + k]; } workgroupBarrier(); } if (l == 0) { atomicAdd(&o, part[0]); } }`, [data, out], [512])
  const e = c.device.createCommandEncoder()
  work(e, [make])
  c.device.queue.submit([e.finish()])
  return {
    measure: 'reduction',
    load: load(c, (many * 4) / 1e9, (e) => work(e, [add])),
    async verify() {
      const got = new Uint32Array(await read(c, (e, to) => {
        e.clearBuffer(out)
        work(e, [add])
        e.copyBufferToBuffer(out, 0, to, 0, 4)
      }, 4))[0]!
      let want = 0
      for (let i = 0; i < many; i++) {
        let h = Math.imul(i, 2654435769)
        h ^= h >>> 16
        h = Math.imul(h, 2246822507)
        want = (want + (h ^ (h >>> 13))) | 0
      }
      if (got !== want >>> 0) throw new Wrong(`the sum is ${got} instead of ${want >>> 0}`)
    },
  }
}

const width = 512 // of each layer
const rows = 64 // inputs at once
const depth = 3 // layers

/** infer is a small network: three dense layers of 512, rectified; 64 inputs at once. In 8 bits, four products are added at a time. */
async function infer(c: Chip, measure: string, type: 'f32' | 'f16' | 'i8'): Promise<Case> {
  const next = noise(3)
  const whole = type === 'i8'
  const number = () => (whole ? (next() % 15) - 7 : ((next() % 2001) - 1000) / 1000)
  const input = Array.from({ length: rows * width }, () => (whole ? next() % 16 : (next() % 1000) / 1000))
  const weights = Array.from({ length: depth }, () => Array.from({ length: width * width }, number))
  const pack = (v: number[]): Uint32Array => {
    const b = new Int8Array(v)
    return new Uint32Array(b.buffer)
  }
  const bits = (v: number): number => {
    const h = half(v)
    if (h === 0) return 0
    const e = Math.floor(Math.log2(Math.abs(h)))
    return (h < 0 ? 0x8000 : 0) | (e < -14 ? Math.round(Math.abs(h) * 2 ** 24) : ((e + 15) << 10) | Math.round((Math.abs(h) / 2 ** e - 1) * 1024))
  }
  const data = (v: number[]): Uint32Array | Float32Array => (whole ? pack(v) : type === 'f16' ? new Uint32Array(new Uint16Array(v.map(bits)).buffer) : new Float32Array(v))
  const size = (n: number) => n * (whole ? 1 : type === 'f16' ? 2 : 4)
  const at = [buffer(c, data(input), GPUBufferUsage.STORAGE), ...Array.from({ length: depth }, () => storage(c, size(rows * width)))]
  // A tile of 16 × 16 results a workgroup; both sides of the product pass through its own memory.
  const element = whole ? 'u32' : type
  const lanes = whole ? 4 : 1
  const n = width / lanes
  const code = `${type === 'f16' ? 'enable f16;' : ''} @group(0) @binding(0) var<storage> x: array<${element}>; @group(0) @binding(1) var<storage> w: array<${element}>; @group(0) @binding(2) var<storage, read_write> y: array<${whole ? 'atomic<u32>' : type}>;
    var<workgroup> a: array<array<${element}, 16>, 16>; var<workgroup> b: array<array<${element}, 17>, 16>;
    @compute @workgroup_size(16, 16) fn main(@builtin(global_invocation_id) id: vec3u, @builtin(local_invocation_id) l: vec3u) {
      var s = ${whole ? '0' : `${type}(0)`};
      for (var k = 0u; k < ${n}u; k += 16) { a[l.y][l.x] = x[id.y * ${n}u + k + l.x]; b[l.y][l.x] = w[(id.x - l.x + l.y) * ${n}u + k + l.x]; workgroupBarrier();
        for (var i = 0u; i < 16; i++) { ${whole ? 's += dot4I8Packed(a[l.y][i], b[l.x][i]);' : 's += a[l.y][i] * b[l.x][i];'} } workgroupBarrier(); }
      ${whole ? `let at = id.y * ${width}u + id.x; atomicOr(&y[at / 4], u32(clamp(s >> 5, 0, 15)) << ((at & 3) * 8));` : `y[id.y * ${width}u + id.x] = max(s, 0) * ${type}(.0625);`} }`
  const steps = weights.map((w, i) => step(c, code, [at[i]!, buffer(c, data(w), GPUBufferUsage.STORAGE), at[i + 1]!], [width / 16, rows / 16]))
  const once = (e: GPUCommandEncoder) => {
    if (whole) for (const b of at.slice(1)) e.clearBuffer(b)
    work(e, steps)
  }
  return {
    measure,
    load: load(c, (2 * rows * width * width * depth) / 1e9, once),
    async verify() {
      const bytes = await read(c, (e, to) => {
        once(e)
        e.copyBufferToBuffer(at[depth]!, 0, to, 0, size(rows * width))
      }, size(rows * width))
      const value = (i: number): number => {
        if (whole) return new Int8Array(bytes)[i]!
        if (type === 'f32') return new Float32Array(bytes)[i]!
        const h = new Uint16Array(bytes)[i]!
        return (h & 0x8000 ? -1 : 1) * ((h >> 10) & 31 ? 2 ** (((h >> 10) & 31) - 15) * (1 + (h & 1023) / 1024) : (h & 1023) * 2 ** -24)
      }
      for (const r of [0, 7, rows - 1]) {
        let v = input.slice(r * width, (r + 1) * width)
        for (const w of weights) {
          v = v.map((_, j) => {
            let s = 0
            for (let k = 0; k < width; k++) s += v[k]! * w[j * width + k]!
            return whole ? Math.min(15, Math.max(0, s >> 5)) : Math.max(s, 0) / 16
          })
        }
        const large = Math.max(...v)
        const off = whole ? 0 : large * (type === 'f32' ? 1e-3 : 0.05)
        for (const [j, want] of v.entries()) if (!(Math.abs(value(r * width + j) - want) <= off)) throw new Wrong(`the network's answer ${r}, ${j} is ${value(r * width + j)} instead of ${want}`)
        if (!(large > 0)) throw new Wrong('the network answers nothing')
      }
    },
  }
}

export async function compute(env: Env): Promise<Partial<Outcome>> {
  const c = await chip(env)
  const makers = [() => solve(c), () => sum(c), () => infer(c, 'inference-f32', 'f32')]
  const none: Reading[] = []
  if (c.half) makers.push(() => infer(c, 'inference-f16', 'f16'))
  else none.push(missing('inference-f16', 'the device offers no 16-bit floating point'))
  if (c.packed) makers.push(() => infer(c, 'inference-i8', 'i8'))
  else none.push(missing('inference-i8', 'the device offers no packed 8-bit products'))
  return cases(env, c, (m) => env.test.measures.find((x) => x.slug === m)?.unit ?? '{cell}/us', makers, none)
}

export const runners = { 'webgpu-fill': fill, 'webgpu-texture': texture, 'webgpu-geometry': geometry, 'webgpu-arithmetic': arithmetic, 'webgpu-compute': compute }
