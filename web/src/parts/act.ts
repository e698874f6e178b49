import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'

/** Does something that may fail: what went wrong is kept to be shown; again asks for lists anew, for all if none is named. */
export function useAct() {
  const queries = useQueryClient()
  const trouble = ref<unknown>(null)
  const busy = ref(false)
  const again = (...keys: string[]) => Promise.all((keys.length ? keys.map((k) => [k]) : [undefined]).map((queryKey) => queries.invalidateQueries({ queryKey })))
  async function act(work: () => Promise<unknown>): Promise<boolean> {
    trouble.value = null
    busy.value = true
    try {
      await work()
      return true
    } catch (e) {
      trouble.value = e
      return false
    } finally {
      busy.value = false
    }
  }
  return { trouble, busy, act, again }
}
