<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, must } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'

const open = defineModel<boolean>({ required: true })
const router = useRouter()
const units = useQuery({ queryKey: ['models', 'units'], queryFn: () => must(api.GET('/api/units')) })
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const runnable = computed(() => (tests.data.value ?? []).filter((t) => t.origin !== 'own'))
const usual = () => (form.tests = runnable.value.filter((t) => t.usual).map((t) => t.slug))
// The options of the tests chosen; an empty field leaves an option at its usual value.
const options = computed(() => runnable.value.filter((t) => form.tests.includes(t.slug)).flatMap((t) => (t.options ?? []).map((o) => ({ key: `${t.slug}.${o.slug}`, test: t, option: o }))))
const values = reactive<Record<string, string>>({})
const form = reactive({ unit: '', host: '', place: '', setup: 'as-delivered', name: '', tests: [] as string[], repeats: '' })
const trouble = ref<unknown>(null)
const busy = ref(false)
async function add() {
  trouble.value = null
  busy.value = true
  try {
    const steps = form.tests.map((test) => {
      const set = options.value.filter((o) => o.test.slug === test && values[o.key]).map((o) => [o.option.slug, values[o.key]!] as const)
      return { test, repeats: Number(form.repeats), ...(set.length ? { options: Object.fromEntries(set) } : {}) }
    })
    const plan = await must(api.POST('/api/plans', { body: { unit: form.unit, host: form.host, place: form.place, setup: form.setup, name: form.name, steps } }))
    open.value = false
    void router.push({ path: '/bench', query: { plan: plan.id } })
  } catch (e) {
    trouble.value = e
  }
  busy.value = false
}
</script>

<template>
  <v-dialog v-model="open">
    <v-card class="pad">
      <strong class="mb-3">New plan</strong>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <v-autocomplete v-model="form.unit" label="Unit" :items="units.data.value ?? []" item-value="slug" item-title="slug" />
        <v-autocomplete v-model="form.tests" label="Tests" multiple chips closable-chips clear-on-select :items="runnable" item-value="slug" item-title="name" />
        <div class="row small"><button type="button" class="plainly" @click="usual">Choose the usual tests</button><v-spacer /><router-link to="/bench/tests" @click="open = false">What each test does</router-link></div>
        <div v-for="o in options" :key="o.key"><v-text-field v-model="values[o.key]" :label="`${o.test.name}: ${o.option.meaning}`" :placeholder="o.option.default" persistent-placeholder /></div>
        <div class="row">
          <v-text-field v-model="form.repeats" label="Repeats" placeholder="as many as usual" persistent-placeholder type="number" min="1" max="100" />
          <v-select v-model="form.setup" label="Setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" />
        </div>
        <div class="row">
          <v-autocomplete v-model="form.host" label="Host, for a part" clearable :items="units.data.value ?? []" item-value="slug" item-title="slug" />
          <v-text-field v-model="form.place" label="Port or slot" />
        </div>
        <v-text-field v-model="form.name" label="Name of the plan" />
        <div class="row"><v-spacer /><v-btn @click="open = false">Cancel</v-btn><v-btn class="go" :loading="busy" @click="add">Put on the bench</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
