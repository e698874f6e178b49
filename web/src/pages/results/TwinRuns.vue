<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useNames } from '../../parts/names'
import { tell } from '../../parts/told'
import Trouble from '../../parts/Trouble.vue'
import { moment } from '../../parts/words'

// Runs of one test on one unit whose figures are the same in every digit: one of each pair is probably a copy.
const props = defineProps<{ unit: string }>()
const queries = useQueryClient()
const { testName } = useNames()
const twins = useQuery({ queryKey: computed(() => ['runs', 'twins', props.unit]), queryFn: () => must(api.GET('/api/run-twins', { params: { query: { unit: props.unit } } })) })
const trouble = ref<unknown>(null)
async function merge(t: Of<'ResultsTwin'>) {
  trouble.value = null
  const correct = (body: Of<'ResultsCorrection'>) => must(api.POST('/api/runs/{slug}/corrections', { params: { path: { slug: t.drop.id } }, body }))
  try {
    await correct({ do: 'merge', into: t.keep.id, reason: 'the same in every digit' })
    await queries.invalidateQueries()
    tell('The copy no longer counts.', async () => {
      await correct({ do: 'restore', reason: 'taken back' })
      await queries.invalidateQueries()
    })
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <div v-if="twins.data.value?.length" class="sheet pad mb-4" role="status">
    <strong>{{ twins.data.value.length === 1 ? 'Two runs are' : `${twins.data.value.length} pairs of runs are` }} the same in every digit.</strong> One of each is probably a copy.
    <Trouble v-if="trouble" :error="trouble" />
    <div v-for="t in twins.data.value" :key="t.drop.id" class="row mt-2"><router-link :to="`/results/changed?a=${t.keep.id}&b=${t.drop.id}`">{{ testName(t.keep.test) }}, {{ moment(t.keep.started) }} and {{ moment(t.drop.started) }}</router-link><v-spacer /><v-btn size="small" @click="merge(t)">The later one is a copy</v-btn></div>
  </div>
</template>
