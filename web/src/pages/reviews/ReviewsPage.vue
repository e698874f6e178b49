<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, must } from '../../api/client'
import { useOpened } from '../../parts/opened'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { useLists } from '../compare/asked'

const router = useRouter()
const reviews = useQuery({ queryKey: ['reviews'], queryFn: () => must(api.GET('/api/reviews')) })
const { fields, uses, choices, title } = useLists()
const adding = useOpened('new')
const unsaved = (slug: string) => localStorage.getItem(`review ${slug}`) !== null
const site = ref('')
async function writeSite() {
  trouble.value = null
  try {
    const did = await must(api.POST('/api/site', { body: {} }))
    site.value = `${did.editions} editions in ${did.files} files, ${did.changed} of them new.`
  } catch (e) {
    trouble.value = e
  }
}
const form = reactive({ subject: '', field: '', title: '', uses: [] as string[] })
const trouble = ref<unknown>(null)
async function add() {
  trouble.value = null
  try {
    const r = await must(api.POST('/api/reviews', { body: { subject: form.subject, field: form.field || undefined, title: form.title || undefined, uses: form.uses } }))
    void router.push(`/reviews/${r.slug}`)
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <PageHead title="Reviews" :sub="reviews.data.value ? `${reviews.data.value.length} in work or published` : ''"><v-btn @click="writeSite">Write the site</v-btn><v-btn class="go" @click="adding = true">New review</v-btn></PageHead>
  <Trouble v-if="reviews.error.value" :error="reviews.error.value" />
  <Trouble v-if="trouble && !adding" :error="trouble" />
  <div v-if="site" class="sheet pad mb-4" role="status">{{ site }} <a href="/site/" target="_blank">Look at it</a></div>
  <div v-if="!reviews.data.value && !reviews.error.value" class="sheet waits tall" aria-busy="true" />
  <div v-else-if="reviews.data.value && !reviews.data.value.length" class="sheet empty">No review yet. <button type="button" class="plainly" @click="adding = true">Start one</button> of a variant: the first findings are drawn from its figures.</div>
  <div v-else class="sheet scroll">
    <table>
      <thead><tr><th>Title</th><th>Variant</th><th>Recommendation</th><th>State</th><th class="n">Editions</th></tr></thead>
      <tbody>
        <tr v-for="r in reviews.data.value ?? []" :key="r.slug" class="link" @click="router.push(`/reviews/${r.slug}`)">
          <td><router-link :to="`/reviews/${r.slug}`">{{ r.title }}</router-link></td>
          <td>{{ title(r.subject) }}</td>
          <td>{{ r.recommendation || '—' }}</td>
          <td>{{ r.signed ? `signed by ${r.signed.by}` : 'draft' }}<span v-if="r.state && r.state !== 'complete'">, {{ r.state }}</span><span v-if="r.stale?.length" class="caution">, stale</span><span v-if="unsaved(r.slug)">, changes on this device not saved</span></td>
          <td class="n">{{ r.editions.length }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <v-dialog v-model="adding">
    <v-card class="pad">
      <strong class="mb-3">New review</strong>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <v-autocomplete v-model="form.subject" label="Variant" :items="choices" />
        <v-select v-model="form.uses" label="Written for" multiple chips :items="uses.data.value ?? []" item-value="slug" item-title="name" />
        <v-select v-model="form.field" label="Field" clearable :items="fields.data.value ?? []" item-value="slug" item-title="name" />
        <v-text-field v-model="form.title" label="Title" />
        <div class="row"><v-spacer /><v-btn @click="adding = false">Cancel</v-btn><v-btn class="go" :disabled="!form.subject" @click="add">Start</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
