<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useAct } from '../../parts/act'
import Sure from '../../parts/Sure.vue'
import Trouble from '../../parts/Trouble.vue'
import { moment } from '../../parts/words'

// What other desks published, as rivals of what is measured here: looked at before it is taken in, never changed.
const { trouble, act, again } = useAct()
const here = useQuery({ queryKey: ['models', 'exchange'], queryFn: () => must(api.GET('/api/exchange')) })
const taking = ref(false)
const files = ref<File[]>([])
const goesBy = ref('')
const seen = ref<Of<'BooksRivals'> | null>(null)
const done = ref(false)
const wanted = ['datapackage.json', 'figures.csv', 'variants.csv', 'tests.csv']
const send = (check_only: boolean) =>
  act(async () => {
    const read: Record<string, string> = {}
    for (const f of files.value) if (wanted.includes(f.name)) read[f.name] = await f.text()
    const body = { files: read, ...(goesBy.value && { as: goesBy.value }) }
    seen.value = await must(api.POST('/api/exchange', { params: { query: { check_only } }, body }))
    done.value = !check_only
    if (done.value) await again()
  })
watch([files, goesBy], () => {
  seen.value = null
  done.value = false
  if (files.value.length) void send(true)
})
watch(taking, () => {
  files.value = []
  goesBy.value = ''
  trouble.value = null
})
const gone = ref<Of<'BooksRivals'> | null>(null)
const asking = ref(false)
function ask(r: Of<'BooksRivals'>) {
  gone.value = r
  asking.value = true
}
const remove = ({ origin, review }: Of<'BooksRivals'>) =>
  act(() =>
    must(api.DELETE('/api/exchange/{origin}', { params: { path: { origin }, query: { review } } })).then(() => again()),
  )
const apart = (t: Of<'BooksStood'>) =>
  ({
    alike: '',
    unknown: 'no such test here',
    'other version': `version ${t.version} there, ${t.here} here`,
    'other test': 'another test of this name here',
  })[t.stands]
</script>

<template>
  <section class="sheet" aria-labelledby="others">
    <div class="row pad">
      <h2 id="others" class="plainhead">Other desks</h2><v-spacer />
      <v-btn size="small" @click="taking = true">Take in an edition</v-btn>
    </div>
    <div class="scroll">
      <table aria-label="What other desks published">
        <tbody>
          <tr v-for="r in here.data.value ?? []" :key="r.origin + r.review">
            <td>{{ r.desk }}<div class="soft small">{{ r.licence || 'names no licence' }}</div></td>
            <td class="wrap">
              {{ r.title }}
              <div class="soft small">
                edition {{ r.edition }}, {{ moment(r.published) }}; {{ r.devices.length }} devices, {{ r.usable }} of
                {{ r.figures }} figures stand beside ours
              </div>
            </td>
            <td class="n"><button type="button" class="plainly" @click="ask(r)">Remove</button></td>
          </tr>
          <tr v-if="here.data.value && !here.data.value.length">
            <td class="soft">
              None. What another desk published can be taken in as rivals of what is measured here: named as theirs, with
              their intervals, compared only where test and conditions are alike.
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <Sure v-model="asking" title="Remove it?" act="Remove it" @yes="gone && remove(gone)">
      {{ gone?.title }}, by {{ gone?.desk }}: its figures leave every comparison here. What was published with them stays.
    </Sure>
    <v-dialog v-model="taking">
      <v-card class="pad">
        <strong>Take in an edition of another desk</strong>
        <p class="soft mt-1 mb-3">
          Every edition has a folder named data. Choose the files in it, all of them or datapackage.json with figures.csv,
          variants.csv and tests.csv.
        </p>
        <v-file-input v-model="files" multiple label="Files" accept=".json,.csv,.md" prepend-icon="" />
        <v-text-field v-model="goesBy" class="mt-2" label="Name that the desk is to go by here; its own if left out" />
        <Trouble v-if="trouble" class="mt-3" :error="trouble" />
        <template v-if="seen">
          <p class="mt-3">
            Edition {{ seen.edition }} of “{{ seen.title }}” by {{ seen.desk }}, {{ moment(seen.published) }}:
            {{ seen.figures }} figures of {{ seen.devices.length }} devices, {{ seen.usable }} of which stand beside ours.
            <span v-if="seen.known" class="good">It is here.</span>
            <span v-else-if="done" class="good">Taken in.</span>
          </p>
          <p v-if="!seen.licence" class="caution">
            It names no licence: ask before you publish anything that shows its figures.
          </p>
          <div v-if="seen.tests.some((t) => t.stands !== 'alike')" class="sheet scroll mt-2 tall">
            <table aria-label="Not beside ours">
              <thead><tr><th>Not beside ours</th><th class="n">Figures</th><th>Why</th></tr></thead>
              <tbody>
                <tr v-for="t in seen.tests.filter((x) => x.stands !== 'alike')" :key="t.test">
                  <td>{{ t.name }}</td><td class="n">{{ t.figures }}</td><td class="soft">{{ apart(t) }}</td>
                </tr>
              </tbody>
            </table>
          </div>
        </template>
        <div class="row mt-3">
          <v-spacer /><v-btn @click="taking = false">Close</v-btn>
          <v-btn class="go" :disabled="!seen || seen.known || done" @click="send(false)">Take it in</v-btn>
        </div>
      </v-card>
    </v-dialog>
  </section>
</template>

<style scoped>
.tall { max-height: 260px; overflow-y: auto }
</style>
