<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useAct } from '../../parts/act'
import { useNames } from '../../parts/names'
import Trouble from '../../parts/Trouble.vue'

// A plan that nobody joined: its steps are put in another order, taken out, added, repeated as often as one likes.
const props = defineProps<{ plan: Of<'MethodPlan'> }>()
const open = defineModel<boolean>({ required: true })
const { tests, setups, testName } = useNames()
const runnable = computed(() => (tests.data.value ?? []).filter((t) => t.origin !== 'own'))
const form = reactive({ name: '', order: 'grouped' as 'grouped' | 'interleaved', steps: [] as Of<'MethodPlanStep'>[] })
watch(open, (on) => {
  if (on) Object.assign(form, { name: props.plan.name, order: props.plan.order || 'grouped', steps: props.plan.steps.map((s) => ({ ...s, setup: s.setup || props.plan.setup })) })
}, { immediate: true })
const more = ref<string | null>(null)
watch(more, (test) => {
  if (!test) return
  form.steps.push({ test, setup: props.plan.setup, repeats: runnable.value.find((t) => t.slug === test)?.repeats ?? 3 })
  more.value = null
})
function move(i: number, by: number) {
  const [s] = form.steps.splice(i, 1)
  form.steps.splice(i + by, 0, s!)
}
const { trouble, busy, act, again } = useAct()
async function save() {
  // all but what the bench itself says of a plan
  const body = { ...props.plan, id: undefined, state: undefined, agent: undefined, created: undefined, ...form, steps: form.steps.map((s) => ({ ...s, repeats: Number(s.repeats) })) }
  if (await act(() => must(api.PUT('/api/plans/{slug}', { params: { path: { slug: props.plan.id } }, body })).then(() => again('bench')))) open.value = false
}
</script>

<template>
  <v-dialog v-model="open" aria-label="Change this plan" max-width="760">
    <v-card class="pad">
      <h2 class="plainhead">Change this plan</h2>
      <Trouble v-if="trouble" :error="trouble" />
      <form class="stack mt-3" @submit.prevent="save">
        <div class="row"><v-text-field v-model="form.name" label="Name of the plan" style="flex: 2 1 220px" /><v-select v-model="form.order" label="Order of repeats" :items="['grouped', 'interleaved']" /></div>
        <ol class="order" aria-label="Steps of the plan">
          <li v-for="(s, i) in form.steps" :key="i">
            <span>{{ testName(s.test) }}</span>
            <v-select v-model="s.setup" label="Setup" :items="setups.data.value ?? []" item-value="slug" item-title="name" />
            <v-text-field v-model="s.repeats" label="Repeats" type="number" min="1" max="100" />
            <span class="w"><button type="button" class="plainly" :disabled="!i" :aria-label="`Up: ${testName(s.test)}`" @click="move(i, -1)">Up</button>&ensp;<button type="button" class="plainly" :disabled="i === form.steps.length - 1" :aria-label="`Down: ${testName(s.test)}`" @click="move(i, 1)">Down</button>&ensp;<button type="button" class="plainly" :aria-label="`Take out ${testName(s.test)}`" @click="form.steps.splice(i, 1)">Take out</button></span>
          </li>
        </ol>
        <v-autocomplete v-model="more" label="Another test" :items="runnable" item-value="slug" item-title="name" />
        <div class="row"><v-spacer /><v-btn @click="open = false">Cancel</v-btn><v-btn class="go" type="submit" :loading="busy" :disabled="!form.steps.length">Save</v-btn></div>
      </form>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.order { list-style: none; padding: 0; margin: 0; }
.order li { display: grid; grid-template-columns: minmax(0, 1fr) 210px 92px auto; gap: 10px; align-items: center; padding: 8px 0; border-top: 1px solid rgb(var(--v-theme-line)); }
@media (max-width: 640px) { .order li { grid-template-columns: minmax(0, 1fr) 92px; } .order li > :first-child { grid-column: 1 / -1; } }
</style>
