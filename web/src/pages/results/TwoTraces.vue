<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, must, type Of } from '../../api/client'
import { number, sensor, telling } from '../../parts/words'

// The channels that both runs have, one above the other, both runs on one clock.
const props = defineProps<{ a: string; b: string }>()
const trace = (id: () => string) => useQuery({ queryKey: computed(() => ['trace', id(), 0, 0, 'small']), queryFn: () => must(api.GET('/api/runs/{slug}/trace', { params: { path: { slug: id() }, query: { points: 240 } } })) })
const one = trace(() => props.a)
const two = trace(() => props.b)
const [w, h] = [420, 66]
const pairs = computed(() => {
  const x = one.data.value?.series ?? []
  const y = two.data.value?.series ?? []
  const both = telling(x.map((s) => s.channel).filter((c) => y.some((s) => s.channel === c))).slice(0, 6)
  return both.map((c) => {
    const [p, q] = [x.find((s) => s.channel === c)!, y.find((s) => s.channel === c)!]
    const end = Math.max(p.times.at(-1) ?? 1, q.times.at(-1) ?? 1) || 1
    const all = [...p.values, ...q.values]
    const middle = (Math.min(...all) + Math.max(...all)) / 2
    const half = Math.max((Math.max(...all) - Math.min(...all)) / 2, Math.abs(middle) * 0.02, 1e-9) * 1.1
    const path = (s: Of<'RecordSeries'>) => s.times.map((t, i) => `${i ? 'L' : 'M'}${((t / end) * w).toFixed(1)} ${((1 - (s.values[i]! - middle + half) / (2 * half)) * h).toFixed(1)}`).join('')
    return { c, first: path(p), second: path(q), lo: Math.min(...all), hi: Math.max(...all), end }
  })
})
</script>

<template>
  <div class="sheet pad">
    <div class="row"><strong>Sensors</strong><v-spacer /><span class="small"><span class="key first" /> first <span class="key" /> second</span></div>
    <div v-for="p in pairs" :key="p.c" class="mt-3">
      <div class="row small tight"><span>{{ sensor(p.c)[0] }}</span><v-spacer /><span class="soft">{{ number(p.lo, 3) }} to {{ number(p.hi, 3) }} {{ sensor(p.c)[1] }}, {{ number(p.end, 3) }} s</span></div>
      <svg class="two" :viewBox="`0 0 ${w} ${h}`" preserveAspectRatio="none" role="img" :aria-label="`${sensor(p.c)[0]} of both runs, ${number(p.lo, 3)} to ${number(p.hi, 3)} ${sensor(p.c)[1]}`"><path :d="p.first" class="first" /><path :d="p.second" /></svg>
    </div>
    <div v-if="!pairs.length" class="soft small mt-2">No channel is known for both.</div>
  </div>
</template>
