/** A number with so many significant digits, usually four, grouped from 10,000 on. */
export function number(v: number, significant = 4): string {
  if (!Number.isFinite(v)) return '—'
  const whole = significant < 4 || Number.isInteger(v) // axes say 2, not 2.000
  const digits = v === 0 ? 0 : Math.max(0, Math.min(6, significant - 1 - Math.floor(Math.log10(Math.abs(v)))))
  return v.toLocaleString('en', { minimumFractionDigits: whole ? 0 : digits, maximumFractionDigits: digits, useGrouping: Math.abs(v) >= 10000 })
}

/** Bytes in the largest binary unit that fits. */
const scales: Record<string, number> = { s: 1, min: 60, h: 3600 }
/** A figure with its unit; times of two minutes and more in hours, minutes and seconds, as charts write them. */
export function figure(v: number, symbol = ''): string {
  const seconds = Math.abs(v) * (scales[symbol] ?? 0)
  if (seconds < 120 && !(symbol === 'h' && seconds >= 60)) return `${number(v)} ${symbol}`.trim()
  const n = seconds >= 3600 ? Math.round(seconds / 60) * 60 : Math.round(seconds)
  const parts = [[Math.floor(n / 3600), 'h'], [Math.floor((n % 3600) / 60), 'min'], [n % 60, 's']] as const
  return (v < 0 ? '−' : '') + parts.filter(([x]) => x).map(([x, unit]) => `${x} ${unit}`).join(' ')
}
export function bytes(v: number): string {
  const i = Math.min(3, Math.max(0, Math.floor(Math.log2(Math.max(v, 1)) / 10)))
  return `${number(v / 2 ** (10 * i), 3)} ${['B', 'KiB', 'MiB', 'GiB'][i]}`
}

/** An amount of data in decimal units, as drives are sold. */
export const amount = (v: number): string => (v >= 1e9 ? `${number(v / 1e9, 3)} GB` : `${number(v / 1e6, 3)} MB`)

/** An identifier's words, as people read them. */
export const plain = (key: string): string => key.replace(/^option\./, '').replace(/[._-]/g, ' ')

/** A time span in words. */
export function span(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`
  return `${(seconds / 3600).toFixed(1)} h`
}

/** A moment as date and time, in the reader's zone. */
export function moment(iso: string): string {
  return new Date(iso).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })
}

/** Money from minor units. */
export function money(amount: number, currency: string): string {
  const f = new Intl.NumberFormat('en', { style: 'currency', currency, currencyDisplay: 'code' })
  return f.format(amount / 10 ** (f.resolvedOptions().maximumFractionDigits ?? 2))
}

export const lower = (s: string): string => (/^[A-Z][A-Z]/.test(s) ? s : s.charAt(0).toLowerCase() + s.slice(1))

const channels: Record<string, [string, string]> = {
  'temperature.package': ['Processor', '°C'], 'temperature.drive': ['Drive', '°C'], 'temperature.graphics': ['Graphics', '°C'], 'temperature.ambient': ['Room', '°C'], 'temperature.board': ['Board', '°C'],
  'power.package': ['Package power', 'W'], 'power.battery': ['Battery power', 'W'], 'power.wall': ['Wall power', 'W'], 'power.graphics': ['Graphics power', 'W'],
  'clock.mean': ['Clock, mean', 'MHz'], 'clock.highest': ['Clock, highest', 'MHz'], 'clock.graphics': ['Graphics clock', 'MHz'],
  'load.processor': ['Processor load', '%'], 'load.busiest': ['Busiest thread', '%'], 'load.graphics': ['Graphics load', '%'], 'load.drive': ['Drive busy', '%'],
  'memory.used': ['Memory used', 'MiB'], 'memory.graphics': ['Graphics memory', 'MiB'], 'throughput.read': ['Drive, read', 'MB/s'], 'throughput.write': ['Drive, written', 'MB/s'],
  'fan.speed': ['Fan', '/min'], 'battery.charge': ['Battery charge', '%'], 'noise': ['Noise', 'dB(A)'],
}

/** A sensor's name and unit, as people read them. */
export function sensor(channel: string): [string, string] {
  const [, base = channel, chip] = /^(.*?)(-\d+)?$/.exec(channel) ?? []
  const known = channels[channel] ?? channels[base]
  if (!known) return [plain(channel.replace(/^rate\./, 'Rate, ')), '']
  return chip && !channels[channel] ? [`${known[0]} ${chip.slice(1)}`, known[1]] : known
}

/** The channels that tell most come first. */
export const telling = (names: string[]): string[] => {
  const rank = (c: string) => (Object.keys(channels).indexOf(c) + 1 || 99)
  return [...names].sort((a, b) => rank(a) - rank(b))
}

export const upper = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1)
