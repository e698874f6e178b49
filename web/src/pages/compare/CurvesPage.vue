<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, must } from '../../api/client'
import Chart from '../../parts/Chart.vue'
import Trouble from '../../parts/Trouble.vue'
import { given, useAsked, useLists } from './asked'
import Frame from './Frame.vue'

const { fields, setups, choices, title, measures, usualField, fieldName } = useLists()
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const measured = computed(() => new Set((measures.data.value ?? []).filter((m) => m.variants > 0).map((m) => m.id.split('/')[0])))
const usual = ['hashing-sustained', 'route-search-scaling', 'drive-fill']
const { asked, set } = useAsked(() => ({ field: usualField(), test: usual.find((t) => measured.value.has(t)) ?? '', variants: '', setup: 'as-delivered', subject: '' }))
const chosen = computed(() => asked.value.variants.split(',').filter(Boolean))
const question = computed(() => given(asked.value))
const curves = useQuery({
  queryKey: computed(() => ['compared', 'curves', question.value]),
  enabled: computed(() => !!asked.value.test && fields.data.value !== undefined),
  placeholderData: (before) => before,
  queryFn: () => must(api.GET('/api/curves', { params: { query: asked.value } })),
})
const list = computed(() => (tests.data.value ?? []).filter((t) => measured.value.has(t.slug)).map((t) => ({ value: t.slug, title: t.name, props: { subtitle: t.group } })))
</script>

<template>
  <Frame title="Curves" :sub="chosen.length ? chosen.map(title).join('; ') : fieldName(asked.field)" kind="curves" :query="question">
    <template #controls>
      <v-autocomplete label="Test" :model-value="asked.test" :items="list" @update:model-value="set({ test: $event })" />
      <v-select label="Field" :model-value="asked.field" :items="fields.data.value ?? []" item-value="slug" item-title="name" :disabled="chosen.length > 0" @update:model-value="set({ field: $event })" />
      <v-autocomplete label="Or these variants" multiple clearable :model-value="chosen" :items="choices" @update:model-value="set({ variants: ($event ?? []).join(',') })" />
      <v-autocomplete label="Subject" clearable :model-value="asked.subject || null" :items="choices" @update:model-value="set({ subject: $event })" />
      <v-select label="Setup" :model-value="asked.setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ setup: $event })" />
    </template>
    <Trouble v-if="curves.error.value" :error="curves.error.value" />
    <template v-else-if="curves.data.value">
      <Chart kind="curves" :query="question" />
      <p v-if="!curves.data.value.lines.length" class="soft mt-3">Tests that leave a series are those of sustained load, scaling over threads, filling a drive, latency over a working set, and the files of meters that logged over time, bytes or distance.</p>
      <div v-else class="sheet scroll mt-4">
        <table aria-label="Lines"><thead><tr><th>Variant</th><th>{{ curves.data.value.y }}</th><th class="n">Points</th></tr></thead>
          <tbody><tr v-for="l in curves.data.value.lines" :key="l.id"><td>{{ l.name }} <span class="soft">{{ l.note }}</span></td><td>{{ l.summary }}</td><td class="n">{{ l.x.length }}</td></tr></tbody></table>
        <div v-for="n in curves.data.value.notes ?? []" :key="n" class="pad soft small">{{ n }}</div>
      </div>
    </template>
  </Frame>
</template>
