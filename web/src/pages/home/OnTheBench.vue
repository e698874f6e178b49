<script setup lang="ts">
import type { Of } from '../../api/client'
import { progress } from '../../api/events'
import { figure, moment, span } from '../../parts/words'

// Every machine at work in one line: how far it is, what it does, its last figure, how long it takes.
defineProps<{ plans: Of<'RecordBenchPlan'>[]; chosen?: string }>()
const states: Record<string, string> = { cooling: 'cools down', ambient: 'waits for the room', paused: 'is paused', 'no-room': 'has no room on its drive', 'needs-you': 'waits for you' }
const live = (b: Of<'RecordBenchPlan'>) => progress.get(b.plan.id) ?? b.progress
function says(b: Of<'RecordBenchPlan'>): string {
  if (b.plan.state === 'silent') return `silent${b.heard ? ` since ${moment(b.heard)}` : ''}`
  const p = live(b)
  if (!p) return 'begins'
  if (p.state && states[p.state]) return states[p.state]!
  return [`${p.test}, repeat ${p.repeat + 1}`, p.value ? figure(p.value, p.unit) : ''].filter(Boolean).join(' · ')
}
const share = (b: Of<'RecordBenchPlan'>) => Math.min(100, (100 * (b.done + (live(b)?.share ?? 0))) / Math.max(1, b.jobs))
const left = (b: Of<'RecordBenchPlan'>) => ((live(b)?.left ?? 0) >= 1 ? `${span(live(b)!.left)} left` : '')
</script>

<template>
  <div v-for="b in plans" :key="b.plan.id" class="machine" :class="{ on: b.plan.id === chosen }">
    <router-link :to="{ path: '/bench', query: { plan: b.plan.id } }"><strong>{{ b.title.split(', ')[0] }}</strong><span class="soft small">{{ b.title.split(', ').slice(1).join(', ') }}</span></router-link>
    <div><v-progress-linear :model-value="share(b)" :aria-label="`${b.title}: ${b.done} of ${b.jobs} runs`" /><div class="small" :class="b.plan.state === 'silent' || live(b)?.ask?.now ? 'caution' : 'soft'">{{ says(b) }}</div></div>
    <span class="n">{{ left(b) }}<div v-if="b.marked" class="caution small">{{ b.marked }} not as planned</div></span>
  </div>
</template>

<style scoped>
.machine { display: grid; grid-template-columns: minmax(0, 3fr) minmax(0, 5fr) minmax(76px, auto); gap: 14px; align-items: center; padding: 9px 0; border-top: 1px solid rgb(var(--v-theme-line)); }
.machine:first-of-type { border-top: 0; }
.machine a { display: grid; color: inherit; text-decoration: none; }
.machine a:hover strong { text-decoration: underline; }
.n { text-align: right; }
@media (max-width: 860px) { .machine { grid-template-columns: minmax(0, 1fr) auto; } .machine > :nth-child(2) { grid-column: 1 / -1; grid-row: 2; } }
</style>
