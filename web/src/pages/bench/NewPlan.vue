<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, must, send, type Of } from '../../api/client'
import { useDraft } from '../../parts/draft'
import { useNames } from '../../parts/names'
import Trouble from '../../parts/Trouble.vue'
import { amount, span } from '../../parts/words'

const open = defineModel<boolean>({ required: true })
const router = useRouter()
const { units, unitChoices } = useNames()
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const runnable = computed(() => (tests.data.value ?? []).filter((t) => t.origin !== 'own'))
const usual = () => (form.tests = runnable.value.filter((t) => t.usual).map((t) => t.slug))
// The options of the tests chosen; an empty field leaves an option at its usual value.
const options = computed(() => runnable.value.filter((t) => form.tests.includes(t.slug)).flatMap((t) => (t.options ?? []).map((o) => ({ key: `${t.slug}.${o.slug}`, test: t, option: o }))))
const values = reactive<Record<string, string>>({})
const { values: form, load, drop } = useDraft(() => 'plan', () => ({ unit: '', host: '', place: '', setups: ['as-delivered'] as string[], name: '', tests: [] as string[], repeats: '', library: '' }))
load() // what was begun before, on this device
function giveUp() {
  drop()
  load()
  open.value = false
}
const terms = reactive({ order: 'grouped' as 'grouped' | 'interleaved', after_failure: 'go-on' as 'go-on' | 'retry' | 'skip' | 'stop', on_departure: 'mark' as 'mark' | 'stop', seconds: '', below: '', low: '', high: '', least: '', sampling: '' })
const more = ref(false)
const library = useQuery({ queryKey: ['plan-library'], queryFn: () => must(api.GET('/api/plan-library', { params: { query: {} } })) })
const kinds = useQuery({ queryKey: ['models'], queryFn: () => must(api.GET('/api/models')) })
const variants = useQuery({ queryKey: ['models', 'variants'], queryFn: () => must(api.GET('/api/variants', { params: { query: {} } })) })
const kind = computed(() => {
  const variant = variants.data.value?.find((v) => v.slug === units.data.value?.find((u) => u.slug === form.unit)?.variant)
  return kinds.data.value?.find((m) => m.slug === variant?.model)?.kind
})
const fitting = computed(() => (library.data.value ?? []).filter((p) => !kind.value || !p.subjects?.length || p.subjects.includes(kind.value)))
const chosen = computed(() => library.data.value?.find((p) => p.slug === form.library))
const says = (p: Of<'BenchPlanFile'>) => `${p.estimate!.runs} runs, about ${span(p.estimate!.seconds)}${p.estimate!.writes ? `, writes at most ${amount(p.estimate!.writes)}` : ''}`
const trouble = ref<unknown>(null)
const busy = ref(false)
async function add() {
  trouble.value = null
  busy.value = true
  try {
    const at = { unit: form.unit, host: form.host ?? '', place: form.place }
    let plan: Of<'MethodPlan'>
    if (form.library) {
      plan = await send<Of<'MethodPlan'>>(`/api/plan-files?${new URLSearchParams({ library: form.library, ...at, ...(form.repeats ? { repeats: form.repeats } : {}) })}`, '')
    } else {
      const steps = form.tests.map((test) => {
        const set = options.value.filter((o) => o.test.slug === test && values[o.key]).map((o) => [o.option.slug, values[o.key]!] as const)
        return { test, repeats: Number(form.repeats), ...(set.length ? { options: Object.fromEntries(set) } : {}) }
      })
      plan = await must(api.POST('/api/plans', { body: {
        ...at, setup: form.setups[0] ?? 'as-delivered', setups: form.setups, name: form.name, steps,
        order: terms.order, after_failure: terms.after_failure, on_departure: terms.on_departure, least: Number(terms.least), sampling: Number(terms.sampling),
        ...(terms.seconds || terms.below ? { cool: { seconds: Number(terms.seconds), ...(terms.below ? { below: Number(terms.below) } : {}) } } : {}),
        ...(terms.low || terms.high ? { ambient: { low: Number(terms.low), high: Number(terms.high) } } : {}),
      } }))
    }
    drop()
    load()
    open.value = false
    void router.push({ path: '/bench', query: { plan: plan.id } })
  } catch (e) {
    trouble.value = e
  }
  busy.value = false
}
</script>

<template>
  <v-dialog v-model="open" aria-label="New plan">
    <v-card class="pad">
      <h2 class="plainhead">New plan</h2>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <v-autocomplete v-model="form.unit" label="Unit" :items="unitChoices" />
        <v-select v-model="form.library" label="Plan of the library" clearable :items="fitting" item-value="slug" item-title="name" placeholder="or choose tests below" persistent-placeholder />
        <p v-if="chosen" class="small"><span class="soft">{{ chosen.about }}</span> {{ says(chosen) }}{{ chosen.setups?.length ? `, under ${chosen.setups.map((s) => setups.data.value?.find((x) => x.slug === s)?.name ?? s).join(', ').toLowerCase()}` : '' }}.</p>
        <template v-else>
          <v-autocomplete v-model="form.tests" label="Tests" multiple chips closable-chips clear-on-select :items="runnable" item-value="slug" item-title="name" />
          <div class="row small"><button type="button" class="plainly" @click="usual">Choose the usual tests</button><v-spacer /><router-link to="/bench/tests" @click="open = false">What each test does</router-link></div>
          <div v-for="o in options" :key="o.key"><v-text-field v-model="values[o.key]" :label="`${o.test.name}: ${o.option.meaning}`" :placeholder="o.option.default" persistent-placeholder /></div>
          <v-select v-model="form.setups" label="Setups, in order" multiple chips :items="setups.data.value ?? []" item-value="slug" item-title="name" />
        </template>
        <v-text-field v-model="form.repeats" label="Repeats" placeholder="as many as usual" persistent-placeholder type="number" min="1" max="100" />
        <div class="row">
          <v-autocomplete v-model="form.host" label="Host, for a part" clearable :items="unitChoices" />
          <v-text-field v-model="form.place" label="Port or slot" />
        </div>
        <template v-if="!chosen">
          <v-text-field v-model="form.name" label="Name of the plan" />
          <button type="button" class="plainly small" style="align-self: start" @click="more = !more">{{ more ? 'Fewer terms' : 'Order, cool-down, room, failures' }}</button>
          <template v-if="more">
            <div class="row"><v-select v-model="terms.order" label="Order of repeats" :items="['grouped', 'interleaved']" /><v-select v-model="terms.after_failure" label="After a failure" :items="[{ value: 'go-on', title: 'go on' }, 'retry', { value: 'skip', title: 'skip the step' }, { value: 'stop', title: 'stop the plan' }]" /></div>
            <div class="row"><v-text-field v-model="terms.seconds" label="Rest before each run, s" type="number" min="0" /><v-text-field v-model="terms.below" label="Rest until below, °C" type="number" min="20" max="90" /></div>
            <div class="row"><v-text-field v-model="terms.low" label="Room from, °C" type="number" /><v-text-field v-model="terms.high" label="Room to, °C" type="number" /></div>
            <div class="row"><v-text-field v-model="terms.least" label="A run lasts at least, s" type="number" min="0" /><v-text-field v-model="terms.sampling" label="Sensor samples a second" placeholder="1" persistent-placeholder type="number" min="1" max="10" /></div>
            <v-select v-model="terms.on_departure" label="A run whose conditions differ from its setup" :items="[{ value: 'mark', title: 'is marked' }, { value: 'stop', title: 'is stopped early' }]" />
          </template>
        </template>
        <div class="row"><v-spacer /><v-btn @click="giveUp">Cancel</v-btn><v-btn class="go" :loading="busy" @click="add">Put on the bench</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
