// One thread of the processor's workloads: an instance of the module of its own.
import './gen/wasm_exec.js'

declare const Go: new () => { importObject: WebAssembly.Imports; run(i: WebAssembly.Instance): Promise<void> }
declare const durvekKernels: { version: string; prepare(kernel: string, part: string, thread: number): string; slice(ms: number): [number, number]; check(): string; unit(kernel: string): string }

export type Ask = { do: 'load'; module: WebAssembly.Module } | { do: 'prepare'; kernel: string; part: string; thread: number } | { do: 'run'; ms: number; slice: number } | { do: 'check' }
export type Answer = { done: true; error?: string; work?: number; seconds?: number; unit?: string } | { done: false; work: number }

const say = (a: Answer) => postMessage(a)

onmessage = async (e: MessageEvent<Ask>) => {
  const a = e.data
  try {
    switch (a.do) {
      case 'load': {
        const go = new Go()
        void go.run(await WebAssembly.instantiate(a.module, go.importObject))
        return say({ done: true })
      }
      case 'prepare':
        return say({ done: true, error: durvekKernels.prepare(a.kernel, a.part, a.thread), unit: durvekKernels.unit(a.kernel) })
      case 'run': {
        let [work, seconds] = [0, 0]
        while (seconds * 1000 < a.ms) {
          const [w, s] = durvekKernels.slice(Math.min(a.slice, a.ms - seconds * 1000))
          work += w
          seconds += s
          say({ done: false, work })
        }
        return say({ done: true, work, seconds })
      }
      case 'check':
        return say({ done: true, error: durvekKernels.check() })
    }
  } catch (x) {
    say({ done: true, error: `the module broke off: ${x instanceof Error ? x.message : String(x)}` })
  }
}
