<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, must } from '../api/client'

// Find anything, by keyboard: what the service finds by words, and the pages and actions of the console itself.
const open = defineModel<boolean>({ required: true })
const router = useRouter()
const text = ref('')
const asked = ref('')
let waits: ReturnType<typeof setTimeout> | undefined
watch(text, (t) => {
  clearTimeout(waits)
  waits = setTimeout(() => (asked.value = t.trim()), 90)
})
const found = useQuery({ queryKey: computed(() => ['find', asked.value]), enabled: computed(() => open.value && asked.value.length > 1), placeholderData: (b) => b, queryFn: () => must(api.GET('/api/find', { params: { query: { text: asked.value, most: 14 } } })) })
const places = [
  ['Today', '/', 'what runs and what waits'], ['Bench', '/bench', 'plans and live traces'], ['Tests', '/bench/tests', 'what can be measured'], ['Setups and conditions', '/bench/setups', 'power modes, supplies, presets'], ['Measure by hand', '/bench/inspect', 'inspection, stopwatch, photos'],
  ['Catalogue', '/catalogue', 'models, variants, units'], ['Rigs', '/catalogue/rigs', 'units put together'], ['Results', '/results', 'runs'], ['Doubts', '/results/doubts', 'to be settled'], ['Incidents', '/results/incidents', 'crashes and hangs'], ['What works with what', '/results/partners', 'partners'], ['Files of a meter or logger', '/results/intake', 'take in'], ['Rules', '/results/rules', 'what raises doubts'],
  ['Compare', '/compare', 'ranked charts'], ['Many at once', '/compare/area', 'all charts of a group'], ['Head to head', '/compare/head', 'variants side by side'], ['Index', '/compare/index', 'one number'], ['Fit per use', '/compare/fit', 'for whom it is right'], ['Value', '/compare/value', 'price against performance'], ['Modes', '/compare/modes', 'gain and cost'], ['Curves', '/compare/curves', 'over time or size'], ['Claims', '/compare/claims', 'promises kept or not'], ['Test next', '/compare/next', 'in the hours at hand'], ['Fields', '/compare/fields', 'sets of rivals'],
  ['Reviews', '/reviews', 'verdicts and editions'], ['People and access', '/people', 'who works at the desk'], ['Settings of the desk', '/desk', 'name, licence, examples, rates'],
  ['Add a device', '/catalogue?add=1', 'action'], ['Enter readings', '/results?enter=1', 'action'], ['New plan', '/bench?new=1', 'action'], ['New review', '/reviews?new=1', 'action'],
] as const
const list = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
  const own = places.filter(([name, , note]) => words.every((w) => `${name} ${note}`.toLowerCase().includes(w))).slice(0, words.length ? 5 : 40)
  const items = own.map(([name, path, note]) => ({ kind: note === 'action' ? 'action' : 'page', name, note: note === 'action' ? '' : note, path: path as string }))
  const more = asked.value.length > 1 && text.value.trim() ? (found.data.value ?? []).map((f) => ({ kind: f.kind as string, name: f.name, note: f.note ?? '', path: f.path })) : []
  return items.length && items[0]!.name.toLowerCase().startsWith(words[0] ?? ' ') ? [...items, ...more] : [...more, ...items]
})
const at = ref(0)
watch(list, () => (at.value = Math.min(at.value, Math.max(0, list.value.length - 1))))
watch([text, open], () => (at.value = 0))
const field = ref<HTMLInputElement | null>(null)
watch(open, (is) => {
  if (!is) return
  text.value = asked.value = ''
  void nextTick(() => setTimeout(() => field.value?.focus(), 30))
})
function move(by: number) {
  const n = list.value.length
  if (n) at.value = (at.value + by + n) % n
  void nextTick(() => document.getElementById(`found-${at.value}`)?.scrollIntoView({ block: 'nearest' }))
}
function go(i = at.value) {
  const x = list.value[i]
  if (!x) return
  open.value = false
  void router.push(x.path)
}
function key(e: KeyboardEvent) {
  if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'k') {
    e.preventDefault()
    open.value = !open.value
  }
}
onMounted(() => addEventListener('keydown', key))
onBeforeUnmount(() => removeEventListener('keydown', key))
</script>

<template>
  <v-dialog v-model="open" :max-width="620" aria-label="Find anything" class="finder">
    <v-card>
      <input ref="field" v-model="text" class="find" type="search" placeholder="A machine, test, run, review, page or action" aria-label="Find anything" role="combobox" aria-expanded="true" aria-controls="found" :aria-activedescendant="list.length ? `found-${at}` : undefined" @keydown.down.prevent="move(1)" @keydown.up.prevent="move(-1)" @keydown.enter.prevent="go()">
      <ul id="found" role="listbox" aria-label="Found">
        <li v-for="(x, i) in list" :id="`found-${i}`" :key="x.path + x.name" role="option" :aria-selected="i === at" :class="{ on: i === at }" @mousemove="at = i" @click="go(i)"><span>{{ x.name }} <span class="soft small">{{ x.note }}</span></span><span class="soft small">{{ x.kind }}</span></li>
      </ul>
      <div v-if="!list.length" class="empty" role="status">{{ found.isFetching.value ? 'Looking …' : 'Nothing is called so. Fewer words, or fewer letters of them, find more.' }}</div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.find { width: 100%; padding: 14px 16px; border: 0; border-bottom: 1px solid rgb(var(--v-theme-line)); font: inherit; font-size: 16px; background: none; color: inherit; outline-offset: -2px; }
ul { list-style: none; margin: 0; padding: 6px; max-height: 56vh; overflow-y: auto; }
li { display: flex; justify-content: space-between; gap: 12px; padding: 8px 10px; border-radius: 4px; cursor: pointer; }
li.on { background: color-mix(in srgb, rgb(var(--v-theme-primary)) 12%, transparent); }
</style>
