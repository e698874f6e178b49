<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'

// A person's own doubt about a run, or about all runs of its cell.
const props = defineProps<{ run: string; measures: { slug: string; name: string }[] }>()
const queries = useQueryClient()
const open = ref(false)
const trouble = ref<unknown>(null)
const form = reactive({ sentence: '', measure: '', cell: false, severity: 'caution' as NonNullable<Of<'ResultsRaising'>['severity']> })
async function raise() {
  trouble.value = null
  try {
    await must(api.POST('/api/doubts', { body: { run: props.run, sentence: form.sentence, measure: form.measure || undefined, cell: form.cell, severity: form.severity } }))
    Object.assign(form, { sentence: '', cell: false })
    open.value = false
    await queries.invalidateQueries()
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <v-btn v-if="!open" size="small" class="mb-3" @click="open = true">Raise a doubt</v-btn>
  <div v-else class="sheet pad stack mb-3">
    <strong>Raise a doubt</strong>
    <v-textarea v-model="form.sentence" label="What is wrong, as readers may see it" rows="2" autofocus />
    <div class="row">
      <v-select v-model="form.measure" label="About" :items="[{ slug: '', name: 'The whole run' }, ...measures]" item-value="slug" item-title="name" style="max-width: 320px" />
      <v-select v-model="form.severity" label="Weight" :items="['note', 'caution', 'serious']" style="max-width: 150px" />
      <v-checkbox v-model="form.cell" label="About all runs of its cell" />
    </div>
    <Trouble v-if="trouble" :error="trouble" />
    <div class="row"><v-spacer /><v-btn @click="open = false">Cancel</v-btn><v-btn class="go" :disabled="!form.sentence.trim()" @click="raise">Raise it</v-btn></div>
  </div>
</template>
