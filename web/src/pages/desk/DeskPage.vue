<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { api, must, Refusal } from '../../api/client'
import { useAct } from '../../parts/act'
import FormDialog, { type Field, type Values } from '../../parts/FormDialog.vue'
import PageHead from '../../parts/PageHead.vue'
import Sure from '../../parts/Sure.vue'
import { tell } from '../../parts/told'
import Trouble from '../../parts/Trouble.vue'
import { moment, plain } from '../../parts/words'
import OtherDesks from './OtherDesks.vue'

// What the desk says of itself, exchange rates, kinds of its own, the examples, and what was put away.
const self = useQuery({ queryKey: ['desk'], queryFn: () => must(api.GET('/api/desk')) })
const form = reactive({ name: '', licence: '', imprint: '' })
watch(() => self.data.value, (s) => s && Object.assign(form, { name: s.named ? s.name : '', licence: s.licence ?? '', imprint: s.imprint ?? '' }), { immediate: true })
const fixed = (what: string) => self.data.value?.fixed?.includes(what)
const { trouble, act, again } = useAct()
const did = async (what: string, work: () => Promise<unknown>) => (await act(() => work().then(() => again()))) && (tell(what), true)
const save = () => did('Saved.', () => must(api.PUT('/api/desk', { body: { ...form } })))
const examples = useQuery({ queryKey: ['models', 'examples'], queryFn: () => must(api.GET('/api/examples')) })
const all = ['laptop', 'desktop', 'mini-pc', 'tablet', 'phone', 'drive']
const kindsWanted = ref<string[]>([])
const load = () => did('The examples are on the books.', () => must(api.POST('/api/examples', { body: { kinds: kindsWanted.value } })))
// what of one's own keeps the examples, if anything does: they go with all of that, or stay
const kept = ref('')
const asking = ref(false)
async function drop(all: boolean) {
  if (!(await did('The examples are gone.', () => must(api.DELETE('/api/examples', { params: { query: { all } } })))) && !all && trouble.value instanceof Refusal && trouble.value.status === 409) {
    kept.value = trouble.value.message
    trouble.value = null
    asking.value = true
  }
}
const rates = useQuery({ queryKey: ['rates'], queryFn: () => must(api.GET('/api/rates')) })
const kinds = useQuery({ queryKey: ['kinds'], queryFn: () => must(api.GET('/api/kinds')) })
const rating = ref(false)
const today = new Date().toISOString().slice(0, 10)
const rateFields: Field[] = [
  { key: 'from', label: 'One unit of', need: true, half: true, placeholder: 'USD' }, { key: 'rate', label: 'is worth', need: true, half: true, placeholder: '0.874' }, { key: 'to', label: 'of', need: true, half: true },
  { key: 'date', label: 'On', type: 'date', need: true, half: true }, { key: 'source', label: 'Where it stands', half: true },
]
const addRate = (v: Values) => must(api.POST('/api/rates', { body: { from: String(v.from).toUpperCase(), to: String(v.to).toUpperCase(), rate: Number(String(v.rate).replace(',', '.')), date: String(v.date), source: String(v.source) } })).then(() => again('rates'))
const adding = ref(false)
const kindFields: Field[] = [{ key: 'kind', label: 'One of them', need: true, placeholder: 'such as e-reader', hint: 'Lower case, hyphens between words' }, { key: 'plural', label: 'Many of them', placeholder: 'such as e-readers' }]
const addKind = (v: Values) => must(api.POST('/api/kinds', { body: { kind: String(v.kind).trim().toLowerCase().replace(/\s+/g, '-'), plural: String(v.plural) } })).then(() => again())
const archived = useQuery({ queryKey: ['models', 'archive'], queryFn: () => must(api.GET('/api/archive')) })
const back = (kind: string, id: string) => did('It is offered again.', () => must(api.DELETE('/api/archive/{kind}/{id}', { params: { path: { kind: kind as 'model', id } } })))
const licences = computed(() => ['', 'CC-BY-4.0', 'CC-BY-SA-4.0', 'CC0-1.0', ...(form.licence && !['CC-BY-4.0', 'CC-BY-SA-4.0', 'CC0-1.0'].includes(form.licence) ? [form.licence] : [])].map((l) => ({ value: l, title: l || 'none' })))
</script>

<template>
  <PageHead title="Settings" sub="What the desk says of itself, and what it counts with">
    <v-btn to="/desk/api">For programs</v-btn>
  </PageHead>
  <Trouble v-if="trouble || self.error.value" :error="trouble ?? self.error.value" />
  <Sure v-model="asking" title="Take the examples away?" act="Take all of it away" @yes="drop(true)">{{ kept }}</Sure>
  <div class="split half">
    <section class="sheet pad" aria-labelledby="self">
      <h2 id="self" class="plainhead">The desk</h2>
      <form class="stack" @submit.prevent="save">
        <v-text-field v-model="form.name" label="Name, as it stands on charts and in editions" :disabled="fixed('name')" />
        <v-select v-model="form.licence" label="Licence of published data" :items="licences" :disabled="fixed('licence')" />
        <v-textarea v-model="form.imprint" label="Who answers for what is published" rows="2" :disabled="fixed('imprint')" />
        <div class="row"><span v-if="self.data.value?.fixed?.length" class="soft small">The {{ self.data.value.fixed.join(' and the ') }} {{ self.data.value.fixed.length > 1 ? 'are' : 'is' }} set where the service is started.</span><v-spacer /><v-btn class="go" type="submit" :disabled="!form.name.trim()">Save</v-btn></div>
      </form>
    </section>
    <section class="sheet pad" aria-labelledby="examples">
      <h2 id="examples" class="plainhead">Examples</h2>
      <p class="soft">Made-up rivals, to have something to be ranked against before your own desk has grown. They are marked wherever they stand, and never published.</p>
      <template v-if="examples.data.value?.units.length"><p class="mt-2">{{ examples.data.value.units.length }} are on the books.</p><div class="row mt-2"><v-spacer /><v-btn @click="drop(false)">Take them away</v-btn></div></template>
      <div v-else class="stack"><v-select v-model="kindsWanted" label="Of which kinds" multiple chips :items="all.map((k) => ({ value: k, title: plain(k).replace('pc', 'PC') }))" placeholder="those on the desk" persistent-placeholder /><div class="row"><v-spacer /><v-btn @click="load">Load examples</v-btn></div></div>
    </section>
    <OtherDesks />
    <section class="sheet" aria-labelledby="rates">
      <div class="row pad"><h2 id="rates" class="plainhead">Exchange rates</h2><v-spacer /><v-btn size="small" @click="rating = true">Note a rate</v-btn></div>
      <div class="scroll"><table aria-label="Exchange rates"><tbody>
        <tr v-for="r in rates.data.value ?? []" :key="r.from + r.to + r.date"><td>{{ r.date }}</td><td class="n">1 {{ r.from }} = {{ r.rate }} {{ r.to }}</td><td class="soft">{{ r.source }}</td></tr>
        <tr v-if="rates.data.value && !rates.data.value.length"><td class="soft">None. Prices in other currencies are compared by the rate of their day.</td></tr>
      </tbody></table></div>
    </section>
    <section class="sheet" aria-labelledby="kinds">
      <div class="row pad"><h2 id="kinds" class="plainhead">Kinds of product</h2><v-spacer /><v-btn size="small" @click="adding = true">Add a kind</v-btn></div>
      <p class="pad soft" style="padding-top: 0">{{ (kinds.data.value ?? []).map((k) => k.plural || plain(k.kind)).join(', ') }}</p>
    </section>
    <section class="sheet" aria-labelledby="archive">
      <div class="row pad"><h2 id="archive" class="plainhead">Put away</h2></div>
      <div class="scroll"><table aria-label="Put away"><tbody>
        <tr v-for="x in archived.data.value ?? []" :key="x.kind + x.slug"><td>{{ x.kind }}</td><td>{{ x.slug }}<div v-if="x.reason" class="soft small">{{ x.reason }}</div></td><td class="soft">{{ moment(x.at) }}</td><td class="n"><button type="button" class="plainly" @click="back(x.kind, x.slug)">Offer it again</button></td></tr>
        <tr v-if="archived.data.value && !archived.data.value.length"><td class="soft">Nothing.</td></tr>
      </tbody></table></div>
    </section>
  </div>
  <FormDialog v-model="rating" title="Note an exchange rate" act="Note it" :fields="rateFields" draft="rate" :initial="{ to: 'EUR', date: today }" :submit="addRate" />
  <FormDialog v-model="adding" title="Add a kind of product" act="Add it" :fields="kindFields" draft="kind" :submit="addKind" />
</template>
