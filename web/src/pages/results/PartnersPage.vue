<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useNames } from '../../parts/names'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'

const queries = useQueryClient()
const pairs = useQuery({ queryKey: ['partners'], queryFn: () => must(api.GET('/api/partners', { params: { query: {} } })) })
const { units, unitChoices } = useNames()
const parts = computed(() => [...new Set((pairs.data.value ?? []).map((p) => p.part))])
const partners = computed(() => [...new Set((pairs.data.value ?? []).map((p) => p.partner))].sort())
const cell = (part: string, partner: string) => (pairs.data.value ?? []).filter((p) => p.part === part && p.partner === partner)
const words: Record<string, string> = { works: 'works', fails: 'fails', both: 'now and then' }
const how = (p: Of<'ComparePair'>) => [p.place, p.firmware && `firmware ${p.firmware}`, ...p.how].filter(Boolean).join(', ')
const noting = ref(false)
const form = reactive({ part: '', partner: '', place: '', firmware: '', outcome: 'works' as 'works' | 'fails', how: '' })
const trouble = ref<unknown>(null)
async function note() {
  trouble.value = null
  try {
    await must(api.POST('/api/partners', { body: { ...form } }))
    noting.value = false
    await queries.invalidateQueries({ queryKey: ['partners'] })
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <PageHead title="What works with what" sub="Filled by every run of a part in a host; checks and notes add to it">
    <v-btn to="/results">Runs</v-btn>
    <v-btn to="/results/incidents">Incidents</v-btn>
    <v-btn class="go" @click="noting = true">Note a pair</v-btn>
  </PageHead>
  <Trouble v-if="pairs.error.value" :error="pairs.error.value" />
  <div v-if="pairs.data.value && !parts.length" class="sheet empty">No part was used with a host yet. Put a plan for a drive on the bench, or note a pair.</div>
  <div v-else class="sheet scroll">
    <table aria-label="Matrix">
      <thead><tr><th>Part</th><th v-for="p in partners" :key="p" class="cond">{{ p }}</th></tr></thead>
      <tbody>
        <tr v-for="part in parts" :key="part">
          <td class="cond w"><strong>{{ part }}</strong></td>
          <td v-for="partner in partners" :key="partner">
            <div v-for="p in cell(part, partner)" :key="how(p)" class="mb-1">
              <span :class="p.outcome === 'works' ? 'good' : 'caution'">{{ words[p.outcome] }}</span>
              <span v-if="p.works + p.fails > 1" class="soft small">, {{ p.works }} of {{ p.works + p.fails }}</span>
              <div class="soft small">{{ how(p) }}</div>
            </div>
            <span v-if="!cell(part, partner).length" class="soft" aria-label="not tried">·</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <v-dialog v-model="noting">
    <v-card class="pad">
      <strong class="mb-3">Note a pair</strong>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <v-autocomplete v-model="form.part" label="Part" :items="unitChoices" />
        <v-text-field v-model="form.partner" label="Partner: a unit, or anything by its name" list="partners" />
        <datalist id="partners"><option v-for="u in units.data.value ?? []" :key="u.slug" :value="u.slug" /></datalist>
        <div class="row"><v-text-field v-model="form.place" label="Port, slot or screen" /><v-text-field v-model="form.firmware" label="Firmware" /></div>
        <v-select v-model="form.outcome" label="Outcome" :items="['works', 'fails']" />
        <v-text-field v-model="form.how" label="How it works, or what goes wrong" />
        <div class="row"><v-spacer /><v-btn @click="noting = false">Cancel</v-btn><v-btn class="go" @click="note">Note it</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
