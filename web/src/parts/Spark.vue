<script setup lang="ts">
import { computed } from 'vue'

const props = defineProps<{ values: number[] }>()
const path = computed(() => {
  const v = props.values
  if (v.length < 2) return ''
  const lo = Math.min(...v) * 0.98
  const hi = Math.max(...v) * 1.02
  return v.map((y, i) => `${i ? 'L' : 'M'}${((i / (v.length - 1)) * 300).toFixed(1)} ${(56 - ((y - lo) / (hi - lo || 1)) * 50).toFixed(1)}`).join('')
})
</script>

<template>
  <svg class="spark" viewBox="0 0 300 60" preserveAspectRatio="none" aria-hidden="true"><path :d="path" /></svg>
</template>
