package ranking

import (
	"fmt"
	"math"
	"slices"

	"durvek/core/quantity"
	"durvek/core/say"
	"durvek/core/stats"
)

// Within is the place of one entry among others: the range of places that it can hold, and of how many.
type Within struct {
	Place
	Of    int    `json:"of"`
	Words string `json:"words"`
}

// Among says the place among so many things: "second to fourth of 8 laptops", "at no sure place among 8 laptops",
// "alone among laptops".
func (w Within) Among(things string) string {
	of := "among"
	if w.Of < 2 {
		return w.Words + " among " + things
	}
	if w.Known() && (w.Best > 1 || w.Worst < w.Of) {
		of = "of"
	}
	return fmt.Sprintf("%s %s %d %s", w.Words, of, w.Of, things)
}

// PlaceAmong is the marginal confidence set for one entry's rank among others that keep passes (all, if it is nil):
// only its own pairs are tested, at 1 − α/(2(n−1)) each (Bonferroni, after Mogstad, Romano, Shaikh and Wilhelm 2024,
// section 3).
func PlaceAmong(entries []Entry, id string, o Options, keep func(string) bool) Within {
	o = o.filled()
	at := slices.IndexFunc(entries, func(e Entry) bool { return e.ID == id })
	counts := func(e Entry) bool { return !e.Estimate.Unknown && (keep == nil || keep(e.ID)) }
	n := 0
	for _, e := range entries {
		if e.ID == id || counts(e) {
			n++
		}
	}
	out := Within{Place: Place{1, max(n, 1)}, Of: n}
	if at < 0 || n < 2 {
		out.Words = out.Place.Words(n)
		return out
	}
	me := entries[at].Estimate
	if me.Unknown {
		out.Place, out.Words = Place{}, "of unknown order"
		return out
	}
	chance := (1 - o.Level) / 2 / float64(n-1)
	mine := o.merit(me)
	for _, e := range entries {
		if e.ID == id || !counts(e) {
			continue
		}
		other := e.Estimate
		diff := o.merit(other) - mine
		// Nothing is sure of a difference that is smaller than one standard error: most of a long history needs no more.
		far := math.Abs(diff) - me.HalfWidth - other.HalfWidth
		if far <= 0 || far*far <= me.SE*me.SE+other.SE*other.SE {
			continue
		}
		if mb, ob := me.Bound != "", other.Bound != ""; mb || ob {
			// A merit open upwards may yet win, one open downwards yet lose.
			mine, theirs := o.openUp(me), o.openUp(other)
			barred, also := mb && mine || ob && !theirs, mb && !mine || ob && theirs
			if o.Better == quantity.Target || diff > 0 && barred || diff < 0 && also {
				continue
			}
		}
		if se, df := stats.Difference(me, other, stats.RankShare); stats.Tail(far, se, df) <= chance {
			if diff > 0 {
				out.Best++
			} else {
				out.Worst--
			}
		}
	}
	out.Words = out.Place.Words(n)
	return out
}

// Words says a place among n: "second to fourth", "at no sure place", "alone".
func (p Place) Words(n int) string {
	switch {
	case n < 2:
		return "alone"
	case p.Best == 1 && p.Worst == n:
		return "at no sure place"
	case p.Best == p.Worst:
		return say.Ordinal(p.Best)
	}
	return say.Ordinal(p.Best) + " to " + say.Ordinal(p.Worst)
}
