<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { api, must, send, type Of } from '../../api/client'
import { useAct } from '../../parts/act'
import { tell } from '../../parts/told'
import Trouble from '../../parts/Trouble.vue'

// What the columns of files mean, as it was saved; and figures of files made anew where an analysis is better by now.
const mappings = useQuery({ queryKey: ['mappings'], queryFn: () => must(api.GET('/api/mappings')) })
const recounted = ref<Of<'ResultsRecounted'> | null>(null)
const { trouble, busy, act, again } = useAct()
const drop = (m: Of<'RawfileMapping'>) => act(async () => {
  await must(api.DELETE('/api/mappings/{slug}', { params: { path: { slug: m.name! } } }))
  await again('mappings')
  tell(`“${m.name}” is forgotten.`, async () => {
    await must(api.POST('/api/mappings', { body: m }))
    await again('mappings')
  })
})
const recount = () => act(async () => {
  recounted.value = await must(api.POST('/api/recounts'))
  await again()
})
const take = (e: Event) => act(async () => {
  const file = (e.target as HTMLInputElement).files?.[0]
  if (file) await send('/api/mapping-files', file)
  await again('mappings')
})
</script>

<template>
  <h2>Saved mappings</h2>
  <Trouble v-if="trouble" :error="trouble" />
  <div class="sheet scroll">
    <table aria-label="Saved mappings"><tbody>
      <tr v-for="m in mappings.data.value ?? []" :key="m.name"><td>{{ m.name }}</td><td class="n"><button type="button" class="plainly" :aria-label="`Forget ${m.name}`" @click="drop(m)">Forget</button></td></tr>
      <tr v-if="mappings.data.value && !mappings.data.value.length"><td class="soft">None. Save one while you take in a file: the next with the same header is understood by itself.</td></tr>
    </tbody></table>
  </div>
  <div class="row mt-3"><label class="small">Take in a mapping that another desk shared <input type="file" accept=".yaml,.yml,.json" @change="take"></label><v-spacer /><v-btn :loading="busy" @click="recount">Make all figures of files anew</v-btn></div>
  <p v-if="recounted" role="status" class="mt-2">{{ recounted.cells }} cells looked at; {{ recounted.moved.length ? `${recounted.moved.length} figures moved: ${recounted.moved.slice(0, 5).join(', ')}` : 'no figure moved' }}{{ recounted.differ.length ? `; ${recounted.differ.length} did not agree and were made anew` : '' }}.</p>
</template>
