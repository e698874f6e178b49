import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, must } from '../api/client'

/** What things are called, by their identifiers; an identifier that is not known is given back. */
export function useNames() {
  const units = useQuery({ queryKey: ['models', 'units'], queryFn: () => must(api.GET('/api/units')) })
  const tests = useQuery({ queryKey: ['tests'], queryFn: () => must(api.GET('/api/tests')) })
  const setups = useQuery({ queryKey: ['setups'], queryFn: () => must(api.GET('/api/setups')) })
  const by = <T,>(list: T[] | undefined, key: (x: T) => string | undefined, name: (x: T) => string | undefined) => new Map((list ?? []).map((x) => [key(x) ?? '', name(x) ?? key(x) ?? '']))
  const unitNames = computed(() => by(units.data.value, (u) => u.slug, (u) => u.title))
  const testNames = computed(() => by(tests.data.value, (t) => t.slug, (t) => t.name))
  const setupNames = computed(() => by(setups.data.value, (s) => s.slug, (s) => s.name))
  const measures = computed(() => new Map((tests.data.value ?? []).flatMap((t) => t.measures.map((m) => [`${t.slug}/${m.slug}`, m] as const))))
  return {
    units, tests, setups, measures,
    unitName: (slug: string) => unitNames.value.get(slug) ?? slug,
    testName: (slug: string) => testNames.value.get(slug) ?? slug,
    setupName: (slug: string) => setupNames.value.get(slug) ?? slug,
    /** Units as a list to choose from, by what they are called. */
    unitChoices: computed(() => (units.data.value ?? []).map((u) => ({ value: u.slug!, title: u.title ?? u.slug!, props: { subtitle: u.slug } }))),
  }
}

/** An identifier made of a name that is not taken yet. */
export function slugOf(name: string, taken: string[] = []): string {
  const plain = name.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-+|-+$/g, '').slice(0, 60) || 'one'
  let slug = plain
  for (let n = 2; taken.includes(slug); n++) slug = `${plain}-${n}`
  return slug
}
