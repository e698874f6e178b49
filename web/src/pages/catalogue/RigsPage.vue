<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import FormDialog, { type Field, type Values } from '../../parts/FormDialog.vue'
import { slugOf, useNames } from '../../parts/names'
import PageHead from '../../parts/PageHead.vue'
import { tell } from '../../parts/told'
import Trouble from '../../parts/Trouble.vue'
import { money } from '../../parts/words'

// Units put together for a purpose, with what they cost together.
const queries = useQueryClient()
const rigs = useQuery({ queryKey: ['models', 'rigs'], queryFn: () => must(api.GET('/api/rigs')) })
const { unitName, unitChoices } = useNames()
const editing = ref(false)
const known = ref<Of<'CatalogRig'> | null>(null)
const parts = ref<{ unit: string; role: string }[]>([])
function edit(r?: Of<'CatalogRig'>) {
  known.value = r ?? null
  parts.value = (r?.parts ?? [{ unit: '', role: '' }, { unit: '', role: '' }]).map((p) => ({ ...p }))
  editing.value = true
}
const fields = computed<Field[]>(() => [{ key: 'name', label: 'Name', need: true, placeholder: 'such as Open bench with the spare cooler' }, { key: 'notes', label: 'Notes', type: 'area' }])
async function save(v: Values) {
  const slug = known.value?.slug ?? slugOf(String(v.name), (rigs.data.value ?? []).map((r) => r.slug))
  await must(api.POST('/api/rigs', { body: { slug, name: String(v.name), notes: String(v.notes), parts: parts.value.filter((p) => p.unit) } }))
  await queries.invalidateQueries({ queryKey: ['models'] })
}
const currency = ref('EUR')
const costs = useQuery({
  queryKey: computed(() => ['models', 'rigs', 'cost', currency.value, (rigs.data.value ?? []).map((r) => r.slug)]), enabled: computed(() => !!rigs.data.value?.length),
  queryFn: async () => Object.fromEntries(await Promise.all(rigs.data.value!.map(async (r) => [r.slug, await must(api.GET('/api/rigs/{slug}/cost', { params: { path: { slug: r.slug }, query: { currency: currency.value } } }))] as const))),
})
const trouble = ref<unknown>(null)
async function remove(r: Of<'CatalogRig'>) {
  trouble.value = null
  try {
    await must(api.DELETE('/api/books/{kind}/{id}', { params: { path: { kind: 'rig', id: r.slug } } }))
    await queries.invalidateQueries({ queryKey: ['models'] })
    tell(`The rig “${r.name}” is removed.`, async () => {
      await must(api.POST('/api/rigs', { body: r }))
      await queries.invalidateQueries({ queryKey: ['models'] })
    })
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <PageHead title="Rigs" sub="Units put together for a purpose"><v-btn class="go" @click="edit()">New rig</v-btn></PageHead>
  <Trouble v-if="trouble || rigs.error.value" :error="trouble ?? rigs.error.value" />
  <div v-if="!rigs.data.value" class="sheet waits tall" aria-busy="true" />
  <div v-else-if="!rigs.data.value.length" class="sheet empty">No rig yet. A bare board with chip, memory and cooler, or a laptop with an external graphics box, is one: parts are measured in it.</div>
  <div v-else class="sheet scroll">
    <table aria-label="Rigs">
      <thead><tr><th>Rig</th><th>Parts</th><th class="n">Costs, {{ currency }}</th><th><span class="sr">What to do</span></th></tr></thead>
      <tbody>
        <tr v-for="r in rigs.data.value" :key="r.slug">
          <td><strong>{{ r.name }}</strong><div class="soft small">{{ r.notes }}</div></td>
          <td><div v-for="p in r.parts" :key="p.unit + p.role">{{ unitName(p.unit) }}<span v-if="p.role" class="soft">, {{ p.role }}</span></div></td>
          <td class="n"><template v-if="costs.data.value?.[r.slug]">{{ costs.data.value[r.slug]!.missing?.length ? 'not all prices known' : money(costs.data.value[r.slug]!.amount, currency) }}</template></td>
          <td class="n"><button type="button" class="plainly" :aria-label="`Change ${r.name}`" @click="edit(r)">Change</button>&ensp;<button type="button" class="plainly" :aria-label="`Remove ${r.name}`" @click="remove(r)">Remove</button></td>
        </tr>
      </tbody>
    </table>
  </div>
  <FormDialog v-model="editing" v-model:more="parts" :title="known ? `Change “${known.name}”` : 'New rig'" act="Save" :fields="fields" :draft="`rig ${known?.slug ?? ''}`" :initial="known ? { name: known.name, notes: known.notes ?? '' } : {}" :submit="save">
    <div v-for="(p, i) in parts" :key="i" class="row even"><v-autocomplete v-model="p.unit" :label="`Part ${i + 1}`" :items="unitChoices" /><v-text-field v-model="p.role" label="What it does there" /><button type="button" class="plainly small" :aria-label="`Leave out part ${i + 1}`" @click="parts.splice(i, 1)">Leave out</button></div>
    <button type="button" class="plainly small" style="align-self: start" @click="parts.push({ unit: '', role: '' })">Another part</button>
  </FormDialog>
</template>
