<script setup lang="ts">
import { computed, ref } from 'vue'
import Filters from '../../parts/Filters.vue'
import PageHead from '../../parts/PageHead.vue'
import { given } from './asked'
import Ways from './Ways.vue'

// Every way of comparing: its title, its pictures to take along, the ways beside it, what is asked on the left and the answer on the right.
const props = defineProps<{ title: string; sub?: string; kind?: string; query?: Record<string, string> }>()
const picture = (more: Record<string, string>) => `/api/charts/${props.kind}.png?${new URLSearchParams({ ...given(props.query ?? {}), ...more })}`
const pictures = computed(() => [
  { title: 'Picture for a page, PNG', href: picture({ pixels: '2' }) },
  { title: 'The same, SVG', href: picture({}).replace('.png?', '.svg?') },
  { title: 'Its figures, CSV', href: picture({}).replace('.png?', '.csv?') },
  { title: 'Card for video, 1920×1080', href: picture({ format: 'card' }) },
  { title: 'Tall card, 1080×1920', href: picture({ format: 'tall' }) },
  { title: 'Card, dark', href: picture({ format: 'card', dark: 'true' }) },
  { title: 'Card without a ground', href: picture({ format: 'card', transparent: 'true' }) },
])
const copied = ref(false)
async function copy() {
  await navigator.clipboard?.writeText(location.href)
  copied.value = true
  setTimeout(() => (copied.value = false), 1500)
}
</script>

<template>
  <PageHead :title="title" :sub="sub">
    <v-btn @click="copy">{{ copied ? 'Copied' : 'Copy link' }}</v-btn>
    <v-menu v-if="kind">
      <template #activator="{ props: at }"><v-btn v-bind="at">Pictures</v-btn></template>
      <v-list density="compact"><v-list-item v-for="p in pictures" :key="p.title" :title="p.title" :href="p.href" target="_blank" /></v-list>
    </v-menu>
    <slot name="acts" />
  </PageHead>
  <Ways />
  <slot name="over" />
  <div v-if="$slots.controls" class="split controls">
    <Filters column name="What is shown"><slot name="controls" /></Filters>
    <div><slot /></div>
  </div>
  <slot v-else />
</template>
