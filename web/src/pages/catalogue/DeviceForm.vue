<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, onMounted, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useDraft } from '../../parts/draft'
import Trouble from '../../parts/Trouble.vue'
import { plain, upper } from '../../parts/words'
import { useSpec } from './spec'
import SpecEditor from './SpecEditor.vue'

// What lies on the desk, by what it is called: model, variant and unit are made of it where they are not there yet.
const emit = defineEmits<{ added: [sample: Of<'CatalogSample'>] }>()
const queries = useQueryClient()
const kinds = useQuery({ queryKey: ['kinds'], queryFn: () => must(api.GET('/api/kinds')) })
const models = useQuery({ queryKey: ['models'], queryFn: () => must(api.GET('/api/models')) })
const { sheet } = useSpec()
const { values: form, load, drop } = useDraft(() => 'device', () => ({ kind: 'laptop', maker: '', name: '', configuration: '', origin: 'bought', serial: '', received: '', released: '', succeeds: '', notes: '', spec: {} as Record<string, string> }))
onMounted(load)
const more = ref(false)
const trouble = ref<unknown>(null)
const busy = ref(false)
const makers = computed(() => [...new Set((models.data.value ?? []).map((m) => m.maker ?? '').filter(Boolean))].sort())
const kindItems = computed(() => (kinds.data.value ?? []).map((k) => ({ value: k.kind, title: upper(plain(k.kind).replace(/\bpc\b/, 'PC')) })))
const before = computed(() => (models.data.value ?? []).filter((m) => m.kind === form.kind).map((m) => ({ value: m.slug!, title: `${m.maker} ${m.name}` })))
async function add() {
  if (!form.maker.trim() || !form.name.trim() || busy.value) return
  trouble.value = null
  busy.value = true
  try {
    const { spec, ...told } = form
    const said = Object.fromEntries(Object.entries(told).filter(([, v]) => v)) as unknown as Of<'CatalogDevice'>
    const s = await must(api.POST('/api/devices', { body: { ...said, spec: sheet(spec) } }))
    drop()
    load()
    await queries.invalidateQueries({ queryKey: ['models'] })
    await queries.invalidateQueries({ queryKey: ['today'] })
    emit('added', s)
  } catch (e) {
    trouble.value = e
  }
  busy.value = false
}
</script>

<template>
  <form class="stack" aria-label="Add a device" @submit.prevent="add">
    <Trouble v-if="trouble" :error="trouble" />
    <datalist id="makers"><option v-for="m in makers" :key="m" :value="m" /></datalist>
    <div class="row even">
      <v-select v-model="form.kind" label="Kind" :items="kindItems" />
      <v-text-field v-model="form.maker" label="Maker" list="makers" autocomplete="off" />
      <v-text-field v-model="form.name" label="Name of the model" />
    </div>
    <div class="row even">
      <v-text-field v-model="form.configuration" label="Configuration" placeholder="such as 16 GiB, 512 GB" persistent-placeholder />
      <v-select v-model="form.origin" label="Where the sample came from" :items="['bought', 'sent by maker', 'borrowed', 'own']" />
    </div>
    <button type="button" class="plainly small" :aria-expanded="more" style="align-self: start" @click="more = !more">{{ more ? 'Less' : 'Spec sheet, dates, serial number' }}</button>
    <template v-if="more">
      <div class="row even"><v-text-field v-model="form.serial" label="Serial number" /><v-text-field v-model="form.received" label="Received on" type="date" /><v-text-field v-model="form.released" label="Released in" type="month" /></div>
      <v-autocomplete :model-value="form.succeeds || null" label="Model that it succeeds" clearable :items="before" @update:model-value="form.succeeds = $event ?? ''" />
      <SpecEditor v-model="form.spec" />
      <v-textarea v-model="form.notes" label="Notes" rows="2" />
    </template>
    <div class="row"><slot /><v-spacer /><v-btn class="go" type="submit" :loading="busy" :disabled="!form.maker?.trim() || !form.name.trim()">Put it on the desk</v-btn></div>
  </form>
</template>
