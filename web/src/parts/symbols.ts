import { useQuery } from '@tanstack/vue-query'
import { api, must } from '../api/client'

/** Gives a function from a unit's code in data to its symbol on screens. */
export function useSymbols(): (code?: string) => string {
  const vocabulary = useQuery({ queryKey: ['vocabulary'], queryFn: () => must(api.GET('/api/vocabulary')), staleTime: Infinity })
  const symbol = (code = ''): string => {
    const whole = vocabulary.data.value?.units.find((u) => u.code === code)?.symbol
    const parts = /^(.*)\/(\([^()]*\)|[^/()]+)$/.exec(code) // one unit by another
    return whole ?? (parts ? `${symbol(parts[1])}/${symbol(parts[2]!.replace(/^\((.*)\)$/, '$1'))}` : code)
  }
  return symbol
}
