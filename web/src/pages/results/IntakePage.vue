<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { api, must } from '../../api/client'
import { useNames } from '../../parts/names'
import PageHead from '../../parts/PageHead.vue'
import IntakeFile from './IntakeFile.vue'
import KeptMappings from './KeptMappings.vue'

// Where files were measured holds for all of them; what each of them is, each says for itself.
const { unitChoices } = useNames()
const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
const at = reactive({ unit: null as string | null, setup: 'as-delivered', place: '', host: null as string | null, date: '', conditions: '' })
const files = ref<{ key: number; file: File }[]>([])
const over = ref(false)
const chooser = ref<HTMLInputElement | null>(null)
let next = 0
function add(list: FileList | null | undefined) {
  for (const file of list ?? []) files.value.push({ key: next++, file })
}
function dropped(e: DragEvent) {
  over.value = false
  add(e.dataTransfer?.files)
}
function chosen(e: Event) {
  const input = e.target as HTMLInputElement
  add(input.files)
  input.value = ''
}
const cards = ref<InstanceType<typeof IntakeFile>[]>([])
const ready = computed(() => cards.value.filter((c) => c.ready))
async function all() {
  for (const c of [...ready.value]) await c.take()
}
</script>

<template>
  <PageHead title="Take in files" sub="Logs, colour patches, waves, recordings and lists become figures that trace to the file">
    <v-btn v-if="files.length > 1" class="go" :disabled="!ready.length || !at.unit" @click="all">Take in all {{ ready.length }}</v-btn>
  </PageHead>
  <div class="row mb-4">
    <v-autocomplete v-model="at.unit" label="Unit that was measured" clearable :items="unitChoices" style="flex: 1 0 250px; max-width: 300px" />
    <v-select v-model="at.setup" label="Setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" style="max-width: 200px" />
    <v-text-field v-model="at.place" label="Port, slot, screen" style="max-width: 180px" />
    <v-autocomplete v-model="at.host" label="Host, for a part" clearable :items="unitChoices" style="max-width: 240px" />
    <v-text-field v-model="at.date" label="Day" type="date" style="max-width: 160px" />
    <v-text-field v-model="at.conditions" label="Conditions" placeholder="supply=battery" style="max-width: 220px" />
  </div>
  <div class="sheet empty drop mb-4" :class="{ over }" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="dropped">
    <p>Drop files here, or <button type="button" class="plainly" @click="chooser?.click()">choose them</button>.</p>
    <p class="soft small">Tables in any dialect, JSON, spreadsheets, colour patches, recordings. Nothing is recorded before you say so.</p>
    <input ref="chooser" type="file" multiple hidden aria-label="Files to take in" @change="chosen" />
  </div>
  <IntakeFile v-for="f in files" :key="f.key" ref="cards" :file="f.file" :at="at" @gone="files = files.filter((x) => x.key !== f.key)" />
  <KeptMappings />
</template>

<style scoped>
.drop { border-style: dashed; text-align: center; }
.drop.over { border-color: rgb(var(--v-theme-primary)); background: color-mix(in srgb, rgb(var(--v-theme-primary)) 8%, transparent); }
</style>
