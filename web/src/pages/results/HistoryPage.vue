<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must } from '../../api/client'
import { useNames } from '../../parts/names'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { lower } from '../../parts/words'
import { narrowed } from '../compare/asked'
import HistoryLine from './HistoryLine.vue'

// One measure of one unit over months, a picture for each place, host and set of conditions.
const route = useRoute()
const router = useRouter()
const asked = computed(() => {
  const q = route.query as Record<string, string | undefined>
  return { unit: q.unit ?? '', measure: q.measure ?? '', setup: q.setup ?? 'as-delivered', where: q.where ?? '' }
})
const set = (change: Record<string, string | null>) => router.push({ query: { ...asked.value, ...change } as Record<string, string> })
const { unitChoices } = useNames()
const measures = useQuery({ queryKey: ['measures'], queryFn: () => must(api.GET('/api/measures')) })
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const history = useQuery({ queryKey: computed(() => ['history', asked.value]), enabled: computed(() => !!asked.value.unit && !!asked.value.measure), placeholderData: (before) => before, queryFn: () => must(api.GET('/api/histories', { params: { query: { unit: asked.value.unit, measure: asked.value.measure, setup: asked.value.setup, ...narrowed(asked.value.where) } } })) })
</script>

<template>
  <PageHead :title="history.data.value ? `${history.data.value.measure.name}, over time` : 'History of a unit'" :sub="history.data.value ? `${history.data.value.title}, ${history.data.value.unit}` : ''">
    <v-btn v-if="asked.unit" :to="`/results?subject=${asked.unit}`">Its runs</v-btn>
  </PageHead>
  <Trouble v-if="history.error.value" :error="history.error.value" />
  <div class="row mb-4">
    <v-autocomplete label="Unit" :model-value="asked.unit || null" :items="unitChoices" style="max-width: 280px" @update:model-value="set({ unit: $event })" />
    <v-autocomplete label="Measure" :model-value="asked.measure || null" :items="measures.data.value ?? []" item-value="id" item-title="name" style="max-width: 340px" @update:model-value="set({ measure: $event })" />
    <v-select label="Setup" :model-value="asked.setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" style="max-width: 200px" @update:model-value="set({ setup: $event })" />
  </div>
  <div v-if="!asked.unit || !asked.measure" class="sheet empty">Choose a unit and a measure.</div>
  <template v-else-if="history.data.value">
    <section v-for="l in history.data.value.lines" :key="l.differs" class="mb-6"><HistoryLine :line="l" :measure="history.data.value.measure" :unit="history.data.value.unit" /></section>
    <p class="soft small mt-3">Readings that no longer count are left out. To {{ lower('Compare') }} it with rivals, open <router-link :to="`/compare?measure=${asked.measure}`">the ranked chart</router-link>.</p>
  </template>
</template>
