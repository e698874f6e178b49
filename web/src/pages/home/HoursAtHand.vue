<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'
import { span } from '../../parts/words'

// What to put on the bench in the hours that one has: the plan that would settle most.
const queries = useQueryClient()
const hours = ref(localStorage.getItem('hours') ?? '3')
const made = useQuery({ queryKey: computed(() => ['compared', 'schedule', 'today', hours.value]), placeholderData: (b) => b, queryFn: () => must(api.GET('/api/schedule', { params: { query: { minutes: 60 * Number(hours.value) } } })) })
const times = ['0.5', '1', '2', '3', '4', '6', '8', '16'].map((h) => ({ value: h, title: Number(h) < 1 ? '30 minutes' : `${h} hour${h === '1' ? '' : 's'}` }))
const bundles = computed(() => made.data.value?.bundles ?? [])
const trouble = ref<unknown>(null)
const busy = ref(false)
const put = ref(0)
async function putAll() {
  trouble.value = null
  busy.value = true
  put.value = 0
  try {
    for (const b of bundles.value) {
      const steps = b.items.filter((i) => !i.hand).map((i) => ({ test: i.test, repeats: i.repeats }))
      if (!steps.length) continue
      await must(api.POST('/api/plans', { body: { unit: b.unit, setup: b.setup, name: `Scheduled: ${steps.length} ${steps.length === 1 ? 'test' : 'tests'}`, steps } }))
      put.value++
    }
  } catch (e) {
    trouble.value = e
  }
  busy.value = false
  await Promise.all(['bench', 'today', 'compared'].map((k) => queries.invalidateQueries({ queryKey: [k] })))
}
function set(h: string) {
  hours.value = h
  localStorage.setItem('hours', h)
}
</script>

<template>
  <section class="sheet pad" aria-labelledby="hours">
    <div class="row"><h2 id="hours" class="plainhead">If you have</h2><v-select class="few" aria-label="Hours at hand" :model-value="hours" :items="times" @update:model-value="set" /><v-spacer /><router-link class="small" :to="`/compare/next?hours=${hours}`">Why these</router-link></div>
    <Trouble v-if="trouble ?? made.error.value" :error="trouble ?? made.error.value" />
    <div v-if="!made.data.value && !made.error.value" class="waits" aria-busy="true" />
    <template v-if="made.data.value">
      <p class="soft">{{ made.data.value.sentence }}</p>
      <div v-for="b in bundles.slice(0, 5)" :key="b.unit + b.setup" class="bundle"><span>{{ b.name }}</span><span class="soft small">{{ b.items.slice(0, 3).map((i) => i.name).join(', ') }}{{ b.items.length > 3 ? ` and ${b.items.length - 3} more` : '' }}</span><span class="n">{{ span(60 * b.minutes) }}</span></div>
      <div class="row mt-2"><span v-if="put && !busy" role="status">{{ put === 1 ? '1 plan is' : `${put} plans are` }} <router-link to="/bench">on the bench</router-link>.</span><v-spacer /><v-btn v-if="bundles.length" :loading="busy" @click="putAll">{{ bundles.length === 1 ? 'Put it on the bench' : `Put all ${bundles.length} on the bench` }}</v-btn></div>
    </template>
  </section>
</template>

<style scoped>
.few { flex: 0 1 140px; }
.bundle { display: grid; grid-template-columns: minmax(0, 2fr) minmax(0, 3fr) auto; gap: 12px; padding: 7px 0; border-top: 1px solid rgb(var(--v-theme-line)); }
@media (max-width: 860px) { .bundle { grid-template-columns: minmax(0, 1fr) auto; } .bundle > :nth-child(2) { grid-column: 1 / -1; grid-row: 2; } }
</style>
