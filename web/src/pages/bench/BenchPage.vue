<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, must } from '../../api/client'
import { progress } from '../../api/events'
import PageHead from '../../parts/PageHead.vue'
import Spark from '../../parts/Spark.vue'
import Trouble from '../../parts/Trouble.vue'
import { amount, number, plain, span } from '../../parts/words'
import NewPlan from './NewPlan.vue'

const route = useRoute()
const bench = useQuery({ queryKey: ['bench'], queryFn: () => must(api.GET('/api/bench', { params: { query: { limit: 60 } } })) })
const chosen = computed(() => bench.data.value?.find((b) => b.plan.id === route.query.plan) ?? bench.data.value?.[0])
const others = computed(() => bench.data.value?.filter((b) => b !== chosen.value) ?? [])
const live = computed(() => (chosen.value?.plan.state === 'running' ? progress.get(chosen.value.plan.id) : undefined))
const share = computed(() => {
  const b = chosen.value
  if (!b) return 0
  return (100 * (b.done + (live.value?.share ?? 0))) / Math.max(1, b.jobs)
})
const sub = computed(() => {
  const b = chosen.value
  if (!b) return ''
  const parts = [`Plan “${b.plan.name}”, ${b.setup_name.toLowerCase()}`, `${b.done} of ${b.jobs} runs`]
  if (b.plan.host) parts.push(`in ${b.plan.host}${b.plan.place ? `, ${b.plan.place}` : ''}`)
  if (live.value) parts.push(`about ${span(live.value.left)} left`)
  if (b.plan.state === 'waiting') {
    const rated = b.endurance && b.writes ? `, ${number(b.endurance, 2)} % of what its drive is rated for` : ''
    parts.push(`takes about ${span(b.seconds)}${b.writes ? ` and writes at most ${amount(b.writes)}${rated}` : ''}`)
  }
  return parts.join(', ')
})
const code = ref('')
const trouble = ref<unknown>(null)
async function join() {
  trouble.value = null
  try {
    code.value = (await must(api.POST('/api/plans/{slug}/codes', { params: { path: { slug: chosen.value!.plan.id } } }))).code
  } catch (e) {
    trouble.value = e
  }
}
const adding = ref(false)
const origin = location.origin
const states: Record<string, string> = { waits: 'waits', running: 'running', done: 'done', failed: 'failed', 'not-run': 'not run' }
</script>

<template>
  <PageHead :title="chosen?.title ?? 'Bench'" :sub="sub">
    <v-btn v-if="chosen && chosen.plan.state !== 'done' && chosen.plan.state !== 'stopped'" @click="join">Join a machine</v-btn>
    <v-btn to="/bench/tests">Tests</v-btn>
    <v-btn to="/results?enter=1">Measure by hand</v-btn>
    <v-btn class="go" @click="adding = true">New plan</v-btn>
  </PageHead>
  <Trouble v-if="trouble || bench.error.value" :error="trouble ?? bench.error.value" />
  <div v-if="bench.data.value && !bench.data.value.length" class="sheet empty">Nothing is on the bench. Choose “New plan”, then join the machine with the code it gives.</div>
  <template v-if="chosen">
    <v-progress-linear :key="chosen.plan.id" :model-value="share" class="mb-5" :aria-label="`${chosen.done} of ${chosen.jobs} runs`" />
    <div class="split side">
      <div class="sheet scroll">
        <table>
          <thead><tr><th>Step</th><th>Repeats</th><th>Figures so far</th><th class="n">Figure</th><th class="n">95 %</th></tr></thead>
          <tbody>
            <template v-for="(s, i) in chosen.steps" :key="i">
              <tr v-for="(f, k) in s.figures.length ? s.figures : [undefined]" :key="`${i}-${k}`" :class="{ on: s.state === 'running' || live?.step === i }">
                <td><router-link v-if="!k" :to="`/bench/tests/${s.test}`">{{ s.name }}</router-link><div v-if="!k && s.options" class="soft small">{{ Object.entries(s.options).map(([o, v]) => `${plain(o)} ${v}`).join(', ') }}</div></td>
                <td>{{ k ? '' : s.state === 'done' || s.done ? `${s.done} of ${s.repeats}` : states[s.state] }}</td>
                <td>
                  <span v-if="s.note && !k" :class="s.state === 'not-run' ? 'soft' : 'caution'">{{ s.state === 'not-run' ? 'not run: ' : '' }}{{ s.note }}</span>
                  <span v-else-if="f" class="soft">{{ f.name }}</span>
                </td>
                <td class="n">{{ f?.text }}</td>
                <td class="n soft">{{ f?.spread ?? (s.state === 'waits' && !f ? `~ ${span(s.seconds)}` : '') }}</td>
              </tr>
            </template>
          </tbody>
        </table>
      </div>
      <div class="sheet pad">
        <template v-if="live">
          <strong>{{ live.test }}</strong>
          <div class="soft">Repeat {{ live.repeat + 1 }}, {{ live.phase }}</div>
          <div class="row mt-3"><span>{{ live.channel || 'Rate' }}</span><v-spacer /><span v-if="live.value">{{ number(live.value) }} {{ live.unit }}</span></div>
          <Spark :values="live.samples" />
        </template>
        <template v-else>
          <strong>{{ chosen.plan.state === 'waiting' ? 'Waits for its machine' : chosen.plan.state === 'done' ? 'Done' : chosen.plan.state }}</strong>
          <div class="soft">{{ chosen.plan.state === 'waiting' ? 'Choose “Join a machine” and run the command there.' : `Measured by ${chosen.plan.agent || 'nobody yet'}.` }}</div>
        </template>
        <div v-if="chosen.machine" class="soft small mt-3">
          {{ chosen.machine.processor }}<br>{{ chosen.machine.cores }} cores, {{ chosen.machine.threads }} threads, {{ chosen.machine.system }}
          <template v-if="chosen.machine.simulated"><br>A simulated machine.</template>
        </div>
        <div class="mt-3"><router-link :to="`/compare?subject=${chosen.variant}`">Compare it with its rivals</router-link></div>
      </div>
    </div>
    <h2 v-if="others.length">Other plans</h2>
    <div v-if="others.length" class="sheet scroll">
      <table>
        <thead><tr><th>Unit</th><th>Plan</th><th>Setup</th><th>State</th><th class="n">Runs</th></tr></thead>
        <tbody>
          <tr v-for="b in others" :key="b.plan.id">
            <td><router-link :to="{ query: { plan: b.plan.id } }">{{ b.title }}</router-link></td>
            <td>{{ b.plan.name }}</td>
            <td>{{ b.setup_name }}</td>
            <td>{{ b.plan.state }}<span v-if="b.plan.state === 'running' && progress.get(b.plan.id)" class="soft">, {{ span(progress.get(b.plan.id)!.left) }} left</span></td>
            <td class="n">{{ b.done }} of {{ b.jobs }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
  <v-dialog :model-value="!!code" @update:model-value="code = ''">
    <v-card class="pad">
      <strong>Join with this code</strong>
      <div class="code my-2">{{ code }}</div>
      <div class="soft">On the machine, within an hour:</div>
      <pre class="say">durvek agent --server {{ origin }} --code {{ code }} --path FOLDER</pre>
      <div class="row"><v-spacer /><v-btn @click="code = ''">Close</v-btn></div>
    </v-card>
  </v-dialog>
  <NewPlan v-model="adding" />
</template>
