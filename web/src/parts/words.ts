/** A number with about four significant digits, grouped from 10,000 on. */
export function number(v: number): string {
  if (!Number.isFinite(v)) return '—'
  const digits = v === 0 ? 0 : Math.max(0, Math.min(6, 3 - Math.floor(Math.log10(Math.abs(v)))))
  return v.toLocaleString('en', { minimumFractionDigits: digits, maximumFractionDigits: digits, useGrouping: Math.abs(v) >= 10000 })
}

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
