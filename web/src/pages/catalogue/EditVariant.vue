<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, must, type Of } from '../../api/client'
import FormDialog, { type Field, type Values } from '../../parts/FormDialog.vue'
import { useSpec } from './spec'
import SpecEditor from './SpecEditor.vue'

// A variant's name and spec sheet: a new one begins with its sibling's.
const props = defineProps<{ model: string; variant?: Of<'CatalogDossierVariant'>; sibling?: Of<'CatalogDossierVariant'> }>()
const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ done: [] }>()
const queries = useQueryClient()
const { sheet, texts } = useSpec()
const spec = ref<Record<string, string>>({})
watch(open, (is) => is && (spec.value = texts((props.variant ?? props.sibling)?.spec as Record<string, unknown>)), { immediate: true })
const fields = computed<Field[]>(() => [
  { key: 'name', label: 'What sets it apart', need: true, placeholder: 'such as 16 GiB, 512 GB' },
  { key: 'notes', label: 'Notes', type: 'area' },
])
async function save(v: Values) {
  const now = sheet(spec.value)
  const gone = Object.keys(props.variant?.spec ?? {}).filter((k) => !(k in now))
  const kept = await must(api.POST('/api/variants', { body: { ...(props.variant ? { slug: props.variant.slug } : {}), model: props.model, name: String(v.name), notes: String(v.notes), spec: now } }))
  if (gone.length) await must(api.POST('/api/clearings', { body: { kind: 'variant', slug: kept.slug!, parts: gone.map((k) => `spec.${k}`) } }))
  await queries.invalidateQueries()
}
</script>

<template>
  <FormDialog v-model="open" v-model:more="spec" wide :title="variant ? 'Change the variant' : 'New variant'" :about="sibling && !variant ? `The sheet of ${sibling.name} is filled in; change what differs.` : ''" act="Save" :fields="fields" :draft="`variant ${variant?.slug ?? model}`" :initial="variant ? { name: variant.name ?? '', notes: variant.notes ?? '' } : {}" :submit="save" @done="emit('done')">
    <SpecEditor v-model="spec" />
  </FormDialog>
</template>
