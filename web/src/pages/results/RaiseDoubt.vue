<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'

// A person's own doubt about a run, or about all runs of its cell.
const props = defineProps<{ run: string; measures: { slug: string; name: string }[] }>()
const queries = useQueryClient()
const open = ref(false)
const rules = useQuery({ queryKey: ['rules'], queryFn: () => must(api.GET('/api/rules')) })
const trouble = ref<unknown>(null)
const form = reactive({ sentence: '', measure: '', about: 'run', cause: '', severity: 'caution' as NonNullable<Of<'ResultsRaising'>['severity']> })
async function raise() {
  trouble.value = null
  try {
    await must(api.POST('/api/doubts', { body: { run: props.run, sentence: form.sentence, measure: form.about === 'setup' ? undefined : form.measure || undefined, cell: form.about === 'cell', setup: form.about === 'setup', cause: form.cause || undefined, severity: form.severity } }))
    Object.assign(form, { sentence: '', about: 'run', cause: '' })
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
      <v-select v-model="form.about" label="About" :items="[{ value: 'run', title: 'This run' }, { value: 'cell', title: 'All runs of its cell' }, { value: 'setup', title: 'All this unit’s runs under the setup' }]" style="max-width: 300px" />
      <v-select v-if="form.about !== 'setup'" v-model="form.measure" label="In" :items="[{ slug: '', name: 'All its measures' }, ...measures]" item-value="slug" item-title="name" style="max-width: 260px" />
      <v-select v-model="form.severity" label="Weight" :items="['note', 'caution', 'serious']" style="max-width: 150px" />
      <v-select v-model="form.cause" label="Suspected cause" clearable :items="rules.data.value?.causes ?? []" item-value="key" item-title="name" style="max-width: 260px" />
    </div>
    <Trouble v-if="trouble" :error="trouble" />
    <div class="row"><v-spacer /><v-btn @click="open = false">Cancel</v-btn><v-btn class="go" :disabled="!form.sentence.trim()" @click="raise">Raise it</v-btn></div>
  </div>
</template>
