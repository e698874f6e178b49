import { reactive, watch } from 'vue'

const prefix = 'draft '

/**
 * What somebody types, kept on this device until it is saved or given up: it survives a reload and a service that
 * is away. A draft that is kept no more begins with what is there.
 */
export function useDraft<T extends Record<string, unknown>>(key: () => string, initial: () => T) {
  const values = reactive({}) as T
  let quiet = false
  function load() {
    quiet = true
    for (const k of Object.keys(values)) delete (values as Record<string, unknown>)[k]
    Object.assign(values, initial())
    try {
      Object.assign(values, JSON.parse(localStorage.getItem(prefix + key()) ?? '{}'))
    } catch {
      localStorage.removeItem(prefix + key())
    }
    quiet = false
  }
  function drop() {
    localStorage.removeItem(prefix + key())
  }
  watch(values, () => {
    if (quiet) return
    if (JSON.stringify(values) === JSON.stringify(initial())) drop()
    else localStorage.setItem(prefix + key(), JSON.stringify(values))
  }, { deep: true, flush: 'sync' })
  return { values, load, drop, kept: () => localStorage.getItem(prefix + key()) !== null }
}
