<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { api, must } from '../../api/client'
import Chart from '../../parts/Chart.vue'
import { slugOf } from '../../parts/names'
import Trouble from '../../parts/Trouble.vue'
import { lower, number } from '../../parts/words'
import { given, useAsked, useLists } from './asked'
import Frame from './Frame.vue'

const queries = useQueryClient()
const { fields, measures, setups, uses, choices, fieldName, usualField } = useLists()
const { asked, set } = useAsked(() => ({ field: usualField(), setup: 'as-delivered', use: '', weights: '', subject: '', against: '' }))
// By a kind of use, or by sliders over the groups of measures.
const groups = computed(() => [...new Set((measures.data.value ?? []).filter((m) => m.variants > 1 && m.scale === 'ratio' && m.better !== 'target').map((m) => m.group))])
const sliders = reactive<Record<string, number>>({})
const use = computed(() => uses.data.value?.find((u) => u.slug === asked.value.use))
watch([() => asked.value.weights, groups, use], ([text]) => {
  const of = new Map(use.value ? use.value.weights.map((w) => [w.group ?? '', w.weight] as const) : text.split(',').filter(Boolean).map((p) => [p.slice(0, p.lastIndexOf('=')), Number(p.slice(p.lastIndexOf('=') + 1))] as const))
  for (const g of groups.value) sliders[g] = of.get(g) ?? (of.size ? 0 : 1)
}, { immediate: true })
const single = computed(() => (use.value?.weights ?? []).filter((w) => w.measure))
const written = () => groups.value.map((g) => `${g}=${sliders[g] ?? 0}`).join(',')
function slide(group: string, to: number) {
  sliders[group] = to
  set({ use: '', weights: written() })
}
const question = computed(() => given({ ...asked.value, weights: asked.value.weights || (asked.value.use ? '' : groups.value.map((g) => `${g}=1`).join(',')) }))
const index = useQuery({
  queryKey: computed(() => ['compared', 'index', question.value]),
  enabled: computed(() => groups.value.length > 0 && fields.data.value !== undefined),
  placeholderData: (before) => before,
  retry: false,
  queryFn: () => must(api.GET('/api/index', { params: { query: question.value } })),
})
const x = index.data
const name = (id: string) => measures.data.value?.find((m) => m.id === id)?.name ?? id
const signed = (v: number) => `${v < 0 ? '−' : '+'}${Math.abs(v).toFixed(1)} %`
const places = (p: { best: number; worst: number }) => (p.best === p.worst ? `${p.best}` : `${p.best}–${p.worst}`)
const open = ref('')
const saving = ref(false)
const form = reactive({ slug: '', name: '' })
const trouble = ref<unknown>(null)
async function save() {
  trouble.value = null
  try {
    form.slug = slugOf(form.name, (uses.data.value ?? []).map((u) => u.slug))
    await must(api.POST('/api/uses', { body: { slug: form.slug, name: form.name, weights: groups.value.filter((g) => (sliders[g] ?? 0) > 0).map((g) => ({ group: g, weight: sliders[g]! })) } }))
    await queries.invalidateQueries({ queryKey: ['uses'] })
    saving.value = false
    set({ use: form.slug, weights: '' })
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <Frame title="Index" :sub="`${fieldName(asked.field)}, ${x?.measures.length ?? 0} measures`" kind="index" :query="question">
    <template #controls>
      <v-select label="Field" :model-value="asked.field" :items="fields.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ field: $event })" />
      <v-select label="Weights of a kind of use" clearable :model-value="asked.use || null" :items="uses.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ use: $event, weights: '' })" />
      <div>
        <div class="row mb-1"><strong class="small">Or your own</strong><v-spacer /><button type="button" class="plainly small" @click="saving = true">Save as a kind of use</button></div>
        <div class="weights">
          <div v-for="g in groups" :key="g" class="weight">
            <label :for="`w-${g}`">{{ g }}</label>
            <input :id="`w-${g}`" type="range" min="0" max="5" step="0.5" :value="sliders[g]" @change="slide(g, Number(($event.target as HTMLInputElement).value))" />
            <span class="n">{{ sliders[g] }}</span>
          </div>
        </div>
        <div v-for="w in single" :key="w.measure" class="soft small">{{ name(w.measure!) }}: {{ number(w.weight, 2) }}<template v-if="w.curve?.length">, in the fit alone</template></div>
      </div>
      <v-autocomplete label="Subject" clearable :model-value="asked.subject || null" :items="choices" @update:model-value="set({ subject: $event })" />
      <v-autocomplete label="100 is" clearable placeholder="the field’s mean" persistent-placeholder :model-value="asked.against || null" :items="choices" @update:model-value="set({ against: $event })" />
      <v-select label="Setup" :model-value="asked.setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ setup: $event })" />
    </template>
    <Trouble v-if="index.error.value" :error="index.error.value" />
    <template v-else-if="x">
      <Chart kind="index" pick :query="question" @row="open = $event" />
      <p class="mt-3">{{ x.firmness }} <span class="soft">A variant departs from what it is elsewhere by {{ number(x.interaction, 2) }} % from measure to measure; that, and noise, is in the whiskers.</span></p>
      <p v-for="r in x.refused ?? []" :key="r" class="caution">No index of the group {{ r }}</p>
      <div class="sheet scroll mt-3">
        <table aria-label="Index with its groups" class="cond">
          <thead><tr><th>Place</th><th>Variant</th><th class="n">Index, 95 %</th><th class="n">Measured</th><th class="n" title="Places that it takes in nine of ten draws of plausible weights">Other<br />weights</th><th v-for="g in x.group_indices" :key="g.group" class="n">{{ g.group }}<div class="soft">{{ Math.round(100 * g.weight) }} %</div></th></tr></thead>
          <tbody>
            <template v-for="r in x.rows" :key="r.id">
              <tr :class="{ on: r.id === asked.subject }">
                <td><template v-if="r.ranked">{{ places(r.place) }}</template><span v-else class="caution">not ranked</span></td>
                <td class="wide">{{ x.names[r.id]?.name }} <span class="soft">{{ x.names[r.id]?.note }}</span><div v-if="r.moves[0]" class="soft small">most moved by {{ lower(name(r.moves[0].measure)) }}, {{ signed(r.moves[0].by) }}</div></td>
                <td class="n"><strong>{{ r.value.toFixed(1) }}</strong><div class="soft small">{{ r.lo.toFixed(1) }} to {{ r.hi.toFixed(1) }}</div><div v-if="r.weakest" class="soft small" title="If what is missing is what it is weakest in">at worst {{ r.weakest.toFixed(1) }}<template v-if="r.down">, place {{ r.down }}</template></div></td>
                <td class="n"><button type="button" class="plainly" @click="open = open === r.id ? '' : r.id">{{ Math.round(100 * r.completeness) }} %</button></td>
                <td class="n">{{ r.ranked ? places(r.under_weights) : '' }}</td>
                <td v-for="g in x.group_indices" :key="g.group" class="n">{{ g.values[r.id] === undefined ? '' : Math.round(g.values[r.id]!) }}</td>
              </tr>
              <tr v-if="open === r.id"><td :colspan="5 + x.group_indices.length" class="small">
                <div v-if="r.moves.length"><strong>Moved by</strong> {{ r.moves.slice(0, 8).map((m) => `${name(m.measure)} ${signed(m.by)}`).join('; ') }}</div>
                <div v-for="o in x.without?.filter((o) => o.variant === r.id)" :key="o.measure"><strong>Does not count:</strong> {{ name(o.measure) }}: {{ o.why }}.</div>
                <div v-if="r.missing?.length"><strong>Not measured alike:</strong> {{ r.missing.map(name).join('; ') }}. <router-link :to="{ path: '/compare/next', query: { field: asked.field, variant: r.id } }">What to test next?</router-link></div>
                <div v-if="r.cannot?.length"><strong>Cannot run, so its index is over the others:</strong> {{ r.cannot.map(name).join('; ') }}</div>
                <div v-if="r.bounded?.length"><strong>Known as a bound, and counted as that:</strong> {{ r.bounded.map(name).join('; ') }}</div>
                <div v-if="r.unknown?.length"><strong>Of unknown spread, so their noise is not in the interval:</strong> {{ r.unknown.map(name).join('; ') }}</div>
                <div v-if="!r.missing?.length && !r.cannot?.length && !r.bounded?.length" class="soft">Everything is measured.</div>
              </td></tr>
            </template>
          </tbody>
        </table>
      </div>
    </template>
  </Frame>
  <v-dialog v-model="saving">
    <v-card class="pad">
      <strong class="mb-3">Save these weights as a kind of use</strong>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <v-text-field v-model="form.name" label="Name, as in “right for the chart room”" />
        <p class="soft small">What it needs, and what values are worth (30 dB 1, 45 dB 0), is said on <router-link to="/compare/fit">Fit for a use</router-link>.</p>
        <div class="row"><v-spacer /><v-btn @click="saving = false">Cancel</v-btn><v-btn class="go" @click="save">Save</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
