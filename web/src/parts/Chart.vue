<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, onBeforeUnmount, ref } from 'vue'
import { useTheme } from 'vuetify'
import { Refusal } from '../api/client'
import Trouble from './Trouble.vue'

// The chart comes drawn from the service: the console shows the very picture that is published.
const props = defineProps<{ query: Record<string, string>; kind?: string; pick?: boolean; format?: string; most?: number }>()
const emit = defineEmits<{ row: [id: string] }>()
const theme = useTheme()
// Where there is little room, the picture is laid out anew for it.
const small = matchMedia('(max-width: 560px)')
const narrow = ref(small.matches)
const measured = (e: MediaQueryListEvent) => (narrow.value = e.matches)
small.addEventListener('change', measured)
onBeforeUnmount(() => small.removeEventListener('change', measured))
const address = computed(() => {
  const q = new URLSearchParams(Object.entries(props.query).filter(([, v]) => v && v !== 'false'))
  q.set('format', props.format ?? (narrow.value ? 'phone' : 'column'))
  if (props.most) q.set('most', String(props.most))
  if (theme.global.name.value === 'dark') q.set('dark', 'true')
  return `/api/charts/${props.kind ?? 'ranked'}.svg?${q}`
})
const chart = useQuery({
  queryKey: computed(() => ['chart', address.value]),
  placeholderData: (before) => before,
  queryFn: async () => {
    const from = address.value
    const r = await fetch(from)
    if (r.ok) return { svg: await r.text(), night: from.includes('&dark=true') }
    const e = (await r.json().catch(() => ({}))) as { detail?: string }
    throw new Refusal(e.detail ?? `The service answered ${r.status}.`, r.status, [])
  },
})
function hit(e: MouseEvent) {
  const id = (e.target as Element).closest('[data-row]')?.getAttribute('data-row')
  if (id) emit('row', id)
}
</script>

<template>
  <Trouble v-if="chart.error.value" :error="chart.error.value" />
  <div v-else-if="!chart.data.value" class="sheet waits tall" aria-busy="true" />
  <!-- eslint-disable-next-line vue/no-v-html: drawn by our own service, texts escaped there -->
  <div v-else class="chart sheet" :class="{ pick, night: chart.data.value.night }" @click="hit" v-html="chart.data.value.svg" />
</template>
