<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { api, must, type Of } from '../../api/client'
import FormDialog, { type Field, type Values } from '../../parts/FormDialog.vue'

// A review in one go: its chart, the findings that the figures support, a summary and a recommendation; signed and published.
const props = defineProps<{ variant: string; title: string; measure: string; examples: number }>()
const open = defineModel<boolean>({ required: true })
const router = useRouter()
const queries = useQueryClient()
const recommendations = ['recommended', 'recommended for some', 'not recommended'] as const
const fields = computed<Field[]>(() => [
  { key: 'summary', label: 'Your verdict, in a sentence or two', type: 'area', need: true },
  { key: 'recommendation', label: 'Recommendation', type: 'select', items: [...recommendations], need: true },
])
async function publish(v: Values) {
  const me = await must(api.GET('/api/me'))
  if ((await must(api.GET('/api/examples'))).units.length) await must(api.DELETE('/api/examples'))
  const begun = (await must(api.GET('/api/reviews'))).find((x) => x.subject === props.variant)
  let r = begun
    ? await must(api.POST('/api/reviews/{slug}/findings', { params: { path: { slug: begun.slug } } }))
    : await must(api.POST('/api/reviews', { body: { subject: props.variant } }))
  if (!r.charts.some((c) => c.measure === props.measure)) r.charts.push({ measure: props.measure })
  r = await must(api.PUT('/api/reviews/{slug}', { params: { path: { slug: r.slug } }, body: { ...r, summary: String(v.summary), recommendation: v.recommendation as Of<'VerdictReview'>['recommendation'] } }))
  await must(api.POST('/api/reviews/{slug}/signature', { params: { path: { slug: r.slug } }, body: { by: me.name } }))
  await must(api.POST('/api/reviews/{slug}/editions', { params: { path: { slug: r.slug } }, body: {} }))
  await router.push(`/reviews/${r.slug}`) // with the first edition the guide goes, and this with it
  void queries.invalidateQueries()
}
</script>

<template>
  <FormDialog v-model="open" title="Publish it" :about="`A review of the ${title}: signed by you, published as its first edition. What is published stays as it is; later editions say what they change.${examples ? ' The examples are taken away first.' : ''}`" act="Sign and publish" :fields="fields" :draft="`publish ${variant}`" :initial="{ recommendation: 'recommended' }" :submit="publish" />
</template>
