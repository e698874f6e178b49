<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must, send, type Of } from '../../api/client'
import { useNames } from '../../parts/names'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { useSymbols } from '../../parts/symbols'
import Stopwatch from './Stopwatch.vue'

// The inspection sheet of a unit: forms, checks, grades and the stopwatch, each saved by itself.
const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const symbol = useSymbols()
const unit = computed(() => String(route.params.unit ?? ''))
const { unitChoices } = useNames()
const sheet = useQuery({ queryKey: computed(() => ['inspection', unit.value]), enabled: computed(() => !!unit.value), queryFn: () => must(api.GET('/api/inspections/{slug}', { params: { path: { slug: unit.value } } })) })
const values = reactive<Record<string, string>>({})
const notes = reactive<Record<string, string>>({})
const content = reactive<Record<string, string>>({})
const trouble = reactive<Record<string, unknown>>({})
const saved = ref('')
type Entry = Of<'ResultsInspectionEntry'>
const key = (t: Entry, m: string) => `${t.test.slug}/${m}`
const needs = (e: Entry) => (e.test.must_match ?? []).filter((c) => c !== 'supply')
async function save(e: Entry, laps?: number[]) {
  trouble[e.test.slug] = undefined
  const readings = Object.fromEntries(e.test.measures.map((m) => [m.slug, values[key(e, m.slug)] ?? ''] as const).filter(([, v]) => v))
  const remarks = Object.fromEntries(e.test.measures.map((m) => [m.slug, notes[key(e, m.slug)] ?? ''] as const).filter(([, v]) => v))
  const conditions = Object.fromEntries(needs(e).map((c) => [c, content[`${e.test.slug} ${c}`] ?? ''] as const).filter(([, v]) => v))
  try {
    await must(api.POST('/api/readings', { body: { test: e.test.slug, subject: unit.value, conditions, ...(laps ? { laps, repeat: e.runs } : { readings, notes: remarks, repeat: e.runs }) } }))
    for (const m of e.test.measures) {
      delete values[key(e, m.slug)]
      delete notes[key(e, m.slug)]
    }
    saved.value = e.test.name
    await queries.invalidateQueries({ queryKey: ['inspection', unit.value] })
    return true
  } catch (x) {
    trouble[e.test.slug] = x
    return false
  }
}
async function photo(e: Entry, event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  trouble[e.test.slug] = undefined
  try {
    await send(`/api/photos?${new URLSearchParams({ unit: unit.value, measure: e.test.slug, name: file.name })}`, file)
    await queries.invalidateQueries({ queryKey: ['inspection', unit.value] })
  } catch (x) {
    trouble[e.test.slug] = x
  }
}
const found = (e: Entry, m: string) => e.found.find((f) => f.measure === m)
const hands: Record<string, string> = { form: 'measured', check: 'tried', grade: 'graded', stopwatch: 'timed' }
</script>

<template>
  <PageHead :title="sheet.data.value?.title ?? 'Measure by hand'" :sub="sheet.data.value ? `${sheet.data.value.sheet.name}: ${sheet.data.value.done} of ${sheet.data.value.all} found${saved ? `. ${saved} is saved` : ''}` : 'Choose a unit'">
    <v-btn to="/bench">Bench</v-btn>
    <v-btn :to="`/results?subject=${unit}&enter=1`">Other readings</v-btn>
  </PageHead>
  <Trouble v-if="sheet.error.value" :error="sheet.error.value" />
  <div class="row mb-4"><v-autocomplete label="Unit" :model-value="unit || null" :items="unitChoices" style="max-width: 300px" @update:model-value="router.push(`/bench/inspect/${$event ?? ''}`)" /></div>
  <template v-for="part in sheet.data.value?.parts ?? []" :key="part.name">
    <h2>{{ part.name }}</h2>
    <div class="stack">
      <form v-for="e in part.tests" :key="e.test.slug" class="sheet pad" @submit.prevent="save(e)">
        <div class="row"><strong>{{ e.test.name }}</strong><span class="soft small">{{ hands[e.test.hands ?? 'form'] }}</span><v-spacer /><span class="soft small">{{ e.runs ? `${e.runs} so far` : 'not yet' }}</span></div>
        <p class="soft small">{{ e.test.about }}</p>
        <Trouble v-if="trouble[e.test.slug]" :error="trouble[e.test.slug]" />
        <div v-if="needs(e).length" class="row mb-2"><v-text-field v-for="c in needs(e)" :key="c" v-model="content[`${e.test.slug} ${c}`]" :label="c === 'content' ? 'File, level or page' : c.replace(/\./g, ' ')" style="max-width: 260px" /></div>
        <Stopwatch v-if="e.test.hands === 'stopwatch'" :name="e.test.name" :save="(laps) => save(e, laps)" />
        <template v-else>
          <div v-for="m in e.test.measures" :key="m.slug" class="row mb-2">
            <v-btn-toggle v-if="e.test.hands === 'check'" v-model="values[key(e, m.slug)]" density="compact" :aria-label="m.name">
              <v-btn value="pass">Pass</v-btn><v-btn value="fail">Fail</v-btn><v-btn value="not applicable">Not applicable</v-btn>
            </v-btn-toggle>
            <v-select v-else-if="e.test.hands === 'grade'" v-model="values[key(e, m.slug)]" :label="m.name" :items="(m.levels ?? []).map((l) => ({ value: String(l.mark), title: `${l.mark}: ${l.text}` }))" style="max-width: 420px" />
            <v-text-field v-else v-model="values[key(e, m.slug)]" :label="`${m.name}, ${symbol(m.unit)}`" style="max-width: 200px" />
            <span v-if="e.test.hands === 'check'" style="min-width: 220px">{{ m.name }}</span>
            <v-text-field v-model="notes[key(e, m.slug)]" label="Note" style="flex: 1 1 160px" />
            <span v-if="found(e, m.slug)" class="small" style="min-width: 130px">so far <strong :class="{ caution: found(e, m.slug)!.text === 'fail' }">{{ found(e, m.slug)!.text }}</strong></span>
          </div>
          <div v-for="m in e.test.measures.filter((m) => found(e, m.slug)?.note)" :key="`n${m.slug}`" class="soft small">{{ m.name }}: {{ found(e, m.slug)!.note }}</div>
          <div class="row">
            <label class="small plainly">Add a photo<input type="file" accept="image/jpeg,image/png" class="d-sr-only" @change="photo(e, $event)"></label>
            <v-spacer /><v-btn type="submit">Save</v-btn>
          </div>
        </template>
        <div v-if="e.photos.length" class="row mt-2"><figure v-for="x in e.photos" :key="x.id" style="margin: 0"><img class="photo" :src="`/api/photos/${x.id}`" :alt="x.caption || x.name"><figcaption class="soft small" style="max-width: 220px">{{ x.caption || x.name }}</figcaption></figure></div>
      </form>
    </div>
  </template>
</template>
