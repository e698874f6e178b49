<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must } from '../../api/client'
import { readTable, useSpec } from './spec'

// A spec sheet by sections: typed, suggested from what other variants have, or pasted as a maker publishes it.
const texts = defineModel<Record<string, string>>({ required: true })
const { keys, grouped, unit } = useSpec()
const variants = useQuery({ queryKey: ['models', 'variants'], queryFn: () => must(api.GET('/api/variants')) })
const suggested = computed(() => {
  const out: Record<string, Set<string>> = {}
  for (const v of variants.data.value ?? []) for (const [k, x] of Object.entries(v.spec ?? {})) if ((out[k] ??= new Set()).size < 40) out[k]!.add(String(x))
  return out
})
const own = computed(() => Object.keys(texts.value).filter((k) => k.startsWith('own.')))
const pasting = ref(false)
const pasted = ref('')
const rows = computed(() => readTable(pasted.value, keys.value))
const chosen = ref<Record<number, string>>({})
const items = computed(() => [{ value: '', title: 'leave out' }, ...keys.value.map((k) => ({ value: k.key, title: k.name }))])
function take() {
  const into = { ...texts.value }
  rows.value.forEach((r, i) => {
    const key = chosen.value[i] ?? r.key
    if (key) into[key] = r.value
  })
  texts.value = into
  pasting.value = false
  pasted.value = ''
  chosen.value = {}
}
const set = (key: string, v: string) => (texts.value = { ...texts.value, [key]: v ?? '' })
const adding = ref('')
function addOwn() {
  const key = `own.${adding.value.toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-|-$/g, '')}`
  if (key !== 'own.') set(key, texts.value[key] ?? '')
  adding.value = ''
}
</script>

<template>
  <div>
    <div class="row mb-2"><strong>Spec sheet</strong><v-spacer /><button type="button" class="plainly small" @click="pasting = !pasting">{{ pasting ? 'Type it instead' : 'Paste a maker’s table' }}</button></div>
    <template v-if="pasting">
      <v-textarea v-model="pasted" label="Lines as on the maker’s page: name, then value" rows="5" hint="A table copied from a page or a spreadsheet, or “Memory: 16 GiB” line by line" persistent-hint />
      <div v-if="rows.length" class="sheet scroll mt-2">
        <table aria-label="What the table means"><thead><tr><th>Theirs</th><th>Value</th><th>Ours</th></tr></thead>
          <tbody><tr v-for="(r, i) in rows" :key="i"><td>{{ r.name }}</td><td>{{ r.value }}</td><td><v-autocomplete :aria-label="`What ${r.name} means`" :model-value="chosen[i] ?? r.key" :items="items" @update:model-value="chosen[i] = $event ?? ''" /></td></tr></tbody>
        </table>
      </div>
      <div class="row mt-2"><v-spacer /><v-btn :disabled="!rows.length" @click="take">Take these over</v-btn></div>
    </template>
    <template v-else>
      <details v-for="[name, list] in grouped" :key="name" :open="list.some((k) => texts[k.key])">
        <summary>{{ name }} <span class="soft small">{{ list.filter((k) => texts[k.key]).length || '' }}</span></summary>
        <div class="keys">
          <template v-for="k in list" :key="k.key">
            <v-text-field :label="k.name + (unit(k) ? `, ${unit(k)}` : '')" :model-value="texts[k.key] ?? ''" :list="`had-${k.key}`" autocomplete="off" :title="k.meaning" clearable @update:model-value="set(k.key, String($event ?? ''))" />
            <datalist :id="`had-${k.key}`"><option v-for="v in suggested[k.key] ?? []" :key="v" :value="v" /></datalist>
          </template>
        </div>
      </details>
      <details :open="own.length > 0">
        <summary>Entries of your own</summary>
        <div class="keys">
          <v-text-field v-for="k in own" :key="k" :label="k.slice(4).replaceAll('-', ' ')" :model-value="texts[k]" clearable @update:model-value="set(k, $event)" />
          <v-text-field v-model="adding" label="Name of another entry" @keydown.enter.prevent="addOwn" @blur="addOwn" />
        </div>
      </details>
    </template>
  </div>
</template>

<style scoped>
summary { cursor: pointer; padding: 6px 0; min-height: 24px; }
.keys { display: grid; grid-template-columns: repeat(auto-fill, minmax(210px, 1fr)); gap: 10px; padding: 4px 0 10px; }
</style>
