<script lang="ts">
/** A field of a form: what it is called, what may stand in it, and what to know before filling it in. */
export interface Field {
  key: string
  label: string
  type?: 'text' | 'number' | 'date' | 'month' | 'area' | 'select' | 'many' | 'check' | 'free'
  items?: { value: string; title: string }[] | string[]
  hint?: string
  placeholder?: string
  need?: boolean
  half?: boolean
}
export type Values = Record<string, unknown>
</script>
<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useDraft } from './draft'
import Trouble from './Trouble.vue'

// A form in a dialog: what is typed is kept on this device until it is saved or given up.
const props = defineProps<{ title: string; about?: string; act: string; fields: Field[]; draft: string; initial?: Values; submit: (values: Values) => Promise<unknown>; wide?: boolean }>()
const open = defineModel<boolean>({ required: true })
// What a form holds beside its fields, such as rows of a list: it is kept with them.
const more = defineModel<unknown>('more')
const emit = defineEmits<{ done: []; change: [values: Values] }>()
let first: string | undefined // of more, when the form was opened
const blank = (): Values => ({ ...(first === undefined ? {} : { more: JSON.parse(first) }), ...Object.fromEntries(props.fields.map((f) => [f.key, props.initial?.[f.key] ?? (f.type === 'many' || f.type === 'free' ? [] : f.type === 'check' ? false : '')])) })
const { values, load, drop, kept } = useDraft<Values>(() => props.draft, blank)
const trouble = ref<unknown>(null)
const busy = ref(false)
const restored = ref(false)
watch(open, (is) => {
  if (!is) return
  restored.value = kept()
  trouble.value = null
  first = JSON.stringify(more.value)
  load()
  if (first !== undefined) more.value = values.more
}, { immediate: true })
watch(more, (m) => open.value && m !== undefined && m !== values.more && (values.more = m), { deep: true })
watch(values, (v) => emit('change', { ...v }), { deep: true })
const rows = computed(() => {
  const out: Field[][] = []
  for (const f of props.fields) {
    const last = out[out.length - 1]
    if (f.half && last && last.length < 3 && last[0]!.half) last.push(f)
    else out.push([f])
  }
  return out
})
const missing = computed(() => props.fields.filter((f) => f.need && !String(values[f.key] ?? '').trim()).map((f) => f.label))
async function go() {
  if (missing.value.length || busy.value) return
  trouble.value = null
  busy.value = true
  try {
    await props.submit({ ...values })
    drop()
    open.value = false
    emit('done')
  } catch (e) {
    trouble.value = e
  }
  busy.value = false
}
function startAnew() {
  drop()
  load()
  if (first !== undefined) more.value = values.more
  restored.value = false
}
function giveUp() {
  drop()
  open.value = false
}
</script>

<template>
  <v-dialog v-model="open" :max-width="wide ? 860 : 640" :aria-label="title">
    <v-card class="pad">
      <h2 class="plainhead">{{ title }}</h2>
      <p v-if="about" class="soft mb-3">{{ about }}</p>
      <p v-if="restored" class="small" role="status">What you typed before is still here. <button type="button" class="plainly small" @click="startAnew">Begin anew</button></p>
      <Trouble v-if="trouble" :error="trouble" />
      <form class="stack" @submit.prevent="go">
        <slot name="before" :values="values" />
        <div v-for="row in rows" :key="row[0]!.key" :class="{ row: row.length > 1, even: row.length > 1 }">
          <template v-for="f in row" :key="f.key">
            <v-textarea v-if="f.type === 'area'" v-model="values[f.key] as string" :label="f.label" rows="3" :hint="f.hint" :persistent-hint="!!f.hint" />
            <v-autocomplete v-else-if="f.type === 'select' || f.type === 'many'" v-model="values[f.key]" :label="f.label" :items="f.items ?? []" :multiple="f.type === 'many'" :chips="f.type === 'many'" :clearable="!f.need" :hint="f.hint" :persistent-hint="!!f.hint" />
            <v-combobox v-else-if="f.type === 'free'" v-model="values[f.key] as string[]" :label="f.label" :items="f.items ?? []" multiple chips closable-chips :hint="f.hint" :persistent-hint="!!f.hint" />
            <v-checkbox v-else-if="f.type === 'check'" v-model="values[f.key]" :label="f.label" />
            <v-text-field v-else v-model="values[f.key] as string" :label="f.label" :type="f.type ?? 'text'" :step="f.type === 'number' ? 'any' : undefined" :placeholder="f.placeholder" :persistent-placeholder="!!f.placeholder" :hint="f.hint" :persistent-hint="!!f.hint" />
          </template>
        </div>
        <slot :values="values" />
        <div class="row"><span v-if="missing.length" class="soft small">Still needed: {{ missing.join(', ').toLowerCase() }}</span><v-spacer /><v-btn @click="giveUp">Cancel</v-btn><v-btn class="go" type="submit" :loading="busy" :disabled="missing.length > 0">{{ act }}</v-btn></div>
      </form>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.even > * { flex: 1 1 150px; }
</style>
