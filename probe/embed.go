// Package probe holds the page that measures a phone, a tablet or any browser, as it was built: page/ is its
// source, kernels/ the processor's workloads as a WebAssembly module. The page speaks to the service as an
// agent does, or takes its orders from an agent on the same machine.
package probe

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files is the built page's files; packed ones end in .gz.
func Files() fs.FS {
	sub, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return sub
}
