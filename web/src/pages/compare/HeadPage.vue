<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import Chart from '../../parts/Chart.vue'
import Trouble from '../../parts/Trouble.vue'
import { number } from '../../parts/words'
import { given, useAsked, useLists } from './asked'
import Frame from './Frame.vue'

const route = useRoute()
const { setups, choices, title } = useLists()
const { asked, set } = useAsked(() => ({ variants: String(route.query.subject ?? ''), setup: 'as-delivered', show: '' }))
const chosen = computed(() => asked.value.variants.split(',').filter(Boolean))
const choose = (list: string[]) => set({ variants: list.slice(0, 4).join(',') })
const question = computed(() => ({ variants: asked.value.variants, setup: asked.value.setup }))
const head = useQuery({
  queryKey: computed(() => ['compared', 'head', question.value]),
  enabled: computed(() => chosen.value.length > 1),
  placeholderData: (before) => before,
  queryFn: () => must(api.GET('/api/heads', { params: { query: question.value } })),
})
const first = computed(() => chosen.value[0] ?? '')
const about = computed(() => ({ params: { query: { variant: first.value } } }))
const rivals = useQuery({ queryKey: computed(() => ['compared', 'rivals', first.value]), enabled: computed(() => !!first.value), queryFn: () => must(api.GET('/api/rivals', about.value)) })
const alike = useQuery({ queryKey: computed(() => ['compared', 'alike', first.value]), enabled: computed(() => !!first.value), queryFn: () => must(api.GET('/api/likeness', about.value)) })
const offered = computed(() => [
  { what: 'Siblings', list: rivals.data.value?.siblings ?? [] },
  { what: 'Predecessors', list: rivals.data.value?.predecessors ?? [] },
  { what: 'Successors', list: rivals.data.value?.successors ?? [] },
])
const rows = computed(() => (head.data.value?.rows ?? []).filter((r) => asked.value.show === 'all' || r.gaps.some((g) => g?.sure && !g.tie)))
const groups = computed(() => [...new Set(rows.value.map((r) => r.group))])
const verdict = (g?: Of<'CompareGap'> | null) => (!g ? '' : g.tie ? g.tie : g.gain ? 'better' : 'worse')
</script>

<template>
  <Frame title="Head to head" :sub="head.data.value?.sides.map((s) => s.name).join(' · ')" :kind="chosen.length > 1 ? 'head' : undefined" :query="given(question)">
    <template #controls>
      <v-autocomplete v-for="i in Math.min(chosen.length + 1, 4)" :key="i" :label="i === 1 ? 'Held against' : i === 2 ? 'Variant' : 'And'" clearable :model-value="chosen[i - 1] ?? null" :items="choices.filter((c) => c.value === chosen[i - 1] || !chosen.includes(c.value))" @update:model-value="choose($event ? [...chosen.slice(0, i - 1), $event, ...chosen.slice(i)] : chosen.filter((_, k) => k !== i - 1))" />
      <v-select label="Setup" :model-value="asked.setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" @update:model-value="set({ setup: $event })" />
      <template v-if="first">
        <div v-for="o in offered.filter((x) => x.list.length)" :key="o.what" class="small"><strong>{{ o.what }}</strong><div v-for="v in o.list" :key="v"><button type="button" class="plainly small" :disabled="chosen.includes(v)" @click="choose([...chosen, v])">{{ title(v) }}</button></div></div>
        <div v-if="alike.data.value?.length" class="small"><strong>Most alike</strong><div v-for="l in alike.data.value" :key="l.variant" class="mb-1"><button type="button" class="plainly small" @click="choose([...chosen.filter((v) => v !== l.variant), l.variant])">{{ title(l.variant) }}</button><div class="soft">{{ l.sentence }}</div></div></div>
      </template>
    </template>
    <div v-if="chosen.length < 2" class="sheet empty">Choose a variant, and one to three others to hold against it. The page offers its siblings, its predecessors and what is most alike.</div>
    <template v-else>
      <Trouble v-if="head.error.value" :error="head.error.value" />
      <section v-for="x in head.data.value?.exchanges" :key="x.variant" class="sheet pad mb-4">
        <p>{{ x.sentence }}</p>
        <p v-if="x.advice" class="mt-1"><strong>{{ x.advice }}</strong></p>
        <div class="gain mt-2">
          <div><strong class="good">What you gain</strong><ul><li v-for="g in x.gains.slice(0, 8)" :key="g">{{ g }}</li><li v-if="x.gains.length > 8" class="soft">and {{ x.gains.length - 8 }} more</li><li v-if="!x.gains.length" class="soft">nothing that is sure</li></ul></div>
          <div><strong class="caution">What you give up</strong><ul><li v-for="g in x.gives_up.slice(0, 8)" :key="g">{{ g }}</li><li v-if="x.gives_up.length > 8" class="soft">and {{ x.gives_up.length - 8 }} more</li><li v-if="!x.gives_up.length" class="soft">nothing that is sure</li></ul></div>
        </div>
      </section>
      <Chart kind="head" :query="question" />
      <div v-if="head.data.value" class="sheet scroll mt-4">
        <table aria-label="All measures">
          <thead><tr><th>Measure</th><template v-for="(s, i) in head.data.value.sides" :key="s.variant"><th class="n">{{ s.name }}<div class="soft">{{ s.note }}{{ s.price ? `, ${s.price}` : '' }}</div></th><th v-if="i" class="n">Difference</th></template></tr></thead>
          <tbody>
            <template v-for="g in groups" :key="g">
              <tr><th class="section" :colspan="head.data.value.sides.length * 2">{{ g }}</th></tr>
              <tr v-for="r in rows.filter((x) => x.group === g)" :key="r.measure">
                <td><router-link :to="{ path: '/compare', query: { measure: r.measure, subject: first } }">{{ r.name }}</router-link><span class="soft small">, {{ r.symbol ? `${r.symbol}, ` : '' }}{{ r.better }} is better</span></td>
                <template v-for="(c, i) in r.cells" :key="i">
                  <td class="n"><template v-if="c.estimate">{{ c.estimate.bound }} {{ number(c.estimate.centre) }}<span v-if="c.doubts?.length" class="caution" title="In doubt"> *</span></template><span v-else class="soft small">{{ c.why }}</span></td>
                  <td v-if="i" class="n"><template v-if="r.gaps[i - 1]">{{ r.gaps[i - 1]!.text }}<div class="small" :class="r.gaps[i - 1]!.tie ? 'soft' : r.gaps[i - 1]!.gain ? 'good' : 'caution'">{{ verdict(r.gaps[i - 1]) }}</div></template></td>
                </template>
              </tr>
            </template>
          </tbody>
        </table>
        <div class="pad soft small">
          {{ head.data.value.note }}
          <button v-if="asked.show !== 'all'" type="button" class="plainly small" @click="set({ show: 'all' })">Show all {{ head.data.value.rows.length }} measures</button>
          <button v-else type="button" class="plainly small" @click="set({ show: '' })">Only sure differences that matter</button>
          <div v-for="a in head.data.value.apart ?? []" :key="a">Not compared: {{ a }}.</div>
        </div>
      </div>
    </template>
  </Frame>
</template>
