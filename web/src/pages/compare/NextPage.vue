<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'
import { span } from '../../parts/words'
import { useAsked, useLists } from './asked'
import Frame from './Frame.vue'
import Schedule from './Schedule.vue'

const queries = useQueryClient()
const { fields, uses, choices, title, measured, fieldName, usualField } = useLists()
const { asked, set } = useAsked(() => ({ field: usualField(), use: '', variant: '', measure: '', most: '20', hours: '3', least: '1' }))
const of = computed(() => [asked.value.field, asked.value.use, asked.value.variant, asked.value.measure, asked.value.most])
const next = useQuery({
  queryKey: computed(() => ['compared', 'next', ...of.value]),
  enabled: computed(() => fields.data.value !== undefined),
  placeholderData: (before) => before,
  queryFn: () => must(api.GET('/api/suggestions', { params: { query: { field: asked.value.field, use: asked.value.use, variant: asked.value.variant, measure: asked.value.measure, most: Number(asked.value.most) } } })),
})
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const testName = (slug: string) => tests.data.value?.find((t) => t.slug === slug)?.name ?? slug
const trouble = ref<unknown>(null)
const added = ref<Record<string, string>>({})
const key = (s: Of<'RankingSuggestion'>) => `${s.variant} ${s.test} ${s.setup}`
async function put(s: Of<'RankingSuggestion'>) {
  trouble.value = null
  try {
    const p = await must(api.POST('/api/plans', { body: { unit: s.unit!, setup: s.setup, name: `Suggested: ${s.test}`, steps: [{ test: s.test, repeats: s.repeats }] } }))
    added.value[key(s)] = p.id
    await queries.invalidateQueries({ queryKey: ['bench'] })
  } catch (e) {
    trouble.value = e
  }
}
const minutes = computed(() => (next.data.value ?? []).filter((s) => s.unit).reduce((sum, s) => sum + s.minutes, 0))
</script>

<template>
  <Frame title="What to test next" :sub="next.data.value ? `${fieldName(asked.field)}: ${next.data.value.length} suggestions, ${span(60 * minutes)} of bench time together` : ''">
    <template #controls>
      <v-select label="Field" :model-value="asked.field" :items="fields.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ field: $event })" />
      <v-select label="Only what counts for" clearable :model-value="asked.use || null" :items="uses.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ use: $event })" />
      <v-autocomplete label="Only this variant" clearable :model-value="asked.variant || null" :items="choices" @update:model-value="set({ variant: $event })" />
      <v-autocomplete label="Only this measure" clearable :model-value="asked.measure || null" :items="measured" @update:model-value="set({ measure: $event })" />
      <p class="soft small">In order of what each would settle in an hour: places by which standings would narrow, and claims that it could decide. Samples that are not on the desk, and figures that a sibling’s can stand in for, come last.</p>
    </template>
    <Trouble v-if="trouble ?? next.error.value" :error="trouble ?? next.error.value" />
    <Schedule v-if="!asked.measure && fields.data.value" :field="asked.field" :use="asked.use" :variant="asked.variant" :hours="asked.hours" :least="asked.least" @set="set" />
    <h2 v-if="!asked.measure">Test by test</h2>
    <div v-if="next.data.value && !next.data.value.length" class="sheet empty">Nothing is missing and no tie would part with a few more repeats.</div>
    <div v-else class="sheet scroll">
      <table aria-label="What to test next">
        <thead><tr><th>What</th><th class="n">Bench time</th><th class="n">Places</th><th class="n">Claims</th><th>Why</th><th /></tr></thead>
        <tbody>
          <tr v-for="s in next.data.value" :key="key(s)">
            <td class="wide"><router-link :to="`/bench/tests/${s.test}`">{{ testName(s.test) }}</router-link>, {{ s.repeats }} repeats<div class="soft small">{{ title(s.variant) }}</div></td>
            <td class="n">{{ span(60 * s.minutes) }}</td>
            <td class="n">{{ s.places.toFixed(1) }}</td>
            <td class="n">{{ s.claims || '·' }}</td>
            <td class="small">{{ s.why }}</td>
            <td class="w"><router-link v-if="added[key(s)]" to="/bench">On the bench</router-link><v-btn v-else-if="s.unit" size="small" @click="put(s)">Put on the bench</v-btn><span v-else class="soft small">no sample here</span></td>
          </tr>
        </tbody>
      </table>
    </div>
    <div v-if="(next.data.value?.length ?? 0) >= Number(asked.most)" class="mt-3"><v-btn @click="set({ most: String(Number(asked.most) + 20) })">Show more</v-btn></div>
  </Frame>
</template>
