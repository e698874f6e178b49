<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import { useNames } from '../../parts/names'
import { useOpened } from '../../parts/opened'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { useSymbols } from '../../parts/symbols'
import { figure, moment, plain } from '../../parts/words'
import Reason from '../../parts/Reason.vue'
import { tell } from '../../parts/told'
import Filters from '../../parts/Filters.vue'
import EnterReadings from './EnterReadings.vue'
import TakeFrames from './TakeFrames.vue'
import TakeRuns from './TakeRuns.vue'
import TakeTable from './TakeTable.vue'
import TwinRuns from './TwinRuns.vue'

const route = useRoute()
const router = useRouter()
const limit = 25
const filter = computed(() => {
  const q = route.query as Record<string, string | undefined>
  return { subject: q.subject ?? '', test: q.test ?? '', setup: q.setup ?? '', state: (q.state ?? '') as 'void', outcome: (q.outcome ?? '') as 'done', source: (q.source ?? '') as 'agent', from: q.from ?? '', until: q.until ?? '', text: q.text ?? '', offset: Number(q.offset ?? 0) }
})
function set(change: Record<string, string | number | null>) {
  const typing = Object.keys(change).join() === 'text'
  void router[typing ? 'replace' : 'push']({ query: Object.fromEntries(Object.entries({ ...filter.value, offset: 0, ...change }).filter(([, v]) => v).map(([k, v]) => [k, String(v)])) })
}
const runs = useQuery({
  queryKey: computed(() => ['runs', filter.value]),
  placeholderData: (before) => before,
  queryFn: () => must(api.GET('/api/runs', { params: { query: { ...filter.value, limit } } })),
})
const { tests, setups, measures, unitChoices, unitName, testName, setupName } = useNames()
const symbol = useSymbols()
const open = useQuery({ queryKey: ['doubts', 'count'], queryFn: () => must(api.GET('/api/doubts', { params: { query: { state: 'open', limit: 1 } } })) })
const chosen = ref<string[]>([])
const choose = (id: string) => (chosen.value = chosen.value.includes(id) ? chosen.value.filter((x) => x !== id) : [...chosen.value, id])
const voiding = ref(false)
const queries = useQueryClient()
async function correct(ids: string[], what: 'void' | 'restore', reason: string) {
  for (const id of ids) await must(api.POST('/api/runs/{slug}/corrections', { params: { path: { slug: id } }, body: { do: what, reason } }))
  await queries.invalidateQueries()
}
async function takeOut(reason: string) {
  const ids = chosen.value
  await correct(ids, 'void', reason)
  chosen.value = []
  tell(`${ids.length === 1 ? 'The run no longer counts' : `${ids.length} runs no longer count`}.`, () => correct(ids, 'restore', 'taken back'))
}
const states = [{ value: 'doubted', title: 'In doubt' }, { value: 'void', title: 'No longer counts' }, { value: 'changed', title: 'Changed since' }]
const outcomes = [{ value: 'done', title: 'Done' }, { value: 'failed', title: 'Failed' }, { value: 'not-run', title: 'Not run' }, { value: 'parked', title: 'Parked' }]
const more = ref(!!(filter.value.outcome || filter.value.source || filter.value.from || filter.value.until))
const bounds: Record<string, string> = { 'at-ceiling': 'at least ', 'beyond-limit': 'more than ', 'at-floor': 'at most ' }
/** A run's readings in the order of its test. */
function ordered(r: Of<'RecordRun'>): Of<'RecordReading'>[] {
  const of = tests.data.value?.find((t) => t.slug === r.test)?.measures.map((m) => m.slug) ?? []
  return [...r.readings].sort((a, b) => of.indexOf(a.measure) - of.indexOf(b.measure))
}
/** A reading in words: what was measured, its value with its unit. */
function say(run: Of<'RecordRun'>, r: Of<'RecordReading'>): string {
  const m = measures.value.get(`${run.test}/${r.measure}`)
  const name = m?.name ?? plain(r.measure)
  if (r.state === 'missing' || r.state === 'void') return `${name} ${r.state}`
  if (m?.scale === 'pass') return `${name}: ${r.value >= 0.5 ? 'pass' : 'fail'}`
  return `${name} ${bounds[r.state] ?? ''}${figure(r.value, symbol(m?.unit))}`
}
// Runs of one unit in one sitting, or of one plan, stand together under what they have in common.
const groups = computed(() => {
  const out: { key: string; unit: string; day: string; runs: Of<'RecordRun'>[] }[] = []
  for (const r of runs.data.value?.runs ?? []) {
    const key = `${r.subject} ${r.plan || r.sitting}`
    const last = out[out.length - 1]
    if (last?.key === key) last.runs.push(r)
    else out.push({ key, unit: r.subject, day: new Date(r.started).toLocaleDateString('en-GB', { dateStyle: 'medium' }), runs: [r] })
  }
  return out
})
const clock = (iso: string) => new Date(iso).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
const entering = useOpened('enter')
const taking = ref(false)
const bringing = ref(false)
const framing = ref(false)
</script>

<template>
  <PageHead title="Results" :sub="runs.data.value ? `${runs.data.value.total} runs` : ''">
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
  <Filters class="mb-4" :count="Object.values(filter).filter(Boolean).length">
    <v-autocomplete label="Unit" clearable :model-value="filter.subject || null" :items="unitChoices" style="max-width: 300px" @update:model-value="set({ subject: $event })" />
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
    <v-btn v-if="chosen.length" @click="voiding = true">Take out {{ chosen.length === 1 ? 'this run' : `these ${chosen.length}` }}</v-btn>
  </Filters>
  <TwinRuns v-if="filter.subject" :unit="filter.subject" />
  <div v-if="!runs.data.value && !runs.error.value" class="sheet waits tall" aria-busy="true" />
  <div v-else-if="runs.data.value && !runs.data.value.total" class="sheet empty"><template v-if="Object.values(filter).some(Boolean)">No run fits. <router-link to="/results">Show all</router-link>.</template><template v-else>Nothing is measured yet. <router-link to="/bench?new=1">Put a plan on the bench</router-link>, <button type="button" class="plainly" @click="entering = true">enter readings by hand</button>, or take in a table.</template></div>
  <div v-else class="sheet scroll">
    <table>
      <thead><tr><th><span class="sr">Compare</span></th><th>At</th><th>Test</th><th>Readings</th><th>Setup</th><th>Source</th></tr></thead>
      <tbody v-for="g in groups" :key="g.key + g.runs[0]!.id">
        <tr class="group"><th colspan="6" scope="rowgroup"><router-link :to="{ query: { subject: g.unit } }">{{ unitName(g.unit) }}</router-link><span class="soft">, {{ g.day }}<template v-if="g.runs[0]!.plan">, <router-link :to="{ path: '/bench', query: { plan: g.runs[0]!.plan } }">its plan</router-link></template></span></th></tr>
        <tr v-for="r in g.runs" :key="r.id" class="link" @click="router.push(`/results/${r.id}`)">
          <td @click.stop><input type="checkbox" :checked="chosen.includes(r.id)" :aria-label="`Compare the run of ${moment(r.started)}`" @change="choose(r.id)"></td>
          <td class="n"><router-link :to="`/results/${r.id}`" :aria-label="`Run of ${testName(r.test)}, ${moment(r.started)}`" @click.stop>{{ clock(r.started) }}</router-link></td>
          <td>{{ testName(r.test) }}<span v-if="r.place" class="soft">, {{ r.place }}</span></td>
          <td><template v-if="r.doubts"><router-link class="caution" :to="`/results/${r.id}`" @click.stop>in doubt</router-link>; </template><span v-else-if="r.marks?.length" class="soft" :title="r.marks.map((m) => m.text).join('; ')">not as planned; </span><span v-if="r.outcome !== 'done'" :class="r.outcome === 'failed' ? 'caution' : 'soft'">{{ plain(r.outcome) }}: {{ r.failure }}</span><template v-else>{{ ordered(r).slice(0, 4).map((x) => say(r, x)).join('; ') }}<span v-if="r.readings.length > 4" class="soft"> and {{ r.readings.length - 4 }} more</span></template></td>
          <td class="soft">{{ r.setup === 'as-delivered' ? '' : setupName(r.setup) }}</td>
          <td class="w soft">{{ r.source === 'agent' ? (r.simulated ? 'agent, simulated' : 'agent') : r.source }}</td>
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
  <Reason v-model="voiding" title="Take these runs out" act="Take out" :does="takeOut">They no longer count; what was measured is kept, with the reason, and can count again.</Reason>
  <EnterReadings v-model="entering" />
  <TakeTable v-model="taking" />
  <TakeRuns v-model="bringing" />
  <TakeFrames v-model="framing" />
</template>
