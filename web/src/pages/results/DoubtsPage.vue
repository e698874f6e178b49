<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, nextTick, onBeforeUnmount, onMounted, reactive, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must, send, type Of } from '../../api/client'
import DoubtPicture from '../../parts/DoubtPicture.vue'
import { useNames } from '../../parts/names'
import PageHead from '../../parts/PageHead.vue'
import Trouble from '../../parts/Trouble.vue'
import { moment, plain } from '../../parts/words'

// The inbox of doubts: the list on the left is walked, and what is chosen is settled, by keyboard.
const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const limit = 60
const filter = computed(() => {
  const q = route.query as Record<string, string | undefined>
  return { state: (q.state ?? 'open') as 'open', rule: q.rule ?? '', subject: q.subject ?? '', test: q.test ?? '', severity: (q.severity ?? '') as 'note', offset: Number(q.offset ?? 0) }
})
const set = (change: Record<string, string | number | null | undefined>) =>
  router.push({ query: Object.fromEntries(Object.entries({ ...filter.value, offset: 0, doubt: undefined, ...change }).filter(([k, v]) => v || k === 'state').map(([k, v]) => [k, String(v ?? '')])) })
const list = useQuery({ queryKey: computed(() => ['doubts', filter.value]), placeholderData: (before) => before, queryFn: () => must(api.GET('/api/doubts', { params: { query: { ...filter.value, limit } } })) })
const rules = useQuery({ queryKey: ['rules'], queryFn: () => must(api.GET('/api/rules')) })
const { unitChoices, unitName, setupName } = useNames()
const doubts = computed(() => list.data.value?.doubts ?? [])
const at = ref(0)
const id = computed(() => (route.query.doubt as string) || doubts.value[at.value]?.id || '')
watch([doubts, () => route.query.doubt], () => {
  const i = doubts.value.findIndex((d) => d.id === route.query.doubt)
  if (i >= 0) at.value = i
  else at.value = Math.min(at.value, Math.max(0, doubts.value.length - 1))
}, { immediate: true })
const page = useQuery({ queryKey: computed(() => ['doubts', 'one', id.value]), enabled: computed(() => !!id.value), placeholderData: (before) => before, queryFn: () => must(api.GET('/api/doubts/{slug}', { params: { path: { slug: id.value } } })) })
const d = computed(() => page.data.value?.doubt)
const causes = computed(() => rules.data.value?.causes ?? [])
const form = reactive({ doing: '' as '' | 'uphold' | 'dismiss' | 'caveat' | 'reopen', cause: '', reason: '', runs: [] as string[], alike: false })
const trouble = ref<unknown>(null)
const said = ref('')
const field = ref<HTMLElement | null>(null)
function begin(doing: typeof form.doing) {
  Object.assign(form, { doing, cause: d.value?.cause ?? '', reason: '', runs: d.value?.runs ?? [], alike: false })
  trouble.value = null
  void nextTick(() => field.value?.querySelector<HTMLElement>(doing === 'uphold' ? 'button' : 'textarea')?.focus())
}
async function settle() {
  trouble.value = null
  const was = d.value
  if (!was || !form.doing) return
  try {
    const some = form.runs.length < was.runs.length ? form.runs : undefined
    await must(api.POST('/api/doubts/{slug}/settlements', { params: { path: { slug: was.id } }, body: { do: form.doing, cause: form.cause, reason: form.reason, runs: form.doing === 'uphold' ? some : undefined } }))
    // What has one reason is settled once: the other open doubts of the same rule about the same unit go with it.
    for (const x of form.alike ? alike.value : []) await must(api.POST('/api/doubts/{slug}/settlements', { params: { path: { slug: x.id } }, body: { do: form.doing, cause: form.cause, reason: form.reason } }))
    said.value = { uphold: `Upheld: ${form.runs.length} ${form.runs.length === 1 ? 'run' : 'runs'} left out.`, dismiss: 'Dismissed: everything counts as before.', caveat: 'Shown with a caveat: it stays in charts and decides nothing.', reopen: 'Open again.' }[form.doing]
    form.doing = ''
    await queries.invalidateQueries({ queryKey: ['doubts'] })
    if (route.query.doubt) void set({ offset: filter.value.offset })
  } catch (e) {
    trouble.value = e
  }
}
const alike = computed(() => (d.value?.state === 'open' ? doubts.value.filter((x) => x.id !== d.value!.id && x.state === 'open' && x.rule === d.value!.rule && x.subject === d.value!.subject) : []))
const plan = ref<Of<'MethodPlan'> | null>(null)
async function again() {
  trouble.value = plan.value = null
  try {
    plan.value = await must(api.POST('/api/doubts/{slug}/repeats', { params: { path: { slug: id.value }, query: { repeats: 1 } } }))
    void queries.invalidateQueries({ queryKey: ['bench'] })
  } catch (e) {
    trouble.value = e
  }
}
async function photo(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file || !d.value) return
  trouble.value = null
  try {
    await send(`/api/photos?${new URLSearchParams({ unit: d.value.subject, doubt: d.value.id, name: file.name })}`, file)
    await queries.invalidateQueries({ queryKey: ['doubts', 'one'] })
  } catch (e) {
    trouble.value = e
  }
}
function walk(by: number) {
  const next = at.value + by
  if (next < 0 || next >= doubts.value.length) return
  at.value = next
  form.doing = ''
  plan.value = null
  said.value = ''
  void router.replace({ query: { ...route.query, doubt: doubts.value[next]!.id } })
  void nextTick(() => document.querySelector(`[data-doubt="${doubts.value[next]!.id}"]`)?.scrollIntoView({ block: 'nearest' }))
}
function key(e: KeyboardEvent) {
  const typing = (e.target as HTMLElement).closest('input, textarea, [contenteditable]')
  if (e.key === 'Escape' && form.doing) {
    form.doing = ''
    return
  }
  if (typing) {
    if (e.key === 'Enter' && (e.ctrlKey || e.metaKey) && form.doing) void settle()
    return
  }
  if (e.ctrlKey || e.metaKey || e.altKey || document.querySelector('.v-overlay--active')) return
  const open = d.value?.state === 'open'
  const does: Record<string, () => void> = {
    j: () => walk(1), ArrowDown: () => walk(1), k: () => walk(-1), ArrowUp: () => walk(-1),
    u: () => open && begin('uphold'), d: () => open && begin('dismiss'), c: () => open && begin('caveat'), o: () => !open && begin('reopen'),
    r: () => open && d.value?.again && void again(), Enter: () => d.value && void router.push(`/results/${d.value.run}`),
  }
  const cause = causes.value[Number(e.key) - 1]
  if (form.doing === 'uphold' && cause) {
    form.cause = cause.key
    e.preventDefault()
    void nextTick(() => field.value?.querySelector('textarea')?.focus())
  } else if (does[e.key] && !(e.key === 'Enter' && (e.target as HTMLElement).closest('button, a'))) {
    e.preventDefault()
    does[e.key]!()
  }
}
onMounted(() => addEventListener('keydown', key))
onBeforeUnmount(() => removeEventListener('keydown', key))
const states = [{ value: 'open', title: 'Open' }, { value: 'upheld', title: 'Upheld' }, { value: 'dismissed', title: 'Dismissed' }, { value: 'caveat', title: 'Shown with a caveat' }, { value: '', title: 'All' }]
const ruleName = (slug: string) => rules.data.value?.rules.find((r) => r.name === slug)?.title ?? slug
</script>

<template>
  <PageHead title="Doubts" :sub="list.data.value ? `${list.data.value.total} ${filter.state || 'in all'}` : ''">
    <v-btn to="/results">Runs</v-btn>
    <v-btn to="/results/rules">Rules</v-btn>
  </PageHead>
  <Trouble v-if="list.error.value" :error="list.error.value" />
  <div class="row mb-4">
    <v-select label="State" :model-value="filter.state" :items="states" style="max-width: 150px" @update:model-value="set({ state: $event })" />
    <v-select label="Rule" clearable :model-value="filter.rule || null" :items="(rules.data.value?.rules ?? []).map((r) => ({ value: r.name, title: r.title }))" style="max-width: 270px" @update:model-value="set({ rule: $event })" />
    <v-select label="Weight" clearable :model-value="filter.severity || null" :items="['serious', 'caution', 'note']" style="max-width: 150px" @update:model-value="set({ severity: $event })" />
    <v-autocomplete label="Unit" clearable :model-value="filter.subject || null" :items="unitChoices" style="max-width: 260px" @update:model-value="set({ subject: $event })" />
    <span class="soft small keys"><kbd>j</kbd> <kbd>k</kbd> walk, <kbd>u</kbd> uphold, <kbd>d</kbd> dismiss, <kbd>c</kbd> caveat, <kbd>r</kbd> repeat, <kbd>o</kbd> reopen, <kbd>Enter</kbd> open the run</span>
  </div>
  <p v-if="said" class="good" role="status">{{ said }}</p>
  <div v-if="list.data.value && !list.data.value.total" class="sheet empty">{{ filter.state === 'open' ? 'No doubt is open. Rules look at every run when it arrives.' : 'No doubt fits.' }}</div>
  <div v-else class="split inbox">
    <ul class="sheet doubts" aria-label="Doubts">
      <li v-for="(x, i) in doubts" :key="x.id" :data-doubt="x.id" :class="{ on: x.id === id, settled: x.state !== 'open' }">
        <button type="button" :aria-current="x.id === id" @click="walk(i - at)">
          <span class="row tight"><strong :class="{ caution: x.severity !== 'note' }">{{ x.title }}</strong><v-spacer /><span class="soft small">{{ x.state === 'open' ? x.severity : x.state }}</span></span>
          <span class="cond soft">{{ unitName(x.subject) }}, {{ x.test_name }}{{ x.measure ? `, ${plain(x.measure)}` : '' }}</span>
        </button>
      </li>
      <li v-if="(list.data.value?.total ?? 0) > limit" class="row pad"><v-btn :disabled="!filter.offset" @click="set({ offset: Math.max(0, filter.offset - limit) })">Before</v-btn><v-btn :disabled="filter.offset + limit >= (list.data.value?.total ?? 0)" @click="set({ offset: filter.offset + limit })">More</v-btn></li>
    </ul>
    <div v-if="d" class="sheet pad" aria-live="polite">
      <div class="soft">{{ ruleName(d.rule) }}, {{ d.severity }}, {{ d.state }}</div>
      <h2 class="plainhead">{{ d.sentence }}</h2>
      <div class="mb-2"><router-link :to="`/results/${d.run}`">{{ d.test_name }}{{ d.measure ? `, ${plain(d.measure)}` : '' }}</router-link> on {{ unitName(d.subject) }}, {{ setupName(d.setup).toLowerCase() }}, {{ moment(d.started) }}<span v-if="d.runs.length > 1">, <router-link :to="`/results/changed?a=${d.runs[0]}&b=${d.runs.at(-1)}`">{{ d.runs.length }} runs</router-link></span></div>
      <DoubtPicture v-if="d.picture" :key="d.id" :picture="d.picture" />
      <table class="bare mt-2" aria-label="Evidence"><tbody><tr v-for="e in d.evidence" :key="e.name + e.value"><td class="soft">{{ e.name }}</td><td>{{ e.value }}</td></tr></tbody></table>
      <div class="row mt-2">
        <figure v-for="x in page.data.value?.photos ?? []" :key="x.id" style="margin: 0"><img class="photo" :src="`/api/photos/${x.id}`" :alt="x.caption || x.name"><figcaption class="soft small">{{ x.caption || x.name }}</figcaption></figure>
        <label class="small soft">Photo as evidence <input type="file" accept="image/jpeg,image/png" @change="photo"></label>
      </div>
      <p v-if="d.state === 'open'" class="mt-3"><strong>{{ d.proposal }}.</strong></p>
      <div v-if="!form.doing" class="row mt-3">
        <template v-if="d.state === 'open'">
          <v-btn class="go" @click="begin('uphold')">Uphold</v-btn><v-btn @click="begin('dismiss')">Dismiss</v-btn><v-btn @click="begin('caveat')">Show with a caveat</v-btn>
          <v-btn v-if="d.again" @click="again">{{ d.again === 'cool' ? 'Cool down and repeat' : 'Repeat now' }}</v-btn>
        </template>
        <v-btn v-else @click="begin('reopen')">Reopen</v-btn>
      </div>
      <p v-if="plan" class="mt-3"><span class="good">On the bench.</span> <router-link :to="`/bench?plan=${plan.id}`">Join its machine</router-link></p>
      <div v-if="form.doing" ref="field" class="stack settle mt-4">
        <template v-if="form.doing === 'uphold'">
          <div class="soft">What was wrong? Its runs no longer count; what was measured is kept.</div>
          <div class="causes" role="radiogroup" aria-label="Cause">
            <button v-for="(c, i) in causes" :key="c.key" type="button" role="radio" :aria-checked="form.cause === c.key" :class="{ on: form.cause === c.key }" @click="form.cause = c.key"><kbd>{{ i + 1 }}</kbd> {{ c.name }}</button>
          </div>
          <div v-if="d.runs.length > 1" class="small">
            <label v-for="r in d.runs" :key="r" class="row tight"><input v-model="form.runs" type="checkbox" :value="r"> <router-link :to="`/results/${r}`" class="cond">{{ r }}</router-link></label>
          </div>
        </template>
        <v-textarea v-model="form.reason" :label="form.doing === 'uphold' ? 'What stays beside it' : form.doing === 'caveat' ? 'What readers see; its own sentence if left out' : 'Why'" rows="2" />
        <v-checkbox v-if="alike.length" v-model="form.alike" :label="alike.length === 1 ? 'The other one of this kind about this unit likewise' : `The other ${alike.length} of this kind about this unit likewise`" />
        <Trouble v-if="trouble" :error="trouble" />
        <div class="row"><v-spacer /><v-btn @click="form.doing = ''">Cancel</v-btn><v-btn class="go" :disabled="form.doing === 'uphold' ? !form.cause || !form.runs.length : form.doing !== 'caveat' && !form.reason.trim()" @click="settle">{{ { uphold: 'Uphold', dismiss: 'Dismiss', caveat: 'Show with a caveat', reopen: 'Reopen' }[form.doing] }}</v-btn></div>
      </div>
      <Trouble v-else-if="trouble" class="mt-3" :error="trouble" />
      <h3>Its life</h3>
      <table class="bare" aria-label="Life"><tbody>
        <tr v-for="(a, i) in page.data.value?.acts ?? []" :key="i"><td class="soft w">{{ moment(a.at) }}</td><td class="w">{{ a.act }}</td><td>{{ a.by === 'the rule' ? '' : `${a.by}: ` }}{{ [causes.find((c) => c.key === a.cause)?.name, a.reason || a.sentence].filter(Boolean).join('. ') }}</td></tr>
      </tbody></table>
      <p class="soft small mt-3">{{ page.data.value?.rule.sentence }}</p>
    </div>
  </div>
</template>
