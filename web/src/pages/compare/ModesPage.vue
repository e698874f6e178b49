<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, must } from '../../api/client'
import Chart from '../../parts/Chart.vue'
import Trouble from '../../parts/Trouble.vue'
import { given, useAsked, useLists } from './asked'
import Frame from './Frame.vue'

const { fields, measures, ratios, fieldName, usualField } = useLists()
const { asked, set } = useAsked(() => ({ field: usualField(), measure: [...(measures.data.value ?? [])].filter((m) => m.scale === 'ratio').sort((a, b) => b.variants - a.variants)[0]?.id ?? '', subject: '' }))
const question = computed(() => given(asked.value))
const modes = useQuery({
  queryKey: computed(() => ['compared', 'modes', question.value]),
  enabled: computed(() => !!asked.value.measure && fields.data.value !== undefined),
  placeholderData: (before) => before,
  queryFn: () => must(api.GET('/api/modes', { params: { query: asked.value } })),
})
const x = modes.data
const all = useQuery({ queryKey: computed(() => ['compared', 'modes', 'all', asked.value.measure, asked.value.field]), enabled: computed(() => !!asked.value.measure && fields.data.value !== undefined), queryFn: () => must(api.GET('/api/modes', { params: { query: { measure: asked.value.measure, field: asked.value.field } } })) })
const subjects = computed(() => [...new Map((all.data.value?.gains ?? []).map((g) => [g.variant, { value: g.variant, title: [g.name, g.note].filter(Boolean).join(', ') }])).values()])
</script>

<template>
  <Frame title="Modes" :sub="`${fieldName(asked.field)}: what they gain, and what they cost`" kind="modes" :query="question">
    <template #controls>
      <v-select label="Field" :model-value="asked.field" :items="fields.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ field: $event })" />
      <v-autocomplete label="Measure" :model-value="asked.measure" :items="ratios" @update:model-value="set({ measure: $event })" />
      <v-autocomplete label="Side by side" clearable placeholder="All, what they gain" persistent-placeholder :model-value="asked.subject || null" :items="subjects" @update:model-value="set({ subject: $event ?? '' })" />
    </template>
    <Trouble v-if="modes.error.value" :error="modes.error.value" />
    <div v-else-if="x && !x.gains.length && !x.side" class="sheet empty">No other mode was measured in {{ x.measure.name.toLowerCase() }}. Put a plan with another mode on the <router-link to="/bench">bench</router-link>.</div>
    <template v-else-if="x">
      <Chart kind="modes" :query="question" />
      <div class="sheet scroll mt-4">
        <table aria-label="Modes">
          <thead><tr><th>Variant</th><th>Mode</th><th class="n">Gain, 95 %</th><th>What it costs</th></tr></thead>
          <tbody>
            <tr v-for="g in x.gains" :key="g.variant + g.setup">
              <td><router-link :to="{ query: { ...question, subject: g.variant } }">{{ g.name }}</router-link> <span class="soft">{{ g.note }}</span> <router-link class="small" :to="{ path: '/compare', query: { measure: asked.measure, field: asked.field, subject: g.variant, modes: 'true' } }">ranked</router-link></td>
              <td>{{ g.mode }}</td>
              <td class="n"><span :class="!g.gain.sure ? 'soft' : g.gain.value > 0 ? 'good' : 'caution'">{{ g.gain.text }}</span></td>
              <td><div v-for="c in g.costs" :key="c.measure">{{ c.name }} {{ c.effect.text }}</div><span v-if="!g.costs.length" class="soft">not measured</span></td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
  </Frame>
</template>
