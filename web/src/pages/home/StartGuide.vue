<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useAct } from '../../parts/act'
import Chart from '../../parts/Chart.vue'
import JoinWith from '../../parts/JoinWith.vue'
import { useSymbols } from '../../parts/symbols'
import Trouble from '../../parts/Trouble.vue'
import DeviceForm from '../catalogue/DeviceForm.vue'
import TakeDossier from '../catalogue/TakeDossier.vue'
import TellItself from '../catalogue/TellItself.vue'
import PublishFirst from './PublishFirst.vue'

// The way from an empty desk to the first published chart: each step opens when the one before is done.
const props = defineProps<{ holds: Of<'StoreHolds'> }>()
const emit = defineEmits<{ hide: [] }>()
const symbol = useSymbols()
const self = useQuery({ queryKey: ['desk'], queryFn: () => must(api.GET('/api/desk')) })
const examples = useQuery({ queryKey: ['models', 'examples'], queryFn: () => must(api.GET('/api/examples')) })
const units = useQuery({ queryKey: ['models', 'units'], queryFn: () => must(api.GET('/api/units')) })
const own = computed(() => (units.data.value ?? []).filter((u) => !examples.data.value?.units.includes(u.slug!)))
const subject = computed(() => own.value[own.value.length - 1])
const variants = useQuery({ queryKey: ['models', 'variants'], queryFn: () => must(api.GET('/api/variants')) })
const models = useQuery({ queryKey: ['models'], queryFn: () => must(api.GET('/api/models')) })
const kind = computed(() => models.data.value?.find((m) => m.slug === variants.data.value?.find((v) => v.slug === subject.value?.variant)?.model)?.kind ?? '')
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const fits = (t: Of<'MethodTest'>) => !t.subjects?.length || t.subjects.includes(kind.value)
const hands = computed(() => (tests.data.value ?? []).filter((t) => t.origin === 'own' && !t.measures.some((m) => m.formula) && fits(t) && t.measures.some((m) => m.scale !== 'pass')).sort((a, b) => Number(b.slug === 'weight') - Number(a.slug === 'weight') || a.name.localeCompare(b.name)))
const runs = useQuery({ queryKey: computed(() => ['runs', 'first', subject.value?.slug]), enabled: computed(() => !!subject.value), queryFn: () => must(api.GET('/api/runs', { params: { query: { subject: subject.value!.slug, outcome: 'done', limit: 1 } } })) })
const ran = computed(() => runs.data.value?.runs[0])
const measure = computed(() => {
  const r = ran.value
  const first = r?.readings.find((x) => x.state !== 'missing' && x.state !== 'void')
  return r && first ? `${r.test}/${first.measure}` : ''
})
const at = computed(() => (!self.data.value?.named && !skipped.value ? 1 : !subject.value ? 2 : !ran.value ? 3 : 4))
const skipped = ref(localStorage.getItem('guide named') === 'later')
const { trouble, busy, act, again } = useAct()
const name = ref('')
const nameIt = () => act(async () => {
  const now = self.data.value!
  await must(api.PUT('/api/desk', { body: { name: name.value, licence: now.licence, imprint: now.imprint } }))
  await again('desk', 'me')
})
function later() {
  skipped.value = true
  localStorage.setItem('guide named', 'later')
}
const way = ref<'hand' | 'itself'>('hand')
const taking = ref(false)
const how = ref<'figure' | 'itself'>('figure')
const typed = reactive({ test: '', values: {} as Record<string, string> })
watch(hands, (h) => (typed.test ||= h[0]?.slug ?? ''), { immediate: true })
const test = computed(() => hands.value.find((t) => t.slug === typed.test))
const keep = () => act(async () => {
  const readings = Object.fromEntries(Object.entries(typed.values).filter(([, v]) => v?.trim()))
  await must(api.POST('/api/readings', { body: { subject: subject.value!.slug!, test: typed.test, setup: 'as-delivered', readings } }))
  typed.values = {}
  await again('runs', 'today', 'measures')
})
const code = ref<Of<'JoinCode'> | null>(null)
const plan = ref('')
const usual = () => act(async () => {
  const steps = (tests.data.value ?? []).filter((t) => t.usual && fits(t)).map((t) => ({ test: t.slug, repeats: 3 }))
  const p = await must(api.POST('/api/plans', { body: { unit: subject.value!.slug!, setup: 'as-delivered', name: 'First look', steps, order: 'grouped', after_failure: 'go-on', on_departure: 'mark' } }))
  plan.value = p.id
  code.value = await must(api.POST('/api/plans/{slug}/codes', { params: { path: { slug: p.id } } }))
  await again('bench', 'today')
})
const load = () => act(() => must(api.POST('/api/examples', { body: {} })).then(() => again()))
const drop = () => act(() => must(api.DELETE('/api/examples')).then(() => again()))
const publishing = ref(false)
const steps = computed(() => [
  { n: 1, title: 'Name your desk', done: !!self.data.value?.named, says: self.data.value?.named ? self.data.value.name : '' },
  { n: 2, title: 'Put on it what you review', done: !!subject.value, says: subject.value?.title ?? '' },
  { n: 3, title: 'Measure it', done: !!ran.value, says: ran.value ? (tests.data.value?.find((t) => t.slug === ran.value!.test)?.name ?? ran.value.test) : '' },
  { n: 4, title: 'See it ranked', done: false, says: '' },
  { n: 5, title: 'Publish it', done: props.holds.editions > 0, says: '' },
])
</script>

<template>
  <section class="sheet pad guide mb-5" aria-labelledby="first">
    <div class="row"><h2 id="first" class="plainhead">From an empty desk to the first published chart</h2><v-spacer /><button type="button" class="plainly small" @click="emit('hide')">Hide these steps</button></div>
    <Trouble v-if="trouble" :error="trouble" />
    <ol>
      <li v-for="s in steps" :key="s.n" :class="{ now: s.n === at || (at === 4 && s.n === 5), done: s.done }" :aria-current="s.n === at ? 'step' : undefined">
        <div class="title"><span class="mark" aria-hidden="true">{{ s.done ? '✓' : s.n }}</span><strong>{{ s.title }}</strong><span class="sr">{{ s.done ? ', done' : '' }}</span> <span class="soft">{{ s.says }}</span></div>
        <form v-if="s.n === 1 && at === 1" class="body row" @submit.prevent="nameIt">
          <v-text-field v-model="name" label="Name of the desk" placeholder="as it stands on charts and in reviews" style="max-width: 380px" /><v-btn class="go" type="submit" :loading="busy" :disabled="!name.trim()">Name it</v-btn><button type="button" class="plainly small" @click="later">Later</button>
        </form>
        <div v-else-if="s.n === 2 && at === 2" class="body">
          <div class="row mb-3" role="group" aria-label="How"><v-btn size="small" :class="{ go: way === 'hand' }" :aria-pressed="way === 'hand'" @click="way = 'hand'">By hand</v-btn><v-btn size="small" :class="{ go: way === 'itself' }" :aria-pressed="way === 'itself'" @click="way = 'itself'">Let it tell of itself</v-btn><v-btn size="small" @click="taking = true">From a dossier</v-btn></div>
          <DeviceForm v-if="way === 'hand'" />
          <TellItself v-else @cancel="way = 'hand'" @arrived="again('models', 'today')" />
        </div>
        <div v-else-if="s.n === 3 && at === 3" class="body">
          <div class="row mb-3" role="group" aria-label="How"><v-btn size="small" :class="{ go: how === 'figure' }" :aria-pressed="how === 'figure'" @click="how = 'figure'">Type a figure</v-btn><v-btn size="small" :class="{ go: how === 'itself' }" :aria-pressed="how === 'itself'" @click="how = 'itself'">Let it measure itself</v-btn><v-btn size="small" :to="`/bench/inspect/${subject?.slug}`">Go through an inspection sheet</v-btn></div>
          <form v-if="how === 'figure'" class="row" @submit.prevent="keep">
            <v-select v-model="typed.test" label="What" :items="hands" item-value="slug" item-title="name" style="max-width: 260px" />
            <v-text-field v-for="m in test?.measures ?? []" :key="m.slug" v-model="typed.values[m.slug]" :label="[m.name, symbol(m.unit)].filter(Boolean).join(', ')" style="max-width: 200px" />
            <v-btn class="go" type="submit" :loading="busy" :disabled="!Object.values(typed.values).some((v) => v?.trim())">Keep it</v-btn>
          </form>
          <template v-else-if="code"><JoinWith :code="code" /><router-link :to="{ path: '/bench', query: { plan } }">Watch it on the bench</router-link></template>
          <div v-else class="row"><span class="soft">The usual tests, three times each: processor, memory, storage, applications.</span><v-spacer /><v-btn class="go" :loading="busy" @click="usual">Make a code for it</v-btn></div>
        </div>
        <div v-else-if="s.n === 4 && at === 4" class="body">
          <Chart v-if="measure" kind="ranked" :query="{ measure, subject: subject?.variant ?? '', claims: 'true' }" />
          <div class="row mt-2">
            <v-btn v-if="!holds.examples" :loading="busy" @click="load">Rank it against examples</v-btn>
            <template v-else><span class="soft">The examples are made up; they are never published.</span><v-btn size="small" :loading="busy" @click="drop">Take them away</v-btn></template>
            <v-spacer /><v-btn :to="`/compare?measure=${measure}&subject=${subject?.variant}`">Open in Compare</v-btn>
          </div>
        </div>
        <div v-else-if="s.n === 5 && at === 4 && !s.done" class="body row"><span class="soft">A review with this chart, its findings and your verdict, as a page that never changes.</span><v-spacer /><v-btn class="go" :disabled="busy" @click="publishing = true">Publish …</v-btn></div>
      </li>
    </ol>
    <TakeDossier v-model="taking" />
    <PublishFirst v-if="subject" v-model="publishing" :variant="subject.variant!" :title="subject.title ?? ''" :measure="measure" :examples="holds.examples" />
  </section>
</template>

<style scoped>
ol { list-style: none; margin: 10px 0 0; padding: 0; }
li { padding: 9px 0; border-top: 1px solid rgb(var(--v-theme-line)); }
.title { display: flex; gap: 10px; align-items: baseline; flex-wrap: wrap; }
.mark { display: inline-grid; place-items: center; width: 22px; height: 22px; border-radius: 50%; border: 1px solid rgb(var(--v-theme-line)); font-size: 12.5px; color: rgb(var(--v-theme-soft)); }
.now > .title .mark { border-color: rgb(var(--v-theme-primary)); color: rgb(var(--v-theme-primary)); font-weight: 600; }
.done > .title .mark { background: rgb(var(--v-theme-primary)); border-color: transparent; color: rgb(var(--v-theme-on-primary)); }
li:not(.now):not(.done) > .title strong { color: rgb(var(--v-theme-soft)); font-weight: 500; }
.body { margin: 12px 0 6px 32px; }
@media (max-width: 860px) { .body { margin-left: 0; } }
</style>
