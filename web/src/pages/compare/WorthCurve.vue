<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Of } from '../../api/client'
import { number } from '../../parts/words'

// What values are worth, from 0 to 1: points that are dragged, moved by arrow keys, or typed.
const points = defineModel<Of<'FitWorth'>[]>({ required: true })
defineProps<{ unit: string }>()
const w = 420
const h = 150
const left = 34
const bottom = 24
const lo = computed(() => Math.min(...points.value.map((p) => p.at)))
const hi = computed(() => Math.max(...points.value.map((p) => p.at), lo.value + 1e-9))
const pad = computed(() => (hi.value - lo.value) * 0.08)
const x = (at: number) => left + ((at - lo.value + pad.value) / (hi.value - lo.value + 2 * pad.value)) * (w - left - 8)
const y = (worth: number) => h - bottom - worth * (h - bottom - 12)
const sorted = computed(() => [...points.value].sort((a, b) => a.at - b.at))
const held = ref(-1)
const box = ref<SVGSVGElement | null>(null)
const change = (i: number, to: Partial<Of<'FitWorth'>>) => (points.value = points.value.map((p, k) => (k === i ? { ...p, ...to } : p)))
function drag(e: PointerEvent) {
  if (held.value < 0 || !box.value) return
  const r = box.value.getBoundingClientRect()
  const worth = Math.min(1, Math.max(0, (h - bottom - ((e.clientY - r.top) / r.height) * h) / (h - bottom - 12)))
  change(held.value, { worth: Math.round(worth * 20) / 20 })
}
function key(e: KeyboardEvent, i: number) {
  const p = points.value[i]!
  const step = { ArrowUp: 0.05, ArrowDown: -0.05 }[e.key]
  if (step === undefined) return
  e.preventDefault()
  change(i, { worth: Math.min(1, Math.max(0, Math.round((p.worth + step) * 100) / 100)) })
}
</script>

<template>
  <div class="worth">
    <svg ref="box" :viewBox="`0 0 ${w} ${h}`" aria-hidden="false" role="group" aria-label="What values are worth" @pointermove="drag" @pointerup="held = -1" @pointerleave="held = -1">
      <line :x1="left" :x2="w - 8" :y1="y(0)" :y2="y(0)" /><line :x1="left" :x2="w - 8" :y1="y(1)" :y2="y(1)" />
      <text :x="left - 6" :y="y(0) + 4" text-anchor="end">0</text><text :x="left - 6" :y="y(1) + 4" text-anchor="end">1</text>
      <text v-for="p in sorted" :key="p.at" :x="x(p.at)" :y="h - 6" text-anchor="middle">{{ number(p.at, 3) }}</text>
      <path :d="sorted.map((p, i) => `${i ? 'L' : 'M'}${x(p.at)} ${y(p.worth)}`).join('')" />
      <circle v-for="(p, i) in points" :key="i" :cx="x(p.at)" :cy="y(p.worth)" r="8" tabindex="0" role="slider" :aria-label="`What ${number(p.at, 3)} ${unit} is worth`" :aria-valuenow="p.worth" aria-valuemin="0" aria-valuemax="1" @pointerdown.prevent="held = i" @keydown="key($event, i)" />
    </svg>
    <div class="rows">
      <div v-for="(p, i) in points" :key="i" class="row"><v-text-field :model-value="p.at" :label="`Value ${i + 1}, ${unit}`" type="number" step="any" @update:model-value="change(i, { at: Number($event) })" /><v-text-field :model-value="p.worth" label="is worth" type="number" min="0" max="1" step="0.05" @update:model-value="change(i, { worth: Number($event) })" /><button v-if="points.length > 2" type="button" class="plainly small" @click="points = points.filter((_, k) => k !== i)">×</button></div>
      <button type="button" class="plainly small" @click="points = [...points, { at: hi + (hi - lo) / 2, worth: 1 }]">Another point</button>
    </div>
  </div>
</template>

<style scoped>
.worth { display: grid; grid-template-columns: minmax(0, 1fr) minmax(0, 280px); gap: 16px; align-items: start; padding: 8px 0 14px; }
svg { width: 100%; touch-action: none; }
line { stroke: rgb(var(--v-theme-line)); }
text { font-size: 11.5px; fill: rgb(var(--v-theme-soft)); }
path { fill: none; stroke: rgb(var(--v-theme-primary)); stroke-width: 1.8; }
circle { fill: rgb(var(--v-theme-primary)); cursor: ns-resize; }
.rows { display: grid; gap: 8px; }
@media (max-width: 640px) { .worth { grid-template-columns: minmax(0, 1fr); } }
</style>
