<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must, send, type Of } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'
import { number } from '../../parts/words'
import { narrowed, useAsked, useLists } from './asked'
import EditUse from './EditUse.vue'
import Frame from './Frame.vue'

const { fields, measures, setups, uses, fieldName, usualField } = useLists()
const queries = useQueryClient()
const { asked, set } = useAsked(() => ({ use: uses.data.value?.[0]?.slug ?? '', field: usualField(), setup: 'as-delivered', where: '', open: '' }))
const fit = useQuery({
  queryKey: computed(() => ['compared', 'fit', asked.value.use, asked.value.field, asked.value.setup, asked.value.where]),
  enabled: computed(() => !!asked.value.use && fields.data.value !== undefined),
  placeholderData: (before) => before,
  queryFn: () => must(api.GET('/api/fits', { params: { query: { use: asked.value.use, field: asked.value.field, setup: asked.value.setup, ...narrowed(asked.value.where) } } })),
})
const x = fit.data
const trouble = ref<unknown>(null)
async function take(e: Event) {
  const file = (e.target as HTMLInputElement).files?.[0]
  if (!file) return
  trouble.value = null
  try {
    const u = await send<Of<'FitUse'>>('/api/use-files', file)
    await queries.invalidateQueries()
    set({ use: u.slug })
  } catch (x) {
    trouble.value = x
  }
}
const editing = ref(false)
const edited = ref<Of<'FitUse'>>()
function edit(u?: Of<'FitUse'>) {
  edited.value = u
  editing.value = true
}
const name = (id: string) => measures.data.value?.find((m) => m.id === id)?.name ?? id
const words: Record<string, string> = { for: 'right for it', open: 'open', 'not for': 'not for it' }
</script>

<template>
  <Frame :title="x ? `Right for ${x.use.name}?` : 'Fit for a use'" :sub="fieldName(asked.field)">
    <template #acts>
      <label class="v-btn v-btn--variant-outlined btn v-btn--density-default v-btn--size-default">Take in a file<input type="file" class="sr" accept=".yaml,.yml,.json" @change="take"></label>
      <v-btn v-if="x" @click="edit(x.use)">Change it</v-btn>
      <v-btn class="go" @click="edit()">New kind of use</v-btn>
    </template>
    <template #controls>
      <v-select label="Kind of use" :model-value="asked.use" :items="uses.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ use: $event })" />
      <v-select label="Field" :model-value="asked.field" :items="fields.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ field: $event })" />
      <v-select label="Setup" :model-value="asked.setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ setup: $event })" />
      <v-combobox label="Only where" multiple chips closable-chips placeholder="place=left port" :model-value="asked.where.split(';').filter(Boolean)" @update:model-value="set({ where: $event.join(';') })" />
      <div v-if="x" class="small">
        <strong>Needs</strong>
        <div v-for="n in x.use.needs ?? []" :key="n.measure ?? n.spec" class="soft">{{ n.measure ? name(n.measure) : n.spec }}<template v-if="n.least !== undefined"> at least {{ n.least }}</template><template v-if="n.most !== undefined"> at most {{ n.most }}</template> {{ n.unit }}</div>
        <div v-if="!x.use.needs?.length" class="soft">None that must be met.</div>
        <strong>What counts</strong>
        <div v-for="w in x.use.weights" :key="w.measure ?? w.group" class="soft">{{ w.measure ? name(w.measure) : w.group }}: {{ number(w.weight, 2) }}<template v-if="w.curve?.length">; {{ w.curve.map((c) => `${c.at} is worth ${c.worth}`).join(', ') }}</template></div>
      </div>
    </template>
    <div v-if="uses.data.value && !uses.data.value.length" class="sheet empty">No kind of use is known yet. <button type="button" class="plainly" @click="edit()">Make one</button>: what it needs, what counts and how much; or save weights on the <router-link to="/compare/index">index</router-link> as one.</div>
    <Trouble v-if="trouble || fit.error.value" :error="trouble ?? fit.error.value" />
    <div v-if="x" class="sheet scroll">
      <table aria-label="Fit">
        <thead><tr><th>Right for it?</th><th>Variant</th><th class="n">Fit of 100</th><th class="n">95 %</th><th class="n">Measured</th><th>Needs</th></tr></thead>
        <tbody>
          <template v-for="f in x.fits" :key="f.variant">
            <tr>
              <td class="w"><span :class="f.for === 'for' ? 'good' : f.for === 'open' ? 'soft' : 'caution'">{{ words[f.for] }}</span></td>
              <td><router-link :to="{ path: '/compare/index', query: { use: asked.use, field: asked.field, subject: f.variant } }">{{ x.names[f.variant]?.name }}</router-link> <span class="soft">{{ x.names[f.variant]?.note }}</span></td>
              <td class="n"><strong>{{ Math.round(f.score) }}</strong></td>
              <td class="n">{{ Math.round(f.lo) }} to {{ Math.round(f.hi) }}</td>
              <td class="n"><button type="button" class="plainly" @click="set({ open: asked.open === f.variant ? '' : f.variant })">{{ Math.round(100 * f.completeness) }} %</button></td>
              <td class="small"><div v-for="n in f.needs.filter((x) => x.met !== 'met')" :key="n.text"><span class="caution">{{ n.met }}:</span> {{ n.text }}. <span class="soft">{{ n.why }}</span></div><span v-if="f.needs.every((n) => n.met === 'met')" class="soft">{{ f.needs.length ? 'all met' : '' }}</span></td>
            </tr>
            <tr v-if="asked.open === f.variant"><td colspan="6" class="small">
              <div v-if="f.unknown?.length"><strong>Of unknown spread, so their noise is not in the interval:</strong> {{ f.unknown.map(name).join('; ') }}</div>
              <div v-for="p in f.parts" :key="p.measure">{{ name(p.measure) }}: {{ number(p.value) }}, worth {{ p.worth.toFixed(2) }}, with {{ (100 * p.weight).toFixed(1) }} % of the weight</div>
            </td></tr>
          </template>
        </tbody>
      </table>
      <div class="pad soft small">A variant whose needs are not met is not for the use, whatever its fit. What has no curve counts by its share of the field’s best. Where less than 60 % of the weight was measured a variant stands behind the others.</div>
    </div>
  </Frame>
  <EditUse v-model="editing" :use="edited" @done="set({ use: $event })" />
</template>
