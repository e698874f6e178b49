// The harbour in the evening, painted by following light, on WebGPU: the scene and the paths of workload/picture.
import { type Env, type Load, Wrong } from '../harness'
import { balls, bounces, boxes, eye, height, known, materials, sun, sunlight, width } from '../harbour'
import type { Outcome } from '../wire'
import { cases } from './webgl'
import { type Chip, chip, load, read } from './webgpu'

const group = 64
const at = (v: number[]) => `vec3f(${v.map((x) => (Number.isInteger(x) ? `${x}.0` : x)).join(', ')})`

const shader = `
struct Turn { which: u32, paths: u32 }
@group(0) @binding(0) var<storage, read> materials: array<vec4f>;
@group(0) @binding(1) var<storage, read> balls: array<vec4f>;
@group(0) @binding(2) var<storage, read> boxes: array<vec4f>;
@group(0) @binding(3) var<storage, read_write> sums: array<vec4f>;
@group(0) @binding(4) var<uniform> turn: Turn;
const eye = ${at(eye)}; const sun = ${at(sun)}; const sunlight = ${at(sunlight)};
const far = 400.0; const near = 1e-3;
var<private> state: u32;
fn mixed(x: u32) -> u32 { var v = x * 747796405u + 2891336453u; v = ((v >> ((v >> 28u) + 4u)) ^ v) * 277803737u; return (v >> 22u) ^ v; }
fn draw() -> f32 { state = mixed(state); return f32(state >> 8u) / 16777216.0; }
fn wave(x: f32) -> f32 { let f = x - floor(x); return 4.0 * min(f, 1.0 - f) - 1.0; }
struct Hit { t: f32, n: vec3f, m: u32 }
fn hit(o: vec3f, d: vec3f) -> Hit {
  var h = Hit(far, vec3f(0.0), 0u);
  if (d.y < 0.0) { let t = -o.y / d.y; if (t > near && t < far) { h = Hit(t, vec3f(0.0, 1.0, 0.0), 0u); } }
  for (var i = 0u; i < ${balls.length / 8}u; i++) {
    let b = balls[2u * i]; let c = o - b.xyz; let k = dot(c, d); let q = k * k - dot(c, c) + b.w * b.w;
    if (q > 0.0) { let t = -k - sqrt(q); if (t > near && t < h.t) { h = Hit(t, normalize(c + t * d), u32(balls[2u * i + 1u].x)); } }
  }
  let e = 1.0 / d;
  for (var i = 0u; i < ${boxes.length / 8}u; i++) {
    let low = boxes[2u * i]; let a = (low.xyz - o) * e; let b = (boxes[2u * i + 1u].xyz - o) * e; let first = min(a, b); let last = max(a, b);
    let into = max(max(first.x, first.y), first.z);
    if (into <= min(min(last.x, last.y), last.z) && into > near && into < h.t) {
      var n = vec3f(0.0);
      if (into == first.x) { n.x = -sign(d.x); } else if (into == first.y) { n.y = -sign(d.y); } else { n.z = -sign(d.z); }
      h = Hit(into, n, u32(low.w));
    }
  }
  return h;
}
fn sky(d: vec3f) -> vec3f {
  let h = sqrt(max(d.y, 0.0)); var c = vec3f(1.15 - 0.87 * h, 0.84 - 0.42 * h, 0.66 + 0.02 * h); let g = dot(d, sun);
  if (g > 0.9) { c += (g - 0.9) * (g - 0.9) * 60.0 * vec3f(1.0, 0.7, 0.35); }
  return c;
}
fn ball() -> vec3f {
  for (var i = 0; i < 64; i++) { let x = 2.0 * draw() - 1.0; let y = 2.0 * draw() - 1.0; let v = vec3f(x, y, 2.0 * draw() - 1.0); let l = dot(v, v); if (l <= 1.0 && l > 1e-4) { return v / sqrt(l); } }
  return vec3f(0.0, 1.0, 0.0);
}
fn path(x: u32, y: u32, which: u32) -> vec3f {
  state = mixed(which * ${width * height}u + y * ${width}u + x);
  let px = (f32(x) + draw()) / ${width}.0 - 0.5; let py = 0.5 - (f32(y) + draw()) / ${height}.0;
  var o = eye; var d = normalize(vec3f(1.5 * px, 0.84375 * py - 0.03, 1.0)); var w = vec3f(1.0); var light = vec3f(0.0);
  for (var k = 0; k < ${bounces}; k++) {
    let h = hit(o, d);
    if (h.t >= far) { return light + w * sky(d); }
    o += h.t * d; let m = materials[h.m]; var n = h.n;
    if (m.w == 3.0) { return light + w * m.xyz; }
    if (m.w == 1.0) {
      n = normalize(vec3f(0.035 * (wave(0.9 * o.x + 0.37 * o.z) + wave(0.31 * o.x - 1.3 * o.z)), 1.0, 0.05 * (wave(0.45 * o.x + 1.7 * o.z) + wave(2.3 * o.z - 0.6 * o.x))));
      let f = 1.0 + dot(d, n);
      if (draw() < 0.04 + 0.96 * f * f * f * f * f) { d = reflect(d, n); d.y = max(d.y, 1e-3); continue; }
    }
    w *= m.xyz; o += near * n;
    if (m.w == 2.0) { d = reflect(d, n); continue; }
    let l = dot(n, sun);
    if (l > 0.0 && hit(o, sun).t >= far) { light += w * l * sunlight; }
    d = normalize(n + 0.999 * ball());
  }
  return light;
}
@compute @workgroup_size(${group}) fn main(@builtin(global_invocation_id) id: vec3u) {
  if (id.x >= ${width * height}u) { return; }
  var sum = vec3f(0.0);
  for (var i = 0u; i < turn.paths; i++) { sum += path(id.x % ${width}u, id.x / ${width}u, turn.which + i); }
  sums[id.x] += vec4f(sum, f32(turn.paths));
}`

// Paths of each pixel in one pass.
const each = 2

interface Painter extends Load {
  sums(): Promise<Float32Array>
}

function painter(c: Chip): Painter {
  const { device: d } = c
  const { STORAGE, COPY_SRC, COPY_DST, UNIFORM } = GPUBufferUsage
  const filled = (numbers: number[]) => {
    const b = d.createBuffer({ size: 4 * numbers.length, usage: STORAGE | COPY_DST })
    d.queue.writeBuffer(b, 0, new Float32Array(numbers))
    return b
  }
  const sums = d.createBuffer({ size: 16 * width * height, usage: STORAGE | COPY_SRC })
  const pipeline = d.createComputePipeline({ layout: 'auto', compute: { module: d.createShaderModule({ code: shader }), entryPoint: 'main' } })
  const turns = 256 // each pass follows other paths; their numbers stand ready
  const uniform = d.createBuffer({ size: 256 * turns, usage: UNIFORM | COPY_DST })
  const numbers = new Uint32Array(64 * turns)
  for (let i = 0; i < turns; i++) numbers.set([each * i, each], 64 * i)
  d.queue.writeBuffer(uniform, 0, numbers)
  const bound = [materials, balls, boxes].map(filled)
  const groups = Array.from({ length: turns }, (_, i) => d.createBindGroup({ layout: pipeline.getBindGroupLayout(0), entries: [...bound, sums].map((buffer, binding) => ({ binding, resource: { buffer } as GPUBufferBinding })).concat({ binding: 4, resource: { buffer: uniform, offset: 256 * i, size: 8 } }) }))
  return {
    ...load(c, (each * width * height) / 1e6, (e, i) => {
      const p = e.beginComputePass()
      p.setPipeline(pipeline)
      p.setBindGroup(0, groups[i % turns]!)
      p.dispatchWorkgroups(Math.ceil((width * height) / group))
      p.end()
    }),
    sums: async () => new Float32Array(await read(c, (e, to) => e.copyBufferToBuffer(sums, 0, to, 0, 16 * width * height), 16 * width * height)),
  }
}

/** shown is light as a screen shows it. */
const shown = (v: number): number => Math.min(255, Math.round(255 * Math.sqrt((1.25 * v) / (1 + v))))

/** verify holds the picture's fields against the known ones; chips round roots in ways of their own. */
async function verify(p: Painter, canvas: HTMLCanvasElement): Promise<void> {
  const sums = await p.sums()
  const want = [...atob(known)].map((c) => c.charCodeAt(0))
  const [w, h] = [width / 16, height / 9]
  const off = want.map((v, i) => {
    const f = Math.floor(i / 3)
    let mean = 0
    for (let y = Math.floor(f / 16) * h; y < (Math.floor(f / 16) + 1) * h; y++) for (let x = (f % 16) * w; x < ((f % 16) + 1) * w; x++) mean += sums[4 * (y * width + x) + (i % 3)]! / sums[4 * (y * width + x) + 3]!
    return Math.abs(shown(mean / (w * h)) - v)
  })
  canvas.width = width
  canvas.height = height
  const g = canvas.getContext('2d')!
  const data = g.createImageData(width, height)
  for (let i = 0; i < width * height; i++) for (let k = 0; k < 4; k++) data.data[4 * i + k] = k === 3 ? 255 : shown(sums[4 * i + k]! / sums[4 * i + 3]!)
  g.putImageData(data, 0, 0)
  const mean = off.reduce((a, b) => a + b, 0) / off.length
  if (!(mean <= 2.5 && Math.max(...off) <= 14)) throw new Wrong(`the picture's colours lie ${mean.toFixed(1)} from the known ones in the mean, ${Math.max(...off)} at most`)
}

export async function picture(env: Env): Promise<Partial<Outcome>> {
  const c = await chip(env)
  const field = document.getElementById('stage')!
  const canvas = document.createElement('canvas')
  const p = painter(c)
  try {
    return await cases(env, c, () => '{sample}/us', [() => ({
      measure: 'rate', load: p, verify: async () => {
        field.className = ''
        field.replaceChildren(canvas)
        await verify(p, canvas)
        field.hidden = false
        await new Promise((done) => setTimeout(done, 800 * env.seconds)) // seen for a moment
      },
    })])
  } finally {
    field.hidden = true
    field.replaceChildren()
  }
}

export const runners = { 'webgpu-picture': picture }
