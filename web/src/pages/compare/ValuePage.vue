<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { api, must } from '../../api/client'
import Chart from '../../parts/Chart.vue'
import Trouble from '../../parts/Trouble.vue'
import { number } from '../../parts/words'
import { given, useAsked, useLists } from './asked'
import Frame from './Frame.vue'

const queries = useQueryClient()
const { fields, ratios, uses, choices, fieldName } = useLists()
const { asked, set } = useAsked(() => ({ field: fields.data.value?.some((f) => f.slug === 'laptops') ? 'laptops' : 'everything', measure: '', use: uses.data.value?.[0]?.slug ?? '', currency: '', condition: 'new', region: '', day: '', no_voucher: '', subject: '' }))
const by = computed(() => asked.value.measure || (asked.value.use && `use ${asked.value.use}`))
const question = computed(() => given({ ...asked.value, use: asked.value.measure ? '' : asked.value.use }))
const value = useQuery({
  queryKey: computed(() => ['compared', 'value', question.value]),
  enabled: computed(() => !!by.value && fields.data.value !== undefined),
  placeholderData: (before) => before,
  retry: false,
  queryFn: () => must(api.GET('/api/value', { params: { query: { ...question.value, no_voucher: asked.value.no_voucher === 'true' } as never } })),
})
const x = value.data
const basis = computed(() => [...(uses.data.value ?? []).map((u) => ({ value: `use ${u.slug}`, title: `Index for ${u.name}`, props: { subtitle: 'Many measures at once' } })), ...ratios.value])
const rates = useQuery({ queryKey: ['rates'], queryFn: () => must(api.GET('/api/rates')) })
const currencies = computed(() => [...new Set(['EUR', ...(rates.data.value ?? []).flatMap((r) => [r.from, r.to])])])
const money = (v?: number) => (v ? `${v.toLocaleString('en', { maximumFractionDigits: 0 })}` : '—')
const title = (id: string) => `${x.value?.names[id]?.name}, ${x.value?.names[id]?.note}`
const per = computed(() => [...new Set((x.value?.per ?? []).map((p) => p.of))].map((of) => ({ of, unit: x.value!.per.find((p) => p.of === of)!.unit, list: x.value!.per.filter((p) => p.of === of) })))
const noting = ref(false)
const rate = reactive({ from: 'GBP', to: 'EUR', rate: '', date: new Date().toISOString().slice(0, 10), source: '' })
const trouble = ref<unknown>(null)
async function note() {
  trouble.value = null
  try {
    await must(api.POST('/api/rates', { body: { ...rate, rate: Number(rate.rate) } }))
    noting.value = false
    await queries.invalidateQueries()
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <Frame title="Value" :sub="x ? `${fieldName(asked.field)}, ${x.what} against price` : ''" kind="value" :query="question">
    <template #acts><v-btn @click="noting = true">Exchange rates</v-btn></template>
    <template #controls>
      <v-select label="Field" :model-value="asked.field" :items="fields.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ field: $event })" />
      <v-autocomplete label="Performance by" :model-value="by" :items="basis" @update:model-value="$event?.startsWith('use ') ? set({ measure: '', use: $event.slice(4) }) : set({ measure: $event })" />
      <v-autocomplete label="Subject" clearable :model-value="asked.subject || null" :items="choices" @update:model-value="set({ subject: $event })" />
      <v-select label="Currency" clearable placeholder="The field’s own" persistent-placeholder :model-value="asked.currency || null" :items="currencies" @update:model-value="set({ currency: $event })" />
      <v-select label="Condition" :model-value="asked.condition" :items="['new', 'used', 'refurbished']" @update:model-value="set({ condition: $event })" />
      <v-text-field label="Region" placeholder="all" persistent-placeholder :model-value="asked.region" @change="set({ region: ($event.target as HTMLInputElement).value.trim() })" />
      <v-text-field label="As of a day" type="date" :model-value="asked.day" @change="set({ day: ($event.target as HTMLInputElement).value })" />
      <v-checkbox label="Without vouchers" :model-value="asked.no_voucher === 'true'" @update:model-value="set({ no_voucher: $event })" />
    </template>
    <Trouble v-if="value.error.value" :error="value.error.value" />
    <template v-else-if="x">
      <Chart kind="value" :query="question" />
      <p v-for="s in x.sentences" :key="s" class="mt-2">{{ s }}</p>
      <div class="sheet scroll mt-3">
        <table aria-label="Value">
          <thead><tr><th class="n">By value</th><th>Variant</th><th class="n">{{ x.symbol || 'Index' }}</th><th class="n">Price</th><th class="n">Per price, best 100</th><th>On the frontier</th><th class="n">Best buy at, {{ x.currency }}</th></tr></thead>
          <tbody>
            <tr v-for="v in x.values" :key="v.id" :class="{ on: v.id === asked.subject }">
              <td class="n">{{ v.unranked ? '—' : v.place }}</td>
              <td>{{ x.names[v.id]?.name }} <span class="soft">{{ x.names[v.id]?.note }}</span></td>
              <td class="n">{{ number(v.worth) }}</td>
              <td class="n">{{ x.prices[v.id]?.text }}<div class="soft small aside">{{ x.prices[v.id]?.notes?.join('; ') }}</div></td>
              <td class="n">{{ v.unranked ? '—' : Math.round(v.per) }}</td>
              <td><span v-if="v.frontier" class="good">yes</span><span v-else-if="v.beaten_by" class="small">{{ v.surely_beaten ? 'beaten by' : 'perhaps beaten by' }} {{ title(v.beaten_by) }}</span></td>
              <td class="n">{{ money(v.best_at) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <div class="split half mt-4">
        <div v-if="x.climb.length || x.steps.length" class="sheet scroll">
          <table aria-label="Steps up">
            <thead><tr><th>A step up</th><th class="n">Costs</th><th class="n">Better by, 95 %</th></tr></thead>
            <tbody>
              <tr v-for="s in [...x.climb, ...x.steps]" :key="s.from + s.to + x.climb.includes(s)"><td class="small">{{ title(s.from) }} <span class="soft">to</span> {{ title(s.to) }}<div class="soft">{{ x.climb.includes(s) ? 'along the frontier' : 'dearer configuration' }}</div></td><td class="n">{{ money(s.costs) }}</td><td class="n"><span :class="!s.sure ? 'soft' : s.more > 0 ? 'good' : 'caution'">{{ s.more.toFixed(1) }} %</span><div class="soft small">{{ s.lo.toFixed(1) }} to {{ s.hi.toFixed(1) }}<template v-if="!s.sure">, not sure</template></div></td></tr>
            </tbody>
          </table>
        </div>
        <div>
          <div v-for="g in per" :key="g.of" class="sheet scroll mb-4">
            <table :aria-label="g.of"><thead><tr><th>Price per {{ g.unit }} of {{ g.of.startsWith('drive') ? 'drive' : 'battery' }}</th><th class="n">{{ x.currency }}</th></tr></thead>
              <tbody><tr v-for="p in g.list" :key="p.variant"><td class="small">{{ title(p.variant) }}</td><td class="n">{{ number(p.price, 3) }}</td></tr></tbody></table>
          </div>
          <div v-if="Object.keys(x.spans).length" class="sheet scroll">
            <table aria-label="Price spans"><thead><tr><th>A model’s span</th><th class="n">From</th><th class="n">To</th></tr></thead>
              <tbody><tr v-for="(s, m) in x.spans" :key="m"><td class="small">{{ m }}</td><td class="n">{{ s.from.text }}</td><td class="n">{{ s.to.text }}</td></tr></tbody></table>
          </div>
        </div>
      </div>
      <p v-for="w in x.without ?? []" :key="w" class="soft small mt-1">Left out: {{ w }}.</p>
    </template>
    <div v-else-if="!by" class="sheet empty">Choose what counts as performance: a measure, or the index for a kind of use.</div>
  </Frame>
  <v-dialog v-model="noting">
    <v-card class="pad">
      <strong class="mb-2">Exchange rates</strong>
      <table v-if="rates.data.value?.length" class="mb-3 small" aria-label="Rates"><tbody><tr v-for="r in rates.data.value.slice(0, 12)" :key="r.date + r.from + r.to"><td class="pr-4">{{ r.date }}</td><td class="pr-4">1 {{ r.from }} = {{ r.rate }} {{ r.to }}</td><td class="soft">{{ r.source }}</td></tr></tbody></table>
      <p v-else class="soft">None is written down yet. Prices in other currencies than the one asked for need one.</p>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <div class="row"><v-text-field v-model="rate.from" label="One" /><v-text-field v-model="rate.rate" label="is worth" /><v-text-field v-model="rate.to" label="in" /></div>
        <div class="row"><v-text-field v-model="rate.date" label="On" type="date" /><v-text-field v-model="rate.source" label="Read where" /></div>
        <div class="row"><v-spacer /><v-btn @click="noting = false">Close</v-btn><v-btn class="go" @click="note">Write it down</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
