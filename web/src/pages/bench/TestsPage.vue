<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must, send, type Of } from '../../api/client'
import NewTest from './NewTest.vue'
import Filters from '../../parts/Filters.vue'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { amount, span } from '../../parts/words'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
const order = ['CPU', 'memory', 'storage', 'application', 'response', 'network']
const rank = (g: string) => (order.indexOf(g) + 1 || order.length + 1)
const groups = computed(() => [...new Set((tests.data.value ?? []).map((t) => t.group))].sort((a, b) => rank(a) - rank(b) || a.localeCompare(b)))
const group = computed(() => (route.query.group as string) || '')
const find = ref('')
const shown = computed(() => {
  const word = find.value.trim().toLowerCase()
  return (tests.data.value ?? [])
    .filter((t) => (!group.value || t.group === group.value) && (word || group.value || !t.of) && `${t.slug} ${t.name} ${t.about ?? ''}`.toLowerCase().includes(word))
    .sort((a, b) => groups.value.indexOf(a.group) - groups.value.indexOf(b.group) || a.name.localeCompare(b.name))
})
const origins: Record<string, string> = { workload: 'agent', command: 'agent, by command', own: 'by hand' }
const trouble = ref<unknown>(null)
const making = ref(false)
const input = ref<HTMLInputElement | null>(null)
async function take(e: Event) {
  const file = (e.target as HTMLInputElement).files?.[0]
  if (!file) return
  trouble.value = null
  try {
    const t = await send<Of<'MethodTest'>>('/api/tests', file)
    await queries.invalidateQueries({ queryKey: ['tests'] })
    void router.push(`/bench/tests/${t.slug}`)
  } catch (x) {
    trouble.value = x
  }
}
</script>

<template>
  <PageHead title="Tests" :sub="`${shown.length} of ${tests.data.value?.length ?? 0} tests`">
    <input ref="input" type="file" accept=".yaml,.yml,.json" hidden @change="take">
    <v-btn @click="input?.click()">Take in a test file</v-btn>
    <v-btn class="go" @click="making = true">A test of your own</v-btn>
  </PageHead>
  <Trouble v-if="trouble || tests.error.value" :error="trouble ?? tests.error.value" />
  <Filters class="mb-4">
    <v-select label="Group" clearable :model-value="group || null" :items="groups" style="max-width: 200px" @update:model-value="router.push({ query: $event ? { group: $event } : {} })" />
    <v-text-field v-model="find" label="Find" style="max-width: 300px" clearable />
  </Filters>
  <div v-if="tests.data.value && !shown.length" class="sheet empty">No test fits. Clear the search, or make a test of your own.</div>
  <div v-else class="sheet scroll">
    <table>
      <thead><tr><th>Test</th><th>What it does</th><th>Group</th><th>Measured</th><th class="n">One run</th><th class="n">Writes at most</th></tr></thead>
      <tbody>
        <tr v-for="t in shown" :key="t.slug" class="link" @click="router.push(`/bench/tests/${t.slug}`)">
          <td class="w"><router-link :to="`/bench/tests/${t.slug}`" @click.stop>{{ t.name }}</router-link></td>
          <td><div class="brief">{{ t.about }}</div></td>
          <td class="w">{{ t.group }}</td>
          <td class="w">{{ t.measures.some((m) => m.formula) ? 'worked out' : origins[t.origin] }}</td>
          <td class="n">{{ t.seconds ? span(t.seconds) : '—' }}</td>
          <td class="n">{{ t.writes ? amount(t.writes) : '—' }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-if="!group && !find" class="soft mt-3">Processor tests also come over thread counts, core by core and under lasting load; choose a group, or search, to see all.</p>
  <NewTest v-model="making" />
</template>
