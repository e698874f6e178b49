// Package lockfile reads which packages the console and the probe are built of, for what lists them.
package lockfile

import (
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
)

// Package is one that comes with the built pages.
type Package struct {
	Name, Version, License string
	At                     string // its folder beside the lock file
}

// Packages lists the packages of a lock file (npm's, version 3) that are no mere tools of the build, in the order of
// their folders.
func Packages(path string) ([]Package, error) {
	b, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	var l struct {
		Packages map[string]struct {
			Version, License           string
			Dev, Optional, DevOptional bool
		}
	}
	if err := json.Unmarshal(b, &l); err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	out := []Package{}
	for _, at := range slices.Sorted(maps.Keys(l.Packages)) {
		p := l.Packages[at]
		if i := strings.LastIndex(at, "node_modules/"); i >= 0 && !p.Dev && !p.Optional && !p.DevOptional {
			out = append(out, Package{at[i+len("node_modules/"):], p.Version, p.License, at})
		}
	}
	return out, nil
}
