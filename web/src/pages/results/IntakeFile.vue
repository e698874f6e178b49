<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { useTheme } from 'vuetify'
import { api, must, send, type Of } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'
import { useSymbols } from '../../parts/symbols'
import { bytes } from '../../parts/words'

const props = defineProps<{ file: File; at: { unit: string | null; setup: string; place: string; host: string | null; date: string; conditions: string } }>()
const emit = defineEmits<{ gone: [] }>()
const queries = useQueryClient()
const theme = useTheme()
const symbol = useSymbols()
const analyses = useQuery({ queryKey: ['analyses'], queryFn: () => must(api.GET('/api/analyses')), staleTime: Infinity })
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })

const analysis = ref<string | null>(null)
const test = ref<string | null>(null)
const roles = reactive<Record<string, string | null>>({}) // by role, the column that was pointed at
const units = reactive<Record<string, string>>({})
const options = reactive<Record<string, string>>({})
const skip = ref(false)
const touched = ref(false) // the columns were pointed at by hand
const name = ref('')

function query(checkOnly: boolean): string {
  const q = new URLSearchParams({ name: props.file.name })
  const put = (k: string, v: string | null | undefined) => v && q.set(k, v)
  put('analysis', analysis.value)
  put('test', test.value)
  put('options', Object.entries(options).filter(([, v]) => v).map(([k, v]) => `${k}=${v}`).join(';'))
  if (touched.value && analysis.value) {
    const columns = Object.fromEntries(Object.entries(roles).filter(([, c]) => c).map(([r, c]) => [r, { column: c!, ...(units[r] ? { unit: units[r] } : {}) }]))
    q.set('mapping', JSON.stringify({ analysis: analysis.value, columns, header: seen.value?.columns.map((c) => c.name) ?? [] }))
  }
  if (checkOnly) q.set('check_only', 'true')
  if (theme.global.name.value === 'dark') q.set('dark', 'true')
  if (skip.value) q.set('skip_bad', 'true')
  for (const k of ['unit', 'setup', 'host'] as const) put(k, props.at[k])
  if (!checkOnly) for (const k of ['place', 'date', 'conditions'] as const) put(k, props.at[k])
  return `/api/raw?${q}`
}
const look = useQuery({
  queryKey: computed(() => ['raw', props.file.name, props.file.size, props.file.lastModified, query(true)]),
  queryFn: () => send<Of<'ResultsRawTaken'>>(query(true), props.file),
  placeholderData: (before) => before, retry: false,
})
const seen = computed(() => look.data.value)
const kind = computed(() => analyses.data.value?.find((a) => a.name === (analysis.value ?? seen.value?.mapping?.analysis)))
watch(seen, (s) => {
  if (!s?.mapping || touched.value) return
  analysis.value ??= s.mapping.analysis
  for (const [role, from] of Object.entries(s.mapping.columns)) [roles[role], units[role]] = [from.column, from.unit ?? '']
})
function become(a: string | null) {
  ;[analysis.value, test.value, touched.value] = [a, null, false]
  for (const r of Object.keys(roles)) delete roles[r]
  for (const o of Object.keys(options)) delete options[o]
}
function point(role: string, column: string | null) {
  roles[role] = column
  touched.value = true
}
const own = computed(() => (tests.data.value ?? []).filter((t) => t.analysis === kind.value?.name))
const taken = ref<string | null>(null)
const trouble = ref<unknown>(null)
const ready = computed(() => !taken.value && !!seen.value?.figures.length && !look.isFetching.value && (!seen.value.bad || skip.value))
async function take() {
  trouble.value = null
  try {
    const done = await send<Of<'ResultsRawTaken'>>(query(false), props.file)
    taken.value = done.run ?? null
    if (name.value && done.mapping) await must(api.POST('/api/mappings', { body: { ...done.mapping, name: name.value } }))
    for (const key of ['runs', 'tests', 'ranking']) void queries.invalidateQueries({ queryKey: [key] })
  } catch (e) {
    trouble.value = e
  }
}
defineExpose({ ready, take })
</script>

<template>
  <section class="sheet pad mb-4" :aria-label="file.name">
    <div class="row mb-2">
      <strong>{{ file.name }}</strong><span class="soft small">{{ bytes(file.size) }}<template v-if="seen">, {{ seen.rows }} rows<template v-for="f in seen.found" :key="f">; {{ f }}</template></template></span><v-spacer />
      <router-link v-if="taken" class="good" :to="`/results/${taken}`">Recorded: open the run</router-link>
      <v-btn v-else class="go" :disabled="!ready || !at.unit" @click="take">Take in</v-btn>
      <v-btn @click="emit('gone')">{{ taken ? 'Put away' : 'Leave out' }}</v-btn>
    </div>
    <Trouble v-if="look.error.value ?? trouble" :error="look.error.value ?? trouble" />
    <template v-if="seen">
      <p v-if="seen.problem" class="caution">No figures yet: {{ seen.problem }}.</p>
      <p v-if="!at.unit && !taken && seen.figures.length" class="soft small">Say above which unit was measured.</p>
      <div v-if="seen.bad" class="mb-3">
        <p class="caution">{{ seen.bad }} {{ seen.bad === 1 ? 'row' : 'rows' }} cannot be read.</p>
        <p v-for="r in seen.refused.slice(0, 5)" :key="r.line" class="small">Line {{ r.line }}: {{ r.why }}.</p>
        <v-checkbox v-model="skip" label="Take it in without them" />
      </div>
      <div class="split half">
        <div class="stack">
          <div class="row">
            <v-select :model-value="kind?.name ?? null" label="What it is" :items="analyses.data.value ?? []" item-value="name" item-title="title" style="min-width: 240px" @update:model-value="become" />
            <v-select v-if="own.length" v-model="test" label="Test" clearable placeholder="the analysis's own" :items="own" item-value="slug" item-title="name" style="max-width: 220px" />
          </div>
          <p v-if="kind" class="soft small">{{ kind.about }}</p>
          <div class="scroll preview">
            <table aria-label="Preview">
              <thead><tr><th v-for="c in seen.columns" :key="c.name" :class="{ n: !c.text }">{{ c.name }}<span v-if="c.unit" class="soft">&ensp;{{ symbol(c.unit) }}</span></th></tr></thead>
              <tbody><tr v-for="i in Math.min(5, seen.rows)" :key="i"><td v-for="c in seen.columns" :key="c.name" :class="{ n: !c.text }">{{ c.first[i - 1] }}</td></tr></tbody>
            </table>
          </div>
          <div v-if="kind && !seen.mapping?.grid" class="roles">
            <template v-for="r in kind.roles" :key="r.name">
              <v-select :model-value="roles[r.name] ?? null" :label="`${r.words}${r.need ? ' (needed)' : ''}`" clearable :items="seen.columns" item-value="name" item-title="name" @update:model-value="point(r.name, $event)" />
              <v-text-field v-if="!r.text && r.unit !== '1'" :model-value="units[r.name] ?? ''" :label="`In, ${symbol(r.unit)} if not said`" @change="((units[r.name] = ($event.target as HTMLInputElement).value), (touched = true))" />
              <span v-else />
            </template>
          </div>
          <div v-if="kind?.options?.length" class="stack">
            <template v-for="o in kind.options" :key="o.slug">
              <v-select v-if="o.choices?.length" v-model="options[o.slug]" :label="o.meaning" :items="o.choices" :placeholder="o.default" persistent-placeholder clearable />
              <v-text-field v-else :model-value="options[o.slug] ?? ''" :label="o.meaning" :placeholder="o.default || (o.unit === '1' ? '' : symbol(o.unit))" persistent-placeholder @change="options[o.slug] = ($event.target as HTMLInputElement).value" />
            </template>
          </div>
          <v-text-field v-if="touched && seen.figures.length" v-model="name" label="Save what the columns mean as" placeholder="Meter 3" />
        </div>
        <div class="stack">
          <table v-if="seen.figures.length" class="plain" aria-label="Figures">
            <tbody><tr v-for="f in seen.figures" :key="f.measure"><td>{{ f.name }}</td><td class="n">{{ f.says }}</td><td class="soft small">{{ f.reason }}</td></tr></tbody>
          </table>
          <p v-for="n in seen.notes ?? []" :key="n" class="small">{{ n }}</p>
          <p v-for="n in seen.hindered ?? []" :key="n" class="caution">It cannot be recorded so: {{ n }}.</p>
          <p v-for="n in seen.absent ?? []" :key="n" class="soft small">Not made: {{ n }}.</p>
          <!-- eslint-disable-next-line vue/no-v-html: drawn by our own service, texts escaped there -->
          <div v-if="seen.drawn" class="chart" v-html="seen.drawn" />
        </div>
      </div>
    </template>
    <p v-else-if="!look.error.value" class="soft">Reading …</p>
  </section>
</template>

<style scoped>
.preview { border: 1px solid rgb(var(--v-theme-line)); border-radius: 4px; max-height: 190px; }
.preview th, .preview td { padding: 4px 10px; white-space: nowrap; }
.roles { display: grid; grid-template-columns: minmax(0, 3fr) minmax(0, 2fr); gap: 12px 10px; padding-top: 4px; }
</style>
