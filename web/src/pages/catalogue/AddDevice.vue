<script setup lang="ts">
import { ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { Of } from '../../api/client'
import { tell } from '../../parts/told'
import DeviceForm from './DeviceForm.vue'
import TakeDossier from './TakeDossier.vue'
import TellItself from './TellItself.vue'

// Three ways onto the books: by hand, by what the machine tells of itself, by a dossier.
const open = defineModel<boolean>({ required: true })
const router = useRouter()
const way = ref<'hand' | 'itself'>('hand')
const taking = ref(false)
watch(open, (is) => is && (way.value = 'hand'))
function added(s: Of<'CatalogSample'>) {
  open.value = false
  tell(`${s.model.maker} ${s.model.name}, ${s.variant.name} is on the books.`)
  void router.push(`/catalogue/${s.model.slug}`)
}
function file() {
  open.value = false
  taking.value = true
}
</script>

<template>
  <v-dialog v-model="open" max-width="760" aria-label="Add a device">
    <v-card class="pad">
      <h2 class="plainhead">Add a device</h2>
      <div class="row mb-4" role="group" aria-label="How">
        <v-btn :class="{ go: way === 'hand' }" :aria-pressed="way === 'hand'" @click="way = 'hand'">By hand</v-btn>
        <v-btn :class="{ go: way === 'itself' }" :aria-pressed="way === 'itself'" @click="way = 'itself'">Let it tell of itself</v-btn>
        <v-btn @click="file">From a dossier</v-btn>
      </div>
      <DeviceForm v-if="way === 'hand'" @added="added"><v-btn @click="open = false">Cancel</v-btn></DeviceForm>
      <TellItself v-else @arrived="open = false" @cancel="open = false" />
    </v-card>
  </v-dialog>
  <TakeDossier v-model="taking" />
</template>
