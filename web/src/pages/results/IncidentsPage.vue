<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import { useNames } from '../../parts/names'
import PageHead from '../../parts/PageHead.vue'
import Reason from '../../parts/Reason.vue'
import Trouble from '../../parts/Trouble.vue'
import { moment, number, plain, sensor, telling } from '../../parts/words'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const unit = computed(() => (route.query.unit as string) || '')
const list = useQuery({ queryKey: computed(() => ['incidents', unit.value]), queryFn: () => must(api.GET('/api/incidents', { params: { query: { unit: unit.value, limit: 200 } } })) })
const rates = useQuery({ queryKey: computed(() => ['incidents', 'rates', unit.value]), queryFn: () => must(api.GET('/api/incident-rates', { params: { query: { unit: unit.value } } })) })
const { unitChoices } = useNames()
const last = (values?: Record<string, number>) => telling(Object.keys(values ?? {})).slice(0, 4).map((c) => `${sensor(c)[0].toLowerCase()} ${number(values![c]!, 3)} ${sensor(c)[1]}`).join(', ')
const kinds = computed(() => [...new Set(['crash', 'hang', 'disconnection', 'refusal', 'failure', ...(list.data.value?.incidents ?? []).map((x) => x.kind)])])
const noting = ref(false)
const form = reactive({ unit: '', host: '', place: '', kind: '', text: '', times: '1', tries: '' })
const trouble = ref<unknown>(null)
async function note() {
  trouble.value = null
  try {
    await must(api.POST('/api/incidents', { body: { ...form, host: form.host ?? '', times: Number(form.times), tries: Number(form.tries) } }))
    noting.value = false
    await queries.invalidateQueries({ queryKey: ['incidents'] })
  } catch (e) {
    trouble.value = e
  }
}
const chosen = ref<Of<'RecordIncident'> | null>(null)
const changing = ref(false)
const now = reactive({ kind: '', text: '' })
function look(x: Of<'RecordIncident'>) {
  chosen.value = x
  Object.assign(now, { kind: x.kind, text: x.text })
  changing.value = true
}
async function change(part: { kind?: string; text?: string; withdraw?: boolean; restore?: boolean }, reason: string) {
  await must(api.POST('/api/incidents/{slug}/changes', { params: { path: { slug: chosen.value!.id } }, body: { ...part, reason } }))
  await queries.invalidateQueries({ queryKey: ['incidents'] })
}
const correct = (reason: string) => change(now, reason)
const withdrawing = ref(false)
const withdraw = (reason: string) => change(chosen.value!.withdrawn ? { restore: true } : { withdraw: true }, reason)
const life = useQuery({ queryKey: computed(() => ['incidents', 'one', chosen.value?.id]), enabled: computed(() => !!chosen.value?.corrected && changing.value), queryFn: () => must(api.GET('/api/incidents/{slug}', { params: { path: { slug: chosen.value!.id } } })) })
</script>

<template>
  <PageHead title="Incidents" sub="Crashes, hangs, disconnections, and whatever else happened now and then">
    <v-btn to="/results">Runs</v-btn>
    <v-btn to="/results/partners">Works with</v-btn>
    <v-btn class="go" @click="noting = true">Note an incident</v-btn>
  </PageHead>
  <Trouble v-if="list.error.value" :error="list.error.value" />
  <div class="row mb-4"><v-autocomplete label="Unit" clearable :model-value="unit || null" :items="unitChoices" style="max-width: 300px" @update:model-value="router.push({ query: $event ? { unit: $event } : {} })" /></div>
  <div v-if="list.data.value && !list.data.value.total" class="sheet empty">Nothing has happened. Agents note crashes by themselves; what you see with your own eyes, note here.</div>
  <template v-else>
    <div class="sheet scroll">
      <table aria-label="Rates">
        <thead><tr><th>Unit</th><th>With</th><th>How often</th></tr></thead>
        <tbody>
          <tr v-for="r in rates.data.value ?? []" :key="r.unit + r.kind + r.host + r.place">
            <td class="cond w">{{ r.host || r.place ? '' : r.unit }}</td>
            <td class="cond">{{ r.host || r.place ? [r.host, r.place].filter(Boolean).join(', ') : 'over all' }}</td>
            <td><strong v-if="!r.host && !r.place">{{ r.sentence }}</strong><template v-else>{{ r.sentence }}</template></td>
          </tr>
        </tbody>
      </table>
    </div>
    <h2>One by one</h2>
    <div class="sheet scroll">
      <table aria-label="Incidents">
        <thead><tr><th>At</th><th>Unit</th><th>Kind</th><th>What</th><th class="n">Times</th><th /></tr></thead>
        <tbody>
          <tr v-for="x in list.data.value?.incidents ?? []" :key="x.id">
            <td class="w">{{ moment(x.at) }}</td>
            <td class="cond w">{{ x.unit }}<div v-if="x.host" class="soft small">with {{ x.host }}{{ x.place ? `, ${x.place}` : '' }}</div></td>
            <td class="caution w">{{ plain(x.kind) }}</td>
            <td>{{ x.text }}<div v-if="last(x.last)" class="soft small">Last: {{ last(x.last) }}</div><span v-if="x.withdrawn" class="caution small"> withdrawn, not counted</span><span v-else-if="x.corrected" class="soft small"> corrected</span> <router-link v-if="x.plan" class="small" :to="`/bench?plan=${x.plan}`">Its plan</router-link> <a v-if="x.run" class="small" :href="`/api/runs/${x.run}/trace.csv`">Trace of the run</a></td>
            <td class="n">{{ x.tries ? `${x.times} of ${x.tries}` : x.times }}</td>
            <td class="n w"><v-btn size="small" :aria-label="`Correct the ${x.kind} of ${x.unit}`" @click="look(x)">Correct</v-btn> <v-btn size="small" :aria-label="`${x.withdrawn ? 'Restore' : 'Withdraw'} the ${x.kind} of ${x.unit}`" @click="(chosen = x), (withdrawing = true)">{{ x.withdrawn ? 'Restore' : 'Withdraw' }}</v-btn></td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
  <Reason v-model="changing" title="Correct an incident" act="Correct" :does="correct">
    <v-text-field v-model="now.kind" label="Kind" list="kinds" />
    <v-textarea v-model="now.text" label="What happened" rows="2" />
    <div v-for="c in life.data.value?.changes ?? []" :key="c.at" class="soft small">Until {{ moment(c.at) }}: {{ c.was.kind }}, {{ c.was.text }} ({{ c.reason }})</div>
  </Reason>
  <Reason v-model="withdrawing" :title="chosen?.withdrawn ? 'Count the incident again' : 'Withdraw an incident'" :act="chosen?.withdrawn ? 'Restore' : 'Withdraw'" :does="withdraw">{{ chosen?.text }}</Reason>
  <v-dialog v-model="noting">
    <v-card class="pad">
      <strong class="mb-3">Note an incident</strong>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <v-autocomplete v-model="form.unit" label="Unit" :items="unitChoices" />
        <div class="row"><v-autocomplete v-model="form.host" label="With" clearable :items="unitChoices" /><v-text-field v-model="form.place" label="Port or slot" /></div>
        <v-text-field v-model="form.kind" label="Kind, such as slow-link" list="kinds" />
        <datalist id="kinds"><option v-for="k in kinds" :key="k" :value="k" /></datalist>
        <v-textarea v-model="form.text" label="What happened" rows="2" />
        <div class="row"><v-text-field v-model="form.times" label="Times" type="number" min="0" /><v-text-field v-model="form.tries" label="Out of how many tries" placeholder="the unit's runs" persistent-placeholder type="number" min="0" /></div>
        <div class="row"><v-spacer /><v-btn @click="noting = false">Cancel</v-btn><v-btn class="go" @click="note">Note it</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
