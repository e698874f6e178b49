//go:build js && wasm

// Command kernels is the processor's workloads as a module for browsers: the very sources that native agents run.
// One thread's work is done in slices, so that the worker it lives in can say how far it is.
package main

import (
	"fmt"
	"runtime"
	"slices"
	"syscall/js"
	"time"

	"durvek/workload"
	"durvek/workload/cpu"
)

func main() {
	var work workload.Work
	js.Global().Set("durvekKernels", map[string]any{
		"version": runtime.Version(),
		// prepare(kernel, part, thread) makes one thread's work; it returns an error's text, or "".
		"prepare": js.FuncOf(func(_ js.Value, args []js.Value) any {
			k := slices.IndexFunc(cpu.Kernels, func(k cpu.Kernel) bool { return k.Slug == args[0].String() })
			if k < 0 {
				return fmt.Sprintf("the module has no kernel %q", args[0].String())
			}
			p := slices.IndexFunc(cpu.Kernels[k].Parts, func(p cpu.Part) bool { return p.Slug == args[1].String() })
			if args[1].String() == "" {
				p = 0 // the first stands for the kernel
			}
			if p < 0 {
				return fmt.Sprintf("kernel %q has no part %q", args[0].String(), args[1].String())
			}
			start, err := cpu.Kernels[k].Parts[p].Prepare()
			if err == nil {
				work, err = start(args[2].Int())
			}
			runtime.GC()
			return text(err)
		}),
		// slice(ms) works for so long, whole pieces only, and returns the amount and the seconds that it took.
		"slice": js.FuncOf(func(_ js.Value, args []js.Value) any {
			length := time.Duration(args[0].Float() * float64(time.Millisecond))
			from, done := time.Now(), 0.0
			for {
				done += work.Do()
				if spent := time.Since(from); spent >= length {
					return []any{done, spent.Seconds()}
				}
			}
		}),
		// unit(kernel) is the UCUM code of its rate.
		"unit": js.FuncOf(func(_ js.Value, args []js.Value) any {
			for _, k := range cpu.Kernels {
				if k.Slug == args[0].String() {
					return k.Unit
				}
			}
			return "1"
		}),
		// check returns what is wrong with what was computed last, or "".
		"check": js.FuncOf(func(js.Value, []js.Value) any { return text(work.Check()) }),
	})
	select {}
}

func text(err error) string {
	if err != nil {
		return err.Error()
	}
	return ""
}
