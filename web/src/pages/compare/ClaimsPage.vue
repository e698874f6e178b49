<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, must } from '../../api/client'
import Chart from '../../parts/Chart.vue'
import Trouble from '../../parts/Trouble.vue'
import { given, narrowed, useAsked, useLists } from './asked'
import Frame from './Frame.vue'

const { choices, title, models } = useLists()
const { asked, set } = useAsked(() => ({ by: 'maker', maker: '', subject: '', outcome: '', where: '', page: '1' }))
const ledger = useQuery({
  queryKey: computed(() => ['compared', 'ledger', asked.value.by, asked.value.maker, asked.value.subject, asked.value.where]),
  placeholderData: (before) => before,
  retry: false,
  queryFn: () => must(api.GET('/api/ledger', { params: { query: { by: asked.value.by as 'maker', maker: asked.value.maker, variant: asked.value.subject, ...narrowed(asked.value.where) } } })),
})
const x = ledger.data
const outcomes = ['held', 'beyond', 'short', 'impossible', 'undecided', 'not comparable', 'untested']
const bys = [{ value: 'maker', title: 'Maker' }, { value: 'maker-year', title: 'Maker and year' }, { value: 'year', title: 'Year' }, { value: 'model', title: 'Model' }, { value: 'variant', title: 'Variant' }]
const makers = computed(() => [...new Set((models.data.value ?? []).map((m) => m.maker))].sort())
const shown = computed(() => (x.value?.claims ?? []).filter((c) => !asked.value.outcome || c.verdict.outcome === asked.value.outcome))
const each = 50
const at = computed(() => Math.max(1, Number(asked.value.page)))
const part = computed(() => shown.value.slice((at.value - 1) * each, at.value * each))
const tone = (o: string) => (o === 'held' || o === 'beyond' ? 'good' : o === 'short' || o === 'impossible' ? 'caution' : 'soft')
</script>

<template>
  <Frame title="Claims" :sub="asked.subject ? title(asked.subject) : `${x?.claims.length ?? 0} on record`" :kind="asked.subject ? 'claims' : undefined" :query="given({ variant: asked.subject, where: asked.where })">
    <template #controls>
      <v-select label="Tallied by" :model-value="asked.by" :items="bys" @update:model-value="set({ by: $event })" />
      <v-select label="Maker" clearable :model-value="asked.maker || null" :items="makers" @update:model-value="set({ maker: $event })" />
      <v-autocomplete label="Variant" clearable :model-value="asked.subject || null" :items="choices" @update:model-value="set({ subject: $event })" />
      <v-select label="Outcome" clearable :model-value="asked.outcome || null" :items="outcomes" @update:model-value="set({ outcome: $event, page: '1' })" />
      <p v-if="x" class="soft small">{{ x.note }}</p>
      <v-combobox label="Only where" multiple chips closable-chips placeholder="place=left port" :model-value="asked.where.split(';').filter(Boolean)" @update:model-value="set({ where: $event.join(';') })" />
    </template>
    <Trouble v-if="ledger.error.value" :error="ledger.error.value" />
    <template v-else-if="x">
      <div v-if="!x.claims.length" class="sheet empty">No claim is noted. What a maker promises is noted on the page of its model in the <router-link to="/catalogue">catalogue</router-link>, or comes with a dossier.</div>
      <template v-else>
        <Chart v-if="asked.subject" kind="claims" class="mb-4" :query="given({ variant: asked.subject, where: asked.where })" />
        <div v-else class="sheet scroll mb-4">
          <table aria-label="Tally">
            <thead><tr><th>Of</th><th class="n">Kept</th><th v-for="o in outcomes" :key="o" class="n">{{ o.charAt(0).toUpperCase() + o.slice(1) }}</th></tr></thead>
            <tbody><tr v-for="t in x.tallies.slice(0, 60)" :key="t.of + t.year" :title="t.sentence"><td><strong>{{ t.of }}</strong>{{ t.year ? `, ${t.year}` : '' }}</td><td class="n">{{ t.kept }} of {{ t.claims }}</td><td v-for="o in outcomes" :key="o" class="n"><span :class="t.outcomes[o] ? tone(o) : 'soft'">{{ t.outcomes[o] ?? '·' }}</span></td></tr></tbody>
          </table>
        </div>
        <div class="sheet scroll">
          <table aria-label="Claims">
            <thead><tr><th>Claim</th><th class="n">Claimed</th><th class="n">Measured, 95 %</th><th>Outcome</th></tr></thead>
            <tbody>
              <tr v-for="c in part" :key="c.id">
                <td class="wide"><router-link :to="{ path: '/compare', query: { measure: c.measure, subject: c.variant, relative: c.verdict.estimate ? 'claim' : undefined } }">{{ c.name }}</router-link><div class="soft small">{{ title(c.variant ?? '') }}; {{ c.source }}{{ c.date ? `, ${c.date}` : '' }}</div></td>
                <td class="n">{{ c.text }}</td>
                <td class="n">{{ c.measured }}</td>
                <td><span :class="tone(c.verdict.outcome)">{{ c.verdict.outcome }}</span><div class="small">{{ c.verdict.why }}</div><div v-for="d in c.doubts ?? []" :key="d" class="caution small">In doubt: {{ d }}</div><div v-if="c.runs?.length" class="small">Rests on <template v-for="(r, i) in c.runs" :key="r"><template v-if="i">, </template><router-link :to="`/results/${r}`">run {{ i + 1 }}</router-link></template></div></td>
              </tr>
              <tr v-if="shown.length > each"><td colspan="4"><div class="row"><span class="soft">{{ (at - 1) * each + 1 }} to {{ Math.min(at * each, shown.length) }} of {{ shown.length }}</span><v-spacer /><v-btn size="small" :disabled="at <= 1" @click="set({ page: String(at - 1) })">Back</v-btn><v-btn size="small" :disabled="at * each >= shown.length" @click="set({ page: String(at + 1) })">Next</v-btn></div></td></tr>
              <tr v-if="!shown.length"><td colspan="4" class="soft">No claim has this outcome.</td></tr>
            </tbody>
          </table>
        </div>
      </template>
    </template>
  </Frame>
</template>
