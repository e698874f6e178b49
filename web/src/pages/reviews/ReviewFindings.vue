<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Of } from '../../api/client'

type Finding = Of<'VerdictFinding'>
const list = defineModel<Finding[]>({ required: true })
const props = defineProps<{ stale: string[] }>()
const emit = defineEmits<{ changed: [] }>()
const all = ref(false)
const kinds = ['strength', 'weakness', 'note']
const heading = (area: string) => (area ? area[0]!.toUpperCase() + area.slice(1) : 'Of the whole product')
/** Findings by area, in the order in which they are first met; what is left out stands behind a switch. */
const areas = computed(() => {
  const by = new Map<string, Finding[]>()
  for (const f of list.value) {
    if (f.hidden && !all.value) continue
    const area = f.area ?? ''
    by.set(area, [...(by.get(area) ?? []), f])
  }
  return [...by]
})
const hidden = computed(() => list.value.filter((f) => f.hidden).length)
const source = (f: Finding) => (f.rule === 'remark' ? 'An impression, not measured' : f.rule === 'report' ? 'A report, not measured' : f.rule === 'reviewer' ? 'Your own' : '')
function add() {
  list.value = [...list.value, { id: '', rule: 'reviewer', kind: 'strength', text: '', certainty: 'sure', prominence: 0, rests_on: [] }]
  emit('changed')
}
</script>

<template>
  <div class="row mb-2">
    <strong>Findings</strong><span class="soft small">drawn from the figures</span><v-spacer />
    <v-btn v-if="hidden" size="small" @click="all = !all">{{ all ? 'Hide those left out' : `Show ${hidden} left out` }}</v-btn>
    <v-btn size="small" @click="add">Add one</v-btn>
  </div>
  <section v-for="[area, found] in areas" :key="area" class="mb-4">
    <h3 class="soft small mb-1">{{ heading(area) }}</h3>
    <div v-for="f in found" :key="f.id || list.indexOf(f)" class="finding" :class="{ off: f.hidden }">
      <v-checkbox :model-value="!f.hidden" :aria-label="`Publish: ${f.text}`" @update:model-value="(f.hidden = !$event), emit('changed')" />
      <v-select v-model="f.kind" :items="kinds" :aria-label="`Kind of: ${f.text}`" @update:model-value="emit('changed')" />
      <div class="grow">
        <v-textarea v-model="f.text" rows="1" auto-grow :label="source(f) || undefined" :aria-label="source(f) || f.rule" />
        <div v-if="props.stale.includes(f.text)" class="caution small" role="status">A figure behind it moved since it was signed.</div>
        <details v-if="f.folded?.length" class="small soft">
          <summary>{{ f.folded.length }} figures behind it</summary>
          <div v-for="t in f.folded" :key="t">{{ t }}</div>
        </details>
      </div>
    </div>
  </section>
</template>
