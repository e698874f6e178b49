<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { reactive, ref, watch } from 'vue'
import { api, must, type Of } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'

// Void, restore, correct or merge what a run says. What stood before is kept.
const props = defineProps<{ page: Of<'ResultsRunPage'> }>()
const open = defineModel<boolean>({ required: true })
const queries = useQueryClient()
const rules = useQuery({ queryKey: ['rules'], queryFn: () => must(api.GET('/api/rules')) })
const form = reactive({ do: 'void' as 'void' | 'restore' | 'correct' | 'merge', measure: '', value: '', into: '', cause: '', reason: '' })
const trouble = ref<unknown>(null)
watch(open, () => Object.assign(form, { do: 'void', measure: '', value: '', into: '', cause: '', reason: '' }))
const ways = [
  { value: 'void', title: 'Take out: it no longer counts' }, { value: 'restore', title: 'Let it count again' },
  { value: 'correct', title: 'Correct a value' }, { value: 'merge', title: 'It is a duplicate of another run' },
]
async function change() {
  trouble.value = null
  try {
    await must(api.POST('/api/runs/{slug}/corrections', { params: { path: { slug: props.page.run.id } }, body: { ...form } }))
    open.value = false
    await Promise.all(['run', 'runs', 'doubts', 'ranking', 'chart', 'history'].map((k) => queries.invalidateQueries({ queryKey: [k] })))
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <v-dialog v-model="open">
    <v-card class="pad">
      <strong class="mb-3">Change readings</strong>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <v-select v-model="form.do" label="What to do" :items="ways" />
        <v-select v-if="form.do !== 'merge'" v-model="form.measure" label="Measure" :items="[...(form.do === 'correct' ? [] : [{ slug: '', name: 'All of the run' }]), ...page.measures]" item-value="slug" item-title="name" />
        <v-text-field v-if="form.do === 'correct'" v-model="form.value" label="What was read, such as 412, 29 to 31 or at least 100" />
        <v-text-field v-if="form.do === 'merge'" v-model="form.into" label="Run that stays" />
        <v-select v-if="form.do === 'void'" v-model="form.cause" label="Cause" clearable :items="rules.data.value?.causes ?? []" item-value="key" item-title="name" />
        <v-textarea v-model="form.reason" label="Why; it stays beside the reading" rows="2" />
        <div class="row"><v-spacer /><v-btn @click="open = false">Cancel</v-btn><v-btn class="go" :disabled="!form.reason.trim()" @click="change">Change</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
