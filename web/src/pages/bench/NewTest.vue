<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, must, send, type Of } from '../../api/client'
import FormDialog, { type Field, type Values } from '../../parts/FormDialog.vue'
import { slugOf, useNames } from '../../parts/names'
import { plain, upper } from '../../parts/words'

// A test of the desk's own: figures that a person enters, marks of a rubric, pass or fail, a stopwatch; or another program that
// the agent runs, with where its figures stand in what it says.
const props = defineProps<{ test?: Of<'MethodTest'> }>()
const open = defineModel<boolean>({ required: true })
const router = useRouter()
const queries = useQueryClient()
const { tests } = useNames()
const words = useQuery({ queryKey: ['vocabulary'], queryFn: () => must(api.GET('/api/vocabulary')), staleTime: Infinity })
const kinds = useQuery({ queryKey: ['kinds'], queryFn: () => must(api.GET('/api/kinds')) })
const analyses = useQuery({ queryKey: ['analyses'], queryFn: () => must(api.GET('/api/analyses')) })
const scales = [
  { value: 'ratio', title: 'a figure: twice as much is twice as much' }, { value: 'interval', title: 'a figure with an arbitrary zero, such as °C' }, { value: 'level', title: 'a level, such as dB' }, { value: 'share', title: 'a share, in %' },
  { value: 'grade', title: 'a mark of a rubric' }, { value: 'pass', title: 'pass or fail' },
]
interface Row { slug: string; name: string; unit: string; scale: string; better: string; repeatability: string; margin: string; limit: string; levels: string; where: string; formula: string }
const blank = (): Row => ({ slug: '', name: '', unit: '', scale: 'ratio', better: 'higher', repeatability: '', margin: '', limit: '', levels: '', where: '', formula: '' })
const rows = ref<Row[]>([blank()])
const place = (c: Of<'MethodCommand'> | undefined, slug: string) => {
  const f = c?.figures.find((x) => x.measure === slug)
  return f ? (f.pointer ?? f.column ?? f.text ?? (f.time ? `time of ${f.time}` : '')) : ''
}
watch(open, (is) => {
  if (!is) return
  const t = props.test
  rows.value = t ? t.measures.map((m) => ({ slug: m.slug, name: m.name, unit: m.unit, scale: m.scale, better: m.better, repeatability: String(m.repeatability ?? ''), margin: String(m.margin ?? ''), limit: String(m.limit ?? ''), levels: (m.levels ?? []).map((l) => `${l.mark}: ${l.text}`).join('\n'), where: place(t.command, m.slug), formula: m.formula ?? '' })) : [blank()]
}, { immediate: true })
const now = ref<Values>({})
const derived = computed(() => now.value.hands === 'formula') // worked out from other figures
const referred = computed(() => [...(tests.data.value ?? []).flatMap((t) => t.measures.filter((m) => !m.formula).map((m) => ({ value: `${t.slug}/${m.slug}`, title: t.measures.length > 1 ? `${t.name}, ${m.name}` : t.name }))), ...(words.data.value?.specs ?? []).filter((s) => s.type === 'count' || s.type === 'quantity').map((s) => ({ value: `spec/${s.key}`, title: `${s.name} on the spec sheet` })), ...['EUR', 'GBP', 'USD'].map((c) => ({ value: `price/${c}`, title: `Price in ${c}` }))])
const put = (r: Row, ref: unknown) => { if (ref) r.formula = `${r.formula.trim()} {{${String(ref)}}}`.trim() }
const units = computed(() => (words.data.value?.units ?? []).map((u) => ({ value: u.code, title: u.symbol || 'a count', props: { subtitle: u.code } })).sort((a, b) => a.title.length - b.title.length)) // what is typed whole stands first
const conditions = computed(() => (words.data.value?.conditions ?? []).map((c) => ({ value: c.key, title: upper(c.name), props: { subtitle: c.meaning } })))
const groups = computed(() => [...new Set((tests.data.value ?? []).map((t) => t.group))].sort())
const fields = computed<Field[]>(() => [
  { key: 'name', label: 'Name', need: true, placeholder: 'such as Export of a day’s survey' },
  { key: 'about', label: 'What is done, so that the next person does the same', type: 'area' },
  { key: 'group', label: 'Group', need: true, half: true, type: 'select', items: groups.value }, { key: 'repeats', label: 'Repeats', type: 'number', half: true, placeholder: '3' },
  { key: 'hands', label: 'How it is taken', type: 'select', half: true, items: [{ value: 'form', title: 'typed' }, { value: 'stopwatch', title: 'by stopwatch' }, { value: 'grade', title: 'graded' }, { value: 'check', title: 'pass or fail' }, { value: 'formula', title: 'worked out from other figures' }] as unknown as string[] },
  { key: 'subjects', label: 'Kinds of product that it is meant for', type: 'many', items: (kinds.data.value ?? []).map((k) => ({ value: k.kind, title: plain(k.kind) })), hint: 'All if left empty' },
  { key: 'stands_for', label: 'What it means in real use' },
  ...(derived.value ? [] : measured.value),
])
const measured = computed<Field[]>(() => [
  { key: 'must_match', label: 'What must be the same for two figures to be compared', type: 'many', items: conditions.value },
  { key: 'analysis', label: 'What makes its figures of a raw file', type: 'select', items: (analyses.data.value ?? []).map((a) => ({ value: a.name, title: a.title })) },
  { key: 'run', label: 'Program that the agent runs for it, with its arguments', placeholder: 'left empty: a person enters the figures' },
  ...(now.value.run ? [{ key: 'limit', label: 'Ended after, s', type: 'number' as const, half: true, placeholder: '600' }, { key: 'file', label: 'File that it writes', half: true, placeholder: 'none: what it prints is read' }] : []),
])
const initial = computed<Values>(() => {
  const t = props.test
  if (!t) return { repeats: '3', hands: 'form' }
  return { name: t.name, about: t.about ?? '', group: t.group, repeats: String(t.repeats ?? ''), hands: t.measures.some((m) => m.formula) ? 'formula' : (t.hands ?? 'form'), subjects: t.subjects ?? [], must_match: t.must_match ?? [], stands_for: t.stands_for ?? '', analysis: t.analysis ?? '', run: t.command?.run.join(' ') ?? '', limit: t.command ? String(t.command.limit) : '', file: t.command?.file ?? '' }
})
/** Arguments of a command line: blanks part them, quotes hold them together. */
const argumentsOf = (line: string) => [...line.matchAll(/"([^"]*)"|'([^']*)'|(\S+)/g)].map((m) => m[1] ?? m[2] ?? m[3]!)
/** Where a figure stands: a JSON Pointer, the column of a table, or a regular expression around it. */
function figureAt(measure: string, where: string, file: boolean) {
  const from = file ? { from: 'file' } : {}
  if (where.startsWith('/')) return { measure, ...from, pointer: where }
  if (where === 'time of exit') return { measure, time: 'exit' }
  if (/[()\\[\]*+]/.test(where)) return { measure, ...from, text: where }
  return { measure, ...from, column: where }
}
async function save(v: Values) {
  const taken: string[] = []
  const measures = rows.value.filter((r) => r.name.trim()).map((r) => {
    const slug = r.slug || slugOf(r.name, taken)
    taken.push(slug)
    const marks = r.scale === 'grade' ? r.levels.split('\n').map((l) => l.match(/^\s*(-?[\d.]+)\s*[:=]\s*(.+)$/)).filter((m) => m !== null).map((m) => ({ mark: Number(m[1]), text: m[2]!.trim() })) : []
    const plainly = r.scale === 'grade' || r.scale === 'pass'
    const { levels: _, repeatability: __, margin: ___, limit: ____, formula: _____, ...rest } = props.test?.measures.find((m) => m.slug === r.slug) ?? ({} as Partial<Of<'MethodMeasure'>>)
    return {
      ...rest, slug, name: r.name.trim(), unit: plainly ? '1' : r.unit || '1', scale: r.scale, better: r.scale === 'pass' ? 'higher' : r.better,
      ...(r.repeatability ? { repeatability: Number(r.repeatability) } : {}), ...(r.margin ? { margin: Number(r.margin) } : {}), ...(r.limit ? { limit: Number(r.limit) } : {}), ...(marks.length ? { levels: marks } : {}), ...(derived.value ? { formula: r.formula.trim() } : {}),
    }
  })
  if (!measures.length) throw new Error('A test has one measure at least: name it below.')
  const line = derived.value ? '' : String(v.run ?? '').trim()
  const { seconds, limited_by, input, checked } = props.test ?? ({} as Partial<Of<'MethodTest'>>)
  const body = {
    format: 'durvek-test/1', ...(seconds ? { seconds } : {}), ...(limited_by ? { limited_by } : {}), ...(input ? { input } : {}), ...(checked ? { checked } : {}), slug: props.test?.slug ?? slugOf(String(v.name), (tests.data.value ?? []).map((t) => t.slug)), version: (props.test?.version ?? 0) + 1, name: String(v.name).trim(), group: String(v.group), measures,
    ...(v.about ? { about: v.about } : {}), ...(Number(v.repeats) ? { repeats: Number(v.repeats) } : {}), ...((v.subjects as string[]).length ? { subjects: v.subjects } : {}), ...(!derived.value && (v.must_match as string[]).length ? { must_match: v.must_match } : {}),
    ...(v.stands_for ? { stands_for: v.stands_for } : {}), ...(v.analysis && !derived.value ? { analysis: v.analysis } : {}), ...(v.hands && !line && !derived.value ? { hands: v.hands } : {}),
    ...(line ? { command: { run: argumentsOf(line), limit: Number(v.limit) || 600, ...(v.file ? { file: v.file } : {}), figures: rows.value.filter((r) => r.name.trim() && r.where.trim()).map((r) => figureAt(measures.find((m) => m.name === r.name.trim())!.slug, r.where.trim(), !!v.file)) } } : {}),
  }
  const t = await send<Of<'MethodTest'>>('/api/tests', JSON.stringify(body))
  await queries.invalidateQueries({ queryKey: ['tests'] })
  void router.push(`/bench/tests/${t.slug}`)
}
</script>

<template>
  <FormDialog v-model="open" v-model:more="rows" wide :title="test ? `The next version of “${test.name}”` : 'A test of your own'" :about="test ? 'Figures of earlier versions stay as they are; a version is compared with itself.' : ''" act="Save" :fields="fields" :draft="`test ${test?.slug ?? ''}`" :initial="initial" :submit="save" @change="now = $event">
    <h3>Its measures</h3>
    <fieldset v-for="(r, i) in rows" :key="i" class="one">
      <legend class="sr">Measure {{ i + 1 }}</legend>
      <div class="row even"><v-text-field v-model="r.name" :label="`Measure ${i + 1}`" placeholder="such as time, rate, noise" /><v-select v-model="r.scale" label="It is" :items="scales" /></div>
      <div v-if="r.scale !== 'pass' && r.scale !== 'grade'" class="row even"><v-text-field v-if="derived" v-model="r.unit" label="Unit" placeholder="such as GB/EUR, /W, %" /><v-autocomplete v-else v-model="r.unit" label="Unit" :items="units" /><v-select v-model="r.better" label="Better is" :items="['higher', 'lower']" /><v-text-field v-if="!derived" v-model="r.limit" label="Stopped at" /></div>
      <div v-if="derived" class="row even"><v-text-field v-model="r.formula" label="Formula" placeholder="such as {{drive-sequential/read}} / {{price/EUR}}" /><v-autocomplete label="Put a figure in" :items="referred" :model-value="null" @update:model-value="put(r, $event)" /></div>
      <v-textarea v-if="r.scale === 'grade'" v-model="r.levels" label="Marks, a line each" placeholder="1: mushy&#10;5: crisp" rows="3" />
      <div class="row even"><v-text-field v-if="r.scale !== 'pass' && !derived" v-model="r.repeatability" label="Typical scatter of one run" placeholder="0.02 is 2 %" /><v-text-field v-if="r.scale !== 'pass'" v-model="r.margin" label="Difference that does not matter" placeholder="0.02 is 2 %" /><v-text-field v-if="now.run" v-model="r.where" label="Where it stands" placeholder="/results/0/time, a column, or time: (\d+)" /><button v-if="rows.length > 1" type="button" class="plainly small" :aria-label="`Leave out measure ${i + 1}`" @click="rows.splice(i, 1)">Leave out</button></div>
    </fieldset>
    <button type="button" class="plainly small" style="align-self: start" @click="rows.push(blank())">Another measure</button>
  </FormDialog>
</template>

<style scoped>
.one { display: grid; gap: 10px; padding: 10px 0; border: 0; border-top: 1px solid rgb(var(--v-theme-line)); min-width: 0; }
</style>
