<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import FormDialog, { type Field, type Values } from '../../parts/FormDialog.vue'
import { slugOf } from '../../parts/names'
import PageHead from '../../parts/PageHead.vue'
import { tell } from '../../parts/told'
import Trouble from '../../parts/Trouble.vue'
import { upper } from '../../parts/words'

// Setups, named sets of conditions; and the conditions of the desk's own that they may name.
const queries = useQueryClient()
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const words = useQuery({ queryKey: ['vocabulary'], queryFn: () => must(api.GET('/api/vocabulary')), staleTime: Infinity })
const own = useQuery({ queryKey: ['conditions'], queryFn: () => must(api.GET('/api/conditions')) })
const keys = computed(() => [...(words.data.value?.conditions ?? []), ...(own.data.value ?? [])])
const called = (key: string) => keys.value.find((k) => k.key === key)?.name ?? key
const editing = ref(false)
const known = ref<Of<'MethodSetup'> | null>(null)
const rows = ref<{ key: string; value: string }[]>([])
function edit(s?: Of<'MethodSetup'>) {
  known.value = s ?? null
  rows.value = Object.entries(s?.conditions ?? { supply: 'mains' }).map(([key, value]) => ({ key, value }))
  editing.value = true
}
const fields = computed<Field[]>(() => [
  { key: 'name', label: 'Name', need: true, placeholder: 'such as Mains, quiet mode' },
  { key: 'hands', label: 'What a person does to bring a machine into it', type: 'area', hint: 'Made of the conditions if left empty' },
  { key: 'raised', label: 'A mode beside the default one: shown beneath its variant, not ranked with the others', type: 'check' },
])
async function save(v: Values) {
  const conditions = Object.fromEntries(rows.value.filter((r) => r.key && r.value).map((r) => [r.key, r.value]))
  const slug = known.value?.slug ?? slugOf(String(v.name), (setups.data.value ?? []).map((s) => s.slug))
  await must(api.POST('/api/setups', { body: { slug, name: String(v.name), hands: String(v.hands), raised: !!v.raised, conditions } }))
  await queries.invalidateQueries({ queryKey: ['setups'] })
}
const adding = ref(false)
const conditionFields: Field[] = [
  { key: 'name', label: 'Name', need: true, placeholder: 'such as Lid' },
  { key: 'meaning', label: 'What it means, and what values it takes', type: 'area', need: true },
]
async function addCondition(v: Values) {
  const key = `own.${slugOf(String(v.name), (own.data.value ?? []).map((c) => c.key.slice(4)))}`
  await must(api.POST('/api/conditions', { body: { key, name: String(v.name), meaning: String(v.meaning) } }))
  await Promise.all([queries.invalidateQueries({ queryKey: ['conditions'] }), queries.invalidateQueries({ queryKey: ['vocabulary'] })])
}
const trouble = ref<unknown>(null)
async function remove(s: Of<'MethodSetup'>) {
  trouble.value = null
  try {
    await must(api.DELETE('/api/books/{kind}/{id}', { params: { path: { kind: 'setup', id: s.slug } } }))
    await queries.invalidateQueries({ queryKey: ['setups'] })
    tell(`The setup “${s.name}” is removed.`, async () => {
      await must(api.POST('/api/setups', { body: s }))
      await queries.invalidateQueries({ queryKey: ['setups'] })
    })
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <PageHead title="Setups and conditions" sub="Named sets of conditions that machines are measured under">
    <v-btn @click="adding = true">New condition</v-btn>
    <v-btn class="go" @click="edit()">New setup</v-btn>
  </PageHead>
  <Trouble v-if="trouble || setups.error.value" :error="trouble ?? setups.error.value" />
  <div v-if="!setups.data.value" class="sheet waits tall" aria-busy="true" />
  <div v-else class="sheet scroll">
    <table aria-label="Setups">
      <thead><tr><th>Setup</th><th>Conditions</th><th>By hand</th><th><span class="sr">What to do</span></th></tr></thead>
      <tbody>
        <tr v-for="s in setups.data.value" :id="s.slug" :key="s.slug">
          <td><strong>{{ s.name }}</strong><div v-if="s.raised" class="soft small">a mode, shown beneath its variant</div></td>
          <td>{{ Object.entries(s.conditions).map(([k, v]) => `${called(k)}: ${v}`).join('; ') }}</td>
          <td class="soft">{{ s.hands }}</td>
          <td class="n"><template v-if="s.slug !== 'as-delivered'"><button type="button" class="plainly" :aria-label="`Change ${s.name}`" @click="edit(s)">Change</button>&ensp;<button type="button" class="plainly" :aria-label="`Remove ${s.name}`" @click="remove(s)">Remove</button></template></td>
        </tr>
      </tbody>
    </table>
  </div>
  <h2>Conditions of your own</h2>
  <div class="sheet scroll">
    <table aria-label="Conditions of your own"><tbody>
      <tr v-for="c in own.data.value ?? []" :key="c.key"><td><strong>{{ c.name }}</strong></td><td>{{ c.meaning }}</td></tr>
      <tr v-if="own.data.value && !own.data.value.length"><td class="soft">None. The built-in ones cover supply, modes, screens, links and versions; what else must match, such as a lid that is open or shut, is added here.</td></tr>
    </tbody></table>
  </div>
  <FormDialog v-model="editing" v-model:more="rows" :title="known ? `Change “${known.name}”` : 'New setup'" act="Save" :fields="fields" :draft="`setup ${known?.slug ?? ''}`" :initial="known ? { name: known.name, hands: known.hands ?? '', raised: !!known.raised } : {}" :submit="save">
    <datalist id="supplies"><option value="mains" /><option value="battery" /></datalist>
    <div v-for="(r, i) in rows" :key="i" class="row even">
      <v-autocomplete v-model="r.key" :label="`Condition ${i + 1}`" :items="keys.map((k) => ({ value: k.key, title: upper(k.name), props: { subtitle: k.meaning } }))" />
      <v-text-field v-model="r.value" :label="`Value ${i + 1}`" :list="r.key === 'supply' ? 'supplies' : undefined" autocomplete="off" />
      <button type="button" class="plainly small" :aria-label="`Leave out condition ${i + 1}`" @click="rows.splice(i, 1)">Leave out</button>
    </div>
    <button type="button" class="plainly small" style="align-self: start" @click="rows.push({ key: '', value: '' })">Another condition</button>
  </FormDialog>
  <FormDialog v-model="adding" title="New condition" act="Add it" :fields="conditionFields" draft="condition" :submit="addCondition" />
</template>
