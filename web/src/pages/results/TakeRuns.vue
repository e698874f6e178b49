<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'
import { api, must, send, type Of } from '../../api/client'
import { useNames } from '../../parts/names'
import Trouble from '../../parts/Trouble.vue'

const open = defineModel<boolean>({ required: true })
const queries = useQueryClient()
const { unitChoices } = useNames()
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const at = reactive({ unit: '', host: '', place: '', setup: 'as-delivered' })
const file = ref<File | null>(null)
const done = ref<Of<'ResultsImported'> | null>(null)
const trouble = ref<unknown>(null)
async function take() {
  trouble.value = done.value = null
  try {
    done.value = await send<Of<'ResultsImported'>>(`/api/runs?${new URLSearchParams({ ...at, host: at.host ?? '' })}`, file.value!)
    void queries.invalidateQueries({ queryKey: ['runs'] })
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <v-dialog v-model="open">
    <v-card class="pad">
      <strong>Take in runs</strong>
      <p class="soft mt-1 mb-3">The file that a machine wrote alone, with <code>durvek bench run … --output FILE</code>. Runs that are known already stay as they are.</p>
      <div class="stack">
        <v-file-input v-model="file" label="Runs" accept=".json,application/json" prepend-icon="" />
        <v-autocomplete v-model="at.unit" label="Unit" :items="unitChoices" />
        <v-select v-model="at.setup" label="Setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" />
        <div class="row">
          <v-autocomplete v-model="at.host" label="Host, for a part" clearable :items="unitChoices" />
          <v-text-field v-model="at.place" label="Port or slot" />
        </div>
      </div>
      <Trouble v-if="trouble" class="mt-3" :error="trouble" />
      <p v-if="done" class="mt-3 good">{{ done.runs }} new runs, {{ done.known }} known already.</p>
      <div class="row mt-3"><v-spacer /><v-btn @click="open = false">Close</v-btn><v-btn class="go" :disabled="!file || !at.unit" @click="take">Take in</v-btn></div>
    </v-card>
  </v-dialog>
</template>
