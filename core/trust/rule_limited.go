package trust

import "fmt"

func init() {
	register(Rule{
		Name: "limited", Title: "Held back by heat or power", Severity: Caution, Proposal: "Let it cool down and repeat", Again: "cool",
		Sentence: "The trace shows that heat held the run back, or a power limit that held back other repeats less or that lies below the dossier's. Tests of lasting load, whose subject this is, are left out.",
		Find: func(c Case, _ float64) []Found {
			l := c.Run.Course.Limiter
			if lasting(c.Test) || l.Label != "heat" && l.Label != "power limit" {
				return nil
			}
			ev := []Evidence{{"limiter", l.Label}, {"why", l.Why}}
			free := 0
			for _, f := range c.Figures[:min(1, len(c.Figures))] {
				for _, r := range f.Repeats {
					if r.Limiter != "" && r.Limiter != "unknown" && r.Limiter != l.Label {
						free++
					}
				}
			}
			if l.Label == "power limit" { // a limit that the product always keeps is part of the product
				if free == 0 {
					return nil
				}
				ev = append(ev, Evidence{"repeats limited otherwise", fmt.Sprint(free)})
			}
			f := Found{Sentence: fmt.Sprintf("Held back by %s: %s.", l.Label, l.Why), Evidence: ev}
			if t := c.Trace.Column("clock.mean"); len(t) > 1 {
				f.Picture = course("MHz", c.Trace.Times, t)
			}
			return []Found{f}
		},
	})
}
