package verdict

import (
	"cmp"
	"slices"
	"strings"
)

// Areas are measures that a reader thinks of together; a remark may be about one. Sections of an edition stand in this
// order unless the reviewer chooses another.
var Areas = []string{"processor", "memory", "storage", "graphics", "applications", "response", "display", "battery",
	"noise and heat", "wireless and ports", "body", "price"}

// ofGroup is the area of a test's group, where that bears another name.
var ofGroup = map[string]string{"cpu": "processor", "application": "applications", "noise": "noise and heat",
	"heat": "noise and heat", "network": "wireless and ports", "wireless": "wireless and ports",
	"ports": "wireless and ports", "power": "battery", "weight": "body", "size": "body", "spec sheet": "body",
	"video": "display", "sound": "body"}

// AreaOf is the area of a test's group; one of the desk's own is an area of its own, no group is "other".
func AreaOf(group string) string {
	group = cmp.Or(strings.ToLower(strings.TrimSpace(group)), "other")
	if a := ofGroup[group]; a != "" {
		return a
	}
	return group
}

// InOrder sorts areas as readers expect them, those of the desk's own behind by name.
func InOrder(a, b string) int {
	at := func(x string) int {
		if i := slices.Index(Areas, x); i >= 0 {
			return i
		}
		return len(Areas)
	}
	if d := at(a) - at(b); d != 0 {
		return d
	}
	return strings.Compare(a, b)
}
