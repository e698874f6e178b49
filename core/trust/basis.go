package trust

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"sort"

	"durvek/core/method"
)

// BasisKey names what a figure rests on: test version and the conditions that must match. Runs whose
// keys differ are never averaged.
func BasisKey(t method.Test, conditions map[string]string) string {
	keys := slices.Clone(t.MustMatch)
	sort.Strings(keys)
	h := sha256.New()
	fmt.Fprintf(h, "%d", t.Version)
	for _, k := range keys {
		fmt.Fprintf(h, "|%s=%s", k, conditions[k])
	}
	return hex.EncodeToString(h.Sum(nil)[:6])
}
