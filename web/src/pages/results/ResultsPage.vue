<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { moment, number, plain } from '../../parts/words'
import EnterReadings from './EnterReadings.vue'
import TakeFrames from './TakeFrames.vue'
import TakeRuns from './TakeRuns.vue'
import TakeTable from './TakeTable.vue'

const route = useRoute()
const router = useRouter()
const limit = 25
const filter = computed(() => {
  const q = route.query as Record<string, string | undefined>
  return { subject: q.subject ?? '', test: q.test ?? '', setup: q.setup ?? '', state: (q.state ?? '') as 'void', outcome: (q.outcome ?? '') as 'done', source: (q.source ?? '') as 'agent', from: q.from ?? '', until: q.until ?? '', text: q.text ?? '', offset: Number(q.offset ?? 0) }
})
function set(change: Record<string, string | number | null>) {
  void router.replace({ query: Object.fromEntries(Object.entries({ ...filter.value, offset: 0, ...change }).filter(([, v]) => v).map(([k, v]) => [k, String(v)])) })
}
const runs = useQuery({
  queryKey: computed(() => ['runs', filter.value]),
  placeholderData: (before) => before,
  queryFn: () => must(api.GET('/api/runs', { params: { query: { ...filter.value, limit } } })),
})
const units = useQuery({ queryKey: ['models', 'units'], queryFn: () => must(api.GET('/api/units')) })
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const open = useQuery({ queryKey: ['doubts', 'count'], queryFn: () => must(api.GET('/api/doubts', { params: { query: { state: 'open', limit: 1 } } })) })
const chosen = ref<string[]>([])
const choose = (id: string) => (chosen.value = chosen.value.includes(id) ? chosen.value.filter((x) => x !== id) : [...chosen.value.slice(-1), id])
const states = [{ value: 'doubted', title: 'In doubt' }, { value: 'void', title: 'No longer counts' }, { value: 'changed', title: 'Changed since' }]
const outcomes = [{ value: 'done', title: 'Done' }, { value: 'failed', title: 'Failed' }, { value: 'not-run', title: 'Not run' }, { value: 'parked', title: 'Parked' }]
const more = ref(!!(filter.value.outcome || filter.value.source || filter.value.from || filter.value.until))
const bounds: Record<string, string> = { 'at-ceiling': 'at least ', 'beyond-limit': 'more than ', 'at-floor': 'at most ' }
const say = (r: Of<'RecordReading'>) => `${r.measure} ${r.state === 'missing' ? 'missing' : r.state === 'void' ? 'void' : (bounds[r.state] ?? '') + number(r.value)}`
const entering = ref(route.query.enter === '1')
const taking = ref(false)
const bringing = ref(false)
const framing = ref(false)
</script>

<template>
  <PageHead title="Results" :sub="`${runs.data.value?.total ?? 0} runs`">
    <v-btn to="/results/doubts">Doubts<span v-if="open.data.value?.total" class="caution ml-1">{{ open.data.value.total }}</span></v-btn>
    <v-btn to="/results/history">History</v-btn>
    <v-btn to="/results/incidents">Incidents</v-btn>
    <v-btn to="/results/partners">Works with</v-btn>
    <v-menu>
      <template #activator="{ props }"><v-btn v-bind="props">Take in …</v-btn></template>
      <v-list density="compact"><v-list-item title="Files of a meter or logger" to="/results/intake" /><v-list-item title="A table of readings" @click="taking = true" /><v-list-item title="Runs of a machine alone" @click="bringing = true" /><v-list-item title="Frame times" @click="framing = true" /></v-list>
    </v-menu>
    <v-btn class="go" @click="entering = true">Enter readings</v-btn>
  </PageHead>
  <Trouble v-if="runs.error.value" :error="runs.error.value" />
  <div class="row mb-4">
    <v-autocomplete label="Unit" clearable :model-value="filter.subject || null" :items="units.data.value ?? []" item-value="slug" item-title="slug" style="max-width: 300px" @update:model-value="set({ subject: $event })" />
    <v-autocomplete label="Test" clearable :model-value="filter.test || null" :items="tests.data.value ?? []" item-value="slug" item-title="name" style="max-width: 260px" @update:model-value="set({ test: $event })" />
    <v-select label="Setup" clearable :model-value="filter.setup || null" :items="setups.data.value ?? []" item-value="slug" item-title="name" style="max-width: 170px" @update:model-value="set({ setup: $event })" />
    <v-select label="State" clearable :model-value="filter.state || null" :items="states" style="max-width: 170px" @update:model-value="set({ state: $event })" />
    <v-text-field label="Text" placeholder="a firmware, a driver" clearable :model-value="filter.text" style="max-width: 200px" @update:model-value="set({ text: $event })" />
    <button type="button" class="plainly small" @click="more = !more">{{ more ? 'Fewer filters' : 'More filters' }}</button>
    <template v-if="more">
      <v-select label="Outcome" clearable :model-value="filter.outcome || null" :items="outcomes" style="max-width: 150px" @update:model-value="set({ outcome: $event })" />
      <v-select label="Source" clearable :model-value="filter.source || null" :items="['agent', 'file', 'typed', 'table']" style="max-width: 140px" @update:model-value="set({ source: $event })" />
      <v-text-field label="From" type="date" :model-value="filter.from" style="max-width: 160px" @update:model-value="set({ from: $event })" />
      <v-text-field label="Until" type="date" :model-value="filter.until" style="max-width: 160px" @update:model-value="set({ until: $event })" />
    </template>
    <v-spacer />
    <v-btn v-if="chosen.length === 2" class="go" :to="`/results/changed?a=${chosen[0]}&b=${chosen[1]}`">What changed</v-btn>
    <span v-else-if="chosen.length === 1" class="soft small">Choose a second run to compare</span>
  </div>
  <div v-if="runs.data.value && !runs.data.value.total" class="sheet empty">No run fits. Put a plan on the bench, enter readings by hand, or take in a table.</div>
  <div v-else class="sheet scroll">
    <table>
      <thead><tr><th><span class="sr">Compare</span></th><th>Started</th><th>Unit</th><th>Test</th><th>Setup</th><th>Readings</th><th>Source</th></tr></thead>
      <tbody>
        <tr v-for="r in runs.data.value?.runs ?? []" :key="r.id" class="link" @click="router.push(`/results/${r.id}`)">
          <td @click.stop><input type="checkbox" :checked="chosen.includes(r.id)" :aria-label="`Compare the run of ${moment(r.started)}`" @change="choose(r.id)"></td>
          <td class="n"><router-link :to="`/results/${r.id}`">{{ moment(r.started) }}</router-link></td>
          <td class="cond w">{{ r.subject }}</td>
          <td class="cond w">{{ r.test }}</td>
          <td class="cond w">{{ r.setup }}</td>
          <td class="cond"><router-link v-if="r.doubts" class="caution" :to="`/results/${r.id}`">in doubt; </router-link><span v-else-if="r.marks?.length" class="soft" :title="r.marks.map((m) => m.text).join('; ')">not as planned; </span><span v-if="r.outcome !== 'done'" :class="r.outcome === 'failed' ? 'caution' : 'soft'">{{ plain(r.outcome) }}: {{ r.failure }}</span><template v-else>{{ r.readings.slice(0, 5).map(say).join(', ') }}<span v-if="r.readings.length > 5" class="soft"> and {{ r.readings.length - 5 }} more</span></template></td>
          <td class="w">{{ r.source === 'agent' ? (r.simulated ? 'agent, simulated' : 'agent') : r.source }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <div v-if="runs.data.value && runs.data.value.total > limit" class="row mt-3">
    <v-spacer />
    <span class="soft">{{ filter.offset + 1 }} to {{ Math.min(filter.offset + limit, runs.data.value.total) }} of {{ runs.data.value.total }}</span>
    <v-btn :disabled="!filter.offset" @click="set({ offset: Math.max(0, filter.offset - limit) })">Newer</v-btn>
    <v-btn :disabled="filter.offset + limit >= runs.data.value.total" @click="set({ offset: filter.offset + limit })">Older</v-btn>
  </div>
  <EnterReadings v-model="entering" />
  <TakeTable v-model="taking" />
  <TakeRuns v-model="bringing" />
  <TakeFrames v-model="framing" />
</template>
