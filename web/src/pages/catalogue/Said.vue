<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import Reason from '../../parts/Reason.vue'
import Trouble from '../../parts/Trouble.vue'

// What is said of a variant without a figure: impressions of the desk, and reports of others.
const props = defineProps<{ variant: string }>()
const queries = useQueryClient()
const said = useQuery({ queryKey: computed(() => ['model', 'said', props.variant]), queryFn: () => must(api.GET('/api/remarks', { params: { query: { variant: props.variant } } })) })
const areas = ['processor', 'memory', 'storage', 'graphics', 'applications', 'response', 'display', 'battery', 'noise and heat', 'wireless and ports', 'body', 'price']
const noting = ref(false)
const form = reactive({ kind: 'remark', text: '', area: '', who: '', dated: '', source: '' })
const trouble = ref<unknown>(null)
const again = () => queries.invalidateQueries({ queryKey: ['model', 'said'] })
async function note() {
  trouble.value = null
  const { who, dated, source, ...own } = form
  try {
    await must(api.POST('/api/remarks', { body: { variant: props.variant, ...own, kind: form.kind as 'remark', area: form.area ?? '', ...(form.kind === 'report' && { who, dated, source }) } }))
    Object.assign(form, { text: '', who: '', dated: '', source: '' })
    noting.value = false
    await again()
  } catch (e) {
    trouble.value = e
  }
}
const gone = ref<Of<'RecordRemark'> | null>(null)
const withdrawing = ref(false)
const withdraw = async (reason: string) => {
  await must(api.POST('/api/remarks/{slug}/withdrawal', { params: { path: { slug: gone.value!.id } }, body: { reason } }))
  await again()
}
</script>

<template>
  <div class="row mb-2"><h2 class="plainhead">Said, not measured</h2><v-spacer /><v-btn size="small" @click="noting = true">Note what is said</v-btn></div>
  <div class="sheet scroll mb-5">
    <table aria-label="Said, not measured">
      <tbody>
        <tr v-for="r in said.data.value ?? []" :key="r.id">
          <td>{{ r.text }}<div class="soft small">{{ r.kind === 'report' ? `a report by ${r.who}, ${r.dated}; ${r.source}` : 'an impression' }}{{ r.area || r.measure ? `, of ${r.area || r.measure}` : '' }}</div></td>
          <td class="n"><v-btn size="small" :aria-label="`Withdraw: ${r.text}`" @click="(gone = r), (withdrawing = true)">Withdraw</v-btn></td>
        </tr>
        <tr v-if="said.data.value && !said.data.value.length"><td colspan="2" class="soft">Nothing. Impressions and reports can stand in a review, marked as such; they never count.</td></tr>
      </tbody>
    </table>
  </div>
  <Reason v-model="withdrawing" title="Withdraw what was said" act="Withdraw" :does="withdraw">{{ gone?.text }}</Reason>
  <v-dialog v-model="noting">
    <v-card class="pad">
      <strong class="mb-3">Note what is said, without a figure</strong>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <v-select v-model="form.kind" label="What it is" :items="[{ value: 'remark', title: 'An impression of ours' }, { value: 'report', title: 'A report by others' }]" />
        <v-textarea v-model="form.text" label="In a sentence" rows="2" />
        <v-select v-model="form.area" label="About" clearable :items="areas" />
        <template v-if="form.kind === 'report'">
          <div class="row"><v-text-field v-model="form.who" label="Who says it" /><v-text-field v-model="form.dated" label="On which day" type="date" /></div>
          <v-text-field v-model="form.source" label="Where it was read" />
        </template>
        <div class="row"><v-spacer /><v-btn @click="noting = false">Cancel</v-btn><v-btn class="go" :disabled="!form.text.trim()" @click="note">Note it</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
