<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { api, must, type Of } from '../../api/client'

const draft = defineModel<Of<'VerdictReview'>>({ required: true })
const emit = defineEmits<{ changed: [] }>()
const uses = useQuery({ queryKey: ['uses'], queryFn: () => must(api.GET('/api/uses')) })
const fit = ['for', 'for some', 'not for'] as const
const advice = ['worth it', 'wait', 'skip'] as const
/** Changes a part of the verdict, which may not be there yet. */
function change(f: () => void) {
  f()
  emit('changed')
}
const addFit = () => change(() => (draft.value.fits = [...(draft.value.fits ?? []), { for: '', is: 'for' }]))
const addInstead = () => change(() => (draft.value.alternatives = [...(draft.value.alternatives ?? []), { name: '', reason: '' }]))
const addUpgrade = () => change(() => (draft.value.upgrades = [...(draft.value.upgrades ?? []), { model: '', name: '', advice: 'wait' }]))
const lines = (text: string) => text.split('\n').filter((t) => t.trim())
</script>

<template>
  <v-autocomplete v-model="draft.uses" label="Written for" multiple chips closable-chips :items="uses.data.value ?? []" item-value="slug" item-title="name" @update:model-value="emit('changed')" />
  <div class="row"><strong>For whom</strong><v-spacer /><v-btn size="small" @click="addFit">Add a line</v-btn></div>
  <div v-for="(f, i) in draft.fits ?? []" :key="i" class="row top">
    <v-select v-model="f.is" :items="[...fit]" :aria-label="`How it suits ${f.for}`" style="max-width: 130px" @update:model-value="emit('changed')" />
    <v-text-field v-model="f.for" label="Whom" style="max-width: 200px" />
    <v-textarea v-model="f.sentence" label="Why" rows="1" auto-grow />
    <v-btn size="small" :aria-label="`Take out ${f.for}`" @click="change(() => draft.fits!.splice(i, 1))">Take out</v-btn>
  </div>
  <div class="row"><strong>What to buy</strong><v-spacer /><v-btn size="small" @click="addInstead">Add an alternative</v-btn></div>
  <v-textarea v-model="draft.take" label="Which configuration, and why" rows="1" auto-grow />
  <v-textarea v-model="draft.turns" label="Price at which the judgement would change" rows="1" auto-grow />
  <div v-for="(a, i) in draft.alternatives ?? []" :key="i" class="row top">
    <v-text-field v-model="a.name" label="Instead" style="max-width: 240px" />
    <v-textarea v-model="a.reason" label="Why" rows="1" auto-grow />
    <v-btn size="small" :aria-label="`Take out ${a.name}`" @click="change(() => draft.alternatives!.splice(i, 1))">Take out</v-btn>
  </div>
  <div class="row"><strong>From an older one</strong><v-spacer /><v-btn size="small" @click="addUpgrade">Add a model</v-btn></div>
  <div v-for="(u, i) in draft.upgrades ?? []" :key="i" class="row top">
    <v-select v-model="u.advice" :items="[...advice]" :aria-label="`Advice from the ${u.name}`" style="max-width: 130px" @update:model-value="emit('changed')" />
    <v-text-field v-model="u.name" label="From the" style="max-width: 240px" />
    <v-textarea v-model="u.sentence" label="Why" rows="1" auto-grow />
    <v-btn size="small" :aria-label="`Take out ${u.name}`" @click="change(() => draft.upgrades!.splice(i, 1))">Take out</v-btn>
  </div>
  <v-textarea :model-value="(draft.not_tested ?? []).join('\n')" label="Not tested, and why; a line each" rows="1" auto-grow @change="change(() => (draft.not_tested = lines($event.target.value)))" />
</template>
