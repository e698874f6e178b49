import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, must } from '../../api/client'

/** What a page of comparisons is asked stands in its address, so that every state can be linked to. Usual values are left out of it. */
export function useAsked<K extends string>(usual: () => Record<K, string>) {
  const route = useRoute()
  const router = useRouter()
  const asked = computed(() => {
    const from = usual()
    return Object.fromEntries(Object.entries<string>(from).map(([k, v]) => [k, (route.query[k] as string | undefined) ?? v])) as Record<K, string>
  })
  function set(change: Partial<Record<K, string | boolean | null>>) {
    const from = usual()
    const next = { ...asked.value, ...Object.fromEntries(Object.entries(change).map(([k, v]) => [k, v === null || v === undefined ? '' : String(v)])) } as Record<K, string>
    void router.push({ query: Object.fromEntries(Object.entries<string>(next).filter(([k, v]) => v !== from[k as K])) })
  }
  return { asked, set }
}

/** A query without what is empty. */
export const given = (q: Record<string, string>): Record<string, string> => Object.fromEntries(Object.entries(q).filter(([, v]) => v && v !== 'false'))

/** Narrowing as the API takes it. */
export const narrowed = (where: string): { where?: string[] } => (where ? { where: [where] } : {})

/** The lists that comparisons are chosen from. */
export function useLists() {
  const fields = useQuery({ queryKey: ['fields'], queryFn: () => must(api.GET('/api/fields')) })
  const measures = useQuery({ queryKey: ['measures'], queryFn: () => must(api.GET('/api/measures')) })
  const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
  const setupChoices = computed(() => [{ slug: '', name: 'Usual: as delivered' }, ...(setups.data.value ?? []).map((s) => ({ slug: s.slug, name: s.name }))])
  const variants = useQuery({ queryKey: ['models', 'variants'], queryFn: () => must(api.GET('/api/variants')) })
  const others = useQuery({ queryKey: ['models', 'exchange'], queryFn: () => must(api.GET('/api/exchange')) })
  const models = useQuery({ queryKey: ['models'], queryFn: () => must(api.GET('/api/models')) })
  const uses = useQuery({ queryKey: ['uses'], queryFn: () => must(api.GET('/api/uses')) })
  const byModel = computed(() => new Map((models.data.value ?? []).map((m) => [m.slug, m])))
  // what other desks measured stands in several of their editions
  const theirs = computed(() => {
    const all = (others.data.value ?? []).flatMap((r) => r.devices)
    return [...new Map(all.map((d) => [d.variant, { value: d.variant, title: d.name, model: '' }])).values()]
  })
  const choices = computed(() =>
    (variants.data.value ?? [])
      .map((v) => {
        const m = byModel.value.get(v.model ?? '')
        return { value: v.slug!, title: `${m ? `${m.maker} ${m.name}` : v.model}, ${v.name}`, model: v.model ?? '' }
      })
      .concat(theirs.value)
      .sort((a, b) => a.title.localeCompare(b.title)),
  )
  const titles = computed(() => new Map(choices.value.map((c) => [c.value, c.title])))
  const title = (slug: string) => titles.value.get(slug) ?? slug
  const measured = computed(() => (measures.data.value ?? []).map((m) => ({ value: m.id, title: m.symbol ? `${m.name}, ${m.symbol}` : m.name, props: { subtitle: `${m.group}, ${m.variants} variants` } })))
  const ratios = computed(() => measured.value.filter((x) => measures.data.value?.find((m) => m.id === x.value)?.scale === 'ratio'))
  const fieldName = (slug: string) => {
    const name = fields.data.value?.find((f) => f.slug === slug)?.name ?? ''
    return name.charAt(0).toUpperCase() + name.slice(1)
  }
  // A field that one can overlook: everything of a large desk is compared when it is asked for.
  const most = 500
  const usualField = () => {
    const all = fields.data.value ?? []
    const usual = all.find((f) => f.slug === 'machines') ?? all.find((f) => f.slug === 'everything')
    if (!usual || usual.holds.length <= most) return usual?.slug ?? 'everything'
    return [...all].filter((f) => f.holds.length <= most).sort((a, b) => b.holds.length - a.holds.length)[0]?.slug ?? usual.slug
  }
  return { fields, measures, setups, setupChoices, variants, models, uses, choices, title, measured, ratios, fieldName, usualField }
}
