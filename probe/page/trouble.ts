// Trouble ends a run: a page that is hidden, a device that sleeps or saves power measures something else. A run that
// met it counts for nothing and is made anew; the reason is kept.

import type { Marked } from './harness'

export class Trouble extends Error {}

// How long the page may not come to itself before that counts as sleep, in ms.
const gap = 5000

/** attended notes what becomes of a page that bears trouble: how long it was hidden, that the device slept, that the system
 * no longer keeps the screen lit. end stops it. */
export function attended(begun: number, mark: Marked): () => void {
  const at = () => (performance.now() - begun) / 1000
  let hidden = document.visibilityState === 'hidden' ? at() : -1
  const shown = () => {
    if (hidden >= 0) mark({ kind: 'hidden', at: hidden, text: `the page was hidden, or the screen was off, for ${Math.max(1, Math.round(at() - hidden))} s` })
    hidden = -1
  }
  const seen = () => {
    if (document.visibilityState === 'hidden') hidden = at()
    else {
      shown()
      void awake()
    }
  }
  let wall = Date.now()
  const timer = setInterval(() => {
    const slept = Date.now() - wall
    if (slept > 15000) mark({ kind: 'dropout', at: at() - slept / 1000, text: `the device slept, or the page stood still, for ${Math.round(slept / 1000)} s` })
    if (lock?.released && document.visibilityState === 'visible') {
      mark({ kind: 'dimmed', at: at(), text: 'the system no longer kept the screen on: it may have dimmed' })
      void awake()
    }
    wall = Date.now()
  }, 2000)
  document.addEventListener('visibilitychange', seen)
  return () => {
    clearInterval(timer)
    document.removeEventListener('visibilitychange', seen)
    shown()
  }
}

/** watched makes a signal that is aborted with a Trouble as soon as one comes. end stops the watch. */
export function watched(): { signal: AbortSignal; end: () => void } {
  const made = new AbortController()
  const abort = (why: string) => made.abort(new Trouble(why))
  const hidden = () => {
    if (document.visibilityState === 'hidden') abort('the page was hidden, or the screen went off')
  }
  const frozen = () => abort('the browser froze the page')
  let last = performance.now()
  let wall = Date.now()
  const timer = setInterval(() => {
    const now = performance.now()
    const slept = Math.max(now - last, Date.now() - wall)
    if (slept > gap) abort(`the device slept, or the page stood still, for ${Math.round(slept / 1000)} s`)
    last = now
    wall = Date.now()
  }, 500)
  document.addEventListener('visibilitychange', hidden)
  document.addEventListener('freeze', frozen)
  hidden()
  return {
    signal: made.signal,
    end() {
      clearInterval(timer)
      document.removeEventListener('visibilitychange', hidden)
      document.removeEventListener('freeze', frozen)
    },
  }
}

/** visible waits until the page is seen. */
export function visible(): Promise<void> {
  return new Promise((done) => {
    const look = () => {
      if (document.visibilityState === 'visible') {
        document.removeEventListener('visibilitychange', look)
        done()
      }
    }
    document.addEventListener('visibilitychange', look)
    look()
  })
}

let lock: { release(): Promise<void>; released: boolean } | undefined
/** awake keeps the screen on, where the browser lets a page do so; it tells whether it does. */
export async function awake(): Promise<boolean> {
  if (lock && !lock.released) return true
  try {
    lock = await navigator.wakeLock.request('screen')
    return true
  } catch {
    return false
  }
}
export function asleep(): void {
  void lock?.release()
  lock = undefined
}

/** rest lets so many ms pass, or fewer if the signal comes. */
export function rest(ms: number, signal?: AbortSignal): Promise<void> {
  return new Promise((done) => {
    const end = () => {
      clearTimeout(timer)
      signal?.removeEventListener('abort', end)
      done()
    }
    const timer = setTimeout(end, ms)
    signal?.addEventListener('abort', end)
  })
}
