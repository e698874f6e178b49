<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { api, must, send, type Of } from '../../api/client'
import { useNames } from '../../parts/names'
import Trouble from '../../parts/Trouble.vue'

const open = defineModel<boolean>({ required: true })
const queries = useQueryClient()
const { unitChoices } = useNames()
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const reading = computed(() => (tests.data.value ?? []).filter((t) => t.analysis === 'frames' && t.origin === 'own'))
const at = reactive({ test: '', unit: '', setup: 'as-delivered', column: '', 'unit-of-time': 'ms', generated: '', conditions: '', moments: false })
const file = ref<File | null>(null)
const done = ref<Of<'RecordRun'> | null>(null)
const trouble = ref<unknown>(null)
async function take() {
  trouble.value = done.value = null
  try {
    done.value = await send<Of<'RecordRun'>>(`/api/frames?${new URLSearchParams({ ...at, moments: String(at.moments) })}`, file.value!)
    void queries.invalidateQueries({ queryKey: ['runs'] })
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <v-dialog v-model="open">
    <v-card class="pad">
      <strong>Take in frame times</strong>
      <p class="soft mt-1 mb-3">A CSV table with a header, one row a frame, for a test of your own with <code>analysis: frames</code>.</p>
      <div class="stack">
        <v-file-input v-model="file" label="Frame times" accept=".csv,text/csv" prepend-icon="" />
        <v-select v-model="at.test" label="Test" :items="reading" item-value="slug" item-title="name" no-data-text="No test reads frame times yet" />
        <v-autocomplete v-model="at.unit" label="Unit" :items="unitChoices" />
        <v-select v-model="at.setup" label="Setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" />
        <v-text-field v-model="at.conditions" label="Conditions" placeholder="content=harbour replay; display.resolution=1920 × 1080" />
        <div class="row"><v-text-field v-model="at.column" label="Column" /><v-select v-model="at['unit-of-time']" label="In" :items="['ms', 's', 'us']" /></div>
        <div class="row"><v-text-field v-model="at.generated" label="Column that marks generated frames" /><v-checkbox v-model="at.moments" label="It holds moments" /></div>
      </div>
      <Trouble v-if="trouble" class="mt-3" :error="trouble" />
      <p v-if="done" class="mt-3"><span class="good">Recorded.</span> <router-link :to="`/results/${done.id}`" @click="open = false">Open the run</router-link></p>
      <div class="row mt-3"><v-spacer /><v-btn @click="open = false">Close</v-btn><v-btn class="go" :disabled="!file || !at.unit || !at.test" @click="take">Take in</v-btn></div>
    </v-card>
  </v-dialog>
</template>
