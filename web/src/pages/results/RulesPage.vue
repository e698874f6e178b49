<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { moment } from '../../parts/words'

const queries = useQueryClient()
const list = useQuery({ queryKey: ['rules'], queryFn: () => must(api.GET('/api/rules')) })
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const rule = ref<Of<'ResultsRuleState'> | null>(null)
const form = reactive({ test: null as string | null, off: false, limit: '', reason: '' })
const trouble = ref<unknown>(null)
const brought = ref<Of<'ResultsReexamined'> | null>(null)
const busy = ref(false)
function open(r: Of<'ResultsRuleState'>, t?: Of<'TrustTuning'>) {
  rule.value = r
  trouble.value = null
  Object.assign(form, { test: t?.test || null, off: t?.off ?? false, limit: t?.limit ? String(t.limit) : '', reason: t?.reason ?? '' })
}
async function put(body: { test?: string; off?: boolean; limit?: number; reason?: string }) {
  trouble.value = null
  try {
    await must(api.PUT('/api/rules/{slug}/tuning', { params: { path: { slug: rule.value!.name } }, body }))
    rule.value = null
    await queries.invalidateQueries({ queryKey: ['rules'] })
  } catch (e) {
    trouble.value = e
  }
}
async function examine() {
  busy.value = true
  trouble.value = brought.value = null
  try {
    brought.value = await must(api.POST('/api/examinations', { params: { query: {} } }))
    await Promise.all([queries.invalidateQueries({ queryKey: ['rules'] }), queries.invalidateQueries({ queryKey: ['doubts'] })])
  } catch (e) {
    trouble.value = e
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <PageHead title="Doubt rules" sub="They look at every run when it arrives. A rule can be changed or switched off for one test, with a reason.">
    <v-btn to="/results/doubts">Doubts</v-btn>
    <v-btn class="go" :disabled="busy" @click="examine">{{ busy ? 'Examining' : 'Examine the whole history' }}</v-btn>
  </PageHead>
  <Trouble v-if="list.error.value || (trouble && !rule)" :error="list.error.value ?? trouble" />
  <p v-if="brought" class="good" role="status">{{ brought.runs }} runs were examined: {{ brought.doubts }} doubts raised or lifted, {{ brought.open }} open now.</p>
  <div class="sheet scroll">
    <table aria-label="Rules">
      <thead><tr><th>Rule</th><th>What it looks at</th><th>Limit</th><th class="n">Open</th><th class="n">Upheld</th><th class="n">Dismissed</th><th /></tr></thead>
      <tbody>
        <tr v-for="r in list.data.value?.rules ?? []" :key="r.name">
          <td><strong>{{ r.title }}</strong><div class="soft small">{{ r.severity }}{{ r.statistical ? ', statistical' : '' }}</div></td>
          <td>{{ r.sentence }}<div v-if="r.source" class="soft small">{{ r.source }}</div>
            <div v-for="t in r.tunings" :key="t.test" class="small"><strong>{{ t.off ? 'Off' : `Limit ${t.limit}` }}</strong> for {{ t.test || 'all tests' }}: {{ t.reason }} <span class="soft">({{ t.by }}, {{ moment(t.at) }})</span> <button type="button" class="plainly small" @click="open(r, t)">Change</button></div>
          </td>
          <td class="small">{{ r.limit ? `${r.limit} ${r.limit_unit}` : '—' }}</td>
          <td class="n"><router-link v-if="r.counts.open" :to="`/results/doubts?state=open&rule=${r.name}`">{{ r.counts.open }}</router-link><template v-else>0</template></td>
          <td class="n"><router-link v-if="r.counts.upheld" :to="`/results/doubts?state=upheld&rule=${r.name}`">{{ r.counts.upheld }}</router-link><template v-else>0</template></td>
          <td class="n"><router-link v-if="r.counts.dismissed" :to="`/results/doubts?state=dismissed&rule=${r.name}`">{{ r.counts.dismissed }}</router-link><template v-else>0</template></td>
          <td><button type="button" class="plainly small" @click="open(r)">Change</button></td>
        </tr>
      </tbody>
    </table>
  </div>
  <v-dialog :model-value="!!rule" @update:model-value="rule = null">
    <v-card v-if="rule" class="pad">
      <strong class="mb-3">{{ rule.title }}</strong>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <v-autocomplete v-model="form.test" label="For the test" placeholder="All tests" persistent-placeholder clearable :items="tests.data.value ?? []" item-value="slug" item-title="name" />
        <v-checkbox v-model="form.off" label="Switched off" />
        <v-text-field v-if="rule.limit && !form.off" v-model="form.limit" :label="`Limit, ${rule.limit_unit}; usually ${rule.limit}`" type="number" step="any" />
        <v-textarea v-model="form.reason" label="Why; it stands beside the rule" rows="2" />
        <div class="row"><v-btn v-if="rule.tunings.some((t) => t.test === (form.test ?? ''))" @click="put({ test: form.test ?? '' })">As it was</v-btn><v-spacer /><v-btn @click="rule = null">Cancel</v-btn><v-btn class="go" :disabled="!form.reason.trim() || (!form.off && !Number(form.limit))" @click="put({ test: form.test ?? '', off: form.off, limit: form.off ? 0 : Number(form.limit), reason: form.reason })">Change it</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
