<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import { progress } from '../../api/events'
import { useAct } from '../../parts/act'
import { useOpened } from '../../parts/opened'
import PageHead from '../../parts/PageHead.vue'
import Sure from '../../parts/Sure.vue'
import Spark from '../../parts/Spark.vue'
import Trouble from '../../parts/Trouble.vue'
import { amount, lower, moment, number, plain, sensor, span, upper } from '../../parts/words'
import JoinWith from '../../parts/JoinWith.vue'
import OnTheBench from '../home/OnTheBench.vue'
import EditPlan from './EditPlan.vue'
import NewPlan from './NewPlan.vue'

const route = useRoute()
const bench = useQuery({ queryKey: ['bench'], queryFn: () => must(api.GET('/api/bench', { params: { query: { limit: 60 } } })) })
// The plan that the address names, though no list has it yet; never another in its place, which somebody would join.
const usual = computed(() => bench.data.value?.find((b) => b.plan.state === 'running' && b.progress?.ask?.now) ?? bench.data.value?.[0])
const id = computed(() => String(route.query.plan ?? '') || (usual.value?.plan.id ?? ''))
const whole = useQuery({ queryKey: computed(() => ['bench', id.value]), enabled: computed(() => !!id.value), queryFn: () => must(api.GET('/api/plans/{slug}', { params: { path: { slug: id.value } } })) })
const chosen = computed(() => whole.data.value)
const first = computed(() => bench.data.value?.find((b) => b.plan.id === id.value) ?? chosen.value)
const others = computed(() => bench.data.value?.filter((b) => b.plan.id !== id.value) ?? [])
// Machines at work, all at a glance; the plan that is looked at stands beneath.
const working = computed(() => (bench.data.value ?? []).filter((b) => ['running', 'silent'].includes(b.plan.state)))
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
  if (live.value) parts.push(live.value.left < 1 && b.done + 1 < b.jobs ? 'time left not known yet' : `about ${span(live.value.left)} left`)
  if (b.plan.state === 'waiting') {
    const rated = b.endurance && b.writes ? `, ${number(b.endurance, 2)} % of what its drive is rated for` : ''
    parts.push(`takes about ${span(b.seconds)}${b.writes ? ` and writes at most ${amount(b.writes)}${rated}` : ''}`)
  }
  return parts.join(', ')
})
const code = ref<Of<'JoinCode'> | null>(null)
const { trouble, act: doing, again } = useAct()
const act = (work: () => Promise<unknown>) => doing(() => work().then(() => again('bench')))
const repeated = ref<Record<string, string>>({})
const repeat = (id: string) => act(async () => {
  const p = await must(api.POST('/api/doubts/{slug}/repeats', { params: { path: { slug: id } } }))
  repeated.value = { ...repeated.value, [id]: p.id }
})
const path = () => ({ path: { slug: chosen.value!.plan.id } })
const join = () => act(async () => (code.value = await must(api.POST('/api/plans/{slug}/codes', { params: path() }))))
const direct = (what: 'pause' | 'resume' | 'stop' | 'close') => act(() => must(api.POST('/api/plans/{slug}/directives', { params: path(), body: { do: what } })))
const ask = computed(() => live.value?.ask ?? (chosen.value?.plan.state === 'running' ? chosen.value.progress?.ask : undefined))
const confirm = () => act(() => must(api.POST('/api/plans/{slug}/confirmations', { params: path(), body: { ask: ask.value!.id } })))
const atWork = computed(() => ['running', 'silent'].includes(chosen.value?.plan.state ?? ''))
const off = computed(() => chosen.value?.plan.state === 'silent' && chosen.value.steps.some((s) => s.lasting && s.done + s.failed + s.not_run < s.repeats))
const several = computed(() => new Set(chosen.value?.steps.map((s) => s.setup)).size > 1)
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const setupName = (slug: string) => setups.data.value?.find((s) => s.slug === slug)?.name ?? slug
const telling = ['power.package', 'temperature.package', 'clock.mean', 'fan.speed', 'power.battery', 'load.processor', 'temperature.drive', 'throughput.read']
const sensors = computed(() => telling.filter((c) => live.value?.sensors[c]).slice(0, 3))
const stateWords: Record<string, string> = { cooling: 'Cooling down', 'needs-you': 'Waits for you', ambient: 'Waits for the room', paused: 'Paused', 'no-room': 'No room on its drive' }
const heading = computed(() => {
  const b = chosen.value!
  if (b.plan.state === 'silent') return 'Its agent is silent'
  return { waiting: 'Waits for its machine', done: 'Done', stopped: 'Stopped', running: 'Begins' }[b.plan.state as string] ?? b.plan.state
})
// Only what has a figure, or is being measured, takes a line of its own.
const lines = (s: Of<'RecordBenchStep'>, i: number) => {
  const on = s.state === 'running' || live.value?.step === i
  const shown = s.figures.filter((f) => f.text || on)
  return shown.length ? shown : [undefined]
}
const marks = (s: Of<'RecordBenchStep'>) => [...new Set(s.marks?.map((m) => m.text) ?? [])]
const stopping = ref(false)
const skip = (step: number) => act(() => must(api.POST('/api/plans/{slug}/directives', { params: path(), body: { do: 'skip', step } })))
const adding = useOpened('new')
const changing = useOpened('change')
const untouched = computed(() => chosen.value?.plan.state === 'waiting' && !chosen.value.plan.agent)
const states: Record<string, string> = { waits: 'waits', running: 'running', done: 'done', failed: 'failed', 'not-run': 'not run', parked: 'parked', skipped: 'left out' }
</script>

<template>
  <PageHead :title="first?.title ?? 'Bench'" :sub="sub">
    <template v-if="chosen && atWork">
      <v-btn @click="direct(chosen.paused ? 'resume' : 'pause')">{{ chosen.paused ? 'Resume' : 'Pause' }}</v-btn>
      <v-btn @click="stopping = true">Stop</v-btn>
    </template>
    <v-btn v-if="off" title="Its device went off and does not come back: the run is made of what it told" @click="direct('close')">Close its run-down</v-btn>
    <v-btn v-if="chosen && ['waiting', 'silent'].includes(chosen.plan.state)" @click="join">Join a machine</v-btn>
    <v-btn v-if="untouched" @click="changing = true">Change it</v-btn>
    <v-menu><template #activator="{ props: at }"><v-btn v-bind="at">More …</v-btn></template>
      <v-list density="compact"><v-list-item title="Tests" to="/bench/tests" /><v-list-item title="Setups and conditions" to="/bench/setups" /><v-list-item title="View for a second screen" to="/bench/wall" /><v-list-item v-if="chosen" title="Save this plan as a file" :href="`/api/plan-files/${chosen.plan.id}`" :download="`${chosen.plan.name}.yaml`" /></v-list></v-menu>
    <v-btn :to="`/bench/inspect/${chosen?.plan.unit ?? ''}`">Measure by hand</v-btn>
    <v-btn v-if="ask?.now" class="go" @click="confirm">Done: {{ lower(ask.text) }}</v-btn>
    <v-btn :class="{ go: !ask?.now }" @click="adding = true">New plan</v-btn>
  </PageHead>
  <Trouble v-if="trouble || bench.error.value || whole.error.value" :error="trouble ?? bench.error.value ?? whole.error.value" />
  <div v-if="!bench.data.value && !bench.error.value" class="sheet waits tall" aria-busy="true" />
  <div v-else-if="bench.data.value && !bench.data.value.length" class="sheet empty">Nothing is on the bench. <button type="button" class="plainly" @click="adding = true">Make a plan</button>: what is to be measured on which unit; the machine joins it with a code. What is on no book yet is <router-link to="/catalogue?add=1">added first</router-link>.</div>
  <section v-if="working.length > 1" class="sheet pad mb-5" aria-label="Machines at work"><OnTheBench :plans="working" :chosen="first?.plan.id" /></section>
  <template v-if="chosen">
    <v-progress-linear :key="chosen.plan.id" :model-value="share" class="mb-5" :aria-label="`${chosen.done} of ${chosen.jobs} runs`" />
    <div class="split side">
      <div class="sheet scroll">
        <table aria-label="Steps">
          <thead><tr><th>Step</th><th v-if="several">Setup</th><th>Repeats</th><th>Measure</th><th class="n">Figure, 95 %</th><th class="n">Expected</th></tr></thead>
          <tbody>
            <template v-for="(s, i) in chosen.steps" :key="i">
              <tr v-if="s.prompt && s.state !== 'done'" class="hand">
                <td :colspan="several ? 2 : 1">{{ ask?.setup === s.setup ? ask.text : s.prompt }}</td>
                <td colspan="4"><strong v-if="ask?.now && ask.setup === s.setup">needs you</strong><template v-else>will need you</template></td>
              </tr>
              <tr v-for="(f, k) in lines(s, i)" :key="`${i}-${k}`" :class="{ on: s.state === 'running' || (live?.step === i && s.done < s.repeats) }">
                <td><router-link v-if="!k" :to="`/bench/tests/${s.test}`">{{ s.name }}</router-link><div v-if="!k && s.options" class="soft small">{{ Object.entries(s.options).map(([o, v]) => `${plain(o)} ${v}`).join(', ') }}</div></td>
                <td v-if="several" class="soft cond w">{{ k ? '' : setupName(s.setup) }}</td>
                <td class="w">{{ k ? '' : ['parked', 'skipped'].includes(s.state) ? states[s.state] : s.state === 'done' || s.done ? `${s.done} of ${s.repeats}` : states[s.state] }}</td>
                <td>
                  <div v-if="s.note && !k" :class="s.state === 'not-run' ? 'soft' : 'caution'">{{ s.state === 'not-run' ? 'not run: ' : '' }}{{ s.note }}</div>
                  <span v-if="f" class="soft cond">{{ f.name }}</span>
                  <div v-for="m in k ? [] : marks(s)" :key="m" class="caution small">{{ upper(m) }}</div>
                </td>
                <td class="n">{{ f?.text || (f ? '—' : '') }} <span class="soft">{{ f?.spread }}</span><div v-if="f?.last && s.done < s.repeats" class="soft small">last {{ f.last }}</div></td>
                <td class="n soft" :title="f?.from">{{ f?.expect ?? (s.state === 'waits' && !f ? `~ ${span(s.seconds)}` : '') }}<div v-if="!k && s.state === 'waits' && !['done', 'stopped'].includes(chosen.plan.state)"><button type="button" class="plainly small" :aria-label="`Leave out ${s.name}`" @click="skip(i + 1)">Leave out</button></div></td>
              </tr>
            </template>
          </tbody>
        </table>
      </div>
      <div class="sheet pad">
        <template v-if="live">
          <strong>{{ stateWords[live.state ?? ''] ?? live.test }}</strong>
          <div class="soft">{{ stateWords[live.state ?? ''] ? live.phase : `Repeat ${live.repeat + 1}, ${live.phase}` }}</div>
          <template v-if="live.value && !stateWords[live.state ?? '']">
            <div class="row mt-3"><span>{{ live.channel || 'Rate' }}</span><v-spacer /><span>{{ number(live.value) }} {{ live.unit }}</span></div>
            <Spark :values="live.samples" />
          </template>
          <img v-if="live.picture" class="painted mt-3" :src="`data:image/png;base64,${live.picture}`" :alt="`What ${live.test} has painted so far`">
          <template v-for="c in sensors" :key="c">
            <div class="row mt-2"><span>{{ sensor(c)[0] }}</span><v-spacer /><span>{{ number(live.last?.[c] ?? live.sensors[c]!.at(-1)!, 3) }} {{ sensor(c)[1] }}</span></div>
            <Spark :values="live.sensors[c]!" plain />
          </template>
          <div v-for="m in live.marks ?? []" :key="m.text" class="caution mt-2">{{ upper(m.text) }}</div>
        </template>
        <template v-else>
          <strong>{{ heading }}</strong>
          <div class="soft">{{ chosen.plan.state === 'waiting' ? 'Choose “Join a machine”: it gives a picture for phones and a command for machines.' : chosen.plan.state === 'silent' ? `Last heard ${chosen.heard ? moment(chosen.heard) : 'before the service began'}. It goes on by itself when it is back; with a new code another agent takes over.` : `Measured by ${chosen.plan.agent || 'nobody yet'}.` }}</div>
        </template>
        <div v-if="chosen.machine" class="soft small mt-3">
          {{ chosen.machine.processor }}<br>{{ chosen.machine.cores }} cores, {{ chosen.machine.threads }} threads, {{ chosen.machine.system }}
          <template v-if="chosen.machine.simulated"><br>A simulated machine.</template>
        </div>
        <div class="mt-3"><router-link :to="`/compare?subject=${chosen.variant}`">Compare it with its rivals</router-link></div>
      </div>
    </div>
    <template v-if="chosen.doubts.length">
      <h2>Doubts</h2>
      <div class="sheet scroll">
        <table aria-label="Doubts"><tbody>
          <tr v-for="x in chosen.doubts" :key="x.id">
            <td><router-link class="caution" :to="`/results/doubts?doubt=${x.id}&subject=${chosen.plan.unit}`">{{ x.title }}</router-link><div class="soft small">{{ x.test_name }}</div></td>
            <td>{{ x.sentence }}<div class="soft small">{{ x.proposal }}</div></td>
            <td class="n"><router-link v-if="repeated[x.id]" :to="{ query: { plan: repeated[x.id] } }">On the bench</router-link><v-btn v-else-if="x.again" size="small" @click="repeat(x.id)">{{ x.again === 'cool' ? 'Cool down and repeat' : 'Repeat now' }}</v-btn></td>
          </tr>
        </tbody></table>
      </div>
    </template>
    <template v-if="chosen.incidents.length">
      <h2>Incidents</h2>
      <div class="sheet scroll">
        <table aria-label="Incidents"><tbody><tr v-for="x in chosen.incidents" :key="x.id"><td class="w">{{ moment(x.at) }}</td><td class="caution w">{{ plain(x.kind) }}</td><td>{{ x.text }}</td></tr></tbody></table>
      </div>
    </template>
    <h2 v-if="others.length">Other plans</h2>
    <div v-if="others.length" class="sheet scroll">
      <table>
        <thead><tr><th>Unit</th><th>Plan</th><th>Setup</th><th>State</th><th class="n">Runs</th></tr></thead>
        <tbody>
          <tr v-for="b in others" :key="b.plan.id">
            <td><router-link :to="{ query: { plan: b.plan.id } }">{{ b.title }}</router-link></td>
            <td>{{ b.plan.name }}</td>
            <td>{{ b.setup_name }}</td>
            <td><span :class="{ caution: b.plan.state === 'silent' || progress.get(b.plan.id)?.ask?.now }">{{ progress.get(b.plan.id)?.ask?.now ? 'needs you' : b.plan.state }}</span><span v-if="b.plan.state === 'running' && (progress.get(b.plan.id)?.left ?? 0) >= 1" class="soft">, {{ span(progress.get(b.plan.id)!.left) }} left</span><span v-if="b.marked" class="caution">, {{ b.marked }} not as planned</span></td>
            <td class="n">{{ b.done }} of {{ b.jobs }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
  <v-dialog :model-value="!!code" aria-label="Join with this code" @update:model-value="code = null">
    <v-card v-if="code" class="pad">
      <h2 class="plainhead">Join with this code</h2>
      <JoinWith :code="code" />
      <div class="row"><v-spacer /><v-btn @click="code = null">Close</v-btn></div>
    </v-card>
  </v-dialog>
  <Sure v-if="chosen" v-model="stopping" title="Stop this plan?" act="Stop it" @yes="direct('stop')">{{ chosen.jobs - chosen.done }} of {{ chosen.jobs }} runs are not made yet, and will not be; what was measured stays. A stopped plan does not go on: to measure the rest, make another.</Sure>
  <NewPlan v-model="adding" />
  <EditPlan v-if="chosen && (untouched || changing)" v-model="changing" :plan="chosen.plan" />
</template>

<style scoped>
.painted { width: 100%; display: block; border-radius: 4px; }
</style>
