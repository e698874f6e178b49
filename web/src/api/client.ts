import createClient from 'openapi-fetch'
import { lost } from './link'
import type { components, paths } from './schema.gen'

export const api = createClient<paths>({ baseUrl: '' })

type Schemas = components['schemas']
export type Of<K extends keyof Schemas> = Schemas[K]

/** What the service refused and why, in words for people; a line for every fault. */
export class Refusal extends Error {
  constructor(message: string, readonly status: number, readonly faults: string[]) {
    super(message)
  }
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

/** Gives the answer's data, or throws a Refusal. */
export async function must<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await asked
  } catch {
    lost()
    throw new Refusal('The service cannot be reached. What you typed is still here; try again.', 0, [])
  }
  if (answer.error !== undefined || !answer.response.ok) {
    const e = answer.error as Of<'ErrorModel'> | undefined
    const faults = (e?.errors ?? []).map((f) => [`${(f.location ?? '').replace(/^(body|query|path|header)(\.|$)/, '')}${f.value ? ` (${String(f.value)})` : ''}`, f.message ?? ''].filter(Boolean).join(': '))
    throw new Refusal(e?.detail ?? e?.title ?? `The service answered ${answer.response.status}.`, answer.response.status, faults)
  }
  return answer.data as T
}

/** Sends a file's bytes and gives the answer. */
export async function send<T>(path: string, data: BodyInit): Promise<T> {
  return must<T>(
    (async () => {
      const response = await fetch(path, { method: 'POST', body: data, headers: { 'Content-Type': 'application/octet-stream' } })
      const body = await response.json()
      return response.ok ? { data: body as T, response } : { error: body, response }
    })(),
  )
}
