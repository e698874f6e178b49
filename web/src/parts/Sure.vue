<script setup lang="ts">
// Asks before something is done that cannot be taken back, and says what will happen.
defineProps<{ title: string; act: string }>()
const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ yes: [] }>()
function yes() {
  open.value = false
  emit('yes')
}
</script>

<template>
  <v-dialog v-model="open" max-width="520" :aria-label="title">
    <v-card class="pad">
      <h2 class="plainhead">{{ title }}</h2>
      <div class="soft mb-4"><slot /></div>
      <div class="row"><v-spacer /><v-btn @click="open = false">Cancel</v-btn><v-btn class="go" @click="yes">{{ act }}</v-btn></div>
    </v-card>
  </v-dialog>
</template>
