<script setup lang="ts">
import { computed } from 'vue'
import type { Of } from '../../api/client'
import { number } from '../../parts/words'

// One figure of one unit over months: a dot per sitting with its interval, the levels, and where they changed.
const props = defineProps<{ line: Of<'FiguresHistoryLine'>; measure: Of<'CompareMeasure'>; unit: string }>()
const day = (iso: string) => new Date(iso).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: '2-digit' })
const [w, h, left, right, top, bottom] = [900, 330, 70, 20, 46, 34]
const view = computed(() => {
  const d = props.line
  if (!d.moments.length) return undefined
  const times = d.moments.map((m) => new Date(m.at).getTime())
  const [t0, t1] = [Math.min(...times), Math.max(...times)]
  const x = (t: number) => left + 26 + ((t - t0) / (t1 - t0 || 1)) * (w - left - right - 52)
  const lo = Math.min(...d.moments.flatMap((m) => [m.lo, ...m.values]))
  const hi = Math.max(...d.moments.flatMap((m) => [m.hi, ...m.values]))
  const pad = (hi - lo || Math.abs(hi) || 1) * 0.1
  const y = (v: number) => top + (1 - (v - lo + pad) / (hi - lo + 2 * pad)) * (h - top - bottom)
  const step = 10 ** Math.floor(Math.log10(hi - lo || 1))
  const every = [0.5, 1, 2, 5].map((k) => k * step).find((s) => (hi - lo + 2 * pad) / s <= 6) ?? step
  const ticks = Array.from({ length: 12 }, (_, i) => (Math.ceil((lo - pad) / every) + i) * every).filter((v) => v <= hi + pad)
  const dots = d.moments.map((m, i) => ({ ...m, x: x(times[i]!), y: y(m.centre), a: y(m.lo), b: y(m.hi), each: m.values.map((v) => y(v)) }))
  const levels = d.levels.map((l) => ({ x0: dots[l.from]!.x - 16, x1: dots[l.to]!.x + 16, y: y(l.centre), text: number(l.centre) }))
  const shifts = d.shifts.map((s) => ({ x: (dots[s.at - 1]!.x + dots[s.at]!.x) / 2, text: s.changed.map((c) => c.b ?? '').filter(Boolean).join(', ') || 'no known reason' }))
  const labels = dots.filter((p, i) => !i || p.x - dots[i - 1]!.x > 74 || i === dots.length - 1)
  const digits = Math.max(0, -Math.floor(Math.log10(every)))
  return { dots, levels, shifts, ticks: ticks.map((v) => ({ v, y: y(v), text: v.toFixed(digits) })), labels }
})
</script>

<template>
  <p><strong>{{ line.differs ? `${line.differs.charAt(0).toUpperCase()}${line.differs.slice(1)}: ` : '' }}{{ line.sentence }}</strong></p>
  <div v-if="view" class="sheet pad mt-3">
    <svg class="history" :viewBox="`0 0 ${w} ${h}`" role="img" :aria-label="`${measure.name} of ${unit}: ${line.sentence}`">
      <g v-for="t in view.ticks" :key="t.v"><line class="grid" :x1="left" :x2="w - right" :y1="t.y" :y2="t.y" /><text :x="left - 8" :y="t.y + 4" text-anchor="end">{{ t.text }}</text></g>
      <g v-for="s in view.shifts" :key="s.x"><line class="shift" :x1="s.x" :x2="s.x" :y1="top - 12" :y2="h - bottom" /><text class="says" :x="s.x" :y="top - 20" text-anchor="middle">{{ s.text }}</text></g>
      <line v-for="l in view.levels" :key="l.x0" class="level" :x1="l.x0" :x2="l.x1" :y1="l.y" :y2="l.y" />
      <g v-for="p in view.dots" :key="p.sitting">
        <circle v-for="(v, i) in p.each" :key="i" class="one" :cx="p.x" :cy="v" r="2.4" />
        <line class="whisker" :x1="p.x" :x2="p.x" :y1="p.a" :y2="p.b" /><circle class="dot" :cx="p.x" :cy="p.y" r="5"><title>{{ number(p.centre) }} {{ measure.symbol }}, {{ p.n }} repeats</title></circle>
      </g>
      <text v-for="p in view.labels" :key="p.at" :x="p.x" :y="h - 12" text-anchor="middle">{{ day(p.at) }}</text>
      <text :x="left - 8" :y="16" text-anchor="start">{{ measure.symbol }}, {{ measure.better === 'lower' ? 'lower' : 'higher' }} is better</text>
    </svg>
    <p class="soft small mt-2">A dot is a sitting with its 95 % interval, small dots are its runs, lines the levels between lasting changes.</p>
  </div>
  <div v-if="line.moments.length" class="sheet scroll mt-4">
    <table aria-label="Sittings">
      <thead><tr><th>Sitting</th><th class="n">{{ measure.symbol || 'Value' }}</th><th class="n">95 %</th><th class="n">Repeats</th><th>Change</th><th /></tr></thead>
      <tbody>
        <tr v-for="(m, i) in line.moments" :key="m.sitting">
          <td class="w">{{ day(m.at) }}</td><td class="n">{{ number(m.centre) }}</td><td class="n soft">{{ number(m.lo) }} to {{ number(m.hi) }}</td><td class="n">{{ m.n }}</td>
          <td>{{ line.shifts.find((s) => s.at === i)?.text }}</td>
          <td class="w"><router-link v-if="i" :to="`/results/changed?a=${line.moments[i - 1]!.runs.at(-1)}&b=${m.runs[0]}`">against the one before</router-link></td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
