<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import JoinWith from '../../parts/JoinWith.vue'
import { tell } from '../../parts/told'
import Trouble from '../../parts/Trouble.vue'
import { plain, upper } from '../../parts/words'

// A machine that is on no book joins with a code: what it tells of itself fills its sheet, and it begins with the usual tests.
const emit = defineEmits<{ arrived: [plan: string]; cancel: [] }>()
const router = useRouter()
const kind = ref('laptop')
const kinds = ['laptop', 'desktop', 'mini-pc', 'tablet', 'phone'].map((k) => ({ value: k, title: upper(plain(k).replace('pc', 'PC')) }))
const code = ref<Of<'JoinCode'> | null>(null)
const trouble = ref<unknown>(null)
const before = ref<string[]>([])
const bench = useQuery({ queryKey: ['bench', 'arrivals'], enabled: computed(() => !!code.value), refetchInterval: 3000, queryFn: () => must(api.GET('/api/bench', { params: { query: { limit: 20 } } })) })
async function make() {
  trouble.value = null
  try {
    before.value = (await must(api.GET('/api/bench', { params: { query: { limit: 200 } } }))).map((b) => b.plan.id)
    code.value = await must(api.POST('/api/arrivals', { body: { kind: kind.value } }))
  } catch (e) {
    trouble.value = e
  }
}
watch(bench.data, (list) => {
  const here = code.value && list?.find((b) => !before.value.includes(b.plan.id) && b.plan.name === 'First look')
  if (!here) return
  tell(`${here.title} has told of itself and begins to measure. Its names can be corrected in the catalogue.`)
  emit('arrived', here.plan.id)
  void router.push({ path: '/bench', query: { plan: here.plan.id } })
})
</script>

<template>
  <Trouble v-if="trouble" :error="trouble" />
  <div v-if="!code" class="stack">
    <p class="soft">Its processor, memory, system and screen come from the machine; maker and name too, where it knows them. It begins with the usual tests at once.</p>
    <v-select v-model="kind" label="Kind" :items="kinds" />
    <div class="row"><v-btn @click="emit('cancel')">Cancel</v-btn><v-spacer /><v-btn class="go" @click="make">Make a code</v-btn></div>
  </div>
  <template v-else>
    <JoinWith :code="code" />
    <div class="row"><span class="soft" role="status">Waiting for it to join …</span><v-spacer /><v-btn @click="emit('cancel')">Close</v-btn></div>
  </template>
</template>
