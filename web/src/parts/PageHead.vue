<script setup lang="ts">
defineProps<{ title: string; sub?: string }>()
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
