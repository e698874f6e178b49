<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must } from '../../api/client'
import { progress } from '../../api/events'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { lower, moment, span } from '../../parts/words'
import AddDevice from '../catalogue/AddDevice.vue'
import HoursAtHand from './HoursAtHand.vue'
import OnTheBench from './OnTheBench.vue'
import StartGuide from './StartGuide.vue'

// What runs, what waits for a hand, what is doubted and why, what was decided, what to do with the hours at hand.
const queries = useQueryClient()
const today = useQuery({ queryKey: ['today'], refetchInterval: 60_000, queryFn: () => must(api.GET('/api/today')) })
const t = today.data
const me = useQuery({ queryKey: ['me'], queryFn: () => must(api.GET('/api/me')), staleTime: Infinity })
const owner = computed(() => me.data.value?.role === 'owner')
const entries = useQuery({ queryKey: ['entries'], enabled: owner, queryFn: () => must(api.GET('/api/entries')) })
const reviews = useQuery({ queryKey: ['reviews'], enabled: computed(() => (t.value?.holds.reviews ?? 0) > 0), queryFn: () => must(api.GET('/api/reviews')) })
const fresh = computed(() => t.value !== undefined && (t.value.holds.units === t.value.holds.examples || t.value.holds.editions === 0))
const hidden = ref(localStorage.getItem('guide') === 'hidden')
const guided = computed(() => fresh.value && !hidden.value)
function hide(is: boolean) {
  hidden.value = is
  if (is) localStorage.setItem('guide', 'hidden')
  else localStorage.removeItem('guide')
}
const asks = computed(() => (t.value?.measuring ?? []).flatMap((b) => {
  const ask = progress.get(b.plan.id)?.ask ?? b.progress?.ask
  return ask?.now ? [{ b, ask }] : []
}))
const sub = computed(() => {
  if (!t.value) return ''
  const n = t.value.measuring.length
  const waits = asks.value.length
  return [n === 1 ? '1 machine is measuring' : n ? `${n} machines are measuring` : 'Nothing is measured now', waits === 1 ? '1 thing waits for you' : waits ? `${waits} things wait for you` : ''].filter(Boolean).join(', ')
})
const trouble = ref<unknown>(null)
async function done(plan: string, ask: string) {
  trouble.value = null
  try {
    await must(api.POST('/api/plans/{slug}/confirmations', { params: { path: { slug: plan } }, body: { ask } }))
    await queries.invalidateQueries({ queryKey: ['today'] })
  } catch (e) {
    trouble.value = e
  }
}
const adding = ref(false)
const rank = (r: { stale?: unknown[]; editions: unknown[] }) => (r.stale?.length ? 0 : r.editions.length ? 2 : 1)
const shown = computed(() => [...(reviews.data.value ?? [])].sort((a, b) => rank(a) - rank(b)).slice(0, 7))
</script>

<template>
  <PageHead title="Today" :sub="sub">
    <v-btn v-if="fresh && hidden" @click="hide(false)">Show the first steps</v-btn>
    <v-btn @click="adding = true">Add a device</v-btn>
    <v-btn class="go" to="/bench?new=1">Put on the bench</v-btn>
  </PageHead>
  <Trouble v-if="trouble || today.error.value" :error="trouble ?? today.error.value" />
  <div v-for="e in entries.data.value ?? []" :key="e.id" class="sheet pad asks row mb-4">
    <span><strong>{{ e.name }}</strong> asks to be let in, with the number {{ e.number }}.</span>
    <v-spacer /><v-btn to="/people">Look</v-btn>
  </div>
  <div v-if="!t && !today.error.value" class="split side" aria-busy="true"><div class="stack"><div class="sheet waits tall" /><div class="sheet waits" /></div><div class="sheet waits tall" /></div>
  <StartGuide v-if="t && guided" :holds="t.holds" @hide="hide(true)" />
  <div v-if="t && !(guided && !t.measuring.length && !t.waiting.length && !t.open)" class="split side">
    <div class="stack">
      <section class="sheet pad" aria-labelledby="now">
        <div class="row"><h2 id="now" class="plainhead">Measuring now</h2><v-spacer /><router-link class="small" to="/bench">Bench</router-link></div>
        <OnTheBench :plans="t.measuring" />
        <div v-for="{ b, ask } in asks" :key="b.plan.id" class="asks row"><span><strong>{{ b.title }}</strong> waits: {{ lower(ask.text) }}</span><v-spacer /><v-btn @click="done(b.plan.id, ask.id)">Done</v-btn></div>
        <p v-if="!t.measuring.length" class="soft">No machine is at work{{ t.waiting.length ? '.' : ': ' }}<router-link v-if="!t.waiting.length" to="/bench?new=1">put one on the bench</router-link></p>
        <template v-if="t.waiting.length">
          <h3>Waiting for their machines</h3>
          <div v-for="b in t.waiting.slice(0, 6)" :key="b.plan.id" class="line"><router-link :to="{ path: '/bench', query: { plan: b.plan.id } }">{{ b.title }}</router-link><span class="soft small">{{ b.plan.name }}</span><span class="n">{{ b.jobs }} runs</span></div>
          <router-link v-if="t.waiting.length > 6" class="small" to="/bench">and {{ t.waiting.length - 6 }} more</router-link>
        </template>
      </section>
      <HoursAtHand v-if="t.holds.units" />
    </div>
    <div class="stack">
      <section class="sheet pad" aria-labelledby="doubts">
        <div class="row"><h2 id="doubts" class="plainhead">Doubts, by cause</h2><v-spacer /><router-link class="small" to="/results/doubts">{{ t.open > t.doubts.length ? `All ${t.open}` : 'All' }}</router-link></div>
        <router-link v-for="c in t.doubts.slice(0, 4)" :key="c.rule + c.unit" class="entry" :to="`/results/doubts?rule=${c.rule}&subject=${c.unit}`">
          <span><strong class="caution">{{ c.title }}</strong> · {{ c.name }}, {{ c.runs === 1 ? '1 run' : `${c.runs} runs` }}</span>
          <span class="soft small">{{ c.sentence }}</span>
        </router-link>
        <p v-if="!t.doubts.length" class="soft">None is open.</p>
      </section>
      <section v-if="t.holds.reviews" class="sheet pad" aria-labelledby="reviews">
        <div class="row"><h2 id="reviews" class="plainhead">Reviews</h2><v-spacer /><router-link class="small" to="/reviews">All</router-link></div>
        <div v-if="!reviews.data.value" class="waits" aria-busy="true" />
        <router-link v-for="r in shown" :key="r.slug" class="entry" :to="`/reviews/${r.slug}`">
          <span><strong>{{ r.title }}</strong> · {{ r.editions.length ? `edition ${r.editions.length}` : 'draft' }}<template v-if="r.state && r.state !== 'complete'">, {{ r.state }}</template></span>
          <span v-if="r.stale?.length" class="caution small">Stale: {{ r.stale.slice(0, 2).map((m) => m.figure).join(', ') }}{{ r.stale.length > 2 ? ` and ${r.stale.length - 2} more` : '' }} moved since it was signed</span>
          <span v-else class="soft small">{{ r.signed ? `signed by ${r.signed.by}` : 'not signed yet' }}</span>
        </router-link>
      </section>
      <section v-if="t.decided.length" class="sheet pad" aria-labelledby="decided">
        <div class="row"><h2 id="decided" class="plainhead">Claims decided lately</h2><v-spacer /><router-link class="small" to="/compare/claims">All</router-link></div>
        <router-link v-for="c in t.decided" :key="c.variant + c.claim" class="entry" :to="`/compare/claims?subject=${c.variant}`">
          <span><strong>{{ c.name }}</strong></span>
          <span class="small">{{ c.claim }}: <span :class="c.outcome === 'held' || c.outcome === 'beyond' ? 'good' : 'caution'">{{ c.outcome }}</span></span>
        </router-link>
      </section>
      <p v-if="t.backup" class="soft small">The last backup was made {{ moment(t.backup) }}, {{ span((Date.now() - Date.parse(t.backup)) / 1000) }} ago.</p>
    </div>
  </div>
  <AddDevice v-model="adding" />
</template>

<style scoped>
.asks { margin-top: 8px; padding: 9px 12px; border-radius: 4px; background: rgb(var(--v-theme-tie)); }
.line { display: grid; grid-template-columns: minmax(0, 2fr) minmax(0, 2fr) auto; gap: 12px; padding: 7px 0; border-top: 1px solid rgb(var(--v-theme-line)); }
.entry { display: grid; gap: 1px; padding: 8px 0; border-top: 1px solid rgb(var(--v-theme-line)); color: inherit; text-decoration: none; }
.entry:hover strong { text-decoration: underline; }
.row + .entry, .row + .line { border-top: 0; }
</style>
