<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'
import { span } from '../../parts/words'
import { hoursAtHand, usePutAll } from '../compare/scheduled'

// What to put on the bench in the hours that one has: the plan that would settle most.
const hours = ref(localStorage.getItem('hours') ?? '3')
const made = useQuery({ queryKey: computed(() => ['compared', 'schedule', 'today', hours.value]), placeholderData: (b) => b, queryFn: () => must(api.GET('/api/schedule', { params: { query: { minutes: 60 * Number(hours.value) } } })) })
const bundles = computed(() => made.data.value?.bundles ?? [])
const { trouble, busy, put, putAll } = usePutAll()
function set(h: string) {
  hours.value = h
  localStorage.setItem('hours', h)
}
</script>

<template>
  <section class="sheet pad" aria-labelledby="hours">
    <div class="row"><h2 id="hours" class="plainhead">If you have</h2><v-select class="few" aria-label="Hours at hand" :model-value="hours" :items="hoursAtHand" @update:model-value="set" /><v-spacer /><router-link class="small" :to="`/compare/next?hours=${hours}`">Why these</router-link></div>
    <Trouble v-if="trouble ?? made.error.value" :error="trouble ?? made.error.value" />
    <div v-if="!made.data.value && !made.error.value" class="waits" aria-busy="true" />
    <template v-if="made.data.value">
      <p class="soft">{{ made.data.value.sentence }}</p>
      <div v-for="b in bundles.slice(0, 5)" :key="b.unit + b.setup" class="bundle"><span>{{ b.name }}</span><span class="soft small">{{ b.items.slice(0, 3).map((i) => i.name).join(', ') }}{{ b.items.length > 3 ? ` and ${b.items.length - 3} more` : '' }}</span><span class="n">{{ span(60 * b.minutes) }}</span></div>
      <div class="row mt-2"><span v-if="put && !busy" role="status">{{ put === 1 ? '1 plan is' : `${put} plans are` }} <router-link to="/bench">on the bench</router-link>.</span><v-spacer /><v-btn v-if="bundles.length" :loading="busy" @click="putAll(bundles)">{{ bundles.length === 1 ? 'Put it on the bench' : `Put all ${bundles.length} on the bench` }}</v-btn></div>
    </template>
  </section>
</template>

<style scoped>
.few { flex: 0 1 140px; }
.bundle { display: grid; grid-template-columns: minmax(0, 2fr) minmax(0, 3fr) auto; gap: 12px; padding: 7px 0; border-top: 1px solid rgb(var(--v-theme-line)); }
@media (max-width: 860px) { .bundle { grid-template-columns: minmax(0, 1fr) auto; } .bundle > :nth-child(2) { grid-column: 1 / -1; grid-row: 2; } }
</style>
