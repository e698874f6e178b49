<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must } from '../../api/client'
import Chart from '../../parts/Chart.vue'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { number } from '../../parts/words'

const route = useRoute()
const router = useRouter()
const fields = useQuery({ queryKey: ['fields'], queryFn: () => must(api.GET('/api/fields')) })
const measures = useQuery({ queryKey: ['measures'], queryFn: () => must(api.GET('/api/measures')) })
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const variants = useQuery({ queryKey: ['models', 'variants'], queryFn: () => must(api.GET('/api/variants')) })
const models = useQuery({ queryKey: ['models'], queryFn: () => must(api.GET('/api/models')) })
const reviews = useQuery({ queryKey: ['reviews'], queryFn: () => must(api.GET('/api/reviews')) })

// What is asked stands in the address, so that every comparison can be linked to.
const asked = computed(() => {
  const q = route.query as Record<string, string | undefined>
  return {
    field: q.field ?? (fields.data.value?.some((f) => f.slug === 'machines') ? 'machines' : 'everything'),
    measure: q.measure ?? [...(measures.data.value ?? [])].sort((a, b) => b.variants - a.variants).find((m) => m.variants > 0)?.id ?? '',
    setup: q.setup ?? 'as-delivered',
    subject: q.subject ?? '',
    relative: q.relative ?? '',
    claims: q.claims ?? 'true',
    raised: q.raised ?? 'true',
    carried: q.carried ?? '',
    allow: q.allow ?? '',
  }
})
function set(key: string, value: string | null | boolean) {
  void router.replace({ query: { ...asked.value, [key]: value === null ? '' : String(value) } })
}
const why = useQuery({
  queryKey: computed(() => ['why', asked.value.measure, asked.value.subject, asked.value.relative, asked.value.setup]),
  enabled: computed(() => !!asked.value.subject && (variants.data.value ?? []).some((v) => v.slug === asked.value.relative) && asked.value.relative !== asked.value.subject),
  queryFn: () => must(api.GET('/api/why', { params: { query: { measure: asked.value.measure, a: asked.value.relative, b: asked.value.subject, setup: asked.value.setup } } })),
})
const allowed = computed(() => asked.value.allow.split(',').filter(Boolean))
const doubted = computed(() => (ranking.data.value?.rows ?? []).flatMap((r) => (r.doubts ?? []).map((d) => ({ ...d, name: r.name }))))
const question = computed(() => ({ ...asked.value, carried: asked.value.carried === 'true' ? 'true' : '', claims: asked.value.claims === 'true' ? 'true' : '', raised: asked.value.raised === 'true' ? 'true' : '' }))
const ready = computed(() => asked.value.measure !== '' && fields.data.value !== undefined)
const ranking = useQuery({
  queryKey: computed(() => ['ranking', question.value]),
  enabled: ready,
  placeholderData: (before) => before,
  queryFn: () =>
    must(
      api.GET('/api/ranking', {
        params: { query: { ...question.value, claims: question.value.claims === 'true', raised: question.value.raised === 'true', carried: question.value.carried === 'true' } },
      }),
    ),
})
const modelName = computed(() => new Map((models.data.value ?? []).map((m) => [m.slug, `${m.maker} ${m.name}`])))
const subjects = computed(() =>
  (variants.data.value ?? [])
    .map((v) => ({ value: v.slug, title: `${modelName.value.get(v.model ?? '') ?? v.model}, ${v.name}` }))
    .sort((a, b) => a.title.localeCompare(b.title)),
)
const references = computed(() => [
  { value: '', title: 'Plain values' },
  { value: 'mean', title: 'The field’s mean' },
  ...(asked.value.subject ? [{ value: 'predecessor', title: 'The predecessor' }, { value: 'claim', title: 'The claim' }] : []),
  ...(ranking.data.value?.rows ?? []).map((r) => ({ value: r.variant, title: `${r.name}, ${r.note}` })),
])
const measureList = computed(() => (measures.data.value ?? []).map((m) => ({ value: m.id, title: m.symbol ? `${m.name}, ${m.symbol}` : m.name, props: { subtitle: `${m.group}, ${m.variants} variants` } })))
const measureName = computed(() => measures.data.value?.find((m) => m.id === asked.value.measure)?.name ?? 'Compare')
const fieldName = computed(() => fields.data.value?.find((f) => f.slug === asked.value.field)?.name ?? '')
const card = computed(() => `/api/charts/ranked.png?${new URLSearchParams({ ...Object.fromEntries(Object.entries(question.value).filter(([, v]) => v)), format: 'card' })}`)
const png = computed(() => `/api/charts/ranked.png?${new URLSearchParams({ ...Object.fromEntries(Object.entries(question.value).filter(([, v]) => v)), pixels: '2' })}`)
const copied = ref(false)
async function copy() {
  await navigator.clipboard?.writeText(location.href)
  copied.value = true
  setTimeout(() => (copied.value = false), 1500)
}
const trouble = ref<unknown>(null)
const added = ref('')
async function addTo(slug: string) {
  trouble.value = null
  try {
    const r = await must(api.GET('/api/reviews/{slug}', { params: { path: { slug } } }))
    if (!r.measures.includes(asked.value.measure)) {
      r.measures.push(asked.value.measure)
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
  <PageHead :title="measureName" :sub="`${fieldName.charAt(0).toUpperCase()}${fieldName.slice(1)}, ${ranking.data.value?.rows.length ?? 0} ranked`">
    <v-btn @click="copy">{{ copied ? 'Copied' : 'Copy link' }}</v-btn>
    <v-btn :href="png" target="_blank">Picture</v-btn>
    <v-btn :href="card" target="_blank">Card for video</v-btn>
    <v-menu>
      <template #activator="{ props }"><v-btn v-bind="props" class="go" :disabled="!reviews.data.value?.length">{{ added ? 'Added' : 'Add to review' }}</v-btn></template>
      <v-list density="compact"><v-list-item v-for="r in reviews.data.value" :key="r.slug" :title="r.title" @click="addTo(r.slug)" /></v-list>
    </v-menu>
  </PageHead>
  <Trouble v-if="trouble" :error="trouble" />
  <div class="split controls">
    <div class="stack">
      <v-select label="Field" :model-value="asked.field" :items="fields.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set('field', $event)" />
      <v-autocomplete label="Measure" :model-value="asked.measure" :items="measureList" @update:model-value="set('measure', $event)" />
      <v-autocomplete label="Subject" clearable :model-value="asked.subject || null" :items="subjects" @update:model-value="set('subject', $event)" />
      <v-select label="Relative to" :model-value="asked.relative" :items="references" @update:model-value="set('relative', $event)" />
      <v-select label="Setup" :model-value="asked.setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set('setup', $event)" />
      <div>
        <v-checkbox label="Show raised modes" :model-value="asked.raised === 'true'" @update:model-value="set('raised', $event)" />
        <v-checkbox label="Show makers’ claims" :model-value="asked.claims === 'true'" @update:model-value="set('claims', $event)" />
        <v-checkbox label="Carry figures over from siblings" :model-value="asked.carried === 'true'" @update:model-value="set('carried', $event)" />
        <v-checkbox v-model="table" label="Show as a table" />
      </div>
      <div v-if="ranking.data.value" class="soft small">
        <template v-if="ranking.data.value.left_out.length">
          Left out: {{ ranking.data.value.left_out.length }} of {{ ranking.data.value.left_out.length + ranking.data.value.rows.length }}.
          <div v-for="l in ranking.data.value.left_out" :key="l.variant">{{ l.name }}: {{ l.reason }}. <button v-if="l.kind === 'not comparable'" type="button" class="plainly small" @click="set('allow', [...allowed, l.variant].join(','))">Compare all the same</button></div>
        </template>
        <template v-else>Nothing is left out.</template>
        <div v-if="allowed.length" class="mt-2"><span class="caution">Compared though unlike:</span> {{ allowed.join(', ') }}. <button type="button" class="plainly small" @click="set('allow', '')">Only like with like</button></div>
        <div v-if="doubted.length" class="mt-2"><span class="caution">In doubt:</span><div v-for="d in doubted" :key="d.id"><router-link :to="`/results/doubts?doubt=${d.id}`">{{ d.name }}</router-link>: {{ d.sentence }}</div></div>
      </div>
    </div>
    <div>
      <div v-if="measures.data.value && !asked.measure" class="sheet empty">Nothing is measured yet. Put a plan on the <router-link to="/bench">bench</router-link> first.</div>
      <Chart v-if="ready" :query="question" />
      <div v-if="why.data.value" class="sheet pad mt-4">
        <strong>{{ why.data.value.effect?.sure ? 'Why they differ' : 'Do they differ?' }}</strong>
        <p class="mt-1">{{ why.data.value.answer }}</p>
        <details v-if="why.data.value.differs.length"><summary class="soft small">All {{ why.data.value.differs.length }} things that are known to differ</summary><ul class="ml-5 small"><li v-for="x in why.data.value.differs" :key="x">{{ x }}</li></ul></details>
      </div>
      <div v-if="table && ranking.data.value" class="sheet scroll mt-4">
        <table aria-label="The chart’s figures">
          <thead><tr><th>Place</th><th>Variant</th><th class="n">Centre</th><th class="n">95 % interval</th><th class="n">Median</th><th class="n">Repeats</th><th>Sample</th></tr></thead>
          <tbody>
            <tr v-for="r in ranking.data.value.rows" :key="r.variant">
              <td>{{ r.standing.best === r.standing.worst ? r.standing.best : `${r.standing.best}–${r.standing.worst}` }}</td>
              <td>{{ r.name }} <span class="soft">{{ r.note }}</span></td>
              <td class="n">{{ r.estimate.bound }} {{ number(r.estimate.centre) }} {{ ranking.data.value.measure.symbol }}</td>
              <td class="n">{{ number(r.estimate.lo) }} to {{ number(r.estimate.hi) }}</td>
              <td class="n">{{ number(r.estimate.median) }}</td>
              <td class="n">{{ r.estimate.n }}</td>
              <td><router-link :to="`/results?subject=${r.unit}`">{{ r.unit }}</router-link>{{ r.simulated ? ' (simulated)' : '' }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </div>
  </div>
</template>
