package trust

import (
	"fmt"
	"strings"

	"durvek/core/catalog"
	"durvek/core/link"
	"durvek/core/method"
	"durvek/core/quantity"
)

// promised pairs what a machine tells with the spec key that promises it. Quantities may lie below the
// promise by a share; texts must contain one another.
var promised = []struct {
	told, spec string
	kind       string // text, quantity or link
	groups     []string
}{
	{"link.drive", "drive.link", "link", []string{"storage"}},
	{"link.usb", "drive.link", "link", []string{"storage"}},
	{"drive.identity", "drive.name", "text", []string{"storage"}},
	{"graphics.chip", "graphics.name", "text", []string{"graphics"}},
	{"memory.speed", "memory.speed", "quantity", nil},
	{"memory.channels", "memory.channels", "quantity", nil},
	{"limit.power.long", "cpu.power_limit", "quantity", nil},
}

func init() {
	register(Rule{
		Name: "other-part", Title: "Other than the dossier says", Severity: Caution,
		Proposal: "Check which part, chip or link is in use",
		Sentence: "The machine told a slower link, or another chip, drive, memory or power limit than its spec sheet names.",
		Find: func(c Case, _ float64) []Found {
			var ev []Evidence
			add := func(key, dossier, told string) {
				name := key
				if k, ok := negotiated(key); ok {
					name = k.Name
				}
				ev = append(ev, Evidence{name, fmt.Sprintf("%s by the dossier, %s here", dossier, told)})
			}
			for _, p := range promised {
				got := c.Run.Negotiated[p.told]
				want := catalog.SpecText(c.Spec, p.spec)
				if len(p.groups) > 0 && !strings.Contains(strings.Join(p.groups, " "), c.Test.Group) || got == "" {
					continue
				}
				switch p.kind {
				case "link":
					a, err := link.Parse(got)
					b, err2 := link.Parse(want)
					if err == nil && err2 == nil && a.Slower(b) {
						add(p.told, want, got)
					}
				case "text":
					a, b := strings.ToLower(got), strings.ToLower(want)
					if b != "" && !strings.Contains(a, b) && !strings.Contains(b, a) && c.Setup.Conditions[p.told] == "" {
						add(p.told, want, got)
					}
				case "quantity":
					least, ok := catalog.SpecNumber(c.Spec, p.spec)
					if q, err := quantity.Parse(got); ok && err == nil && least > 0 {
						if v, err := q.In(unitOf(p.spec)); err == nil && v < 0.95*least {
							add(p.told, strings.TrimSpace(quantity.Number(least, 4)+" "+quantity.Symbol(unitOf(p.spec))), got)
						}
					}
				}
			}
			if c.Run.Host == "" && !c.Run.Simulated {
				called(c, func(name, dossier, told string) {
					ev = append(ev, Evidence{name, fmt.Sprintf("%s by the dossier, %s here", dossier, told)})
				})
			}
			if c.Run.Host == "" && !c.Run.Simulated && c.Machine.Memory > 0 {
				if size, ok := catalog.SpecNumber(c.Spec, "memory.size"); ok && float64(c.Machine.Memory)/(1<<30) < 0.85*size {
					add("memory.size", fmt.Sprintf("%g GiB", size), fmt.Sprintf("%.1f GiB", float64(c.Machine.Memory)/(1<<30)))
				}
			}
			if best, err := link.Parse(c.Run.Negotiated["link.drive.best"]); err == nil && c.Test.Group == "storage" {
				if now, err := link.Parse(c.Run.Negotiated["link.drive"]); err == nil && now.Slower(best) {
					add("link.drive", c.Run.Negotiated["link.drive.best"]+" at best", c.Run.Negotiated["link.drive"])
				}
			}
			if len(ev) == 0 {
				return nil
			}
			return []Found{{Cell: true, Evidence: ev, Sentence: fmt.Sprintf("%s: %s.", ev[0].Name, ev[0].Value)}}
		},
	})
}

func negotiated(key string) (method.ConditionKey, bool) {
	for _, k := range method.NegotiatedVocabulary {
		if k.Key == key {
			return k, true
		}
	}
	return method.ConditionKey{}, false
}

func unitOf(spec string) string {
	for _, k := range catalog.Vocabulary {
		if k.Key == spec && k.Unit != "" {
			return k.Unit
		}
	}
	return "1"
}

// called holds what the machine calls itself against its dossier: a pre-production chip bears another name, or has
// other cores.
func called(c Case, add func(name, dossier, told string)) {
	if want := catalog.SpecText(c.Spec, "cpu.name"); want != "" && c.Machine.Processor != "" &&
		!sameName(want, c.Machine.Processor) {
		add("Processor", want, c.Machine.Processor)
	}
	for _, x := range []struct {
		key, name string
		told      int
	}{{"cpu.cores", "Cores", c.Machine.Cores}, {"cpu.threads", "Threads", c.Machine.Threads}} {
		if want, ok := catalog.SpecNumber(c.Spec, x.key); ok && x.told > 0 && float64(x.told) != want {
			add(x.name, quantity.Plain(want, "1"), fmt.Sprint(x.told))
		}
	}
}

// sameName tells whether all words of one name stand in the other, marks and clocks aside.
func sameName(a, b string) bool {
	words := func(s string) map[string]bool {
		s, _, _ = strings.Cut(strings.ToLower(s), "@")
		out := map[string]bool{}
		for _, w := range strings.FieldsFunc(strings.NewReplacer("(r)", " ", "(tm)", " ").Replace(s), func(r rune) bool {
			return r == ' ' || r == ',' || r == '-'
		}) {
			if w != "cpu" && w != "processor" {
				out[w] = true
			}
		}
		return out
	}
	x, y := words(a), words(b)
	if len(x) > len(y) {
		x, y = y, x
	}
	for w := range x {
		if !y[w] {
			return false
		}
	}
	return true
}
