<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useAct } from '../../parts/act'
import Trouble from '../../parts/Trouble.vue'
import { moment } from '../../parts/words'

// Other programs that are told what happens; only owners see it.
const { trouble, act: doing, again } = useAct()
const act = (f: () => Promise<unknown>) => doing(() => f().then(() => again()))
const shown = ref<{ title: string; text: string } | null>(null)
const told = useQuery({ queryKey: ['hooks'], queryFn: () => must(api.GET('/api/hooks')) })
const programs = computed(() => told.data.value ?? [])
const kindsTold = useQuery({
  queryKey: ['hook-kinds'], queryFn: () => must(api.GET('/api/hook-kinds')), staleTime: Infinity,
})
const said = (k: Of<'HooksKind'>) => ({ subtitle: k.says })
const wish = reactive({ url: '', kinds: [] as string[], note: '' })
const tell = () =>
  act(async () => {
    const h = await must(api.POST('/api/hooks', { body: { ...wish } }))
    const title = `What ${h.url} is told is signed with this secret; it is shown this once`
    shown.value = { title, text: h.secret ?? '' }
    Object.assign(wish, { url: '', kinds: [], note: '' })
  })
const tryHook = (slug: string, url: string) =>
  act(async () => {
    const d = await must(api.POST('/api/hooks/{slug}/trials', of(slug)))
    shown.value = { title: `What came of telling ${url}`, text: d.answer ?? '' }
  })
const became = (h: Of<'HooksHook'>) =>
  h.off ? `Told no more: ${h.off}` : h.last ? `${h.last.kind}: ${h.last.answer}` : 'Nothing yet'
const of = (slug: string) => ({ params: { path: { slug } } })
const rest = (slug: string, off: string) =>
  act(() => must(api.PUT('/api/hooks/{slug}', { ...of(slug), body: { off } })))
const untell = (slug: string) => act(() => must(api.DELETE('/api/hooks/{slug}', of(slug))))
const messages = ref<{ url: string; list: Of<'HooksDelivered'>[] } | null>(null)
const look = (slug: string, url: string) =>
  act(async () => {
    messages.value = { url, list: await must(api.GET('/api/hooks/{slug}/messages', of(slug))) }
  })
</script>

<template>
  <h2>Programs that are told what happens</h2>
  <Trouble v-if="trouble" :error="trouble" />
  <div class="sheet scroll mb-4">
    <table v-if="programs.length" aria-label="Programs that are told">
      <thead><tr><th>Address</th><th>Told of</th><th class="n">Waiting</th><th>Last</th><th /></tr></thead>
      <tbody>
        <tr v-for="h in programs" :key="h.id">
          <td class="wrap">{{ h.url }}<div v-if="h.note" class="soft small">{{ h.note }}</div></td>
          <td class="small">{{ h.kinds.join(', ') }}</td><td class="n">{{ h.waiting }}</td>
          <td class="small">{{ became(h) }}</td>
          <td class="n">
            <button type="button" class="plainly small" @click="tryHook(h.id, h.url)">Try it</button>&ensp;
            <button type="button" class="plainly small" @click="look(h.id, h.url)">Messages</button>&ensp;
            <button type="button" class="plainly small" @click="rest(h.id, h.off ? '' : 'an owner said so')">
              {{ h.off ? 'Tell it again' : 'Tell it no more' }}
            </button>&ensp;
            <button type="button" class="plainly small" @click="untell(h.id)">Remove</button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else class="soft small pad mb-0">
      Durvek posts signed messages (webhooks) to addresses that an owner names here, and to no others.
    </p>
    <form class="row pad" @submit.prevent="tell">
      <v-text-field v-model="wish.url" label="Address of a program" />
      <v-select
        v-model="wish.kinds" multiple label="Told of; all but runs if none is chosen" :items="kindsTold.data.value ?? []"
        item-value="kind" item-title="kind" :item-props="said"
      />
      <v-text-field v-model="wish.note" label="What it is for" />
      <v-btn type="submit" :disabled="!wish.url">Tell it</v-btn>
    </form>
  </div>
  <v-dialog
    :model-value="!!messages" max-width="860" :aria-label="`What ${messages?.url} was told`"
    @update:model-value="messages = null"
  >
    <v-card class="pad">
      <strong class="mb-2">What {{ messages?.url }} was told, the newest first</strong>
      <p v-if="!messages?.list.length" class="soft">Nothing yet.</p>
      <div v-else class="scroll sheet">
        <table aria-label="Messages">
          <thead><tr><th>When</th><th>Kind</th><th>What came back</th><th>Data</th></tr></thead>
          <tbody>
            <tr v-for="(m, i) in messages?.list" :key="i">
              <td class="small">{{ moment(m.made) }}</td>
              <td class="small">{{ m.kind }}</td>
              <td class="small">{{ m.answer || 'not told yet' }}{{ m.due ? `; again ${moment(m.due)}` : '' }}</td>
              <td class="small wrap"><code>{{ JSON.stringify(m.data) }}</code></td>
            </tr>
          </tbody>
        </table>
      </div>
      <div class="row mt-3"><v-spacer /><v-btn @click="messages = null">Close</v-btn></div>
    </v-card>
  </v-dialog>
  <v-dialog :model-value="!!shown" max-width="640" :aria-label="shown?.title" @update:model-value="shown = null">
    <v-card class="pad">
      <strong class="mb-2">{{ shown?.title }}</strong>
      <code class="wrap">{{ shown?.text }}</code>
      <div class="row mt-3"><v-spacer /><v-btn @click="shown = null">Close</v-btn></div>
    </v-card>
  </v-dialog>
</template>
