<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useAct } from '../../parts/act'
import Trouble from '../../parts/Trouble.vue'
import { moment } from '../../parts/words'

// Who asks to be let in; only owners see it.
const props = defineProps<{ people: string[] }>()
const { trouble, act: doing, again } = useAct()
const asked = useQuery({ queryKey: ['entries'], queryFn: () => must(api.GET('/api/entries')) })
const waiting = computed(() => asked.data.value ?? [])
const as = reactive<Record<string, string>>({})
const anew = (role: 'reader' | 'editor' | 'owner', title: string) => ({ value: `new ${role}`, title })
const choices = computed(() => [
  ...props.people.map((p) => ({ value: p, title: p })),
  anew('reader', 'Somebody new, who looks'), anew('editor', 'Somebody new, who does the whole job'),
  anew('owner', 'Somebody new, who also says who may'),
])
const usual = (e: Of<'Entry'>) =>
  props.people.find((p) => p.toLowerCase() === e.name.toLowerCase()) ?? 'new editor'
const of = (slug: string) => ({ params: { path: { slug } } })
const admit = (e: Of<'Entry'>) =>
  doing(() => {
    const chosen = as[e.id] ?? usual(e)
    const body = chosen.startsWith('new ') ? { role: chosen.slice(4) as 'editor' } : { person: chosen }
    return must(api.POST('/api/entries/{slug}/admission', { ...of(e.id), body })).then(() => again())
  })
const away = (e: Of<'Entry'>) => doing(() => must(api.DELETE('/api/entries/{slug}', of(e.id))).then(() => again()))
</script>

<template>
  <section v-if="waiting.length || trouble" class="sheet mb-4" aria-labelledby="asks">
    <div class="pad">
      <h2 id="asks" class="plainhead">Asks to be let in</h2>
      <p class="soft small">Let in only who tells you the number that stands here.</p>
    </div>
    <Trouble v-if="trouble" :error="trouble" />
    <div class="scroll">
      <table aria-label="Who asks to be let in">
        <thead><tr><th>Number</th><th>Name</th><th>From</th><th>Since</th><th /><th /></tr></thead>
        <tbody>
          <tr v-for="e in waiting" :key="e.id">
            <td><strong>{{ e.number }}</strong></td><td>{{ e.name }}</td><td>{{ e.from }}</td><td>{{ moment(e.at) }}</td>
            <td>
              <v-select
                :model-value="as[e.id] ?? usual(e)" :items="choices" label="Let in as"
                @update:model-value="as[e.id] = $event"
              />
            </td>
            <td class="n">
              <v-btn size="small" class="go" @click="admit(e)">Let in</v-btn>&ensp;
              <button type="button" class="plainly small" @click="away(e)">Turn away</button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>
