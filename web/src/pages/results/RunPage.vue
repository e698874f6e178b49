<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import ChangeReadings from './ChangeReadings.vue'
import RaiseDoubt from './RaiseDoubt.vue'
import RunSource from './RunSource.vue'
import RunTrace from './RunTrace.vue'
import DoubtPicture from '../../parts/DoubtPicture.vue'
import { useNames } from '../../parts/names'
import PageHead from '../../parts/PageHead.vue'
import Trace from '../../parts/Trace.vue'
import Trouble from '../../parts/Trouble.vue'
import { useSymbols } from '../../parts/symbols'
import { moment, figure, number, plain, span } from '../../parts/words'

const symbol = useSymbols()
const { unitName, setupName } = useNames()

const route = useRoute()
const id = computed(() => String(route.params.id))
const page = useQuery({ queryKey: computed(() => ['run', id.value]), queryFn: () => must(api.GET('/api/runs/{slug}', { params: { path: { slug: id.value } } })) })
const run = computed(() => page.data.value?.run)
const measure = (slug: string) => page.data.value?.measures.find((m) => m.slug === slug)
const readings = computed(() => {
  const order = page.data.value?.measures.map((m) => m.slug) ?? []
  return [...(run.value?.readings ?? [])].sort((a, b) => order.indexOf(a.measure) - order.indexOf(b.measure))
})
function mark(r: Of<'RecordReading'>): string {
  const m = measure(r.measure)
  if (m?.scale === 'pass') return r.value >= 0.5 ? 'pass' : 'fail'
  const text = m?.levels?.find((l) => l.mark === r.value)?.text
  return `${r.value}${text ? `: ${text}` : ''}`
}
const changing = ref(false)
const stands = (r: Of<'RecordReading'>) => (r.state === 'void' ? 'void' : r.state === 'missing' ? 'missing' : `${number(r.value)} ${symbol(measure(r.measure)?.unit)}`)
const others = useQuery({
  queryKey: computed(() => ['runs', 'of', run.value?.subject, run.value?.test, run.value?.setup]), enabled: computed(() => !!run.value),
  queryFn: () => must(api.GET('/api/runs', { params: { query: { subject: run.value!.subject, test: run.value!.test, outcome: 'done', limit: 40 } } })),
})
const against = computed(() => (others.data.value?.runs ?? []).filter((r) => r.id !== id.value).map((r) => ({ value: r.id, title: `${moment(r.started)}, ${setupName(r.setup).toLowerCase()}, repeat ${r.repeat + 1}` })))
const went = (s: Of<'RecordSeries'>) => (s.axis ? undefined : page.data.value?.courses.find((c) => c.channel === s.channel))
const traces = computed(() => (run.value?.series ?? []).filter((s) => s.values.length > 1))
const sub = computed(() => {
  const r = run.value
  if (!r) return ''
  return [unitName(r.subject), ...(r.host ? [`in ${unitName(r.host)}`] : []), ...(r.place ? [r.place] : []), setupName(r.setup).toLowerCase(), `repeat ${r.repeat + 1}`, moment(r.started)].join(', ')
})
</script>

<template>
  <Trouble v-if="page.error.value" :error="page.error.value" />
  <div v-if="!run && !page.error.value" class="sheet waits tall" aria-busy="true" />
  <template v-if="run && page.data.value">
    <PageHead :title="page.data.value.test_name" :sub="sub">
      <v-btn :to="`/results?subject=${run.subject}&test=${run.test}`">Its other runs</v-btn>
      <v-btn v-if="page.data.value.measures[0]" :to="`/results/history?unit=${run.subject}&measure=${run.test}/${page.data.value.measures[0].slug}&setup=${run.setup}${run.place ? `&where=place=${run.place}` : ''}`">History</v-btn>
      <v-menu><template #activator="{ props }"><v-btn v-bind="props" :disabled="!against.length">What changed since</v-btn></template>
        <v-list density="compact" max-height="320"><v-list-item v-for="r in against" :key="r.value" :title="r.title" :to="`/results/changed?a=${r.value}&b=${id}`" /></v-list></v-menu>
      <v-btn class="go" @click="changing = true">Change readings</v-btn>
    </PageHead>
    <p v-if="run.simulated" class="soft">A simulated machine.</p>
    <p v-if="run.failure" class="caution">{{ run.outcome === 'not-run' ? 'Not run' : 'Failed' }}: {{ run.failure }}</p>
    <p v-for="m in page.data.value.doubts.length ? [] : (run.marks ?? [])" :key="m.text" class="caution">Not as planned, after {{ span(m.at ?? 0) }}: {{ m.text }}.</p>
    <template v-if="!run.marks?.length && !page.data.value.doubts.length"><p v-for="d in page.data.value.departures" :key="d.condition" class="caution">Not as planned: {{ d.condition }} was {{ d.b }}, not {{ d.a }}. This run stands in a cell of its own.</p></template>
    <p v-if="run.course.limiter?.label === 'unknown' && !page.data.value.file" class="soft">What held it back is not known: {{ run.course.limiter.why }}.</p>
    <p v-else-if="run.course.limiter?.label && run.course.limiter.label !== 'unknown'">Held back by <strong>{{ run.course.limiter.label }}</strong>: {{ run.course.limiter.why }}.</p>
    <p v-if="run.course.attempt" class="soft">Begun before and broken off {{ run.course.attempt === 1 ? 'once' : `${run.course.attempt} times` }}.</p>
    <RaiseDoubt :run="run.id" :measures="page.data.value.measures" />
    <div v-for="d in page.data.value.doubts" :key="d.id" class="sheet pad doubt mb-3" :class="{ settled: d.state !== 'open' }">
      <div class="row"><strong :class="{ caution: d.state === 'open' }">{{ d.title }}</strong><span class="soft small">{{ d.severity }}, {{ d.state }}{{ d.reason ? `: ${d.reason}` : '' }}</span><v-spacer /><v-btn size="small" :to="`/results/doubts?state=${d.state}&subject=${d.subject}&rule=${d.rule}&doubt=${d.id}`">{{ d.state === 'open' ? 'Settle it' : 'Its life' }}</v-btn></div>
      <div>{{ d.sentence }}</div>
      <DoubtPicture v-if="d.picture && d.state === 'open'" :picture="d.picture" />
    </div>
    <div class="split wide">
      <div class="stack">
      <div class="sheet scroll">
        <table aria-label="Readings">
          <thead><tr><th>Reading</th><th class="n">Value</th><th>State</th></tr></thead>
          <tbody>
            <tr v-for="r in readings" :key="r.measure">
              <td>{{ measure(r.measure)?.name }}</td>
              <td v-if="r.state === 'missing'" class="n soft">—</td>
              <td v-else-if="['pass', 'grade'].includes(measure(r.measure)?.scale ?? '')" class="n">{{ mark(r) }}</td>
              <td v-else class="n">{{ r.low != null ? `${figure(r.low, symbol(measure(r.measure)?.unit))} to ${figure(r.high!, symbol(measure(r.measure)?.unit))}` : figure(r.value, symbol(measure(r.measure)?.unit)) }}</td>
              <td><span :class="{ caution: r.state === 'void' }">{{ plain(r.state) }}</span><span v-if="r.reason" class="soft">: {{ r.reason }}</span></td>
            </tr>
          </tbody>
        </table>
      </div>
      <div v-if="page.data.value.changes.length" class="sheet scroll">
        <table aria-label="Changes">
          <thead><tr><th>Changed</th><th>Reading</th><th class="n">Before</th><th class="n">Since</th><th>Why</th></tr></thead>
          <tbody><tr v-for="c in page.data.value.changes" :key="c.id"><td class="w">{{ moment(c.at) }}<div class="soft small">{{ c.by }}</div></td><td>{{ measure(c.measure)?.name }}</td><td class="n">{{ stands(c.old) }}</td><td class="n">{{ stands(c.now) }}</td><td>{{ c.reason }}<router-link v-if="c.other" class="small" :to="`/results/${c.other}`"> the run that stays</router-link></td></tr></tbody>
        </table>
      </div>
        <RunTrace v-if="page.data.value.sensors.length || page.data.value.outside.length" :run="id" :outside="page.data.value.outside" />
        <div v-for="s in traces" :key="s.channel" class="sheet pad">
          <div class="row"><strong>{{ measure(s.channel)?.name ?? plain(s.channel) }}</strong><v-spacer /><span class="soft small">{{ s.values.length }} points, {{ number(Math.min(...s.values)) }} to {{ number(Math.max(...s.values)) }} {{ symbol(s.unit) }}</span></div>
          <Trace :series="s" :unit="symbol(s.unit)" :name="measure(s.channel)?.name ?? plain(s.channel)" :went="went(s)" />
          <div v-if="went(s)">{{ went(s)!.sentence }}</div>
        </div>
      </div>
      <div class="stack">
      <RunSource v-if="page.data.value.file" :run="id" />
      <div class="sheet scroll">
        <table aria-label="Conditions">
          <thead><tr><th colspan="2">Observed</th></tr></thead>
          <tbody>
            <tr v-for="(v, k) in run.observed" :key="k"><td class="soft">{{ plain(k) }}</td><td>{{ v }}</td></tr>
            <tr v-for="c in run.course.changes ?? []" :key="`${c.condition}${c.at}`"><td class="caution">{{ plain(c.condition) }}</td><td>{{ c.from || 'unknown' }} → {{ c.to || 'unknown' }}, after {{ span(c.at) }}</td></tr>
            <tr><td class="soft">sitting</td><td class="small">{{ run.sitting }}</td></tr>
            <tr><td class="soft">test version</td><td>{{ run.test_version }}</td></tr>
            <tr v-if="page.data.value.machine.processor"><td class="soft">machine</td><td>{{ page.data.value.machine.processor }}, {{ page.data.value.machine.system }}</td></tr>
          </tbody>
        </table>
      </div>
      <div v-if="Object.keys(run.negotiated ?? {}).length" class="sheet scroll">
        <table aria-label="Negotiated"><thead><tr><th colspan="2">{{ page.data.value.file ? 'Seen in the file' : 'Negotiated' }}</th></tr></thead><tbody><tr v-for="(v, k) in run.negotiated" :key="k"><td class="soft">{{ plain(k) }}</td><td>{{ v }}</td></tr></tbody></table>
      </div>
      <div v-if="page.data.value.machine.untold?.length" class="sheet pad small"><strong>Not observable here</strong><div class="soft">{{ page.data.value.machine.untold.map(plain).join(', ') }}</div></div>
      <div v-for="x in page.data.value.photos" :key="x.id"><img class="photo" :src="`/api/photos/${x.id}`" :alt="x.caption || x.name"><div class="soft small">{{ x.caption }}</div></div>
      </div>
    </div>
    <ChangeReadings v-model="changing" :page="page.data.value" />
  </template>
</template>
