<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, must, send, type Of } from '../../api/client'
import { useDraft } from '../../parts/draft'
import { useNames } from '../../parts/names'
import { useSymbols } from '../../parts/symbols'
import Trouble from '../../parts/Trouble.vue'
import ReadingsGrid from './ReadingsGrid.vue'

// Readings as people write them, for one run; or many at once in a grid that takes a paste from a spreadsheet.
const open = defineModel<boolean>({ required: true })
const queries = useQueryClient()
const symbol = useSymbols()
const { tests, setups, unitChoices, unitName } = useNames()
const rigs = useQuery({ queryKey: ['models', 'rigs'], queryFn: () => must(api.GET('/api/rigs')) })
const words = useQuery({ queryKey: ['vocabulary'], queryFn: () => must(api.GET('/api/vocabulary')), staleTime: Infinity })
const { values: form, load, drop, kept } = useDraft(() => 'readings', () => ({ subject: '', host: '', place: '', test: '', setup: 'as-delivered', date: '', time: '', repeat: '', sitting: '', readings: {} as Record<string, string>, notes: {} as Record<string, string>, conditions: {} as Record<string, string> }))
const many = ref(false)
const more = ref(false)
const restored = ref(false)
const own = computed(() => (tests.data.value ?? []).filter((t) => t.origin === 'own' && !t.measures.some((m) => m.formula)))
const test = computed(() => own.value.find((t) => t.slug === form.test))
const known = computed(() => setups.data.value?.find((s) => s.slug === form.setup)?.conditions ?? {})
const asked = computed(() => (test.value?.must_match ?? []).filter((c) => !(c in known.value)))
const called = (key: string) => words.data.value?.conditions.find((c) => c.key === key)?.name ?? key.replace(/[._-]/g, ' ')
const hosts = computed(() => [...unitChoices.value, ...(rigs.data.value ?? []).map((r) => ({ value: r.slug, title: r.name, props: { subtitle: 'rig' } }))])
function chooseTest(slug: string) {
  form.test = slug
  form.readings = {}
  form.notes = {}
  form.conditions = {}
}
const photo = ref<File | null>(null)
const trouble = ref<unknown>(null)
const busy = ref(false)
const said = ref('')
watch(open, (is) => {
  if (!is) return
  said.value = ''
  restored.value = kept()
  load()
}, { immediate: true })
const filled = (r: Record<string, string>) => Object.fromEntries(Object.entries(r).filter(([, v]) => v?.trim()))
async function add() {
  trouble.value = null
  busy.value = true
  try {
    const { repeat, ...rest } = form
    const run = await must(api.POST('/api/readings', { body: { ...rest, host: form.host ?? '', ...(repeat ? { repeat: Number(repeat) - 1 } : {}), readings: filled(form.readings), notes: filled(form.notes), conditions: filled(form.conditions) } })) as Of<'RecordRun'>
    if (photo.value) await send(`/api/photos?${new URLSearchParams({ unit: form.subject, run: run.id, name: photo.value.name })}`, photo.value)
    said.value = `Kept for ${unitName(form.subject)}. Enter the next repeat, or close.`
    if (run.untold?.length) said.value += ` Beside no other before this is known: ${run.untold.map(called).join(', ')}.`
    form.readings = {}
    form.notes = {}
    photo.value = null
    if (repeat) form.repeat = String(Number(repeat) + 1)
    for (const k of ['runs', 'today', 'measures', 'ranking', 'chart']) void queries.invalidateQueries({ queryKey: [k] })
  } catch (e) {
    trouble.value = e
  }
  busy.value = false
}
function close() {
  drop()
  open.value = false
}
</script>

<template>
  <v-dialog v-model="open" :max-width="many ? 1000 : 680" aria-label="Enter readings">
    <v-card class="pad">
      <div class="row"><h2 class="plainhead">Enter readings</h2><v-spacer /><button type="button" class="plainly small" @click="many = !many">{{ many ? 'One run at a time' : 'Many at once' }}</button></div>
      <ReadingsGrid v-if="many" @close="open = false" />
      <template v-else>
        <p class="soft mb-3">A number, with a unit if it is another one; “29 to 31”, “at least 100”, “more than 600” or “missing”.</p>
        <p v-if="restored && !said" class="small" role="status">What you typed before is still here.</p>
        <Trouble v-if="trouble" :error="trouble" />
        <p v-if="said && !trouble" class="good" role="status">{{ said }}</p>
        <form class="stack" @submit.prevent="add">
          <v-autocomplete v-model="form.subject" label="Unit" :items="unitChoices" />
          <div class="row even">
            <v-autocomplete :model-value="form.test || null" label="Test" :items="own" item-value="slug" item-title="name" @update:model-value="chooseTest($event ?? '')" />
            <v-select v-model="form.setup" label="Setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" />
          </div>
          <div v-for="m in test?.measures ?? []" :key="m.slug" class="row even">
            <v-text-field v-model="form.readings[m.slug]" :label="[m.name, symbol(m.unit)].filter(Boolean).join(', ')" :hint="m.scale === 'pass' ? 'pass or fail' : m.levels?.map((l) => `${l.mark}: ${l.text}`).join('; ')" :persistent-hint="m.scale === 'pass' || !!m.levels?.length" />
            <v-text-field v-if="more" v-model="form.notes[m.slug]" label="Note beside it" />
          </div>
          <v-text-field v-for="c in asked" :key="c" v-model="form.conditions[c]" :label="called(c)" hint="Must be known for this figure to be compared" persistent-hint />
          <button type="button" class="plainly small" :aria-expanded="more" style="align-self: start" @click="more = !more">{{ more ? 'Less' : 'Day, place, host, notes, photo' }}</button>
          <template v-if="more">
            <div class="row even"><v-text-field v-model="form.date" label="Day" type="date" hint="Today if left out" /><v-text-field v-model="form.time" label="Time" type="time" /><v-text-field v-model="form.repeat" label="Repeat" type="number" min="1" placeholder="1" persistent-placeholder /></div>
            <div class="row even"><v-autocomplete v-model="form.host" label="Host, for a part" clearable :items="hosts" /><v-text-field v-model="form.place" label="Port, slot, screen or surface" /></div>
            <v-text-field v-model="form.sitting" label="Boot that readings share" placeholder="the day" persistent-placeholder />
            <v-file-input v-model="photo" label="Photo" accept="image/jpeg,image/png" prepend-icon="" />
          </template>
          <div class="row"><v-spacer /><v-btn @click="close">Close</v-btn><v-btn class="go" type="submit" :loading="busy" :disabled="!form.subject || !form.test || !Object.keys(filled(form.readings)).length">Keep</v-btn></div>
        </form>
      </template>
    </v-card>
  </v-dialog>
</template>
