<script setup lang="ts">
import { ref } from 'vue'

// What narrows a list: a row beside the list where there is room, behind a button on a phone.
defineProps<{ count?: number; name?: string; column?: boolean }>()
const open = ref(false)
</script>

<template>
  <div class="filters" :class="{ open, column }">
    <button type="button" class="unroll" :aria-expanded="open" @click="open = !open">{{ open ? 'Close' : (name ?? 'Filter') }}<span v-if="count && !open" class="caution"> {{ count }}</span></button>
    <div :class="column ? 'stack' : 'row'" class="held"><slot /></div>
  </div>
</template>
