<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, onBeforeUnmount, ref } from 'vue'
import { api, must } from '../../api/client'
import { progress } from '../../api/events'
import PageHead from '../../parts/PageHead.vue'
import Spark from '../../parts/Spark.vue'
import { figure, lower, span } from '../../parts/words'

// The bench for a second screen: large, nothing to press, what waits for a hand first.
const bench = useQuery({ queryKey: ['bench'], refetchInterval: 30_000, queryFn: () => must(api.GET('/api/bench', { params: { query: { limit: 60 } } })) })
const shown = computed(() => (bench.data.value ?? []).filter((b) => ['running', 'silent', 'waiting'].includes(b.plan.state)).map((b) => ({ b, live: progress.get(b.plan.id) })).sort((a, b) => Number(!!b.live?.ask?.now) - Number(!!a.live?.ask?.now)))
const now = ref(new Date())
const clock = setInterval(() => (now.value = new Date()), 10_000)
onBeforeUnmount(() => clearInterval(clock))
const ends = (left: number) => new Date(now.value.getTime() + 1000 * left).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
</script>

<template>
  <PageHead title="Bench" :sub="now.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })"><router-link class="small" to="/bench">Leave this view</router-link></PageHead>
  <div v-if="bench.data.value && !shown.length" class="sheet empty">Nothing is on the bench.</div>
  <div class="wall">
    <section v-for="{ b, live } in shown" :key="b.plan.id" class="sheet pad" :class="{ hand: live?.ask?.now }">
      <h2 class="plainhead">{{ b.title }}</h2>
      <v-progress-linear :model-value="(100 * (b.done + (live?.share ?? 0))) / Math.max(1, b.jobs)" :aria-label="`${b.done} of ${b.jobs} runs`" />
      <div class="row mt-2"><span>{{ b.done }} of {{ b.jobs }}</span><v-spacer /><span v-if="live && live.left >= 1">{{ span(live.left) }}, until {{ ends(live.left) }}</span></div>
      <p v-if="live?.ask?.now" class="says">{{ live.ask.text }}</p>
      <p v-else-if="b.plan.state === 'silent'" class="caution says">Silent</p>
      <template v-else-if="live"><p class="soft">{{ live.test }}, {{ lower(live.phase) }}</p><p v-if="live.value" class="says">{{ figure(live.value, live.unit) }}</p><Spark :values="live.samples" /></template>
      <p v-else class="soft">{{ b.plan.state === 'waiting' ? 'Waits for its machine' : 'Begins' }}</p>
    </section>
  </div>
</template>

<style scoped>
.wall { display: grid; grid-template-columns: repeat(auto-fill, minmax(340px, 1fr)); gap: 18px; font-size: 17px; }
.says { font-size: 26px; font-weight: 600; margin: 6px 0; }
.hand { background: rgb(var(--v-theme-tie)); }
</style>
