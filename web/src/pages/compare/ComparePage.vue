<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, must } from '../../api/client'
import Chart from '../../parts/Chart.vue'
import Trouble from '../../parts/Trouble.vue'
import { figure, number } from '../../parts/words'
import { given, narrowed, useAsked, useLists } from './asked'
import CellPanel from './CellPanel.vue'
import Frame from './Frame.vue'

const { fields, measures, setupChoices, variants, choices, title, measured, fieldName, usualField } = useLists()
const reviews = useQuery({ queryKey: ['reviews'], queryFn: () => must(api.GET('/api/reviews')) })
const vocabulary = useQuery({ queryKey: ['vocabulary'], queryFn: () => must(api.GET('/api/vocabulary')), staleTime: Infinity })
const rates = useQuery({ queryKey: ['rates'], queryFn: () => must(api.GET('/api/rates')) })
const { asked, set } = useAsked(() => ({
  field: usualField(),
  measure: [...(measures.data.value ?? [])].sort((a, b) => b.variants - a.variants).find((m) => m.variants > 0)?.id ?? '',
  setup: '',
  where: '',
  subject: '',
  relative: '',
  claims: 'true',
  raised: 'true',
  carried: '',
  modes: '',
  allow: '',
  cell: '',
  all: '',
}))
const why = useQuery({
  queryKey: computed(() => ['why', asked.value.measure, asked.value.subject, asked.value.relative, asked.value.setup]),
  enabled: computed(() => !!asked.value.subject && (variants.data.value ?? []).some((v) => v.slug === asked.value.relative) && asked.value.relative !== asked.value.subject && measured.value.some((m) => m.value === asked.value.measure)),
  queryFn: () => must(api.GET('/api/why', { params: { query: { measure: asked.value.measure, a: asked.value.relative, b: asked.value.subject, setup: asked.value.setup || undefined } } })),
})
const allowed = computed(() => asked.value.allow.split(',').filter(Boolean))
const doubted = computed(() => (ranking.data.value?.rows ?? []).flatMap((r) => (r.doubts ?? []).map((d) => ({ ...d, name: r.name }))))
const question = computed(() => given({ ...asked.value, cell: '', all: '' }))
const ready = computed(() => asked.value.measure !== '' && fields.data.value !== undefined)
const ranking = useQuery({
  queryKey: computed(() => ['ranking', question.value]),
  enabled: ready,
  placeholderData: (before) => before,
  queryFn: () =>
    must(
      api.GET('/api/ranking', {
        params: { query: { ...(question.value as { measure: string }), ...narrowed(asked.value.where), claims: asked.value.claims === 'true', raised: asked.value.raised === 'true', carried: asked.value.carried === 'true', modes: asked.value.modes === 'true' } },
      }),
    ),
})
const ties = computed(() => (ranking.data.value?.groups ?? []).some((g) => g.kind === 'undecided'))
const next = useQuery({
  queryKey: computed(() => ['compared', 'next', asked.value.field, asked.value.measure]),
  enabled: computed(() => ready.value && (ranking.data.value?.rows.length ?? 0) <= 500 && (ties.value || !!ranking.data.value?.left_out.length) && measured.value.some((m) => m.value === asked.value.measure)),
  queryFn: () => must(api.GET('/api/suggestions', { params: { query: { field: asked.value.field, measure: asked.value.measure, most: 1 } } })),
})
const references = computed(() => [
  { value: '', title: 'Plain values' },
  { value: 'mean', title: 'The field’s mean' },
  ...(asked.value.subject ? [{ value: 'predecessor', title: 'The predecessor' }, { value: 'claim', title: 'The claim' }] : []),
  ...(ranking.data.value?.rows ?? []).filter((r) => !r.mode).map((r) => ({ value: r.variant, title: `${r.name}, ${r.note}` })),
])
const currencies = computed(() => [...new Set(['EUR', ...(rates.data.value ?? []).flatMap((r) => [r.from, r.to])])])
const measureList = computed(() => [
  ...measured.value,
  ...(vocabulary.data.value?.specs ?? []).filter((k) => k.type === 'count' || k.type === 'quantity').map((k) => ({ value: `spec/${k.key}`, title: `${k.name} on the spec sheet`, props: { subtitle: 'Spec sheet, without intervals' } })),
  ...currencies.value.map((c) => ({ value: `price/${c}`, title: `Price, ${c}`, props: { subtitle: 'Offers, without intervals' } })),
])
const measureName = computed(() => measureList.value.find((m) => m.value === asked.value.measure)?.title ?? 'Compare')
const cell = computed(() => ranking.data.value?.rows.find((r) => r.id === asked.value.cell))
const wheres = computed(() => {
  const rows = ranking.data.value?.rows ?? []
  const keys = rows.flatMap((r) => [r.place && `place=${r.place}`, r.host && `host=${r.host}`, ...(r.differs ? (ranking.data.value?.measure.must_match ?? []).map((k) => r.basis.conditions?.[k] && `${k}=${r.basis.conditions[k]}`) : [])])
  return [...new Set([...keys.filter((x): x is string => !!x), ...asked.value.where.split(';').filter(Boolean)])].sort()
})
// Where there is no review of the subject, or of what leads, adding starts one.
const starts = computed(() => {
  const of = asked.value.subject || ranking.data.value?.rows.find((r) => !r.mode && !r.origin)?.variant
  return of && !reviews.data.value?.some((r) => r.subject === of) ? of : ''
})
async function start(variant: string) {
  trouble.value = null
  try {
    const r = await must(api.POST('/api/reviews', { body: { subject: variant } }))
    await addTo(r.slug)
    await reviews.refetch()
  } catch (e) {
    trouble.value = e
  }
}
const trouble = ref<unknown>(null)
const added = ref('')
async function addTo(slug: string) {
  trouble.value = null
  try {
    const r = await must(api.GET('/api/reviews/{slug}', { params: { path: { slug } } }))
    const { measure, setup, where } = asked.value
    const chart = { measure, ...(setup && { setup }), where: where.split(';').filter(Boolean) }
    if (!r.charts.some((c) => c.measure === measure && (c.setup ?? '') === setup && (c.where ?? []).join(';') === where)) {
      r.charts.push(chart)
      await must(api.PUT('/api/reviews/{slug}', { params: { path: { slug } }, body: r }))
    }
    added.value = r.title
  } catch (e) {
    trouble.value = e
  }
}
watch(asked, () => (added.value = ''))
const table = ref(false)
</script>

<template>
  <Frame :title="measureName" :sub="`${fieldName(asked.field)}, ${ranking.data.value?.rows.length ?? 0} ranked`" kind="ranked" :query="question">
    <template #acts>
      <v-menu>
        <template #activator="{ props }"><v-btn v-bind="props" class="go" :disabled="!asked.measure">{{ added ? 'Added' : 'Add to review' }}</v-btn></template>
        <v-list density="compact"><v-list-item v-for="r in reviews.data.value" :key="r.slug" :title="r.title" @click="addTo(r.slug)" /><v-list-item v-if="starts" :title="`Start a review of the ${title(starts)}`" @click="start(starts)" /></v-list>
      </v-menu>
    </template>
    <template #over><Trouble v-if="trouble" :error="trouble" /></template>
    <template #controls>
      <v-select label="Field" :model-value="asked.field" :items="fields.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ field: $event })" />
      <v-autocomplete label="Measure" :model-value="asked.measure" :items="measureList" @update:model-value="set({ measure: $event, cell: '' })" />
      <v-autocomplete label="Subject" clearable :model-value="asked.subject || null" :items="choices" @update:model-value="set({ subject: $event })" />
      <v-select label="Relative to" :model-value="asked.relative" :items="references" @update:model-value="set({ relative: $event })" />
      <v-select label="Setup" :model-value="asked.setup" :items="setupChoices" item-value="slug" item-title="name" @update:model-value="set({ setup: $event })" />
      <v-combobox v-if="wheres.length" label="Only where" multiple chips closable-chips :model-value="asked.where.split(';').filter(Boolean)" :items="wheres" @update:model-value="set({ where: $event.join(';') })" />
      <div>
        <v-checkbox label="Show other modes" :model-value="asked.raised === 'true'" @update:model-value="set({ raised: $event })" />
        <v-checkbox label="Modes as rows of their own" :model-value="asked.modes === 'true'" @update:model-value="set({ modes: $event })" />
        <v-checkbox label="Show makers’ claims" :model-value="asked.claims === 'true'" @update:model-value="set({ claims: $event })" />
        <v-checkbox label="Carry figures over from siblings" :model-value="asked.carried === 'true'" @update:model-value="set({ carried: $event })" />
        <v-checkbox v-model="table" label="Show as a table" />
      </div>
      <div v-if="ranking.data.value" class="soft small">
        <template v-if="ranking.data.value.left_out.length">
          Left out: {{ ranking.data.value.left_out.length }} of {{ ranking.data.value.left_out.length + ranking.data.value.rows.length }}.
          <div v-for="l in ranking.data.value.left_out" :key="l.variant">{{ l.name }}: {{ l.reason }}. <button v-if="l.kind === 'not comparable'" type="button" class="plainly small" @click="set({ allow: [...allowed, l.variant].join(',') })">Compare all the same</button></div>
        </template>
        <template v-else>Nothing is left out.</template>
        <div v-for="l in ranking.data.value.beside" :key="l.variant + l.reason">{{ l.name }}: {{ l.reason }}.</div>
        <div v-if="next.data.value?.length" class="mt-2"><router-link :to="{ path: '/compare/next', query: { field: asked.field, measure: asked.measure } }">{{ ties ? 'What would settle the ties?' : 'What to test next?' }}</router-link><div>{{ next.data.value[0]!.name }}: {{ next.data.value[0]!.repeats }} repeats, {{ number(next.data.value[0]!.minutes, 2) }} min.</div></div>
        <div v-if="allowed.length" class="mt-2"><span class="caution">Compared though unlike:</span> {{ allowed.map(title).join('; ') }}. <button type="button" class="plainly small" @click="set({ allow: '' })">Only like with like</button></div>
        <div v-if="doubted.length" class="mt-2">
          <span class="caution">In doubt:</span>
          <div v-for="d in doubted" :key="d.id + d.name">
            <template v-if="d.id === 'published'">{{ d.name }}</template>
            <router-link v-else :to="`/results/doubts?doubt=${d.id}`">{{ d.name }}</router-link>: {{ d.sentence }}
          </div>
        </div>
      </div>
    </template>
    <div v-if="measures.data.value && !asked.measure" class="sheet empty">Nothing is measured yet. <router-link to="/bench?new=1">Put a plan on the bench</router-link> or <router-link to="/results?enter=1">enter readings</router-link>: what has figures is ranked here, against examples too if you <router-link to="/desk">load some</router-link>.</div>
    <template v-else-if="ready">
      <Chart pick :query="question" :most="asked.all === 'true' ? -1 : undefined" @row="set({ cell: $event })" />
      <button v-if="(ranking.data.value?.rows.length ?? 0) > 40" type="button" class="plainly small mt-2" @click="set({ all: asked.all !== 'true' })">{{ asked.all === 'true' ? 'Only the ends and what is around the subject' : `Show all ${ranking.data.value!.rows.length} rows` }}</button>
    </template>
    <CellPanel v-if="cell && ranking.data.value" :row="cell" :measure="ranking.data.value.measure" @close="set({ cell: '' })" />
    <div v-if="why.data.value" class="sheet pad mt-4">
      <strong>{{ why.data.value.effect?.sure ? 'Why they differ' : 'Do they differ?' }}</strong>
      <p class="mt-1">{{ why.data.value.answer }}</p>
      <details v-if="why.data.value.differs.length"><summary class="soft small">All {{ why.data.value.differs.length }} things that are known to differ</summary><ul class="ml-5 small"><li v-for="x in why.data.value.differs" :key="x">{{ x }}</li></ul></details>
    </div>
    <div v-if="table && ranking.data.value" class="sheet scroll mt-4">
      <table aria-label="The chart’s figures">
        <thead><tr><th>Place</th><th>Variant</th><th class="n">Centre</th><th class="n">95 % interval</th><th class="n">Median</th><th class="n">Repeats</th><th>To the next</th><th>Behind it</th></tr></thead>
        <tbody>
          <tr v-for="r in ranking.data.value.rows" :key="r.id">
            <td>{{ !r.standing.best ? '?' : r.standing.best === r.standing.worst ? r.standing.best : `${r.standing.best}–${r.standing.worst}` }}</td>
            <td>{{ r.name }} <span class="soft">{{ [r.note, r.differs, r.taken].filter(Boolean).join(', ') }}</span></td>
            <td class="n">{{ r.estimate.bound }} {{ figure(r.estimate.centre, ranking.data.value.measure.symbol) }}</td>
            <td class="n">{{ r.estimate.exact ? '—' : r.estimate.unknown ? 'spread unknown' : `${figure(r.estimate.lo, ranking.data.value.measure.symbol)} to ${figure(r.estimate.hi, ranking.data.value.measure.symbol)}` }}</td>
            <td class="n">{{ number(r.estimate.median) }}</td>
            <td class="n">{{ r.estimate.n }}</td>
            <td class="soft">{{ r.next }}</td>
            <td><button type="button" class="plainly" @click="set({ cell: r.id })">{{ r.unit || 'as written' }}</button>{{ r.simulated ? ' (simulated)' : '' }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </Frame>
</template>
