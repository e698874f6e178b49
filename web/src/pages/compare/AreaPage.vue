<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import Chart from '../../parts/Chart.vue'
import { useAsked, useLists } from './asked'
import Frame from './Frame.vue'

// Many measures at a glance: all of a group, or the one of each group that most have. A chart is fetched when it comes into sight.
const { fields, measures, setups, choices, fieldName, usualField } = useLists()
const { asked, set } = useAsked(() => ({ field: usualField(), group: 'asked', subject: '', setup: '' }))
const known = computed(() => (measures.data.value ?? []).filter((m) => m.variants > 0))
const groups = computed(() => [...new Set(known.value.map((m) => m.group))])
const presets = computed(() => [{ value: 'asked', title: 'What readers ask: one of each group' }, ...groups.value.map((g) => ({ value: g, title: `All of ${/^[A-Z]{2}/.test(g) ? g : g.toLowerCase()}` }))])
const shown = computed(() => {
  if (asked.value.group !== 'asked') return known.value.filter((m) => m.group === asked.value.group)
  return groups.value.map((g) => [...known.value].filter((m) => m.group === g).sort((a, b) => b.variants - a.variants)[0]!)
})
const near = ref(new Set<string>())
const watcher = new IntersectionObserver((all) => {
  for (const e of all) if (e.isIntersecting) near.value = new Set([...near.value, (e.target as HTMLElement).dataset.measure!])
}, { rootMargin: '400px' })
const look = (el: unknown) => el && watcher.observe(el as Element)
watch(shown, () => (near.value = new Set()))
onBeforeUnmount(() => watcher.disconnect())
const name = computed(() => presets.value.find((p) => p.value === asked.value.group)?.title ?? 'Areas')
</script>

<template>
  <Frame :title="name" :sub="`${fieldName(asked.field)}, ${shown.length} measures`">
    <template #controls>
      <v-select label="Show" :model-value="asked.group" :items="presets" @update:model-value="set({ group: $event })" />
      <v-select label="Field" :model-value="asked.field" :items="fields.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ field: $event })" />
      <v-autocomplete label="Subject" clearable :model-value="asked.subject || null" :items="choices" @update:model-value="set({ subject: $event })" />
      <v-select label="Setup" clearable :model-value="asked.setup || null" :items="setups.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ setup: $event })" />
    </template>
    <div v-if="measures.data.value && !known.length" class="sheet empty">Nothing is measured yet. <router-link to="/bench?new=1">Put a plan on the bench</router-link> or <router-link to="/results?enter=1">enter readings</router-link>.</div>
    <div class="multiples">
      <div v-for="m in shown" :key="m.id" :ref="look" :data-measure="m.id" class="one">
        <router-link class="small" :to="{ path: '/compare', query: { measure: m.id, field: asked.field, subject: asked.subject || undefined } }">{{ m.name }}</router-link>
        <Chart v-if="near.has(m.id)" kind="ranked" format="phone" :most="8" :query="{ measure: m.id, field: asked.field, subject: asked.subject, setup: asked.setup }" />
        <div v-else class="waits tall" />
      </div>
    </div>
  </Frame>
</template>

<style scoped>
.multiples { display: grid; grid-template-columns: repeat(auto-fill, minmax(320px, 1fr)); gap: 18px; align-items: start; }
@media (max-width: 400px) { .multiples { grid-template-columns: minmax(0, 1fr); } }
</style>
