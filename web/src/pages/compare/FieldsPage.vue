<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useAct } from '../../parts/act'
import Trouble from '../../parts/Trouble.vue'
import { useAsked, useLists } from './asked'
import Frame from './Frame.vue'

const { fields, models, choices, title } = useLists()
const { asked, set } = useAsked(() => ({ open: '' }))
const kinds = computed(() => [...new Set((models.data.value ?? []).map((m) => m.kind))])
const familiar = computed(() => (models.data.value ?? []).map((m) => ({ value: m.slug, title: `${m.maker} ${m.name}` })))
const blank = () => ({ slug: '', name: '', kinds: [] as string[], from: '', to: '', currency: 'EUR', day: '', released_from: '', released_to: '', chip: '', screen_from: '', screen_to: '', family_of: '' as string | null, variants: [] as string[], without: [] as string[], modes: false })
const form = reactive(blank())
const editing = ref(false)
const known = ref(false)
function edit(f?: Of<'FiguresFieldPage'>) {
  Object.assign(form, blank())
  known.value = !!f
  if (f) {
    Object.assign(form, { slug: f.slug, name: f.name, kinds: f.kinds ?? [], from: f.price?.from || '', to: f.price?.to || '', currency: f.price?.currency ?? 'EUR', day: f.price?.day ?? '', released_from: f.released_from ?? '', released_to: f.released_to ?? '', chip: f.chip ?? '', screen_from: f.screen_from || '', screen_to: f.screen_to || '', family_of: f.family_of ?? '', variants: f.variants ?? [], without: f.without ?? [], modes: !!f.modes })
  }
  trouble.value = null
  editing.value = true
}
const { trouble, act: doing, again } = useAct()
const act = (f: () => Promise<unknown>) => doing(async () => {
  await f()
  editing.value = false
  await again()
})
const save = () =>
  act(() => {
    const { from, to, currency, day, screen_from, screen_to, family_of, ...rest } = form
    const price = from || to ? { from: Number(from), to: Number(to), currency, ...(day ? { day } : {}) } : undefined
    const body = { ...rest, ...(family_of ? { family_of } : {}), ...(price ? { price } : {}), ...(screen_from ? { screen_from: Number(screen_from) } : {}), ...(screen_to ? { screen_to: Number(screen_to) } : {}) }
    return must(api.POST('/api/fields', { body }))
  })
const drop = (slug: string) => act(() => must(api.DELETE('/api/fields/{slug}', { params: { path: { slug } } })))
</script>

<template>
  <Frame title="Fields" sub="Sets of rivals that a comparison is made within, by rule or by hand">
    <template #acts><v-btn class="go" @click="edit()">New field</v-btn></template>
    <template #over><Trouble v-if="trouble && !editing" :error="trouble" /></template>
    <div class="sheet scroll">
      <table aria-label="Fields">
        <thead><tr><th>Field</th><th>Rule</th><th class="n">Variants</th><th /></tr></thead>
        <tbody>
          <template v-for="f in fields.data.value ?? []" :key="f.slug">
            <tr>
              <td><router-link :to="{ path: '/compare', query: { field: f.slug } }">{{ f.name }}</router-link><div class="soft small">{{ f.slug }}</div></td>
              <td>{{ f.rule }}<div v-if="f.trouble" class="caution small">{{ f.trouble }}</div></td>
              <td class="n"><button type="button" class="plainly" @click="set({ open: asked.open === f.slug ? '' : f.slug })">{{ f.holds.length }}</button></td>
              <td class="n"><button type="button" class="plainly small" @click="edit(f)">Change</button>&ensp;<button v-if="f.slug !== 'everything'" type="button" class="plainly small" @click="drop(f.slug)">Remove</button></td>
            </tr>
            <tr v-if="asked.open === f.slug"><td colspan="4" class="small">{{ f.holds.map(title).join('; ') || 'It holds nothing.' }}</td></tr>
          </template>
        </tbody>
      </table>
    </div>
  </Frame>
  <v-dialog v-model="editing" max-width="760">
    <v-card class="pad">
      <strong class="mb-2">{{ known ? 'Change the field' : 'A new field' }}</strong>
      <p class="soft small mb-3">It holds the variants that meet every rule given, and those picked by hand. Without any it holds everything ever measured.</p>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <div class="row"><v-text-field v-model="form.name" label="Name in the plural, such as light laptops" /><v-text-field v-model="form.slug" label="Identifier, such as light" :disabled="known" /></div>
        <v-select v-model="form.kinds" label="Kinds" multiple clearable :items="kinds" />
        <div class="row"><v-text-field v-model="form.from" label="Price from" /><v-text-field v-model="form.to" label="to" /><v-text-field v-model="form.currency" label="Currency" /><v-text-field v-model="form.day" label="as of" type="date" /></div>
        <div class="row"><v-text-field v-model="form.released_from" label="Released from, YYYY-MM" /><v-text-field v-model="form.released_to" label="to" /><v-text-field v-model="form.screen_from" label="Screen from, inches" /><v-text-field v-model="form.screen_to" label="to" /></div>
        <div class="row"><v-text-field v-model="form.chip" label="Part of a chip’s name" /><v-autocomplete v-model="form.family_of" label="Family of" clearable :items="familiar" /></div>
        <v-autocomplete v-model="form.variants" label="Picked by hand" multiple clearable :items="choices" />
        <v-autocomplete v-model="form.without" label="Left out by hand" multiple clearable :items="choices" />
        <v-checkbox v-model="form.modes" label="Other modes stand as rows of their own" />
        <div class="row"><v-spacer /><v-btn @click="editing = false">Cancel</v-btn><v-btn class="go" @click="save">Save</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
