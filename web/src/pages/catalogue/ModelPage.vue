<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { money } from '../../parts/words'
import Reason from '../../parts/Reason.vue'
import FormDialog, { type Field, type Values } from '../../parts/FormDialog.vue'
import { tell } from '../../parts/told'
import AddClaim from './AddClaim.vue'
import EditVariant from './EditVariant.vue'
import NoteOffer from './NoteOffer.vue'
import Said from './Said.vue'

const route = useRoute()
const slug = computed(() => String(route.params.slug))
const model = useQuery({ queryKey: computed(() => ['model', slug.value]), queryFn: () => must(api.GET('/api/models/{slug}', { params: { path: { slug: slug.value } } })) })
const router = useRouter()
// Which variant is looked at stands in the address.
const at = computed(() => Math.max(0, (model.data.value?.variants ?? []).findIndex((v) => v.slug === route.query.variant)))
const variant = computed(() => model.data.value?.variants[at.value])
const claims = useQuery({
  queryKey: computed(() => ['model', 'claims', variant.value?.slug]),
  enabled: computed(() => !!variant.value),
  queryFn: () => must(api.GET('/api/claims', { params: { query: { variant: variant.value!.slug } } })),
})
const sub = computed(() => {
  const p = model.data.value
  if (!p) return ''
  const parts: string[] = [p.model.kind ?? '']
  if (p.model.released) parts.push(`released ${p.model.released}`)
  for (const a of p.model.also_sold_as ?? []) parts.push(`also sold as ${a.maker} ${a.name}${a.region ? ` in ${a.region}` : ''}`)
  return parts.join(', ')
})
const queries = useQueryClient()
const archive = useQuery({ queryKey: ['models', 'archive'], queryFn: () => must(api.GET('/api/archive')) })
const archived = computed(() => archive.data.value?.find((x) => x.kind === 'model' && x.slug === slug.value))
const archiving = ref(false)
const again = () => queries.invalidateQueries({ queryKey: ['models'] })
const putAway = (reason: string) => must(api.POST('/api/archive', { body: { kind: 'model', slug: slug.value, reason } })).then(again)
const takeBack = () => must(api.DELETE('/api/archive/{kind}/{id}', { params: { path: { kind: 'model', id: slug.value } } })).then(again)
const pricing = ref(false)
const claiming = ref(false)
const editing = ref<'' | 'model' | 'variant' | 'sibling' | 'unit'>('')
const dialog = (what: typeof editing.value) => computed({ get: () => editing.value === what, set: (is) => (editing.value = is ? what : '') })
const [editModel, editVariant, addVariant, editUnit] = [dialog('model'), dialog('variant'), dialog('sibling'), dialog('unit')]
const models = useQuery({ queryKey: ['models'], queryFn: () => must(api.GET('/api/models')) })
const modelFields = computed<Field[]>(() => [
  { key: 'maker', label: 'Maker', need: true, half: true }, { key: 'name', label: 'Name', need: true, half: true }, { key: 'released', label: 'Released in', type: 'month', half: true },
  { key: 'succeeds', label: 'Model that it succeeds', type: 'select', items: (models.data.value ?? []).filter((m) => m.slug !== slug.value).map((m) => ({ value: m.slug!, title: `${m.maker} ${m.name}` })) },
  { key: 'also', label: 'Also sold as', type: 'free', hint: 'Maker and name, a slash between: Northward / Tern' },
  { key: 'notes', label: 'Notes', type: 'area' },
])
const modelNow = computed(() => {
  const m = model.data.value?.model
  return m ? { maker: m.maker, name: m.name, released: m.released ?? '', succeeds: m.succeeds ?? '', also: (m.also_sold_as ?? []).map((a) => `${a.maker} / ${a.name}`), notes: m.notes ?? '' } : {}
})
async function saveModel(v: Values) {
  const m = model.data.value!.model
  const also = (v.also as string[]).map((t) => t.split('/').map((x) => x.trim())).filter((p) => p[0] && p[1]).map(([maker, name]) => ({ maker: maker!, name: name!, region: (m.also_sold_as ?? []).find((a) => a.maker === maker && a.name === name)?.region }))
  await must(api.POST('/api/models', { body: { slug: m.slug, kind: m.kind, maker: String(v.maker), name: String(v.name), released: String(v.released), succeeds: String(v.succeeds ?? ''), also_sold_as: also, notes: String(v.notes) } }))
  const empty = [['released', v.released, m.released], ['succeeds', v.succeeds, m.succeeds], ['notes', v.notes, m.notes], ['also_sold_as', also.length, m.also_sold_as?.length]].filter(([, is, was]) => !is && was).map(([k]) => String(k))
  if (empty.length) await must(api.POST('/api/clearings', { body: { kind: 'model', slug: m.slug!, parts: empty } }))
  await queries.invalidateQueries()
}
const unit = ref<Of<'CatalogUnit'> | null>(null)
const unitFields: Field[] = [
  { key: 'origin', label: 'Where it came from', type: 'select', need: true, half: true, items: ['bought', 'sent by maker', 'borrowed', 'own'] }, { key: 'state', label: 'Where it is now', type: 'select', need: true, half: true, items: ['on desk', 'returned', 'sold', 'broken'] },
  { key: 'received', label: 'Received on', type: 'date', half: true }, { key: 'serial', label: 'Serial number', half: true }, { key: 'notes', label: 'Notes', type: 'area' },
]
function changeUnit(u: Of<'CatalogUnit'> | null) {
  unit.value = u
  editing.value = 'unit'
}
async function saveUnit(v: Values) {
  const u = unit.value
  await must(api.POST('/api/units', { body: { ...(u ? { slug: u.slug } : {}), variant: variant.value!.slug, origin: v.origin as 'own', state: v.state as 'sold', received: String(v.received), serial: String(v.serial), notes: String(v.notes) } }))
  const empty = (['received', 'serial', 'notes'] as const).filter((k) => !v[k] && u?.[k])
  if (u && empty.length) await must(api.POST('/api/clearings', { body: { kind: 'unit', slug: u.slug!, parts: [...empty] } }))
  await queries.invalidateQueries()
}
const wrong = ref<unknown>(null)
async function remove(kind: 'claim' | 'offer' | 'unit' | 'variant' | 'model', id: string, what: string, again: () => Promise<unknown>) {
  wrong.value = null
  try {
    await must(api.DELETE('/api/books/{kind}/{id}', { params: { path: { kind, id } } }))
    tell(`${what} is removed.`, async () => {
      await again()
      await queries.invalidateQueries()
    })
    if (kind === 'model') await router.push('/catalogue')
    await queries.invalidateQueries()
  } catch (e) {
    wrong.value = e
  }
}
const removeClaim = (c: Of<'ClaimsJudged'>) => remove('claim', c.id!, 'The claim', () => must(api.POST('/api/claims', { body: { variant: c.variant, measure: c.measure, value: c.value, unit: c.unit, qualifier: c.qualifier, conditions: c.conditions, place: c.place, link: c.link, tolerance: c.tolerance, source: c.source, date: c.date } })))
const removeOffer = (o: Of<'CatalogOffer'>) => remove('offer', o.id!, 'The price', () => {
  const { id: _, ...body } = o
  return must(api.POST('/api/offers', { body }))
})
const removeUnit = (u: Of<'CatalogUnit'>) => remove('unit', u.slug!, 'The unit', () => must(api.POST('/api/units', { body: u })))
const removeVariant = (v: Of<'CatalogDossierVariant'>) => remove('variant', v.slug!, 'The variant', () => must(api.POST('/api/variants', { body: { slug: v.slug, model: v.model, name: v.name, spec: v.spec, notes: v.notes } })))
const removeModel = () => remove('model', slug.value, 'The model', () => must(api.POST('/api/models', { body: model.data.value!.model })))
const outcome = (o: string) => (o === 'held' || o === 'beyond' ? 'good' : o === 'untested' ? 'soft' : 'caution')
</script>

<template>
  <Trouble v-if="wrong || model.error.value" :error="wrong ?? model.error.value" />
  <div v-if="!model.data.value && !model.error.value" class="sheet waits tall" aria-busy="true" />
  <template v-if="model.data.value">
    <PageHead :title="`${model.data.value.model.maker} ${model.data.value.model.name}`" :sub="sub">
      <v-btn :href="`/api/dossiers/${slug}`" :download="`${slug}.yaml`">Dossier</v-btn>
      <v-menu>
        <template #activator="{ props: at }"><v-btn v-bind="at">Change …</v-btn></template>
        <v-list density="compact">
          <v-list-item title="The model" @click="editModel = true" />
          <v-list-item v-if="variant" title="This variant and its spec sheet" @click="editVariant = true" />
          <v-list-item title="Add a variant" @click="addVariant = true" />
          <v-list-item v-if="!archived" title="Archive" @click="archiving = true" />
          <v-list-item v-if="variant" title="Remove this variant" @click="removeVariant(variant)" />
          <v-list-item title="Remove the model" @click="removeModel" />
        </v-list>
      </v-menu>
      <v-btn v-if="variant" :to="`/compare/claims?subject=${variant.slug}`">Claims</v-btn>
      <v-btn v-if="variant" :to="`/compare/head?variants=${variant.slug}`">Head to head</v-btn>
      <v-btn v-if="variant" class="go" :to="`/compare?subject=${variant.slug}`">Compare</v-btn>
    </PageHead>
    <p v-if="model.data.value.lineage.length || model.data.value.successors.length" class="soft mb-4">
      <template v-if="model.data.value.lineage.length">
        Succeeds
        <template v-for="(m, i) in model.data.value.lineage" :key="m.slug"><template v-if="i">, which succeeded </template><router-link :to="`/catalogue/${m.slug}`">{{ m.maker }} {{ m.name }}</router-link></template>.
      </template>
      <template v-if="model.data.value.successors.length">
        Succeeded by <template v-for="(m, i) in model.data.value.successors" :key="m.slug"><template v-if="i">, </template><router-link :to="`/catalogue/${m.slug}`">{{ m.maker }} {{ m.name }}</router-link></template>.
      </template>
    </p>
    <p v-if="archived" class="caution">Archived: it is kept, and lists and fields leave it out.<template v-if="archived.reason"> {{ archived.reason }}</template> <v-btn size="small" @click="takeBack">Take out of the archive</v-btn></p>
    <Reason v-model="archiving" title="Archive this model" act="Archive" :does="putAway">It is kept with all that was measured; lists and fields no longer offer it.</Reason>
    <p v-if="model.data.value.model.notes">{{ model.data.value.model.notes }}</p>
    <div class="row mb-4" role="tablist">
      <v-btn v-for="(v, i) in model.data.value.variants" :key="v.slug" role="tab" :aria-selected="i === at" :class="{ go: i === at }" @click="router.push({ query: { variant: v.slug } })">{{ v.name }}</v-btn>
    </div>
    <div v-if="!variant" class="sheet empty">No variant yet. <button type="button" class="plainly" @click="addVariant = true">Add one</button>: a figure belongs to one exact configuration.</div>
    <AddClaim v-if="variant" v-model="claiming" :variant="variant.slug!" />
    <EditVariant v-model="editVariant" :model="slug" :variant="variant" />
    <EditVariant v-model="addVariant" :model="slug" :sibling="variant" />
    <FormDialog v-model="editModel" title="Change the model" act="Save" :fields="modelFields" :draft="`model ${slug}`" :initial="modelNow" :submit="saveModel" />
    <FormDialog v-model="editUnit" :title="unit ? `Change unit ${unit.slug}` : 'Add a unit'" act="Save" :fields="unitFields" :draft="`unit ${unit?.slug ?? variant?.slug}`" :initial="unit ? { origin: unit.origin, state: unit.state, received: unit.received ?? '', serial: unit.serial ?? '', notes: unit.notes ?? '' } : { origin: 'bought', state: 'on desk' }" :submit="saveUnit" />
    <NoteOffer v-if="variant" v-model="pricing" :variant="variant.slug!" />
    <div v-if="variant" class="split lean">
      <div>
        <div class="row mb-2"><h2 class="plainhead">Spec sheet</h2><v-spacer /><v-btn size="small" @click="editVariant = true">Change it</v-btn></div>
        <div class="sheet scroll">
          <table aria-label="Spec sheet">
            
            <tbody><tr v-for="r in model.data.value.sheets[at]" :key="r.key"><td class="soft">{{ r.name }}</td><td>{{ r.value }}</td></tr></tbody>
          </table>
        </div>
      </div>
      <div>
        <div class="row mb-2"><h2 class="plainhead">Claims</h2><v-spacer /><v-btn size="small" @click="claiming = true">Note a claim</v-btn></div>
        <div class="sheet scroll mb-5">
          <table aria-label="Claims">
            <thead><tr><th>Claim</th><th class="n">Claimed</th><th class="n">Measured</th><th>Outcome</th></tr></thead>
            <tbody>
              <tr v-for="c in claims.data.value ?? []" :key="c.id" :title="c.verdict.why">
                <td>{{ c.name }}<div class="soft small">{{ c.source }}</div><button type="button" class="plainly small" :aria-label="`Remove the claim ${c.name}`" @click="removeClaim(c)">Remove</button></td>
                <td class="n">{{ c.text }}</td>
                <td class="n">{{ c.measured }}</td>
                <td><span :class="outcome(c.verdict.outcome)">{{ c.verdict.outcome }}</span><span v-if="c.verdict.amount" class="soft small"> by {{ c.verdict.amount }}</span><div class="soft small">{{ c.verdict.why }}</div><div v-for="d in c.doubts ?? []" :key="d" class="caution small">In doubt: {{ d }}</div></td>
              </tr>
              <tr v-if="claims.data.value && !claims.data.value.length"><td colspan="4" class="soft">No claim is noted. What box, sheet and product page promise is judged as soon as it is measured.</td></tr>
            </tbody>
          </table>
        </div>
        <div class="row mb-2"><h2 class="plainhead">Prices</h2><v-spacer /><v-btn size="small" @click="pricing = true">Note a price</v-btn></div>
        <div class="sheet scroll mb-5">
          <table aria-label="Offers">
            <thead><tr><th class="n">Price</th><th>Where and when</th><th><span class="sr">What to do</span></th></tr></thead>
            <tbody>
              <tr v-for="o in variant.offers ?? []" :key="o.id">
                <td class="n">{{ money(o.amount, o.currency) }}</td>
                <td>
                  {{ [o.seller, o.region, o.date].filter(Boolean).join(', ') }}<template v-if="o.condition !== 'new'">, {{ o.condition }}</template><template v-if="o.list">, list price</template><template v-if="!o.tax_included">, without tax</template>
                  <div v-if="o.voucher" class="soft small">with voucher {{ o.voucher.code }}, {{ money(o.voucher.amount, o.currency) }} off</div>
                  <div v-if="o.contents?.length" class="soft small">with {{ o.contents.join(', ') }}</div>
                </td>
                <td class="n"><button type="button" class="plainly small" :aria-label="`Remove the price of ${o.seller}`" @click="removeOffer(o)">Remove</button></td>
              </tr>
              <tr v-if="!variant.offers?.length"><td colspan="3" class="soft">No price was seen.</td></tr>
            </tbody>
          </table>
        </div>
        <Said :variant="variant.slug!" />
        <div class="row mb-2"><h2 class="plainhead">Units</h2><v-spacer /><v-btn size="small" @click="changeUnit(null)">Add a unit</v-btn></div>
        <div class="sheet scroll">
          <table aria-label="Units">
            <thead><tr><th>Unit</th><th>Origin</th><th>Received</th><th>State</th><th><span class="sr">What to do</span></th></tr></thead>
            <tbody>
              <tr v-for="u in variant.units ?? []" :key="u.slug"><td><router-link :to="`/results?subject=${u.slug}`">{{ u.slug }}</router-link></td><td>{{ u.origin }}</td><td>{{ u.received }}</td><td>{{ u.state }}</td><td class="n"><button type="button" class="plainly small" :aria-label="`Change unit ${u.slug}`" @click="changeUnit(u)">Change</button>&ensp;<button type="button" class="plainly small" :aria-label="`Remove unit ${u.slug}`" @click="removeUnit(u)">Remove</button></td></tr>
              <tr v-if="!variant.units?.length"><td colspan="5" class="soft">No sample is on the books: a figure hangs on one.</td></tr>
            </tbody>
          </table>
        </div>
      </div>
    </div>
  </template>
</template>
