<script setup lang="ts">
import { computed } from 'vue'

const props = defineProps<{ values: number[]; plain?: boolean }>()
const path = computed(() => {
  const v = props.values
  if (v.length < 2) return ''
  const middle = (Math.min(...v) + Math.max(...v)) / 2
  const half = Math.max((Math.max(...v) - Math.min(...v)) / 2, Math.abs(middle) * 0.02) * 1.08 // a quiet line stays quiet
  const lo = middle - half
  const hi = middle + half
  return v.map((y, i) => `${i ? 'L' : 'M'}${((i / (v.length - 1)) * 300).toFixed(1)} ${(56 - ((y - lo) / (hi - lo || 1)) * 50).toFixed(1)}`).join('')
})
</script>

<template>
  <svg class="spark" :class="{ plain }" viewBox="0 0 300 60" preserveAspectRatio="none" aria-hidden="true"><path :d="path" /></svg>
</template>
