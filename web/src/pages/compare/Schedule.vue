<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'
import { span } from '../../parts/words'
import { hoursAtHand, usePutAll } from './scheduled'

// What to put on the bench in the minutes at hand: a bundle of tests for each machine, and all of it by one button.
const props = defineProps<{ field: string; use: string; variant: string; hours: string; least: string }>()
const emit = defineEmits<{ set: [change: Record<string, string>] }>()
const query = computed(() => ({ field: props.field, use: props.use, variant: props.variant, minutes: 60 * Number(props.hours), repeats: Number(props.least) }))
const made = useQuery({
  queryKey: computed(() => ['compared', 'schedule', query.value]),
  enabled: computed(() => query.value.minutes >= 1),
  placeholderData: (before) => before,
  queryFn: () => must(api.GET('/api/schedule', { params: { query: query.value } })),
})
const { trouble, busy, put, putAll } = usePutAll()
const open = ref<Record<string, boolean>>({})
const said = (i: Of<'ScheduleItem'>) => i.name + (i.repeats > 1 ? ` × ${i.repeats}` : '') + (i.hand ? ' (by hand)' : '')
const key = (b: Of<'ScheduleBundle'>) => `${b.unit} ${b.setup}`
</script>

<template>
  <section class="sheet mb-4" aria-label="In the time at hand">
    <div class="row">
      <h2>In the time at hand</h2>
      <v-select class="few" label="Time at hand" :model-value="hours" :items="hoursAtHand" @update:model-value="emit('set', { hours: $event })" />
      <v-select class="few" label="Repeats at least" :model-value="least" :items="['1', '2', '3', '5']" @update:model-value="emit('set', { least: $event })" />
      <v-btn color="primary" :disabled="!made.data.value?.bundles.length || busy" @click="putAll(made.data.value!.bundles)">Put it on the bench</v-btn>
    </div>
    <Trouble v-if="trouble ?? made.error.value" :error="trouble ?? made.error.value" />
    <p v-if="put && !busy" role="status">
      {{ put }} {{ put === 1 ? 'plan is' : 'plans are' }} <router-link to="/bench">on the bench</router-link>; what is below comes after {{ put === 1 ? 'it' : 'them' }}.
    </p>
    <template v-if="made.data.value">
      <p>{{ made.data.value.sentence }} <span v-if="made.data.value.thrice" class="soft">{{ made.data.value.thrice }}</span></p>
      <div v-if="made.data.value.bundles.length" class="scroll">
      <table aria-label="Schedule">
        <thead><tr><th>Machine and tests</th><th class="n">Time</th><th class="n">Set-up</th><th class="n">Pairs settled</th><th class="n">Claims</th></tr></thead>
        <tbody>
          <tr v-for="b in made.data.value.bundles" :key="key(b)">
            <td class="wide">
              {{ b.name }}<span v-if="b.setup !== 'as-delivered'" class="soft">, {{ b.setup_name }}</span>
              <div class="soft small">
                {{ (open[key(b)] ? b.items : b.items.slice(0, 4)).map(said).join(', ') }}
                <button v-if="b.items.length > 4" type="button" class="link" :aria-expanded="!!open[key(b)]" @click="open[key(b)] = !open[key(b)]">{{ open[key(b)] ? 'fewer' : `and ${b.items.length - 4} more` }}</button>
              </div>
              <div v-if="open[key(b)] || b.items.length <= 4" class="small">{{ b.why }}</div>
            </td>
            <td class="n">{{ span(60 * b.minutes) }}</td>
            <td class="n">{{ b.opening ? span(60 * b.opening) : '' }}</td>
            <td class="n">{{ Math.round(b.pairs) }}</td>
            <td class="n">{{ b.claims >= 0.05 ? b.claims.toFixed(1) : '' }}</td>
          </tr>
        </tbody>
      </table>
      </div>
    </template>
  </section>
</template>

<style scoped>
.row, p, .trouble { padding: 0 12px }
.row { padding-top: 12px; margin-bottom: 8px }
.row h2 { margin: 0; flex: 1 1 180px }
.few { flex: 0 1 150px }
.link { background: none; border: 0; padding: 0; color: inherit; text-decoration: underline; cursor: pointer; font: inherit }
</style>
