<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must } from '../../api/client'
import Filters from '../../parts/Filters.vue'
import { useOpened } from '../../parts/opened'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import AddDevice from './AddDevice.vue'

const route = useRoute()
const router = useRouter()
const models = useQuery({ queryKey: ['models'], queryFn: () => must(api.GET('/api/models')) })
const variants = useQuery({ queryKey: ['models', 'variants'], queryFn: () => must(api.GET('/api/variants')) })
const kind = computed(() => (route.query.kind as string) || null)
const words = ref((route.query.text as string) ?? '')
const set = (change: Record<string, string | null>) => router.replace({ query: Object.fromEntries(Object.entries({ ...route.query, ...change }).filter(([, v]) => v)) as Record<string, string> })
watch(words, (w) => void set({ text: w || null, page: null }))
const each = 50
const page = computed(() => Math.max(1, Number(route.query.page ?? 1)))
const kinds = computed(() => [...new Set((models.data.value ?? []).map((m) => m.kind))])
const count = computed(() => {
  const n = new Map<string, number>()
  for (const v of variants.data.value ?? []) n.set(v.model ?? '', (n.get(v.model ?? '') ?? 0) + 1)
  return n
})
const shown = computed(() =>
  (models.data.value ?? []).filter((m) => {
    const names = [m.maker, m.name, ...(m.also_sold_as ?? []).map((a) => `${a.maker} ${a.name}`)].join(' ').toLowerCase()
    return (!kind.value || m.kind === kind.value) && names.includes(words.value.toLowerCase())
  }),
)
const name = (slug?: string) => {
  const m = models.data.value?.find((x) => x.slug === slug)
  return m ? `${m.maker} ${m.name}` : ''
}
const part = computed(() => shown.value.slice((page.value - 1) * each, page.value * each))
const adding = useOpened('add')
</script>

<template>
  <PageHead title="Catalogue" :sub="models.data.value && variants.data.value ? `${models.data.value.length} models, ${variants.data.value.length} variants` : ''">
    <v-btn to="/catalogue/rigs">Rigs</v-btn>
    <v-btn class="go" @click="adding = true">Add a device</v-btn>
  </PageHead>
  <Trouble v-if="models.error.value" :error="models.error.value" />
  <Filters class="mb-4">
    <v-text-field v-model="words" label="Find" clearable style="max-width: 320px" @click:clear="words = ''" />
    <v-select :model-value="kind" label="Kind" clearable :items="kinds" style="max-width: 200px" @update:model-value="set({ kind: $event, page: null })" />
  </Filters>
  <div v-if="!models.data.value && !models.error.value" class="sheet waits tall" aria-busy="true" />
  <div v-else-if="models.data.value && !models.data.value.length" class="sheet empty">Nothing is on the books. <button type="button" class="plainly" @click="adding = true">Add a device</button>: by hand, by what it tells of itself, or by a dossier, a file with everything known of one model.</div>
  <div v-else class="sheet scroll">
    <table>
      <thead><tr><th>Model</th><th>Kind</th><th>Released</th><th>Succeeds</th><th>Also sold as</th><th class="n">Variants</th></tr></thead>
      <tbody>
        <tr v-for="m in part" :key="m.slug" class="link" @click="router.push(`/catalogue/${m.slug}`)">
          <td><router-link :to="`/catalogue/${m.slug}`">{{ m.maker }} {{ m.name }}</router-link></td>
          <td>{{ m.kind }}</td>
          <td>{{ m.released }}</td>
          <td>{{ name(m.succeeds) }}</td>
          <td>{{ (m.also_sold_as ?? []).map((a) => `${a.maker} ${a.name}`).join(', ') }}</td>
          <td class="n">{{ count.get(m.slug!) ?? 0 }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <div v-if="shown.length > each" class="row mt-3"><v-spacer /><span class="soft">{{ (page - 1) * each + 1 }} to {{ Math.min(page * each, shown.length) }} of {{ shown.length }}</span><v-btn :disabled="page <= 1" @click="set({ page: String(page - 1) })">Back</v-btn><v-btn :disabled="page * each >= shown.length" @click="set({ page: String(page + 1) })">Next</v-btn></div>
  <AddDevice v-model="adding" />
</template>
