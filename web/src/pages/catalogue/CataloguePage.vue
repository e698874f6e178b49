<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, must } from '../../api/client'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import TakeDossier from './TakeDossier.vue'

const router = useRouter()
const models = useQuery({ queryKey: ['models'], queryFn: () => must(api.GET('/api/models')) })
const variants = useQuery({ queryKey: ['models', 'variants'], queryFn: () => must(api.GET('/api/variants')) })
const kind = ref<string | null>(null)
const words = ref('')
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
const taking = ref(false)
</script>

<template>
  <PageHead title="Catalogue" :sub="`${models.data.value?.length ?? 0} models, ${variants.data.value?.length ?? 0} variants`">
    <v-btn class="go" @click="taking = true">Take in a dossier</v-btn>
  </PageHead>
  <Trouble v-if="models.error.value" :error="models.error.value" />
  <div class="row mb-4">
    <v-text-field v-model="words" label="Find" clearable style="max-width: 320px" @click:clear="words = ''" />
    <v-select v-model="kind" label="Kind" clearable :items="kinds" style="max-width: 200px" />
  </div>
  <div v-if="models.data.value && !models.data.value.length" class="sheet empty">No model yet. Take in a dossier: everything you know of one model, as a file.</div>
  <div v-else class="sheet scroll">
    <table>
      <thead><tr><th>Model</th><th>Kind</th><th>Released</th><th>Succeeds</th><th>Also sold as</th><th class="n">Variants</th></tr></thead>
      <tbody>
        <tr v-for="m in shown" :key="m.slug" class="link" @click="router.push(`/catalogue/${m.slug}`)">
          <td><router-link :to="`/catalogue/${m.slug}`">{{ m.maker }} {{ m.name }}</router-link></td>
          <td>{{ m.kind }}</td>
          <td>{{ m.released }}</td>
          <td>{{ name(m.succeeds) }}</td>
          <td>{{ (m.also_sold_as ?? []).map((a) => `${a.maker} ${a.name}`).join(', ') }}</td>
          <td class="n">{{ count.get(m.slug) ?? 0 }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <TakeDossier v-model="taking" />
</template>
