<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, must, type Of } from '../../api/client'
import { moment, figure, number, plain } from '../../parts/words'

// What stands behind one bar: the figure, where it stands, under which conditions, and the runs that it rests on.
const props = defineProps<{ row: Of<'CompareRow'>; measure: Of<'CompareMeasure'> }>()
const emit = defineEmits<{ close: [] }>()
const measured = computed(() => !props.measure.id.startsWith('spec/') && !props.measure.id.startsWith('price/'))
const where = [props.row.place && `place=${props.row.place}`, props.row.host && `host=${props.row.host}`].filter((x): x is string => !!x)
const place = useQuery({
  queryKey: computed(() => ['compared', 'place', props.measure.id, props.row.id, props.row.setup]),
  enabled: computed(() => measured.value && !props.row.origin),
  retry: false,
  queryFn: () => must(api.GET('/api/places', { params: { query: { measure: props.measure.id, variant: props.row.variant, setup: props.row.setup, where } } })),
})
const runs = useQuery({
  queryKey: computed(() => ['runs', 'cell', props.measure.id, props.row.unit, props.row.setup]),
  enabled: computed(() => measured.value && !props.row.origin),
  queryFn: async () => (await Promise.all(props.row.unit.split(', ').map((subject) => must(api.GET('/api/runs', { params: { query: { subject, test: props.measure.id.split('/')[0]!, setup: props.row.setup, limit: 25 } } }))))).flatMap((x) => x.runs ?? []),
})
const slug = computed(() => props.measure.id.split('/')[1])
const inCell = computed(() => (runs.data.value ?? []).filter((r) => (r.host ?? '') === (props.row.host ?? '') && (!!props.row.taken || (r.place ?? '') === (props.row.place ?? ''))))
const reading = (r: Of<'RecordRun'>) => r.readings?.find((x) => x.measure === slug.value)
const conditions = computed(() => Object.entries(props.row.basis.conditions ?? {}).filter(([k]) => props.measure.must_match.includes(k)))
</script>

<template>
  <section class="sheet pad mt-4" aria-label="What stands behind the bar">
    <div class="row"><strong>{{ [row.name, row.note, row.differs, row.taken].filter(Boolean).join(', ') }}</strong><v-spacer /><v-btn size="small" @click="emit('close')">Close</v-btn></div>
    <p class="mt-1">
      <strong>{{ row.estimate.bound }} {{ figure(row.estimate.centre, measure.symbol) }}</strong>
      <span v-if="row.estimate.unknown" class="soft"> {{ row.estimate.n === 1 ? "one reading" : `${row.estimate.n} readings` }}, spread unknown</span><span v-else-if="!row.estimate.bound && !row.estimate.exact" class="soft"> between {{ figure(row.estimate.lo, measure.symbol) }} and {{ figure(row.estimate.hi, measure.symbol) }} at 95 %, median {{ figure(row.estimate.median, measure.symbol) }}; {{ row.estimate.n }} {{ row.estimate.n === 1 ? 'repeat' : 'repeats' }} in {{ row.estimate.sittings }} {{ row.estimate.sittings === 1 ? 'sitting' : 'sittings' }}</span>
      <span v-if="!measured" class="soft"> as written down, without an interval</span>
    </p>
    <p v-if="place.data.value">{{ place.data.value.sentence }}</p>
    <p v-if="measured" class="soft small">
      Sample {{ row.unit }}<template v-if="row.host"> in {{ row.host_name ?? row.host }}</template><template v-if="row.place">, {{ row.place }}</template><template v-if="row.simulated">, simulated</template><template v-if="row.limiter">; most runs held back by {{ row.limiter }}</template>.
      <template v-if="conditions.length">What must match: <template v-for="([k, v], i) in conditions" :key="k"><template v-if="i">, </template>{{ plain(k) }} {{ v }}</template>.</template>
    </p>
    <p v-if="row.origin">
      Measured by {{ row.origin }}, with the interval that it published; its runs are not here.
      <router-link to="/desk">What is here of other desks</router-link>
    </p>
    <table v-if="inCell.length" aria-label="Runs behind the bar" class="mt-2">
      <thead><tr><th>Run</th><th class="n">{{ measure.symbol || 'Value' }}</th><th>State</th><th>Held back by</th></tr></thead>
      <tbody>
        <tr v-for="r in inCell" :key="r.id">
          <td><router-link :to="`/results/${r.id}`">{{ moment(r.started) }}, repeat {{ r.repeat + 1 }}</router-link></td>
          <td class="n">{{ reading(r) ? number(reading(r)!.value) : '—' }}</td>
          <td>{{ r.outcome === 'done' ? (reading(r)?.state ?? 'without this figure') : r.outcome }}</td>
          <td class="soft">{{ r.course?.limiter?.label ?? '' }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
