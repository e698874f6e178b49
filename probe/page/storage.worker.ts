// Storage in the browser's private file system; its synchronous files exist in workers only.
export type Answer = { phase: string; share: number } | { error: string; notRun: boolean } | { write: number; read: number; scattered: number }

const say = (a: Answer) => postMessage(a)
const size = 64 << 20
const block = 1 << 20

onmessage = async (e: MessageEvent<number>) => {
  let root: FileSystemDirectoryHandle
  try {
    root = await navigator.storage.getDirectory()
  } catch {
    return say({ error: 'this browser has no private file system', notRun: true })
  }
  const name = 'durvek-test'
  try {
    const handle = await root.getFileHandle(name, { create: true })
    const file = await (handle as FileSystemFileHandle & { createSyncAccessHandle(): Promise<Sync> }).createSyncAccessHandle()
    try {
      const data = new Uint8Array(block)
      for (let i = 0; i < block; i += 65536) crypto.getRandomValues(data.subarray(i, i + 65536))
      const sum = (b: Uint8Array) => new Uint32Array(b.buffer).reduce((s, v) => (s * 31 + v) >>> 0, 0)
      say({ phase: 'writing', share: 0 })
      let from = performance.now()
      for (let at = 0; at < size; at += block) file.write(data, { at })
      file.flush()
      const write = size / 1e3 / (performance.now() - from)
      say({ phase: 'reading', share: 0.4 })
      const back = new Uint8Array(block)
      let spent = 0
      for (let at = 0; at < size; at += block) {
        from = performance.now()
        const n = file.read(back, { at })
        spent += performance.now() - from
        if (n !== block || sum(back) !== sum(data)) throw new Error('the device computed wrongly: what was read is not what was written')
      }
      const read = size / 1e3 / Math.max(spent, 0.1)
      say({ phase: 'scattered writes', share: 0.7 })
      const small = data.subarray(0, 4096)
      let [n, place] = [0, 1]
      from = performance.now()
      while (performance.now() - from < 1500 * e.data) {
        place = (place * 1103515245 + 12345) & 0x7fffffff
        file.write(small, { at: (place % (size / 4096)) * 4096 })
        file.flush()
        n++
      }
      say({ write, read, scattered: (n * 1000) / (performance.now() - from) })
    } finally {
      file.close()
    }
  } catch (x) {
    const why = x instanceof Error ? x.message : String(x)
    say({ error: /quota/i.test(why) ? 'there is no room for a file of 64 MiB' : why, notRun: false })
  } finally {
    await root.removeEntry(name).catch(() => undefined)
  }
}

interface Sync {
  read(b: Uint8Array, o: { at: number }): number
  write(b: Uint8Array, o: { at: number }): number
  flush(): void
  close(): void
}
