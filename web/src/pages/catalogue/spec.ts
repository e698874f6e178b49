import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useSymbols } from '../../parts/symbols'

export type SpecKey = Of<'CatalogSpecKey'>

const sections: Record<string, string> = { cpu: 'Processor', graphics: 'Graphics', memory: 'Memory', drive: 'Drive', display: 'Screen', battery: 'Battery and supply', supply: 'Battery and supply', body: 'Body', cooling: 'Body' }

/** The vocabulary of spec sheets by sections, and what a text typed into an entry means. */
export function useSpec() {
  const symbol = useSymbols()
  const words = useQuery({ queryKey: ['vocabulary'], queryFn: () => must(api.GET('/api/vocabulary')), staleTime: Infinity })
  const keys = computed(() => words.data.value?.specs ?? [])
  const grouped = computed(() => {
    const out = new Map<string, SpecKey[]>()
    for (const k of keys.value) {
      const name = sections[k.key.split('.')[0]!] ?? 'Ports and system'
      out.set(name, [...(out.get(name) ?? []), k])
    }
    return [...out]
  })
  const unit = (k: SpecKey) => (k.type === 'quantity' ? symbol(k.unit) : '')
  /** What a spec sheet holds for a text: a whole number for a count, a quantity with its unit, else the text. */
  function entry(k: SpecKey | undefined, text: string): unknown {
    const t = text.trim()
    if (!k) return t
    if (k.type === 'flag') return /^(yes|true|1)$/i.test(t)
    if (k.type === 'count') return /^\d+$/.test(t) ? Number(t) : t
    if (k.type === 'quantity' && /^[\d.,]+$/.test(t)) return `${t.replace(',', '.')} ${symbol(k.unit)}`
    return t
  }
  const sheet = (texts: Record<string, string>) => Object.fromEntries(Object.entries(texts).filter(([, v]) => v?.trim()).map(([k, v]) => [k, entry(keys.value.find((x) => x.key === k), v)]))
  const texts = (spec: Record<string, unknown> | undefined) => Object.fromEntries(Object.entries(spec ?? {}).map(([k, v]) => [k, String(v)]))
  return { keys, grouped, unit, entry, sheet, texts }
}

// What makers call things that the vocabulary calls otherwise.
const others: Record<string, string> = { cpu: 'cpu.name', chip: 'cpu.name', 'operating system': 'system.name', os: 'system.name', ram: 'memory.size', 'installed memory': 'memory.size', ssd: 'drive.size', storage: 'drive.size', 'hard drive': 'drive.size', gpu: 'graphics.name', 'graphics card': 'graphics.name', display: 'display.size', 'screen size': 'display.size', brightness: 'display.luminance', 'refresh rate': 'display.refresh', 'battery capacity': 'battery.energy', mass: 'body.weight', wifi: 'wireless', 'wi fi': 'wireless', interfaces: 'ports', 'power supply': 'supply.power', charger: 'supply.power', thickness: 'body.height', tdp: 'cpu.power_limit' }

/** Lines of a table as a maker publishes it: what each calls its entry, its value, and the key that is meant; "" where that is to be chosen. */
export function readTable(text: string, keys: SpecKey[]): { name: string; value: string; key: string }[] {
  const plain = (s: string) => s.toLowerCase().replace(/[^\p{L}\p{N}]+/gu, ' ').trim()
  const out: { name: string; value: string; key: string }[] = []
  for (const line of text.split('\n')) {
    const [name, ...rest] = line.includes('\t') ? line.split('\t') : line.split(/:\s+|\s{3,}|\s\|\s/)
    const value = rest.join(' ').trim()
    if (!name?.trim() || !value) continue
    const said = plain(name)
    const key = keys.find((k) => plain(k.name) === said || plain(k.key) === said)?.key ?? others[said] ?? keys.find((k) => said.startsWith(plain(k.name)))?.key ?? ''
    out.push({ name: name.trim(), value, key: out.some((x) => x.key === key) ? '' : key })
  }
  return out
}
