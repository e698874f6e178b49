// Pages of a site of our own are loaded and timed: by the browser's own marks, from within each page.
import { link, median } from '../device'
import { type Env, missing, NotRun, number, ok, option, series } from '../harness'
import type { Outcome, Reading } from '../wire'

interface Loaded {
  page: string
  paint?: number
  usable: number
  blocking?: number
  missed?: number
}

const weights = ['text', 'pictures', 'script']

/** visit loads a page in a frame over the whole screen and waits for what it says of itself. */
async function visit(env: Env, path: string, scroll: boolean): Promise<Loaded> {
  const field = document.getElementById('stage')!
  const frame = document.createElement('iframe')
  frame.title = 'The page that is timed'
  frame.style.cssText = 'width:100%;height:100%;border:0;background:#fff'
  field.className = ''
  field.hidden = false
  return new Promise<Loaded>((done, fail) => {
    const late = setTimeout(() => fail(new Error(`${path} was not loaded in two minutes`)), 120000)
    const told = (e: MessageEvent<Loaded>) => {
      if (e.source !== frame.contentWindow || e.origin !== location.origin) return
      end()
      done(e.data)
    }
    const stop = () => {
      end()
      fail(env.signal.reason)
    }
    const end = () => {
      clearTimeout(late)
      removeEventListener('message', told)
      env.signal.removeEventListener('abort', stop)
      field.hidden = true
      field.replaceChildren()
    }
    addEventListener('message', told)
    env.signal.addEventListener('abort', stop)
    frame.src = new URL(`site/${path}${scroll ? '#scroll' : ''}`, document.baseURI).href
    field.replaceChildren(frame)
  })
}

export async function pages(env: Env): Promise<Partial<Outcome>> {
  if (env.token && !navigator.onLine) throw new NotRun('there is no connection to load pages over')
  const connection = option(env, 'connection')
  const times = Math.max(1, Math.round(number(env, 'loads') * Math.min(1, env.seconds)))
  const got = new Map<string, number[]>()
  const add = (slug: string, v: number | undefined) => v !== undefined && got.set(slug, [...(got.get(slug) ?? []), v])
  const usable = series('usable', 'ms')
  const begin = performance.now()
  const all = weights.length * times
  for (let i = 0; i < all; i++) {
    const w = weights[i % weights.length]! // in turn, so that what drifts falls on all of them
    // A visit of a name of its own finds nothing kept; the same one made again finds everything.
    const name = `${connection}/${crypto.getRandomValues(new Uint32Array(2)).join('-')}/${w}/index.html`
    for (const way of ['cold', 'warm']) {
      env.report({ phase: `${w}, ${way}`, share: (i + (way === 'warm' ? 0.5 : 0)) / all })
      const p = await visit(env, name, way === 'warm')
      add(`${w}-${way}-paint`, p.paint)
      add(`${w}-${way}-usable`, p.usable)
      if (way === 'cold') add(`${w}-blocking`, p.blocking)
      else add(`${w}-missed`, p.missed)
      usable.times.push((performance.now() - begin) / 1000)
      usable.values.push(p.usable)
    }
  }
  const readings: Reading[] = env.test.measures.map((m) => {
    const values = got.get(m.slug)
    if (!values) return missing(m.slug, m.slug.endsWith('blocking') ? 'this browser does not tell when its main thread is kept busy' : 'this browser does not tell it')
    return ok(m.slug, median(values))
  })
  return { observed: { 'network.link': env.token ? link() || 'unknown' : 'loopback' }, readings, series: [usable] }
}

export const runners = { 'page-visits': pages }
