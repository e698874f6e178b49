<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import FormDialog, { type Field, type Values } from '../../parts/FormDialog.vue'
import { useNames } from '../../parts/names'
import { useSymbols } from '../../parts/symbols'

// What a maker or seller says: the measure that can judge it is proposed by what one types.
const props = defineProps<{ variant: string }>()
const open = defineModel<boolean>({ required: true })
const queries = useQueryClient()
const symbol = useSymbols()
const { tests } = useNames()
const measures = computed(() => (tests.data.value ?? []).filter((t) => !t.of || t.slug.endsWith('-sustained')).flatMap((t) => t.measures.map((m) => ({ value: `${t.slug}/${m.slug}`, title: `${t.name}, ${m.name}`, unit: m.unit, props: { subtitle: [t.group, symbol(m.unit)].filter(Boolean).join(', ') } }))))
const now = ref<Values>({})
const unit = computed(() => symbol(measures.value.find((m) => m.value === now.value.measure)?.unit))
const fields = computed<Field[]>(() => [
  { key: 'measure', label: 'What it is about: the measure that can judge it', type: 'select', need: true, items: measures.value, hint: 'Type a word of it: read, battery, weight, noise …' },
  { key: 'qualifier', label: 'Small print', type: 'select', half: true, items: [{ value: 'exact', title: 'none' }, 'up to', 'at least', 'at most', 'typical'] as unknown as string[] },
  { key: 'value', label: unit.value ? `Value, ${unit.value}` : 'Value', need: true, half: true },
  { key: 'unit', label: 'Unit, where it is another', half: true, placeholder: unit.value },
  { key: 'source', label: 'Where it stands', type: 'text', need: true, half: true, placeholder: 'box, spec sheet, product page' },
  { key: 'date', label: 'Seen on', type: 'date', half: true },
  { key: 'place', label: 'Port, slot, screen or surface that it is made for' },
  { key: 'link', label: 'Link that it names', placeholder: 'such as USB 10 Gbit/s' },
  { key: 'conditions', label: 'Conditions that it is made for', type: 'free', hint: 'As condition=value, such as display.luminance=200 cd/m²' },
])
async function save(v: Values) {
  const value = Number(String(v.value).replace(/\s/g, '').replace(',', '.'))
  if (!Number.isFinite(value)) throw new Error(`The value is a number, not “${String(v.value)}”.`)
  const conditions = Object.fromEntries((v.conditions as string[]).map((c) => c.split(/=(.*)/s)).filter((p) => p[0] && p[1]).map((p) => [p[0]!.trim(), p[1]!.trim()]))
  await must(api.POST('/api/claims', { body: { variant: props.variant, measure: String(v.measure), value, unit: String(v.unit || unit.value || '1'), qualifier: (v.qualifier || 'exact') as Of<'CatalogClaim'>['qualifier'], source: String(v.source), date: String(v.date), place: String(v.place), link: String(v.link), conditions } }))
  await queries.invalidateQueries()
}
</script>

<template>
  <FormDialog v-model="open" title="Note a claim" act="Note it" :fields="fields" :draft="`claim ${variant}`" :initial="{ qualifier: 'exact' }" :submit="save" @change="now = $event" />
</template>
