<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import Chart from '../../parts/Chart.vue'
import PageHead from '../../parts/PageHead.vue'
import Sure from '../../parts/Sure.vue'
import Trouble from '../../parts/Trouble.vue'
import { moment } from '../../parts/words'
import { useLists } from '../compare/asked'
import ReviewConflict from './ReviewConflict.vue'
import ReviewFindings from './ReviewFindings.vue'
import ReviewVerdict from './ReviewVerdict.vue'

const route = useRoute()
const queries = useQueryClient()
const path = computed(() => ({ path: { slug: String(route.params.slug) } }))
const review = useQuery({ queryKey: computed(() => ['review', path.value.path.slug]), queryFn: () => must(api.GET('/api/reviews/{slug}', { params: path.value })) })
const { fields, measures, setups, title } = useLists()

const draft = ref<Of<'VerdictReview'> | null>(null)
const changed = ref(false)
const theirs = ref<Of<'VerdictReview'> | null>(null)
/** What is typed and not saved is kept on this device, until it is saved or thrown away. */
const keptAt = computed(() => `review ${path.value.path.slug}`)
const found = ref(false)
watch(
  () => review.data.value,
  (r) => {
    if (!r || changed.value) return
    const kept = localStorage.getItem(keptAt.value)
    found.value = !!kept
    changed.value = !!kept
    draft.value = JSON.parse(kept ?? JSON.stringify(r))
  },
  { immediate: true },
)
watch(
  draft,
  (d) => {
    if (d && changed.value) localStorage.setItem(keptAt.value, JSON.stringify(d))
  },
  { deep: true },
)
function discard() {
  localStorage.removeItem(keptAt.value)
  changed.value = found.value = false
  draft.value = JSON.parse(JSON.stringify(review.data.value))
}
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
  changed.value = found.value = false
  theirs.value = null
  localStorage.removeItem(keptAt.value)
  draft.value = JSON.parse(JSON.stringify(r))
  queries.setQueryData(['review', r.slug], r)
}
/** Saves what is typed; where somebody else saved meanwhile, both stand beside each other until one is chosen. */
const save = () =>
  act('save', async () => {
    try {
      take(await must(api.PUT('/api/reviews/{slug}', { params: path.value, body: draft.value! })))
    } catch (e) {
      const now = await must(api.GET('/api/reviews/{slug}', { params: path.value }))
      if (now.revision === draft.value!.revision) throw e
      theirs.value = now
    }
  })
function settled(r: Of<'VerdictReview'>) {
  draft.value = r
  theirs.value = null
  void save()
}
const refresh = () => act('refresh', async () => take(await must(api.POST('/api/reviews/{slug}/findings', { params: path.value }))))
const name = ref(localStorage.getItem('reviewer') ?? '')
const sign = () =>
  act('sign', async () => {
    localStorage.setItem('reviewer', name.value)
    take(await must(api.POST('/api/reviews/{slug}/signature', { params: path.value, body: { by: name.value } })))
  })
const nameOf = (id: string) => measures.data.value?.find((m) => m.id === id)?.name ?? id
const publishing = ref(false)
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
const stale = computed(() => (draft.value?.stale ?? []).flatMap((m) => m.sentences))
const states = ['preliminary', 'complete', 'withdrawn']
const areas = computed(() => [...new Set([...(draft.value?.sections ?? []).map((s) => s.area), ...(draft.value?.findings ?? []).flatMap((f) => (f.area ? [f.area] : []))])])
const section = (area: string) => draft.value!.sections?.find((s) => s.area === area)?.text ?? ''
/** Writes the text of an area's section; an empty one is none. */
function write(area: string, text: string) {
  const rest = (draft.value!.sections ?? []).map((s) => (s.area === area ? { ...s, text } : s))
  draft.value!.sections = rest.some((s) => s.area === area) || !text ? rest : [...rest, { area, text }]
  changed.value = true
}
const preview = ref('')
const show = (width: string) => (preview.value = preview.value === width ? '' : width)
const recommendations = ['recommended', 'recommended for some', 'not recommended']
</script>

<template>
  <Trouble v-if="review.error.value" :error="review.error.value" />
  <template v-if="draft">
    <PageHead :title="draft.title" :sub="`${title(draft.subject)}, ${draft.signed ? `signed by ${draft.signed.by} on ${moment(draft.signed.at)}` : changed ? 'changes not saved yet' : 'draft'}`">
      <v-btn :disabled="changed" @click="show('1080px')">Preview</v-btn>
      <v-btn :disabled="changed" @click="show('390px')">On a phone</v-btn>
      <v-btn :loading="busy === 'refresh'" :disabled="changed" @click="refresh">Draw findings anew</v-btn>
      <v-btn class="go" :loading="busy === 'save'" :disabled="!changed" @click="save">Save</v-btn>
    </PageHead>
    <Trouble v-if="trouble" :error="trouble" />
    <div v-if="found" class="sheet pad row mb-4" role="status"><span>These changes were typed earlier on this device and not saved.</span><v-spacer /><v-btn size="small" @click="discard">Throw them away</v-btn></div>
    <ReviewConflict v-if="theirs" :mine="draft" :theirs="theirs" @settled="settled" />
    <iframe v-if="preview" :key="draft.revision" :src="`/api/reviews/${draft.slug}/preview`" title="The page that it becomes" class="preview" :style="{ width: preview }"></iframe>
    <div class="split side" @input="changed = true">
      <div class="stack">
        <div class="sheet pad stack">
          <v-text-field v-model="draft.title" label="Title" />
          <v-textarea v-model="draft.summary" label="Summary" rows="3" auto-grow />
          <v-textarea v-model="draft.advice" label="For whom it is right, for whom not, what to buy instead" rows="3" auto-grow />
        </div>
        <div class="sheet pad"><ReviewFindings v-model="draft.findings" :stale="stale" @changed="changed = true" /></div>
        <div class="sheet pad stack"><ReviewVerdict v-model="draft" @changed="changed = true" /></div>
        <div v-if="areas.length" class="sheet pad stack">
          <div><strong>Sections</strong> <span class="soft small">what you write on an area; {{ '\u007b\u007btest/measure\u007d\u007d' }} stands for a figure</span></div>
          <v-textarea v-for="a in areas" :key="a" :model-value="section(a)" :label="a[0]!.toUpperCase() + a.slice(1)" rows="1" auto-grow @update:model-value="write(a, $event)" />
        </div>
      </div>
      <div class="stack">
        <div class="sheet pad stack">
          <v-select v-model="draft.recommendation" label="Recommendation" :items="recommendations" @update:model-value="changed = true" />
          <v-select v-model="draft.state" label="State" placeholder="complete" persistent-placeholder clearable :items="states" @update:model-value="changed = true" />
          <v-textarea v-if="draft.state === 'preliminary' || draft.state === 'withdrawn'" v-model="draft.state_note" :label="draft.state === 'preliminary' ? 'Still to come' : 'Why it is withdrawn'" rows="1" auto-grow />
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
          <v-btn class="go" :loading="busy === 'publish'" :disabled="changed || !draft.signed" @click="publishing = true">Publish edition {{ draft.editions.length + 1 }}</v-btn>
          <a v-if="draft.charts.length" class="small" :href="`/api/reviews/${draft.slug}/cards`">Its cards for video</a>
          <span v-if="!draft.signed" class="soft small">An edition needs a signed verdict.</span>
          <div v-for="e in [...draft.editions].reverse()" :key="e.number">
            <a :href="`/editions/${e.review}/${e.number}/`" target="_blank">Edition {{ e.number }}</a> <span class="soft small">{{ moment(e.published) }} {{ e.note }} <a :href="`/api/reviews/${e.review}/editions/${e.number}`">as an archive</a></span>
          </div>
        </div>
      </div>
    </div>
    <Sure v-model="publishing" :title="`Publish edition ${draft.editions.length + 1}?`" act="Publish it" @yes="publish">Readers see it as it is previewed, with {{ draft.charts.length }} {{ draft.charts.length === 1 ? 'chart' : 'charts' }}. An edition stays as it is for ever; what is changed later stands in the next, which says so.</Sure>
    <h2 v-if="draft.charts.length">Charts</h2>
    <div class="stack">
      <div v-for="(c, i) in draft.charts" :key="i">
        <div class="row mb-2" @input="changed = true">
          <v-select :model-value="c.setup" label="Setup" clearable placeholder="As delivered" persistent-placeholder :items="setups.data.value ?? []" item-value="slug" item-title="name" style="max-width: 240px" @update:model-value="(c.setup = $event ?? undefined), (changed = true)" />
          <v-combobox v-model="c.where" label="Only where" placeholder="place=left port" chips multiple closable-chips @update:model-value="changed = true" />
          <v-btn size="small" @click="draft.charts.splice(i + 1, 0, { measure: c.measure, where: [] }), (changed = true)">One more<span class="sr"> chart of {{ nameOf(c.measure) }}</span></v-btn>
          <v-btn size="small" @click="draft.charts.splice(i, 1), (changed = true)">Take out<span class="sr"> the chart of {{ nameOf(c.measure) }}</span></v-btn>
        </div>
        <Chart :query="{ measure: c.measure, setup: c.setup ?? '', where: (c.where ?? []).join(';'), field: draft.field, subject: draft.subject, claims: 'true', raised: 'true' }" />
      </div>
    </div>
  </template>
</template>
