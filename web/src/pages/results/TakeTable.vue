<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { send, type Of } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'

const open = defineModel<boolean>({ required: true })
const queries = useQueryClient()
const file = ref<File | null>(null)
const table = ref<Of<'ResultsTable'> | null>(null)
const trouble = ref<unknown>(null)
async function look(check: boolean) {
  trouble.value = null
  try {
    table.value = await send<Of<'ResultsTable'>>(`/api/tables?check_only=${check}`, file.value!)
    if (table.value.written) void queries.invalidateQueries({ queryKey: ['runs'] })
  } catch (e) {
    trouble.value = e
  }
}
watch(file, (f) => {
  table.value = null
  if (f) void look(true)
})
</script>

<template>
  <v-dialog v-model="open">
    <v-card class="pad">
      <strong>Take in a table</strong>
      <p class="soft mt-1 mb-3">CSV with one reading per line. Columns: unit, test, measure, value, and where needed host, place, setup, sitting, date, repeat and condition:KEY.</p>
      <v-file-input v-model="file" label="Table" accept=".csv,.tsv,.txt,.xlsx,.ods,text/csv" prepend-icon="" />
      <Trouble v-if="trouble" class="mt-3" :error="trouble" />
      <template v-if="table">
        <p class="mt-3">{{ table.rows }} readings: {{ table.runs }} new runs, {{ table.known }} known already, {{ table.refused.length }} refused.<span v-if="table.written" class="good"> Taken in.</span></p>
        <div v-if="table.refused.length" class="sheet scroll" style="max-height: 260px; overflow-y: auto">
          <table><thead><tr><th class="n">Line</th><th>Refused because</th></tr></thead><tbody><tr v-for="(r, i) in table.refused" :key="i"><td class="n">{{ r.line }}</td><td class="caution">{{ r.reason }}</td></tr></tbody></table>
        </div>
      </template>
      <div class="row mt-3"><v-spacer /><v-btn @click="open = false">Close</v-btn><v-btn class="go" :disabled="!table || !!table.refused.length || !table.runs || table.written" @click="look(false)">Take in</v-btn></div>
    </v-card>
  </v-dialog>
</template>
