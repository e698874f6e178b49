// What the browser tells of the device it runs on. What it does not tell is left out, never guessed.
import type { Machine } from './wire'

declare const GO_VERSION: string

interface Hints {
  platform: string
  brands: { brand: string; version: string }[]
  getHighEntropyValues?(keys: string[]): Promise<{ model?: string; platformVersion?: string; architecture?: string; bitness?: string }>
}
interface Battery {
  charging: boolean
  level: number
}
type Wide = Navigator & { userAgentData?: Hints; deviceMemory?: number; getBattery?(): Promise<Battery>; connection?: { type?: string } }
const nav = navigator as Wide

/** engine names the browser's engine with its version: figures of one are not those of another. */
export function engine(): string {
  const ua = navigator.userAgent
  const chromium = nav.userAgentData?.brands.find((b) => b.brand === 'Chromium')?.version ?? /Chrom(?:e|ium)\/(\d+)/.exec(ua)?.[1]
  if (chromium) return `Chromium ${chromium}`
  const gecko = /Firefox\/(\d+(?:\.\d+)?)/.exec(ua)?.[1]
  if (gecko) return `Gecko ${gecko}`
  const webkit = /Version\/(\d+(?:\.\d+)?).*Safari/.exec(ua)?.[1] ?? /OS (\d+_\d+).*AppleWebKit/.exec(ua)?.[1]?.replace('_', '.')
  return webkit ? `WebKit ${webkit}` : 'unknown engine'
}

export const runtime = (): string => `in browser, ${engine()}, ${GO_VERSION}`

async function system(): Promise<{ name: string; model?: string; architecture?: string }> {
  const h = await nav.userAgentData?.getHighEntropyValues?.(['model', 'platformVersion', 'architecture', 'bitness']).catch(() => undefined)
  if (h) return { name: `${nav.userAgentData!.platform} ${h.platformVersion ?? ''}`.trim(), model: h.model, architecture: [h.architecture, h.bitness].filter(Boolean).join(' ') }
  const m = /\(([^)]+)\)/.exec(navigator.userAgent)?.[1] ?? ''
  const known = /(Android [\d.]+|CPU (?:iPhone )?OS [\d_]+|Mac OS X [\d_.]+|Windows NT [\d.]+|Linux)/.exec(m)?.[1] ?? navigator.platform
  return { name: known.replace(/^CPU (iPhone )?/, '').replace(/_/g, '.') }
}

export async function battery(): Promise<Battery | undefined> {
  return nav.getBattery?.().catch(() => undefined)
}

/** charge is the battery's charge in per cent; undefined where the browser does not tell it, or tells what cannot be. */
export async function charge(): Promise<number | undefined> {
  const level = (await battery())?.level
  return level !== undefined && level >= 0 && level <= 1 ? 100 * level : undefined
}

/** describe says what device this is; id tells this joining from others. */
export async function describe(id: string): Promise<Machine> {
  const s = await system()
  const facts: Record<string, string> = { 'browser.engine': engine(), 'screen.pixels': `${Math.round(screen.width * devicePixelRatio)} × ${Math.round(screen.height * devicePixelRatio)}` }
  if (s.model) facts['device.model'] = s.model
  if (nav.deviceMemory) facts['memory.hint'] = `${nav.deviceMemory} GiB or more`
  facts['context'] = isSecureContext ? 'secure' : 'not secure'
  const untold = ['power.mode', 'power.package', 'temperature.package', 'clock.mean', 'load.processor', 'memory.speed']
  if (!(await battery())) untold.push('supply', 'battery.charge')
  return { name: `${engine()} on ${s.name}, ${id.slice(0, 6)}`, boot: `probe-${id}`, system: s.name, processor: s.architecture, threads: threads(), facts, untold, clock: new Date().toISOString() }
}

export const threads = (): number => navigator.hardwareConcurrency || 1

/** observe tells the conditions as they are now. */
export async function observe(): Promise<Record<string, string>> {
  const out: Record<string, string> = { runtime: runtime(), 'system.name': (await system()).name }
  const b = await battery()
  if (b) {
    out.supply = b.charging ? 'mains' : 'battery'
    if (b.level >= 0 && b.level <= 1) out['battery.charge'] = `${Math.round(100 * b.level)} %`
  }
  return out
}

/** link names the network that the browser says it is on; "" where it does not tell. */
export const link = (): string => nav.connection?.type ?? ''

/** distances gives so many distances of frames in ms, as the browser draws them; null if it draws none. */
export function distances(n: number, signal?: AbortSignal): Promise<number[] | null> {
  return new Promise((done) => {
    const out: number[] = []
    let last = 0
    const late = setTimeout(() => done(null), 4000 + n * 60)
    const step = (t: number) => {
      if (last && t > last) out.push(t - last)
      last = t
      if (out.length < n && !signal?.aborted) requestAnimationFrame(step)
      else {
        clearTimeout(late)
        done(out)
      }
    }
    requestAnimationFrame(step)
  })
}

export function median(xs: number[]): number {
  const s = [...xs].sort((a, b) => a - b)
  return s.length ? s[(s.length - 1) >> 1]! : NaN
}
