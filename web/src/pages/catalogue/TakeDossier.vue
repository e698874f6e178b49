<script setup lang="ts">
import { ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { send, type Of } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'

const open = defineModel<boolean>({ required: true })
const router = useRouter()
const file = ref<File | null>(null)
const checked = ref<Of<'BooksIntake'> | null>(null)
const trouble = ref<unknown>(null)
watch(file, async (f) => {
  checked.value = trouble.value = null
  if (!f) return
  try {
    checked.value = await send<Of<'BooksIntake'>>('/api/dossiers?check_only=true', f)
  } catch (e) {
    trouble.value = e
  }
})
async function take() {
  try {
    const done = await send<Of<'BooksIntake'>>('/api/dossiers', file.value!)
    open.value = false
    void router.push(`/catalogue/${done.model}`)
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <v-dialog v-model="open">
    <v-card class="pad">
      <strong>Take in a dossier</strong>
      <p class="soft mt-1 mb-3">A YAML or JSON file with everything known of one model. It is checked first; nothing is written if anything is wrong.</p>
      <v-file-input v-model="file" label="Dossier" accept=".yaml,.yml,.json" prepend-icon="" />
      <Trouble v-if="trouble" class="mt-3" :error="trouble" />
      <p v-if="checked" class="mt-3">Nothing wrong: {{ checked.variants }} variants, {{ checked.units }} units, {{ checked.claims }} claims, {{ checked.offers }} offers of {{ checked.model }}.</p>
      <div class="row mt-3"><v-spacer /><v-btn @click="open = false">Cancel</v-btn><v-btn class="go" :disabled="!checked" @click="take">Take in</v-btn></div>
    </v-card>
  </v-dialog>
</template>
