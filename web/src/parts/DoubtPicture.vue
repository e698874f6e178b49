<script setup lang="ts">
import { computed } from 'vue'
import type { Of } from '../api/client'
import { useSymbols } from './symbols'
import { number } from './words'

// The small picture beside a doubt: points in order with the band in which they were expected, or others on one line.
const props = defineProps<{ picture: Of<'TrustPicture'> }>()
const symbol = useSymbols()
const [w, h, left, top] = [440, 132, 64, 10]
const view = computed(() => {
  const p = props.picture
  const all = [...p.y, ...(p.band ?? [])]
  const lo = Math.min(...all)
  const hi = Math.max(...all)
  const log = p.kind === 'rivals' && lo > 0 && hi / lo > 4
  const f = (v: number) => (log ? Math.log(v) : v)
  const pad = (f(hi) - f(lo) || Math.abs(f(hi)) || 1) * 0.08
  const [a, b] = [f(lo) - pad, f(hi) + pad]
  const y = (v: number) => top + (1 - (f(v) - a) / (b - a)) * (h - 26 - top)
  const x0 = Math.min(...p.x)
  const x1 = Math.max(...p.x)
  const x = (v: number) => left + 14 + ((v - x0) / (x1 - x0 || 1)) * (w - left - 28)
  const across = (v: number) => left + 14 + ((f(v) - a) / (b - a)) * (w - left - 28)
  const rivals = p.kind === 'rivals'
  const points = p.y.map((v, i) => ({ x: rivals ? across(v) : x(p.x[i]!), y: rivals ? h / 2 - 8 + (((i * 37) % 5) - 2) * 7 * (p.marked?.includes(i) ? 0 : 1) : y(v), v, bad: p.marked?.includes(i) ?? false }))
  const band = p.band ? (rivals ? { x: across(p.band[0]!), y: top, w: Math.max(1, across(p.band[1]!) - across(p.band[0]!)), h: h - 26 - top } : { x: left, y: y(p.band[1]!), w: w - left, h: Math.max(1, y(p.band[0]!) - y(p.band[1]!)) }) : undefined
  const ticks = rivals ? [] : [Math.min(...p.y), Math.max(...p.y)].map((v) => ({ v, y: y(v) }))
  const ends = rivals ? [Math.min(...p.y), Math.max(...p.y)].map((v) => ({ v, x: across(v) })) : []
  const levels = (p.levels ?? []).map((l) => ({ x1: x(l.from), x2: x(l.to), y: y(l.at) }))
  return { points, band, ticks, ends, levels, path: points.map((q, i) => `${i ? 'L' : 'M'}${q.x.toFixed(1)} ${q.y.toFixed(1)}`).join('') }
})
const unit = computed(() => symbol(props.picture.unit))
const foot = computed(() => ({ repeats: 'repeats in order; the band is where they were expected', course: 'over the run' })[props.picture.kind as string])
const says = computed(() => `${props.picture.y.length} values from ${number(Math.min(...props.picture.y))} to ${number(Math.max(...props.picture.y))} ${unit.value}${props.picture.band ? `, expected between ${number(props.picture.band[0]!)} and ${number(props.picture.band[1]!)}` : ''}`)
</script>

<template>
  <svg class="doubted" :viewBox="`0 0 ${w} ${h}`" role="img" :aria-label="says">
    <rect v-if="view.band" class="band" :x="view.band.x" :y="view.band.y" :width="view.band.w" :height="view.band.h" rx="2" />
    <g v-for="t in view.ticks" :key="t.y"><text :x="left - 6" :y="t.y + 4" text-anchor="end">{{ number(t.v) }}</text><line :x1="left" :x2="w" :y1="t.y" :y2="t.y" /></g>
    <g v-for="t in view.ends" :key="t.x"><text :x="t.x" :y="h - 8" text-anchor="middle">{{ number(t.v, 3) }}</text></g>
    <path v-if="picture.kind === 'course'" :d="view.path" />
    <template v-else><circle v-for="(p, i) in view.points" :key="i" :cx="p.x" :cy="p.y" :r="p.bad ? 6 : 4.5" :class="{ bad: p.bad }"><title>{{ number(p.v) }} {{ unit }}</title></circle></template>
    <line v-for="l in view.levels" :key="l.x1" class="held" :x1="l.x1" :x2="l.x2" :y1="l.y" :y2="l.y" />
    <text v-if="picture.kind !== 'rivals'" :x="left + 14" :y="h - 8">{{ foot }}, {{ unit }}</text>
    <text v-else :x="w - 4" :y="top + 2" text-anchor="end">{{ unit }}</text>
  </svg>
  <div v-if="picture.kind === 'rivals'" class="soft small">Each dot is a kindred variant; the band is what they let expect.</div>
</template>
