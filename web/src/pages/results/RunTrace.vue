<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { api, must, send, type Of } from '../../api/client'
import Traces from '../../parts/Traces.vue'
import Trouble from '../../parts/Trouble.vue'
import { number, sensor } from '../../parts/words'

// What the sensors told during a run, with logs of outside sensors beside it.
const props = defineProps<{ run: string; outside: Of<'ResultsOutsideLog'>[] }>()
const queries = useQueryClient()
const stretch = reactive({ from: 0, to: 0 })
const view = useQuery({
  queryKey: computed(() => ['trace', props.run, stretch.from, stretch.to]),
  placeholderData: (before) => before,
  queryFn: () => must(api.GET('/api/runs/{slug}/trace', { params: { path: { slug: props.run }, query: { ...stretch, points: 1200 } } })),
})
const names = computed(() => view.data.value?.series.map((s) => s.channel) ?? [])
const telling = ['power.package', 'temperature.package', 'clock.mean', 'load.processor', 'fan.speed', 'throughput.read', 'throughput.write', 'power.battery', 'power.graphics']
const shown = ref<string[]>([])
watch(names, (now) => {
  if (shown.value.some((c) => now.includes(c))) return
  const rate = now.filter((c) => c.startsWith('rate.'))
  const own = props.outside.flatMap((o) => o.channels.map((c) => c.name))
  shown.value = [...rate.slice(0, 1), ...own.filter((c) => now.includes(c)), ...telling.filter((c) => now.includes(c))].slice(0, 5)
}, { immediate: true })
const trouble = ref<unknown>(null)
const input = ref<HTMLInputElement | null>(null)
const note = ref('')
async function act(work: () => Promise<Of<'ResultsOutsideLog'> | unknown>) {
  trouble.value = null
  try {
    const o = (await work()) as Of<'ResultsOutsideLog'> | undefined
    note.value = o?.note ?? ''
    await Promise.all([queries.invalidateQueries({ queryKey: ['run', props.run] }), queries.invalidateQueries({ queryKey: ['trace', props.run] })])
    if (o?.channels) shown.value = [...new Set([...o.channels.map((c) => c.name), ...shown.value])].slice(0, 6)
  } catch (e) {
    trouble.value = e
  }
}
function lay(e: Event) {
  const file = (e.target as HTMLInputElement).files?.[0]
  if (file) void act(() => send(`/api/runs/${props.run}/logs?name=${encodeURIComponent(file.name)}`, file))
}
const shift = (o: Of<'ResultsOutsideLog'>, by: string) => act(() => must(api.PUT('/api/runs/{slug}/logs/{log}', { params: { path: { slug: props.run, log: o.id } }, body: { shift: Number(by) } })))
const drop = (o: Of<'ResultsOutsideLog'>) => act(() => must(api.DELETE('/api/runs/{slug}/logs/{log}', { params: { path: { slug: props.run, log: o.id } } })))
</script>

<template>
  <div v-if="view.data.value?.series.length" class="sheet pad">
    <div class="row">
      <strong>Trace</strong><span class="soft small">{{ number(view.data.value.samples, 7) }} samples</span><v-spacer />
      <button v-if="stretch.to" type="button" class="plainly small" @click="stretch.from = stretch.to = 0">Whole run</button>
      <a class="small" :href="`/api/runs/${run}/trace.csv`">Save as CSV</a>
      <input ref="input" type="file" accept=".csv,text/csv" hidden @change="lay">
      <button type="button" class="plainly small" @click="input?.click()">Lay an outside log beside it</button>
    </div>
    <v-select v-model="shown" class="mt-2" label="Channels" multiple chips closable-chips :items="names.map((n) => ({ value: n, title: sensor(n)[0] }))" />
    <Trouble v-if="trouble" :error="trouble" />
    <p v-if="note" class="caution mt-2">{{ note }}</p>
    <div v-for="o in outside" :key="o.id" class="row mt-2 small">
      <span>{{ o.name }}, {{ o.samples }} rows</span>
      <span class="soft">{{ o.correlation == null ? o.note : `correlation ${number(o.correlation, 2)}` }}</span>
      <v-text-field label="Shift in seconds" type="number" step="0.1" :model-value="o.shift.toFixed(2)" style="max-width: 150px" @change="shift(o, ($event.target as HTMLInputElement).value)" />
      <button type="button" class="plainly" @click="drop(o)">Take away</button>
    </div>
    <Traces :view="view.data.value" :shown="shown" @zoom="(from, to) => Object.assign(stretch, { from, to })" />
    <p class="soft small">Drag to move, hold Ctrl and turn the wheel to look closer.</p>
  </div>
</template>
