// What outlives the page: the session, the journal, and results that the service has not acknowledged.
const name = 'durvek-probe'

let db: Promise<IDBDatabase> | undefined
function open(): Promise<IDBDatabase> {
  db ??= new Promise((done, fail) => {
    const ask = indexedDB.open(name, 1)
    ask.onupgradeneeded = () => {
      ask.result.createObjectStore('state')
      ask.result.createObjectStore('outbox')
    }
    ask.onsuccess = () => done(ask.result)
    ask.onerror = () => fail(new Error('This browser keeps nothing for this page, so results could be lost; leave private browsing or make room.'))
  })
  return db
}

async function at<T>(store: string, mode: IDBTransactionMode, f: (s: IDBObjectStore) => IDBRequest<T>): Promise<T> {
  const d = await open()
  return new Promise((done, fail) => {
    const t = d.transaction(store, mode, { durability: 'strict' })
    const ask = f(t.objectStore(store))
    t.oncomplete = () => done(ask.result)
    t.onerror = t.onabort = () => fail(t.error ?? new Error('nothing can be kept on this device'))
  })
}

export const get = <T>(key: string): Promise<T | undefined> => at('state', 'readonly', (s) => s.get(key))
export const put = (key: string, value: unknown): Promise<unknown> => at('state', 'readwrite', (s) => s.put(value, key))
export const drop = (key: string): Promise<unknown> => at('state', 'readwrite', (s) => s.delete(key))

export interface Kept {
  id: string
  path: string
  body: unknown
}
export const keep = (k: Kept): Promise<unknown> => at('outbox', 'readwrite', (s) => s.put(k, k.id))
export const waiting = (): Promise<Kept[]> => at('outbox', 'readonly', (s) => s.getAll() as IDBRequest<Kept[]>)
export const sent = (id: string): Promise<unknown> => at('outbox', 'readwrite', (s) => s.delete(id))
