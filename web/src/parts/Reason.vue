<script setup lang="ts">
import { ref } from 'vue'
import Trouble from './Trouble.vue'

// Asks for a reason before something is done that stays in a history.
const props = defineProps<{ title: string; act: string; does: (reason: string) => Promise<unknown> }>()
const open = defineModel<boolean>({ required: true })
const reason = ref('')
const trouble = ref<unknown>(null)
async function go() {
  trouble.value = null
  try {
    await props.does(reason.value)
    reason.value = ''
    open.value = false
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <v-dialog v-model="open">
    <v-card class="pad">
      <strong class="mb-3">{{ title }}</strong>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <slot />
        <v-textarea v-model="reason" label="Why" rows="2" />
        <div class="row"><v-spacer /><v-btn @click="open = false">Cancel</v-btn><v-btn class="go" :disabled="!reason.trim()" @click="go">{{ act }}</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
