<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { api, must } from '../../api/client'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import TwoTraces from './TwoTraces.vue'
import { moment, plain } from '../../parts/words'

// Two runs side by side: what differs, and what their sensors said on one clock.
const route = useRoute()
const a = computed(() => String(route.query.a ?? ''))
const b = computed(() => String(route.query.b ?? ''))
const changed = useQuery({ queryKey: computed(() => ['changed', a.value, b.value]), enabled: computed(() => !!a.value && !!b.value), queryFn: () => must(api.GET('/api/run-changes', { params: { query: { a: a.value, b: b.value } } })) })
const run = (id: typeof a) => useQuery({ queryKey: computed(() => ['run', id.value]), enabled: computed(() => !!id.value), queryFn: () => must(api.GET('/api/runs/{slug}', { params: { path: { slug: id.value } } })) })
const first = run(a)
const second = run(b)
</script>

<template>
  <PageHead title="What changed between two runs" :sub="first.data.value && second.data.value ? `${first.data.value.test_name}, ${first.data.value.title}` : ''">
    <v-btn :to="`/results/changed?a=${b}&b=${a}`">Turn round</v-btn>
    <v-btn to="/results">Runs</v-btn>
  </PageHead>
  <Trouble v-if="changed.error.value" :error="changed.error.value" />
  <div v-if="!a || !b" class="sheet empty">Choose two runs in the <router-link to="/results">list of runs</router-link>.</div>
  <template v-if="changed.data.value">
    <p :class="{ caution: !changed.data.value.comparable }">{{ changed.data.value.sentence }}</p>
    <div class="split wide mt-4">
      <div class="sheet scroll">
        <table aria-label="What changed">
          <thead><tr><th /><th><router-link :to="`/results/${a}`">First</router-link><div v-if="first.data.value" class="soft small">{{ moment(first.data.value.run.started) }}</div></th><th><router-link :to="`/results/${b}`">Second</router-link><div v-if="second.data.value" class="soft small">{{ moment(second.data.value.run.started) }}</div></th><th /></tr></thead>
          <tbody v-for="p in changed.data.value.parts" :key="p.name">
            <tr><th colspan="4" class="section">{{ p.name }}</th></tr>
            <tr v-for="r in p.rows" :key="r.name">
              <td><span :class="{ caution: r.matters }">{{ plain(r.name) }}</span></td>
              <td v-for="(v, i) in [r.a, r.b]" :key="i" :class="{ soft: !v }">{{ v || (p.name === 'How it went' ? '—' : 'unknown') }}</td><td class="small soft">{{ r.says }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <div class="stack">
        <TwoTraces v-if="first.data.value?.sensors.length && second.data.value?.sensors.length" :a="a" :b="b" />
        <p class="soft small">{{ changed.data.value.same }} other things are known for both and the same. What bars comparison, or differs by more than two runs scatter, is marked.</p>
      </div>
    </div>
  </template>
</template>
