<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { api, must } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'
import { useSymbols } from '../../parts/symbols'

const symbol = useSymbols()

const open = defineModel<boolean>({ required: true })
const queries = useQueryClient()
const units = useQuery({ queryKey: ['models', 'units'], queryFn: () => must(api.GET('/api/units')) })
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const form = reactive({ subject: '', host: '', place: '', test: '', setup: 'as-delivered', readings: {} as Record<string, string>, conditions: {} as Record<string, string> })
const own = computed(() => (tests.data.value ?? []).filter((t) => t.origin === 'own'))
const test = computed(() => own.value.find((t) => t.slug === form.test))
const known = computed(() => setups.data.value?.find((s) => s.slug === form.setup)?.conditions ?? {})
const asked = computed(() => (test.value?.must_match ?? []).filter((c) => !(c in known.value)))
watch(
  () => form.test,
  () => {
    form.readings = {}
    form.conditions = {}
  },
)
const trouble = ref<unknown>(null)
const busy = ref(false)
const kept = ref('')
async function add() {
  trouble.value = null
  busy.value = true
  try {
    const filled = (r: Record<string, string>) => Object.fromEntries(Object.entries(r).filter(([, v]) => v))
    await must(api.POST('/api/readings', { body: { ...form, readings: filled(form.readings), conditions: filled(form.conditions) } }))
    kept.value = `Kept for ${form.subject}. Enter the next repeat, or close.`
    form.readings = {}
    void queries.invalidateQueries({ queryKey: ['runs'] })
  } catch (e) {
    trouble.value = e
  }
  busy.value = false
}
</script>

<template>
  <v-dialog v-model="open">
    <v-card class="pad">
      <strong>Enter readings</strong>
      <p class="soft mt-1 mb-3">A number, with a unit if it is another one; “29 to 31”, “at least 100”, “more than 600” or “missing”.</p>
      <Trouble v-if="trouble" :error="trouble" />
      <p v-if="kept && !trouble" class="good">{{ kept }}</p>
      <form class="stack" @submit.prevent="add">
        <v-autocomplete v-model="form.subject" label="Unit" :items="units.data.value ?? []" item-value="slug" item-title="slug" />
        <div class="row">
          <v-select v-model="form.test" label="Test" :items="own" item-value="slug" item-title="name" />
          <v-select v-model="form.setup" label="Setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" />
        </div>
        <v-text-field v-for="m in test?.measures ?? []" :key="m.slug" v-model="form.readings[m.slug]" :label="`${m.name}, ${symbol(m.unit)}`" />
        <v-text-field v-for="c in asked" :key="c" v-model="form.conditions[c]" :label="`Condition ${c}`" hint="Must be known for this figure to be compared" persistent-hint />
        <div class="row"><v-spacer /><v-btn @click="open = false">Close</v-btn><v-btn class="go" type="submit" :loading="busy" :disabled="!form.subject || !form.test">Keep</v-btn></div>
      </form>
    </v-card>
  </v-dialog>
</template>
