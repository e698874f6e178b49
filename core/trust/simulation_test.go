package trust_test

import (
	"testing"

	"durvek/core/trust"
	"durvek/internal/trials"
)

// The short forms of the trials that docs/trust.md shows in full; their generators know nothing of the rules. The
// bounds are those of the full form, with room for what a smaller number leaves to chance.

func TestEveryCertainTroubleIsFoundAndNothingNearIt(t *testing.T) {
	for _, k := range trials.Certains {
		found, falsely := k.Try(7, 40)
		if found != 40 || len(falsely) > 0 {
			t.Errorf("%s: found %d of 40; falsely %v", k.Rule, found, falsely)
		}
	}
}

func TestEveryDeterministicRuleIsTried(t *testing.T) {
	tried := map[string]bool{"headline": true} // has a test of its own
	for _, k := range trials.Certains {
		tried[k.Rule] = true
	}
	for _, r := range trust.Rules {
		if !r.Statistical && !tried[r.Name] {
			t.Errorf("nothing tries the rule %s", r.Name)
		}
		if r.Title == "" || r.Sentence == "" || r.Proposal == "" || r.Limit > 0 && (r.LimitUnit == "" || r.Least == 0) {
			t.Errorf("rule %s lacks words", r.Name)
		}
	}
}

func TestFewCleanRunsAreDoubted(t *testing.T) {
	for i, w := range trials.Worlds() {
		if i%5 != 0 {
			continue
		}
		c := trials.Clean(uint64(i), w, 800)
		if share := float64(c.Doubted) / float64(c.Runs); share >= 0.02 {
			t.Errorf("%s: %.1f %% of clean runs are doubted, by %v", w, 100*share, c.ByRule)
		}
	}
}

func TestPlantedTroubleIsFoundAtItsSize(t *testing.T) {
	worlds := trials.Worlds()
	for _, k := range trials.Kinds {
		for _, w := range []trials.World{worlds[0], worlds[len(worlds)-1]} {
			if found := trials.Find(3, w, k, 1, 40); found < 36 {
				t.Errorf("%s in %s: found in %d of 40", k.Kind, w, found)
			}
		}
	}
}
