<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import NewTest from './NewTest.vue'
import PageHead from '../../parts/PageHead.vue'
import Reason from '../../parts/Reason.vue'
import Trouble from '../../parts/Trouble.vue'
import { useSymbols } from '../../parts/symbols'
import { amount, number, plain, span } from '../../parts/words'

const route = useRoute()
const symbol = useSymbols()
const slug = computed(() => String(route.params.slug))
const test = useQuery({ queryKey: computed(() => ['tests', slug.value]), queryFn: () => must(api.GET('/api/tests/{slug}', { params: { path: { slug: slug.value } } })) })
const all = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const kin = computed(() => {
  const of = test.data.value?.of || slug.value
  return (all.data.value ?? []).filter((t) => t.slug !== slug.value && (t.slug === of || t.of === of))
})
const sub = computed(() => {
  const t = test.data.value
  if (!t) return ''
  return [`${t.slug}, version ${t.version}`, t.group, ...(t.seconds ? [`one run takes about ${span(t.seconds)}`] : []), ...(t.writes ? [`and writes at most ${amount(t.writes)}`] : [])].join(', ')
})
const terms = computed(() => {
  const t = test.data.value
  return t ? ([['What it does', t.about], ['Stands for', t.stands_for], ['Limited by', t.limited_by], ['Works on', t.input], ['Checked by', t.checked], ['Compared', t.must_match?.length ? `only where these are known and equal: ${t.must_match.map(plain).join(', ')}` : '']] as const).filter(([, v]) => v) : []
})
const known = useQuery({
  queryKey: computed(() => ['measures', slug.value, test.data.value?.version]), enabled: computed(() => !!test.data.value),
  queryFn: () => Promise.all(test.data.value!.measures.map((m) => must(api.GET('/api/measures/{slug}/{measure}', { params: { path: { slug: slug.value, measure: m.slug } } })))),
})
const good = (m: string) => known.data.value?.find((k) => k.measure.id === `${slug.value}/${m}`)?.good ?? ''
const tunings = computed(() => known.data.value?.[0]?.tunings ?? [])
const looked = ref('')
const worth = useQuery({ queryKey: computed(() => ['measures', 'worth', slug.value, looked.value]), enabled: computed(() => !!looked.value), queryFn: () => must(api.GET('/api/worth', { params: { query: { measure: `${slug.value}/${looked.value}` } } })) })
watch(() => test.data.value?.measures[0]?.slug, (m) => (looked.value = m ?? ''), { immediate: true })
const better: Record<string, string> = { higher: 'higher is better', lower: 'lower is better', target: 'nearest is best' }
function place(f: Of<'MethodFigure'>): string {
  const from = f.from || 'output'
  if (f.time) return f.time === 'exit' ? 'seconds until it ended' : 'seconds until the awaited line'
  if (f.text) return `${from}, text ${f.text}`
  if (f.column) return `${from}, column ${f.column}`
  return `${from}, JSON pointer ${f.pointer}`
}
const queries = useQueryClient()
const making = ref(false)
const asiding = ref(false)
const aside = (reason: string) => must(api.PUT('/api/tests/{slug}/aside', { params: { path: { slug: slug.value } }, body: { reason } })).then(() => queries.invalidateQueries())
const saved = reactive({ output: '', errors: '', file: '', seconds: '', line: '' })
const tried = ref<Of<'BooksTried'> | null>(null)
const trouble = ref<unknown>(null)
async function tryIt() {
  trouble.value = tried.value = null
  try {
    tried.value = await must(api.POST('/api/trials', { body: { test: slug.value, output: saved.output, errors: saved.errors, file: saved.file, seconds: Number(saved.seconds) || 0, line: Number(saved.line) || 0 } }))
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <Trouble v-if="test.error.value" :error="test.error.value" />
  <template v-if="test.data.value">
    <PageHead :title="test.data.value.name" :sub="sub">
      <v-btn :to="`/results?test=${slug}`">Its runs</v-btn>
      <v-btn v-if="test.data.value.measures[0]" :to="`/compare?measure=${slug}/${test.data.value.measures[0].slug}`">Compare</v-btn>
      <v-btn v-if="test.data.value.origin !== 'workload'" @click="making = true">Change it</v-btn>
      <v-btn v-if="test.data.value.aside" @click="aside('')">Count it again</v-btn>
      <v-btn v-else @click="asiding = true">Show, not count</v-btn>
    </PageHead>
    <p v-if="test.data.value.aside" class="caution">Shown, not counted: {{ test.data.value.aside }}</p>
    <Reason v-model="asiding" title="Show this test’s figures and count them nowhere" act="Show, not count" :does="aside">They stay in charts, marked, with the reason beside them; index, fits and sure findings leave them out.</Reason>
    <NewTest v-model="making" :test="test.data.value" />
    <dl class="terms mb-5"><template v-for="[k, v] in terms" :key="k"><dt class="soft">{{ k }}</dt><dd>{{ v }}</dd></template></dl>
    <div class="sheet scroll">
      <table aria-label="Measures">
        <thead><tr><th>Measure</th><th>Unit</th><th>Better</th><th>How good one run is</th></tr></thead>
        <tbody>
          <tr v-for="m in test.data.value.measures" :key="m.slug">
            <td>{{ m.name }}</td><td>{{ symbol(m.unit) || '—' }}</td><td>{{ better[m.better] }}</td>
            <td>{{ good(m.slug) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-for="t in tunings" :key="t.rule + t.test" class="mt-3 small">The doubt rule <router-link to="/results/rules">{{ t.rule }}</router-link> {{ t.off ? 'is off' : `has the limit ${t.limit}` }} for {{ t.test ? 'this test' : 'all tests' }}: {{ t.reason }} <span class="soft">({{ t.by }})</span></p>
    <template v-if="worth.data.value && (worth.data.value.worth.length || worth.data.value.confounded.length)">
      <h2>What single things are worth</h2>
      <v-select v-if="test.data.value.measures.length > 1" v-model="looked" class="mb-3" label="In" :items="test.data.value.measures" item-value="slug" item-title="name" style="max-width: 320px" />
      <div class="sheet scroll">
        <table aria-label="Worth">
          <thead><tr><th>What</th><th>Change</th><th class="n">Worth, 95 %</th><th>On</th></tr></thead>
          <tbody>
            <tr v-for="w in worth.data.value.worth" :key="w.key + w.from + w.to"><td>{{ w.name }}</td><td>{{ w.from }} → {{ w.to }}</td><td class="n">{{ w.effect.text }}<div v-if="!w.effect.sure" class="soft small">may be nothing</div></td><td class="small">{{ w.pairs.map((p) => `${p.a}${p.b === p.a ? '' : ` and ${p.b}`} ${p.effect.text}`).join('; ') }}</td></tr>
            <tr v-for="c in worth.data.value.confounded" :key="c.a + c.b"><td class="soft">Not attributed</td><td class="soft">{{ c.name }}</td><td class="n soft">{{ c.effect.text }}</td><td class="small soft">{{ c.a }} and {{ c.b }} differ in {{ c.differs.join('; ') }}</td></tr>
          </tbody>
        </table>
      </div>
      <p class="soft small mt-2">By pairs of setups of one unit, or of siblings, that differ in exactly one thing. Where they differ in several, nothing is attributed.</p>
    </template>
    <template v-if="test.data.value.options?.length">
      <h2>Options</h2>
      <div class="sheet scroll">
        <table aria-label="Options"><thead><tr><th>Option</th><th>Meaning</th><th>Usual value</th></tr></thead><tbody><tr v-for="o in test.data.value.options" :key="o.slug"><td>{{ o.slug }}</td><td>{{ o.meaning }}</td><td>{{ o.default || '—' }}</td></tr></tbody></table>
      </div>
    </template>
    <template v-if="test.data.value.command">
      <h2>The program and its mapping</h2>
      <p>Runs <code>{{ test.data.value.command.run.join(' ') }}</code>, for {{ span(test.data.value.command.limit) }} at most, on machines whose owner allowed this very command there:</p>
      <pre class="say">durvek command allow -- {{ test.data.value.command.run.join(' ') }}</pre>
      <div class="sheet scroll mb-4">
        <table aria-label="Mapping"><thead><tr><th>Measure</th><th>Looked for in</th></tr></thead><tbody><tr v-for="f in test.data.value.command.figures" :key="f.measure"><td>{{ f.measure }}</td><td>{{ place(f) }}</td></tr></tbody></table>
      </div>
      <strong>Try it on a saved output</strong>
      <div class="split half mt-2">
        <div class="stack">
          <v-textarea v-model="saved.output" label="What it printed" rows="4" />
          <v-textarea v-if="test.data.value.command.file" v-model="saved.file" :label="`Content of ${test.data.value.command.file}`" rows="4" />
          <v-textarea v-if="test.data.value.command.figures.some((f) => f.from === 'errors')" v-model="saved.errors" label="What it printed as errors" rows="3" />
          <div class="row">
            <v-text-field v-if="test.data.value.command.figures.some((f) => f.time === 'exit')" v-model="saved.seconds" label="Seconds until it ended" />
            <v-text-field v-if="test.data.value.command.line" v-model="saved.line" label="Seconds until the line" />
            <v-btn class="go" @click="tryIt">Try</v-btn>
          </div>
          <Trouble v-if="trouble" :error="trouble" />
        </div>
        <div v-if="tried" class="sheet scroll">
          <table aria-label="Found">
            <thead><tr><th>Measure</th><th class="n">Figure</th><th>What stands there</th></tr></thead>
            <tbody>
              <tr v-for="f in tried.found" :key="f.measure"><td>{{ f.measure }}</td><td class="n">{{ f.fault ? '—' : `${number(f.value)} ${symbol(f.unit)}` }}</td><td><span v-if="f.fault" class="caution">{{ f.fault }}</span><template v-else>{{ f.raw }}</template></td></tr>
            </tbody>
          </table>
        </div>
        <div v-else class="sheet empty">What the mapping finds stands here. Nothing is recorded.</div>
      </div>
    </template>
    <template v-if="kin.length">
      <h2>Measured in another way</h2>
      <p><template v-for="(t, i) in kin" :key="t.slug"><span v-if="i">, </span><router-link :to="`/bench/tests/${t.slug}`">{{ t.name }}</router-link></template></p>
    </template>
  </template>
</template>
