<script setup lang="ts">
import { watch } from 'vue'

const { title } = defineProps<{ title: string; sub?: string }>()
// The page's title is the window's too: tabs, history and bookmarks tell one from another.
watch(() => title, (t) => (document.title = t ? `${t} · Durvek` : 'Durvek'), { immediate: true })
</script>

<template>
  <header class="head">
    <div class="words">
      <h1>{{ title }}</h1>
      <div v-if="sub" class="soft">{{ sub }}</div>
    </div>
    <slot />
  </header>
</template>
