import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

/** Whether a dialog is open, as the page's address says: it can be linked to, survives a reload, and Back closes it. */
export function useOpened(key: string) {
  const route = useRoute()
  const router = useRouter()
  return computed<boolean>({
    get: () => route.query[key] === '1',
    set(is) {
      const { [key]: _, ...rest } = route.query
      if (is) void router.push({ query: { ...rest, [key]: '1' } })
      else if (route.query[key]) void router.replace({ query: rest })
    },
  })
}
