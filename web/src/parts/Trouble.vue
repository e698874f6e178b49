<script setup lang="ts">
import { computed } from 'vue'
import { Refusal } from '../api/client'

const props = defineProps<{ error: unknown }>()
const faults = computed(() => (props.error instanceof Refusal ? props.error.faults : []))
const words = computed(() => (props.error instanceof Error ? props.error.message : String(props.error)))
</script>

<template>
  <v-alert role="alert" class="mb-4">
    {{ words }}
    <ul v-if="faults.length" class="ml-5 mt-1 small">
      <li v-for="f in faults" :key="f">{{ f }}</li>
    </ul>
  </v-alert>
</template>
