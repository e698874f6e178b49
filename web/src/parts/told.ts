import { reactive } from 'vue'

interface Said {
  text: string
  undo?: () => Promise<unknown>
}

/** What was just done, said at the foot of the page for ten seconds, with a way back where there is one. */
export const said = reactive<{ now: Said | null; trouble: unknown }>({ now: null, trouble: null })
let ends: ReturnType<typeof setTimeout> | undefined

export function tell(text: string, undo?: () => Promise<unknown>): void {
  clearTimeout(ends)
  said.now = { text, undo }
  said.trouble = null
  ends = setTimeout(() => (said.now = null), 10_000)
}

export async function takeBack(): Promise<void> {
  const undo = said.now?.undo
  said.now = null
  try {
    await undo?.()
  } catch (e) {
    said.trouble = e
  }
}
