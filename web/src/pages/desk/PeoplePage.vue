<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import { moment } from '../../parts/words'
import { useAct } from '../../parts/act'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import ToldPrograms from './ToldPrograms.vue'
import WhoAsks from './WhoAsks.vue'

type Role = Of<'BooksPerson'>['role']
const me = useQuery({ queryKey: ['me'], queryFn: () => must(api.GET('/api/me')), staleTime: Infinity })
const people = useQuery({ queryKey: ['people'], queryFn: () => must(api.GET('/api/people')) })
const tokens = useQuery({ queryKey: ['tokens'], queryFn: () => must(api.GET('/api/tokens')) })
const journal = useQuery({ queryKey: ['journal'], queryFn: () => must(api.GET('/api/journal', { params: { query: { limit: 30 } } })) })
const listed = computed(() => (tokens.data.value ?? []).filter((t) => t.kind !== 'agent'))
const agents = computed(() => (tokens.data.value ?? []).length - listed.value.length)
const owner = computed(() => me.data.value?.role === 'owner')
const roles: { value: Role; title: string }[] = [
  { value: 'reader', title: 'Reader: looks' },
  { value: 'editor', title: 'Editor: does the whole job' },
  { value: 'owner', title: 'Owner: also says who may' },
]
const kinds = { session: 'Console', command: 'Command line', program: 'Program', agent: '' }
const form = reactive({ name: '', role: 'editor' as Role })
const program = reactive({ name: '', scope: 'reader' as Role, days: 90 })
const renaming = ref('')
const renamed = ref('')
const shown = ref<{ title: string; text: string } | null>(null)
const { trouble, act: doing, again } = useAct()
const act = (f: () => Promise<unknown>) => doing(() => f().then(() => again()))
const add = () => act(async () => { await must(api.POST('/api/people', { body: { ...form } })); form.name = '' })
const change = (slug: string, body: { name?: string; role?: Role }) => act(async () => { await must(api.PATCH('/api/people/{slug}', { params: { path: { slug } }, body })); renaming.value = '' })
const drop = (slug: string) => act(() => must(api.DELETE('/api/people/{slug}', { params: { path: { slug } } })))
const end = (slug: string) => act(() => must(api.DELETE('/api/tokens/{slug}', { params: { path: { slug } } })))
const link = (person: string) =>
  act(async () => {
    const { code } = await must(api.POST('/api/sign-in-links', { body: { person } }))
    shown.value = { title: `A sign-in link for ${person}; it holds for 15 minutes, once`, text: `${location.origin}/sign-in?code=${code}` }
  })
const make = () =>
  act(async () => {
    const { token } = await must(api.POST('/api/tokens', { body: { ...program, days: Number(program.days) } }))
    shown.value = { title: `The token “${program.name}”; it is shown this once`, text: token }
    program.name = ''
  })
const day = (s?: string) => (s ? s.slice(0, 10) : '')
</script>

<template>
  <PageHead title="People and access" sub="Who works at this desk, what lets them in, and who did what" />
  <Trouble v-if="trouble" :error="trouble" />
  <WhoAsks v-if="owner" :people="(people.data.value ?? []).map((p) => p.name)" />
  <div class="sheet scroll mb-4">
    <table aria-label="People">
      <thead><tr><th>Name</th><th>Role</th><th>Since</th><th /></tr></thead>
      <tbody>
        <tr v-for="p in people.data.value ?? []" :key="p.name">
          <td>
            <form v-if="renaming === p.name" class="row" @submit.prevent="change(p.name, { name: renamed })"><v-text-field v-model="renamed" label="Name" autofocus /><v-btn type="submit">Save</v-btn></form>
            <template v-else>{{ p.name }} <span v-if="p.name === me.data.value?.name" class="soft small">you</span></template>
          </td>
          <td><v-select v-if="owner" :model-value="p.role" :items="roles" :aria-label="`Role of ${p.name}`" @update:model-value="change(p.name, { role: $event })" /><template v-else>{{ p.role }}</template></td>
          <td>{{ day(p.added) }}</td>
          <td class="n">
            <template v-if="owner || p.name === me.data.value?.name"><button type="button" class="plainly small" @click="link(p.name)">Sign-in link</button></template>
            <template v-if="owner">&ensp;<button type="button" class="plainly small" @click="((renaming = p.name), (renamed = p.name))">Rename</button>&ensp;<button type="button" class="plainly small" @click="drop(p.name)">Remove</button></template>
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="owner" class="row pad" @submit.prevent="add"><v-text-field v-model="form.name" label="Name of somebody new" /><v-select v-model="form.role" label="Role" :items="roles" /><v-btn class="go" type="submit" :disabled="!form.name">Add</v-btn></form>
  </div>
  <h2>What lets them in</h2>
  <div class="sheet scroll mb-4">
    <table aria-label="Tokens and sessions">
      <thead><tr><th>Name</th><th>Kind</th><th>Whose</th><th>May</th><th>Made</th><th>Ends</th><th /></tr></thead>
      <tbody>
        <tr v-for="t in listed" :key="t.id">
          <td>{{ t.name }}</td><td>{{ kinds[t.kind] }}</td><td>{{ t.person }}</td><td>{{ t.role }}</td><td>{{ day(t.created) }}</td><td>{{ day(t.expires) || 'never' }}</td>
          <td class="n"><button type="button" class="plainly small" @click="end(t.id)">End</button></td>
        </tr>
      </tbody>
    </table>
    <p v-if="agents" class="soft small pad">Beside these, {{ agents }} {{ agents === 1 ? 'machine' : 'machines' }} under test may deliver the runs of their plans; each ends with its plan.</p>
    <form class="row pad" @submit.prevent="make"><v-text-field v-model="program.name" label="What a new token is for" /><v-select v-model="program.scope" label="At most" :items="roles" /><v-text-field v-model="program.days" label="Days, 0 for ever" type="number" /><v-btn type="submit" :disabled="!program.name">Make a token</v-btn></form>
  </div>
  <ToldPrograms v-if="owner" />
  <h2>Who did what</h2>
  <div class="sheet scroll">
    <table aria-label="Journal">
      <thead><tr><th>When</th><th>Who</th><th>Did</th><th>To</th><th>How</th></tr></thead>
      <tbody>
        <tr v-for="(n, i) in journal.data.value?.lines ?? []" :key="i"><td>{{ moment(n.at) }}</td><td>{{ n.by }}</td><td>{{ n.act }}</td><td>{{ n.subject }}</td><td>{{ n.detail }}</td></tr>
      </tbody>
    </table>
  </div>
  <v-dialog :model-value="!!shown" max-width="640" @update:model-value="shown = null">
    <v-card class="pad"><strong class="mb-2">{{ shown?.title }}</strong><code class="wrap">{{ shown?.text }}</code><div class="row mt-3"><v-spacer /><v-btn @click="shown = null">Close</v-btn></div></v-card>
  </v-dialog>
</template>
