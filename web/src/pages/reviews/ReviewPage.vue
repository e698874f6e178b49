<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import Chart from '../../parts/Chart.vue'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { moment } from '../../parts/words'

const route = useRoute()
const queries = useQueryClient()
const path = computed(() => ({ path: { slug: String(route.params.slug) } }))
const review = useQuery({ queryKey: computed(() => ['review', path.value.path.slug]), queryFn: () => must(api.GET('/api/reviews/{slug}', { params: path.value })) })
const fields = useQuery({ queryKey: ['fields'], queryFn: () => must(api.GET('/api/fields')) })
const measures = useQuery({ queryKey: ['measures'], queryFn: () => must(api.GET('/api/measures')) })
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })

const draft = ref<Of<'VerdictReview'> | null>(null)
const changed = ref(false)
watch(
  () => review.data.value,
  (r) => {
    if (r && !changed.value) draft.value = structuredClone(JSON.parse(JSON.stringify(r)))
  },
  { immediate: true },
)
const trouble = ref<unknown>(null)
const busy = ref('')
/** Runs one act on the review; what is typed stays on the page whatever happens. */
async function act(name: string, f: () => Promise<unknown>) {
  trouble.value = null
  busy.value = name
  try {
    await f()
  } catch (e) {
    trouble.value = e
  }
  busy.value = ''
}
function take(r: Of<'VerdictReview'>) {
  changed.value = false
  draft.value = JSON.parse(JSON.stringify(r))
  queries.setQueryData(['review', r.slug], r)
}
const save = () => act('save', async () => take(await must(api.PUT('/api/reviews/{slug}', { params: path.value, body: draft.value! }))))
const refresh = () => act('refresh', async () => take(await must(api.POST('/api/reviews/{slug}/findings', { params: path.value }))))
const name = ref(localStorage.getItem('reviewer') ?? '')
const sign = () =>
  act('sign', async () => {
    localStorage.setItem('reviewer', name.value)
    take(await must(api.POST('/api/reviews/{slug}/signature', { params: path.value, body: { by: name.value } })))
  })
const note = ref('')
const publish = () =>
  act('publish', async () => {
    await must(api.POST('/api/reviews/{slug}/editions', { params: path.value, body: { note: note.value } }))
    note.value = ''
    take(await must(api.GET('/api/reviews/{slug}', { params: path.value })))
  })
/** Charts of the measures that are chosen: those there keep what they are narrowed to. */
function chartsOf(chosen: string[]) {
  const there = draft.value!.charts
  draft.value!.charts = [...there.filter((c) => chosen.includes(c.measure)), ...[...new Set(chosen)].filter((m) => !there.some((c) => c.measure === m)).map((measure) => ({ measure }))]
  changed.value = true
}
function addFinding(kind: string) {
  draft.value!.findings.push({ id: '', rule: 'reviewer', kind: kind as 'strength', text: '', certainty: 'sure', prominence: 0, rests_on: [] })
  changed.value = true
}
const kinds = ['strength', 'weakness', 'note']
const recommendations = ['recommended', 'recommended for some', 'not recommended']
</script>

<template>
  <Trouble v-if="review.error.value" :error="review.error.value" />
  <template v-if="draft">
    <PageHead :title="draft.title" :sub="`${draft.subject}, ${draft.signed ? `signed by ${draft.signed.by} on ${moment(draft.signed.at)}` : changed ? 'changes not saved yet' : 'draft'}`">
      <v-btn :loading="busy === 'refresh'" :disabled="changed" @click="refresh">Draw findings anew</v-btn>
      <v-btn class="go" :loading="busy === 'save'" :disabled="!changed" @click="save">Save</v-btn>
    </PageHead>
    <Trouble v-if="trouble" :error="trouble" />
    <div class="split side" @input="changed = true">
      <div class="stack">
        <div class="sheet pad stack">
          <v-text-field v-model="draft.title" label="Title" />
          <v-textarea v-model="draft.summary" label="Summary" rows="3" auto-grow />
          <v-textarea v-model="draft.advice" label="For whom it is right, for whom not, what to buy instead" rows="3" auto-grow />
        </div>
        <div class="sheet pad">
          <div class="row mb-2"><strong>Findings</strong><span class="soft small">drawn from the figures; tick what is to be published</span><v-spacer /><v-btn size="small" @click="addFinding('strength')">Add one</v-btn></div>
          <div v-for="(f, i) in draft.findings" :key="f.id || i" class="finding" :class="{ off: f.hidden }">
            <v-checkbox :model-value="!f.hidden" :aria-label="`Publish: ${f.text}`" @update:model-value="(f.hidden = !$event), (changed = true)" />
            <v-select v-model="f.kind" :items="kinds" :aria-label="`Kind of: ${f.text}`" @update:model-value="changed = true" />
            <v-textarea v-model="f.text" rows="1" auto-grow :label="f.rule === 'remark' ? 'An impression, not measured' : f.rule === 'report' ? 'A report, not measured' : undefined" :aria-label="f.rule === 'reviewer' ? 'Your own finding' : f.rule" />
          </div>
        </div>
      </div>
      <div class="stack">
        <div class="sheet pad stack">
          <v-select v-model="draft.recommendation" label="Recommendation" :items="recommendations" @update:model-value="changed = true" />
          <v-select v-model="draft.field" label="Field" :items="fields.data.value ?? []" item-value="slug" item-title="name" @update:model-value="changed = true" />
          <v-autocomplete :model-value="draft.charts.map((c) => c.measure)" label="Charts" multiple :items="measures.data.value ?? []" item-value="id" item-title="name" @update:model-value="chartsOf($event)" />
        </div>
        <div class="sheet pad stack" @input.stop>
          <strong>Sign</strong>
          <div v-if="draft.stale?.length" class="caution small" role="status">Moved since it was signed by {{ draft.signed?.by }}; it is not published before it is signed anew.<div v-for="m in draft.stale" :key="m.figure">{{ m.figure }}<span v-for="t in m.sentences" :key="t" class="soft"> “{{ t }}”</span></div></div>
          <v-text-field v-model="name" label="Your name" />
          <v-btn class="go" :loading="busy === 'sign'" :disabled="changed || !name" @click="sign">Sign as it stands</v-btn>
          <span v-if="changed" class="soft small">Save your changes before signing.</span>
        </div>
        <div class="sheet pad stack" @input.stop>
          <strong>Publish</strong>
          <v-text-field v-model="note" label="What changed since the edition before" />
          <v-btn class="go" :loading="busy === 'publish'" :disabled="changed || !draft.signed" @click="publish">Publish edition {{ draft.editions.length + 1 }}</v-btn>
          <span v-if="!draft.signed" class="soft small">An edition needs a signed verdict.</span>
          <div v-for="e in [...draft.editions].reverse()" :key="e.number">
            <a :href="`/editions/${e.review}/${e.number}/`" target="_blank">Edition {{ e.number }}</a> <span class="soft small">{{ moment(e.published) }} {{ e.note }}</span>
          </div>
        </div>
      </div>
    </div>
    <h2 v-if="draft.charts.length">Charts</h2>
    <div class="stack">
      <div v-for="(c, i) in draft.charts" :key="i">
        <div class="row mb-2" @input="changed = true">
          <v-select :model-value="c.setup" label="Setup" clearable placeholder="As delivered" persistent-placeholder :items="setups.data.value ?? []" item-value="slug" item-title="name" style="max-width: 240px" @update:model-value="(c.setup = $event ?? undefined), (changed = true)" />
          <v-combobox v-model="c.where" label="Only where" placeholder="place=left port" chips multiple closable-chips @update:model-value="changed = true" />
          <v-btn size="small" :aria-label="`A second chart of ${c.measure}`" @click="draft.charts.splice(i + 1, 0, { measure: c.measure, where: [] }), (changed = true)">One more</v-btn>
          <v-btn size="small" :aria-label="`Take out ${c.measure}`" @click="draft.charts.splice(i, 1), (changed = true)">Take out</v-btn>
        </div>
        <Chart :query="{ measure: c.measure, setup: c.setup ?? '', where: (c.where ?? []).join(';'), field: draft.field, subject: draft.subject, claims: 'true', raised: 'true' }" />
      </div>
    </div>
  </template>
</template>
