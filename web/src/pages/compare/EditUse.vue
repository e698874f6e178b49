<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, must, type Of } from '../../api/client'
import FormDialog, { type Field, type Values } from '../../parts/FormDialog.vue'
import { slugOf } from '../../parts/names'
import { useSymbols } from '../../parts/symbols'
import WorthCurve from './WorthCurve.vue'

// A kind of use: what must be met, what counts and how much, and what values are worth, drawn by hand.
const props = defineProps<{ use?: Of<'FitUse'> }>()
const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ done: [slug: string] }>()
const queries = useQueryClient()
const symbol = useSymbols()
const measures = useQuery({ queryKey: ['measures'], queryFn: () => must(api.GET('/api/measures')) })
const uses = useQuery({ queryKey: ['uses'], queryFn: () => must(api.GET('/api/uses')) })
const words = useQuery({ queryKey: ['vocabulary'], queryFn: () => must(api.GET('/api/vocabulary')), staleTime: Infinity })
const groups = computed(() => [...new Set((measures.data.value ?? []).map((m) => m.group))])
const items = computed(() => (measures.data.value ?? []).map((m) => ({ value: m.id, title: m.name, props: { subtitle: m.id } })))
const specs = computed(() => (words.data.value?.specs ?? []).filter((k) => k.type === 'quantity' || k.type === 'count').map((k) => ({ value: `spec/${k.key}`, title: `${k.name}, on the spec sheet` })))
const counted = computed(() => [...groups.value.map((g) => ({ value: `group/${g}`, title: `All of ${g}, evenly` })), ...items.value])
interface Need { what: string; least: string; most: string }
interface Weight { what: string; weight: string; curve: Of<'FitWorth'>[] }
const told = ref<{ needs: Need[]; weights: Weight[] }>({ needs: [], weights: [] })
const needs = computed(() => told.value.needs)
const weights = computed(() => told.value.weights)
watch(open, (is) => {
  if (!is) return
  const needs = (props.use?.needs ?? []).map((n) => ({ what: n.measure ?? `spec/${n.spec}`, least: String(n.least ?? ''), most: String(n.most ?? '') }))
  const weights = (props.use?.weights ?? [{ measure: '', weight: 1 } as Of<'FitWeight'>]).map((w) => ({ what: w.measure ?? `group/${w.group}`, weight: String(w.weight), curve: (w.curve ?? []).map((c) => ({ ...c })) }))
  told.value = { needs, weights }
}, { immediate: true })
const unitOf = (what: string) => {
  if (what.startsWith('spec/')) return words.data.value?.specs.find((k) => `spec/${k.key}` === what)?.unit ?? '1'
  return measures.data.value?.find((m) => m.id === what)?.unit ?? '1'
}
const fields: Field[] = [{ key: 'name', label: 'Name, as in “right for the chart room”', need: true }]
async function save(v: Values) {
  const number = (s: string) => (s.trim() ? Number(s.replace(',', '.')) : undefined)
  const slug = props.use?.slug ?? slugOf(String(v.name), (uses.data.value ?? []).map((u) => u.slug))
  await must(api.POST('/api/uses', { body: {
    slug, name: String(v.name),
    needs: needs.value.filter((n) => n.what && (n.least || n.most)).map((n) => ({ ...(n.what.startsWith('spec/') ? { spec: n.what.slice(5) } : { measure: n.what }), least: number(n.least), most: number(n.most), unit: unitOf(n.what) || '1' })),
    weights: weights.value.filter((w) => w.what && Number(w.weight) > 0).map((w) => ({ ...(w.what.startsWith('group/') ? { group: w.what.slice(6) } : { measure: w.what }), weight: Number(w.weight), ...(w.curve.length > 1 && !w.what.startsWith('group/') ? { curve: w.curve, unit: unitOf(w.what) } : {}) })),
  } }))
  await queries.invalidateQueries()
  emit('done', slug)
}
</script>

<template>
  <FormDialog v-model="open" v-model:more="told" wide :title="use ? `Change “${use.name}”` : 'A kind of use'" act="Save" :fields="fields" :draft="`use ${use?.slug ?? ''}`" :initial="{ name: use?.name ?? '' }" :submit="save">
    <h3>What must be met</h3>
    <div v-for="(n, i) in needs" :key="`n${i}`" class="row even">
      <v-autocomplete v-model="n.what" :label="`Need ${i + 1}`" :items="[...items, ...specs]" />
      <v-text-field v-model="n.least" :label="`At least${n.what ? `, ${symbol(unitOf(n.what))}` : ''}`" /><v-text-field v-model="n.most" label="At most" />
      <button type="button" class="plainly small" :aria-label="`Leave out need ${i + 1}`" @click="needs.splice(i, 1)">Leave out</button>
    </div>
    <button type="button" class="plainly small" style="align-self: start" @click="needs.push({ what: '', least: '', most: '' })">Another need</button>
    <h3>What counts, and how much</h3>
    <template v-for="(w, i) in weights" :key="`w${i}`">
      <div class="row even">
        <v-autocomplete v-model="w.what" :label="`Weight ${i + 1}`" :items="counted" />
        <v-text-field v-model="w.weight" label="Counts" type="number" min="0" step="0.5" />
        <button v-if="w.what && !w.what.startsWith('group/')" type="button" class="plainly small" @click="w.curve = w.curve.length ? [] : [{ at: 0, worth: 0 }, { at: 100, worth: 1 }]">{{ w.curve.length ? 'By its share of the best' : 'Say what values are worth' }}</button>
        <button type="button" class="plainly small" :aria-label="`Leave out weight ${i + 1}`" @click="weights.splice(i, 1)">Leave out</button>
      </div>
      <WorthCurve v-if="w.curve.length" v-model="w.curve" :unit="symbol(unitOf(w.what))" />
    </template>
    <button type="button" class="plainly small" style="align-self: start" @click="weights.push({ what: '', weight: '1', curve: [] })">Another weight</button>
  </FormDialog>
</template>
