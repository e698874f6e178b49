<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { send, type Of } from '../../api/client'
import { useNames } from '../../parts/names'
import { useSymbols } from '../../parts/symbols'
import Trouble from '../../parts/Trouble.vue'

// One test over many units: a grid to type in, which takes what is copied from a spreadsheet. All of it is kept, or nothing.
const emit = defineEmits<{ close: [] }>()
const queries = useQueryClient()
const symbol = useSymbols()
const { tests, units, setups, unitChoices } = useNames()
const own = computed(() => (tests.data.value ?? []).filter((t) => t.origin === 'own' && !t.measures.some((m) => m.formula)))
const slug = ref<string | null>(null)
const setup = ref('as-delivered')
const test = computed(() => own.value.find((t) => t.slug === slug.value))
const columns = computed(() => test.value?.measures ?? [])
const conditions = computed(() => (test.value?.must_match ?? []).filter((c) => !(c in (setups.data.value?.find((s) => s.slug === setup.value)?.conditions ?? {}))))
const head = computed(() => ['Unit', ...columns.value.map((m) => [m.name, symbol(m.unit)].filter(Boolean).join(', ')), ...conditions.value.map((c) => c.replace(/[._-]/g, ' '))])
interface Line { unit: string; cells: string[] }
const rows = ref<Line[]>([])
const blank = (): Line => ({ unit: '', cells: head.value.slice(1).map(() => '') })
watch(head, () => (rows.value = [blank(), blank(), blank()]), { immediate: true })
/** A unit by its identifier or by what it is called. */
const unitOf = (text: string) => units.data.value?.find((u) => u.slug === text.trim() || u.title?.toLowerCase() === text.trim().toLowerCase() || u.title?.toLowerCase().startsWith(text.trim().toLowerCase()))?.slug ?? ''
function paste(e: ClipboardEvent, at: number, column: number) {
  const text = e.clipboardData?.getData('text') ?? ''
  if (!/[\t\n]/.test(text.trim())) return
  e.preventDefault()
  const lines = text.replace(/\r/g, '').split('\n').filter((l) => l.trim()).map((l) => l.split('\t'))
  lines.forEach((cells, i) => {
    const row = (rows.value[at + i] ??= blank())
    cells.forEach((c, k) => {
      const to = column + k
      if (to === 0) row.unit = unitOf(c) || c.trim()
      else if (to <= row.cells.length) row.cells[to - 1] = c.trim()
    })
  })
}
const trouble = ref<unknown>(null)
const table = ref<Of<'ResultsTable'> | null>(null)
const busy = ref(false)
const used = computed(() => rows.value.filter((r) => r.unit && r.cells.some((c) => c.trim())))
function csv(): string {
  const quoted = (s: string) => `"${s.replaceAll('"', '""')}"`
  const repeat: Record<string, number> = {}
  const lines = [['unit', 'setup', 'test', 'repeat', 'measure', 'value', ...conditions.value.map((c) => `condition:${c}`)].map(quoted).join(',')]
  for (const r of used.value) {
    const n = (repeat[r.unit] = (repeat[r.unit] ?? -1) + 1)
    columns.value.forEach((m, i) => {
      if (r.cells[i]?.trim()) lines.push([unitOf(r.unit) || r.unit, setup.value, slug.value!, String(n), m.slug, r.cells[i]!, ...conditions.value.map((_, k) => r.cells[columns.value.length + k] ?? '')].map(quoted).join(','))
    })
  }
  return lines.join('\n') + '\n'
}
async function keep() {
  trouble.value = null
  busy.value = true
  try {
    const looked = await send<Of<'ResultsTable'>>('/api/tables?check_only=true', csv())
    table.value = looked.refused.length ? looked : await send<Of<'ResultsTable'>>('/api/tables', csv())
    if (table.value.written) await queries.invalidateQueries()
  } catch (e) {
    trouble.value = e
  }
  busy.value = false
}
</script>

<template>
  <p class="soft mb-3">Choose a test, then type, or paste lines from a spreadsheet into any cell: units first, one column for each measure. Two lines of one unit are two repeats.</p>
  <Trouble v-if="trouble" :error="trouble" />
  <div class="row even mb-3"><v-autocomplete v-model="slug" label="Test" :items="own" item-value="slug" item-title="name" /><v-select v-model="setup" label="Setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" /></div>
  <div v-if="test" class="sheet scroll">
    <table aria-label="Readings to keep">
      <thead><tr><th v-for="h in head" :key="h">{{ h }}</th><th><span class="sr">Leave out</span></th></tr></thead>
      <tbody><tr v-for="(r, i) in rows" :key="i">
        <td style="min-width: 240px" @paste="paste($event, i, 0)"><v-autocomplete v-model="r.unit" :aria-label="`Unit of line ${i + 1}`" :items="unitChoices" /></td>
        <td v-for="(_, k) in r.cells" :key="k" style="min-width: 110px"><v-text-field v-model="r.cells[k]" :aria-label="`${head[k + 1]}, line ${i + 1}`" @paste="paste($event, i, k + 1)" /></td>
        <td><button type="button" class="plainly small" :aria-label="`Leave out line ${i + 1}`" @click="rows.splice(i, 1)">×</button></td>
      </tr></tbody>
    </table>
  </div>
  <div v-if="test" class="row mt-2"><button type="button" class="plainly small" @click="rows.push(blank())">Another line</button></div>
  <template v-if="table">
    <p v-if="table.written" class="good" role="status">{{ table.runs }} runs are kept.</p>
    <div v-else role="alert"><p class="caution">Nothing was kept: {{ table.refused.length }} {{ table.refused.length === 1 ? 'reading is' : 'readings are' }} refused.</p><ul class="ml-5 small"><li v-for="(x, i) in table.refused.slice(0, 12)" :key="i">{{ x.reason }}</li></ul></div>
  </template>
  <div class="row mt-3"><v-spacer /><v-btn @click="emit('close')">Close</v-btn><v-btn class="go" :loading="busy" :disabled="!used.length || table?.written" @click="keep">Keep {{ used.length || '' }}</v-btn></div>
</template>
