<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, must } from '../../api/client'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { money } from '../../parts/words'
import Reason from '../../parts/Reason.vue'
import NoteOffer from './NoteOffer.vue'
import Said from './Said.vue'

const route = useRoute()
const slug = computed(() => String(route.params.slug))
const model = useQuery({ queryKey: computed(() => ['model', slug.value]), queryFn: () => must(api.GET('/api/models/{slug}', { params: { path: { slug: slug.value } } })) })
const at = ref(0)
watch(slug, () => (at.value = 0))
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
const outcome = (o: string) => (o === 'held' || o === 'beyond' ? 'good' : o === 'untested' ? 'soft' : 'caution')
</script>

<template>
  <Trouble v-if="model.error.value" :error="model.error.value" />
  <template v-if="model.data.value">
    <PageHead :title="`${model.data.value.model.maker} ${model.data.value.model.name}`" :sub="sub">
      <v-btn :href="`/api/dossiers/${slug}`" :download="`${slug}.yaml`">Dossier</v-btn>
      <v-btn v-if="variant" @click="pricing = true">Note a price</v-btn>
      <v-btn v-if="archived" @click="takeBack">Take out of the archive</v-btn>
      <v-btn v-else @click="archiving = true">Archive</v-btn>
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
    <p v-if="archived" class="caution">Archived: it is kept, and lists and fields leave it out.<template v-if="archived.reason"> {{ archived.reason }}</template></p>
    <Reason v-model="archiving" title="Archive this model" act="Archive" :does="putAway">It is kept with all that was measured; lists and fields no longer offer it.</Reason>
    <p v-if="model.data.value.model.notes">{{ model.data.value.model.notes }}</p>
    <div class="row mb-4" role="tablist">
      <v-btn v-for="(v, i) in model.data.value.variants" :key="v.slug" role="tab" :aria-selected="i === at" :class="{ go: i === at }" @click="at = i">{{ v.name }}</v-btn>
    </div>
    <NoteOffer v-if="variant" v-model="pricing" :variant="variant.slug" />
    <div v-if="variant" class="split lean">
      <div>
        <div class="sheet scroll">
          <table aria-label="Spec sheet">
            <thead><tr><th colspan="2">Spec sheet</th></tr></thead>
            <tbody><tr v-for="r in model.data.value.sheets[at]" :key="r.key"><td class="soft">{{ r.name }}</td><td>{{ r.value }}</td></tr></tbody>
          </table>
        </div>
      </div>
      <div>
        <div class="sheet scroll mb-5">
          <table aria-label="Claims">
            <thead><tr><th>Claim</th><th class="n">Claimed</th><th class="n">Measured</th><th>Outcome</th></tr></thead>
            <tbody>
              <tr v-for="c in claims.data.value ?? []" :key="c.id" :title="c.verdict.why">
                <td>{{ c.name }}<div class="soft small">{{ c.source }}</div></td>
                <td class="n">{{ c.text }}</td>
                <td class="n">{{ c.measured }}</td>
                <td><span :class="outcome(c.verdict.outcome)">{{ c.verdict.outcome }}</span><span v-if="c.verdict.amount" class="soft small"> by {{ c.verdict.amount }}</span><div class="soft small">{{ c.verdict.why }}</div><div v-for="d in c.doubts ?? []" :key="d" class="caution small">In doubt: {{ d }}</div></td>
              </tr>
              <tr v-if="claims.data.value && !claims.data.value.length"><td colspan="4" class="soft">No claim is noted.</td></tr>
            </tbody>
          </table>
        </div>
        <div class="sheet scroll mb-5">
          <table aria-label="Offers">
            <thead><tr><th class="n">Price</th><th>Where and when</th></tr></thead>
            <tbody>
              <tr v-for="o in variant.offers ?? []" :key="o.id">
                <td class="n">{{ money(o.amount, o.currency) }}</td>
                <td>
                  {{ o.seller }}, {{ o.region }}, {{ o.date }}<template v-if="o.condition !== 'new'">, {{ o.condition }}</template><template v-if="o.list">, list price</template><template v-if="!o.tax_included">, without tax</template>
                  <div v-if="o.voucher" class="soft small">with voucher {{ o.voucher.code }}, {{ money(o.voucher.amount, o.currency) }} off</div>
                  <div v-if="o.contents?.length" class="soft small">with {{ o.contents.join(', ') }}</div>
                </td>
              </tr>
              <tr v-if="!variant.offers?.length"><td colspan="2" class="soft">No price was seen.</td></tr>
            </tbody>
          </table>
        </div>
        <Said :variant="variant.slug" />
        <div class="sheet scroll">
          <table aria-label="Units">
            <thead><tr><th>Unit</th><th>Origin</th><th>Received</th><th>State</th></tr></thead>
            <tbody>
              <tr v-for="u in variant.units ?? []" :key="u.slug"><td><router-link :to="`/results?subject=${u.slug}`">{{ u.slug }}</router-link></td><td>{{ u.origin }}</td><td>{{ u.received }}</td><td>{{ u.state }}</td></tr>
              <tr v-if="!variant.units?.length"><td colspan="4" class="soft">No sample is on the books.</td></tr>
            </tbody>
          </table>
        </div>
      </div>
    </div>
  </template>
</template>
