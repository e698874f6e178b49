package compare

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"sort"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/core/stats"
	"durvek/core/trust"
)

// Effect is a difference with its 95 % interval: in per cent on ratio scales, in the measure's unit otherwise.
type Effect struct {
	Value float64 `json:"value"`
	Lo    float64 `json:"lo"`
	Hi    float64 `json:"hi"`
	Text  string  `json:"text"`
	Sure  bool    `json:"sure" doc:"The interval does not hold zero"`
	// Unknown tells that one of both is a reading of unknown spread: there is no interval then.
	Unknown bool `json:"unknown,omitempty" doc:"Nothing is known of how much one of both scatters"`
}

// WorthPair is a pair of cells that differ in exactly one thing.
type WorthPair struct {
	A      string `json:"a" doc:"Unit"`
	B      string `json:"b" doc:"Unit; the same where a condition differs"`
	Name   string `json:"name"`
	SetupA string `json:"setup_a"`
	SetupB string `json:"setup_b"`
	Effect Effect `json:"effect"`
}

// Worth is what one thing is worth in a measure: over all pairs that differ in it alone.
type Worth struct {
	Key      string      `json:"key" doc:"Condition, or key of the spec sheet"`
	Name     string      `json:"name"`
	From     string      `json:"from"`
	To       string      `json:"to"`
	Effect   Effect      `json:"effect"`
	Pairs    []WorthPair `json:"pairs"`
	Sentence string      `json:"sentence"`
}

// Confounded is a pair of siblings that differ in several things at once: nothing is attributed.
type Confounded struct {
	A       string   `json:"a"`
	B       string   `json:"b"`
	Name    string   `json:"name"`
	Effect  Effect   `json:"effect"`
	Differs []string `json:"differs"`
}

// Controlled is all that controlled comparisons say of one measure.
type Controlled struct {
	Measure    Measure      `json:"measure"`
	Worth      []Worth      `json:"worth"`
	Confounded []Confounded `json:"confounded"`
}

// Subject is a variant as controlled comparisons see it.
type Subject struct {
	Variant string
	Model   string
	Name    string // maker and model
	Note    string
	Spec    map[string]any
}

// follows names conditions that come with another one: they are part of its effect, not a second difference.
var follows = map[string][]string{"power.profile": {"power.mode", "supply"}, "power.governor": {"power.mode", "supply"},
	"memory.speed": {"memory.profile"}, "graphics.driver": {"graphics.chip"}}

// differing lists the conditions in which two cells of a unit differ; unknown is named in own.
func differing(a, b trust.Basis) (keys []string) {
	all := map[string]bool{}
	for _, m := range []map[string]string{a.Conditions, b.Conditions} {
		for k := range m {
			all[k] = true
		}
	}
	for k := range all {
		if a.Conditions[k] != b.Conditions[k] && !trust.Volatile(k) {
			keys = append(keys, k)
		}
	}
	sort.Strings(keys)
	return slices.DeleteFunc(keys, func(k string) bool {
		return slices.ContainsFunc(follows[k], func(lead string) bool { return slices.Contains(keys, lead) })
	})
}

// effectOf is the difference of two estimates, from a to b, with the variances of both.
func effectOf(m Measure, a, b stats.Estimate) Effect {
	half := a.HalfWidth + b.HalfWidth
	if se, df := stats.Difference(a, b, 1); se > 0 {
		half += stats.Quick(0.975, df) * se
	}
	e := effect(m, b.Mean-a.Mean, half)
	if a.Unknown || b.Unknown {
		e.Unknown, e.Sure = true, false
		e.Text += ", spread unknown"
	}
	return e
}

func effect(m Measure, d, half float64) Effect {
	e := Effect{Value: d, Lo: d - half, Hi: d + half, Sure: math.Abs(d) > half}
	unit := m.Symbol
	if unit == "%" { // of a share: a difference in per cent would be another thing
		unit = "points"
	}
	if m.Scale.Logarithmic() {
		e.Value, e.Lo, e.Hi, unit = 100*math.Expm1(d), 100*math.Expm1(d-half), 100*math.Expm1(d+half), "%"
	}
	sign := func(v float64, text string) string {
		if v > 0 {
			return "+" + text
		}
		return text
	}
	v, spread := quantity.WritingFor("1", [3]float64{e.Value, e.Lo, e.Hi}).Interval(e.Value, e.Lo, e.Hi)
	if strings.Contains(spread, " to ") {
		spread = "(" + spread + ")"
	}
	e.Text = strings.Join(strings.Fields(sign(e.Value, v)+" "+spread+" "+unit), " ")
	return e
}

// ControlledOf finds, among all cells of a measure, pairs of one unit's cells that differ in exactly one condition, and
// pairs of siblings under the same conditions whose spec sheets differ in exactly one entry, and says what that is
// worth. Over several pairs the effect is their mean, and its interval counts how they differ among themselves.
// Siblings that differ in several entries are listed with them.
func ControlledOf(m Measure, cells []Cell, subjects map[string]Subject, raised map[string]bool) Controlled {
	out := Controlled{Measure: m, Worth: []Worth{}, Confounded: []Confounded{}}
	groups := map[string]*Worth{}
	deltas := map[string]map[string][]stats.Estimate{} // differences as estimates, mean and SE, by whose they are
	add := func(who, key, name, from, to string, p WorthPair, a, b stats.Estimate) {
		id := key + "|" + from + "|" + to
		if groups[id] == nil {
			groups[id], deltas[id] = &Worth{Key: key, Name: name, From: from, To: to}, map[string][]stats.Estimate{}
		}
		groups[id].Pairs = append(groups[id].Pairs, p)
		se, _ := stats.Difference(a, b, 1)
		deltas[id][who] = append(deltas[id][who], stats.Estimate{Mean: b.Mean - a.Mean, SE: se})
	}
	cells = slices.DeleteFunc(slices.Clone(cells), func(c Cell) bool {
		return c.Estimate.Bound != "" ||
			c.Estimate.Unknown
	})
	sort.Slice(cells, func(i, j int) bool {
		return cells[i].Variant+"|"+cells[i].Unit+"|"+cells[i].Setup+"|"+cells[i].Key < cells[j].Variant+"|"+cells[j].Unit+
			"|"+cells[j].Setup+"|"+cells[j].Key
	})
	for i, a := range cells {
		for _, b := range cells[i+1:] {
			if a.Basis.TestVersion != b.Basis.TestVersion ||
				a.Host != b.Host || a.Place != b.Place {
				continue
			}
			sa, sb := subjects[a.Variant], subjects[b.Variant]
			x, y := a, b
			switch {
			case a.Unit == b.Unit:
				keys := differing(a.Basis, b.Basis)
				if len(keys) != 1 || a.Basis.Conditions[keys[0]] == "" || b.Basis.Conditions[keys[0]] == "" {
					continue
				}
				if k := keys[0]; raised[x.Setup] && !raised[y.Setup] || raised[x.Setup] == raised[y.Setup] &&
					natural(x.Basis.Conditions[k]) > natural(y.Basis.Conditions[k]) {
					x, y = y, x
				}
				k := keys[0]
				name := k
				if c, ok := method.Condition(k); ok {
					name = c.Name
				}
				add(a.Unit, k, name, x.Basis.Conditions[k], y.Basis.Conditions[k], WorthPair{x.Unit, y.Unit, sa.Name, x.Setup,
					y.Setup,
					effectOf(m, x.Estimate, y.Estimate)}, x.Estimate, y.Estimate)
			case sa.Model == sb.Model && sa.Model != "" && a.Variant != b.Variant && a.Setup == b.Setup &&
				len(trust.Comparable(a.Basis, b.Basis, m.MustMatch)) == 0:
				if a.Setup != method.AsDelivered {
					continue
				}
				keys := SpecDifferences(sa.Spec, sb.Spec)
				if len(keys) == 1 {
					k := keys[0]
					if SpecText(x, subjects, k.Key) > SpecText(y, subjects, k.Key) {
						x, y = y, x
					}
					add(x.Variant+"|"+y.Variant, k.Key, k.Name, SpecText(x, subjects, k.Key), SpecText(y, subjects, k.Key),
						WorthPair{x.Unit, y.Unit, sa.Name,
							x.Setup, y.Setup, effectOf(m, x.Estimate, y.Estimate)}, x.Estimate, y.Estimate)
				} else if len(keys) > 1 {
					c := Confounded{A: a.Unit, B: b.Unit, Name: sa.Name, Effect: effectOf(m, a.Estimate, b.Estimate)}
					for _, k := range keys {
						c.Differs = append(c.Differs, fmt.Sprintf("%s %s, not %s", LowerFirst(k.Name), SpecText(b, subjects, k.Key),
							SpecText(a, subjects, k.Key)))
					}
					out.Confounded = append(out.Confounded, c)
				}
			}
		}
	}
	for id, w := range groups {
		w.says(m, deltas[id])
		out.Worth = append(out.Worth, *w)
	}
	sort.Slice(out.Worth, func(i, j int) bool {
		a, b := out.Worth[i], out.Worth[j]
		return a.Key+"|"+a.From+"|"+a.To < b.Key+"|"+b.From+"|"+b.To
	})
	return out
}

// says joins the differences and writes the sentence of what one thing is worth.
func (w *Worth) says(m Measure, by map[string][]stats.Estimate) {
	once := onceEach(by)
	w.Effect = over(m, once, w.Pairs)
	on := say.Things(len(once), "unit")
	if strings.Contains(slices.Collect(maps.Keys(by))[0], "|") {
		on = say.Things(len(once), "pair") + " of siblings"
	}
	sure := ""
	if !w.Effect.Sure {
		sure = ", which may be nothing"
	}
	w.Sentence = fmt.Sprintf("%s %s in place of %s is worth %s in %s, on %s%s.", w.Name, w.To, w.From, w.Effect.Text,
		m.InSentence(), on, sure)
}

// onceEach counts each unit, or pair of siblings, once: the mean of its own differences.
func onceEach(by map[string][]stats.Estimate) (out []stats.Estimate) {
	for _, who := range slices.Sorted(maps.Keys(by)) {
		var x stats.Estimate
		k := float64(len(by[who]))
		for _, d := range by[who] {
			x.Mean += d.Mean / k
			x.SE += d.SE / k // they share cells, so their errors do not average out
		}
		out = append(out, x)
	}
	return out
}

// over joins the effects of several pairs: their mean, with the larger of what they scatter among themselves
// and what each may be wrong by; of two, what both may be.
func over(m Measure, ds []stats.Estimate, pairs []WorthPair) Effect {
	switch {
	case len(pairs) == 1:
		return pairs[0].Effect
	case len(ds) == 1: // several pairs of one unit
		return effect(m, ds[0].Mean, 1.96*ds[0].SE)
	}
	k := float64(len(ds))
	var sum, own, ss float64
	for _, d := range ds {
		sum += d.Mean
		own += d.SE * d.SE
	}
	for _, d := range ds {
		ss += (d.Mean - sum/k) * (d.Mean - sum/k)
	}
	if len(ds) == 2 { // two units say little of others: from the lower end of the one to the upper end of the other
		lo, hi := math.Inf(1), math.Inf(-1)
		for _, d := range ds {
			lo, hi = math.Min(lo, d.Mean-1.96*d.SE), math.Max(hi, d.Mean+1.96*d.SE)
		}
		return effect(m, (lo+hi)/2, (hi-lo)/2)
	}
	se := math.Max(math.Sqrt(ss/(k-1)/k), math.Sqrt(own)/k)
	return effect(m, sum/k, stats.TQuantile(0.975, k-1)*se)
}

// natural sorts texts with their numbers by size, defaults first.
func natural(s string) string {
	if s == "default" {
		return ""
	}
	if q, err := quantity.Parse(s); err == nil {
		return fmt.Sprintf("%020.6f", q.Value)
	}
	return s
}

// SpecText is an entry of a cell's variant's spec sheet, for people.
func SpecText(c Cell, subjects map[string]Subject, key string) string {
	v, ok := subjects[c.Variant].Spec[key]
	if !ok {
		return "unknown"
	}
	return fmt.Sprint(v)
}

// SpecDifferences lists the entries in which two spec sheets differ, one that only one of them has among them.
func SpecDifferences(a, b map[string]any) []catalog.SpecKey {
	var out []catalog.SpecKey
	for _, k := range catalog.Vocabulary {
		x, ok := a[k.Key]
		y, ok2 := b[k.Key]
		if ok != ok2 || ok && fmt.Sprint(x) != fmt.Sprint(y) {
			out = append(out, k)
		}
	}
	return out
}

// held names, for each limiter, the spec entries of the part that holds a run back. The first must be known.
var held = map[record.LimiterLabel][]string{
	record.ByProcessor: {"cpu.name", "cpu.cores", "cpu.threads", "cpu.base_clock", "cpu.boost_clock", "cpu.power_limit"},
	record.ByPower: {"cpu.power_limit", "cpu.name", "cpu.cores", "cpu.threads", "graphics.name",
		"graphics.power_limit"},
	record.ByGraphics: {"graphics.name", "graphics.units", "graphics.clock", "graphics.power_limit", "cpu.power_limit"},
	record.ByMemory:   {"memory.speed", "memory.channels", "memory.type", "cpu.name"},
	record.ByDrive:    {"drive.name", "drive.size", "drive.link"},
	record.ByHeat:     {"cooling.fans", "body.weight", "body.height", "cpu.power_limit"},
}

// carriable are the limiters whose part alone says how a sibling does: heat is the body's, and a link has two ends.
var carriable = []record.LimiterLabel{record.ByProcessor, record.ByPower, record.ByGraphics, record.ByMemory,
	record.ByDrive}

// sharedPart tells whether a sibling has the very part that held a figure back; unknown is never equal.
func sharedPart(limiter record.LimiterLabel, a, b map[string]any) bool {
	keys := held[limiter]
	if !slices.Contains(carriable, limiter) || a[keys[0]] == nil {
		return false
	}
	for _, k := range keys {
		x, ok := a[k]
		y, ok2 := b[k]
		if ok != ok2 || ok && fmt.Sprint(x) != fmt.Sprint(y) {
			return false
		}
	}
	return true
}

// Why is the answer to why one variant's figure is not another's.
type Why struct {
	Measure  Measure             `json:"measure"`
	A        string              `json:"a" doc:"Variant"`
	B        string              `json:"b" doc:"Variant"`
	Effect   *Effect             `json:"effect,omitempty" doc:"From A to B"`
	Answer   string              `json:"answer"`
	Firm     string              `json:"firm" enum:"attributed,likely,open,none" doc:"attributed: they differ in one thing; likely: one of the things that differ is what held the slower back; open: several may be it; none: nothing is to be explained"`
	Differs  []string            `json:"differs" doc:"All that is known to differ"`
	LimiterA record.LimiterLabel `json:"limiter_a,omitempty"`
	LimiterB record.LimiterLabel `json:"limiter_b,omitempty"`
}

// WhyOf explains the difference between two variants' figures as far as the data carry: by the one thing in which
// they differ, else by the thing among several that belongs to what held the worse one back, else not at all.
func WhyOf(m Measure, a, b Cell, sa, sb Subject, negotiated [2]map[string]string) Why {
	out := Why{Measure: m, A: sa.Variant, B: sb.Variant, Differs: []string{}, LimiterA: a.Limiter, LimiterB: b.Limiter}
	if why := trust.Comparable(a.Basis, b.Basis, m.MustMatch); len(why) > 0 {
		out.Answer, out.Firm = "They cannot be compared: "+trust.Sentence(why)+".", "open"
		return out
	}
	e := effectOf(m, a.Estimate, b.Estimate)
	out.Effect = &e
	keys := SpecDifferences(sa.Spec, sb.Spec)
	both := map[string]Subject{sa.Variant: sa, sb.Variant: sb}
	for _, k := range keys {
		out.Differs = append(out.Differs, fmt.Sprintf("%s: %s and %s", LowerFirst(k.Name), SpecText(a, both, k.Key),
			SpecText(b, both, k.Key)))
	}
	conditions := slices.DeleteFunc(differing(a.Basis, b.Basis), func(k string) bool { // what the spec sheets say already
		return slices.ContainsFunc(keys, func(x catalog.SpecKey) bool { return x.Key == k })
	})
	for _, k := range conditions {
		out.Differs = append(out.Differs, fmt.Sprintf("%s: %s and %s", trust.Name(k), cmp.Or(a.Basis.Conditions[k],
			"unknown"), cmp.Or(b.Basis.Conditions[k], "unknown")))
	}
	for _, k := range slices.Sorted(maps.Keys(negotiated[0])) {
		if x, y := negotiated[0][k], negotiated[1][k]; x != y && y != "" && !trust.Volatile(k) && !slices.ContainsFunc(keys,
			func(s catalog.SpecKey) bool { return s.Key == k }) {
			out.Differs = append(out.Differs, fmt.Sprintf("%s, as told: %s and %s", k, x, y))
		}
	}
	worse := sb
	limiter := b.Limiter
	if e.Value > 0 == (m.Better == quantity.Higher) {
		worse, limiter = sa, a.Limiter
	}
	switch {
	case !e.Sure:
		out.Firm, out.Answer = "none", fmt.Sprintf("Nothing is to be explained: the difference of %s may be none.", e.Text)
	case len(keys)+len(conditions) == 1 && len(keys) == 1:
		out.Firm, out.Answer = "attributed", fmt.Sprintf("They differ in one thing that is known: %s. It is worth %s.",
			out.Differs[0], e.Text)
	case len(keys)+len(conditions) == 0:
		out.Firm, out.Answer = "open", fmt.Sprintf("Nothing that is known differs, and yet the figures do, by %s: two "+
			"samples of a product may differ, or something was not observed.", e.Text)
	default:
		var guilty []string
		for i, k := range keys {
			if slices.Contains(held[limiter], k.Key) {
				guilty = append(guilty, out.Differs[i])
			}
		}
		switch {
		case limiter == "" || limiter == record.ByUnknown:
			out.Firm, out.Answer = "open", fmt.Sprintf("What held the %s (%s) back is not known, and %d things differ; none "+
				"of them can be blamed.", worse.Name, worse.Note, len(out.Differs))
		case len(guilty) == 0:
			out.Firm, out.Answer = "open", fmt.Sprintf("The %s (%s) was held back by %s, but nothing that is known of it "+
				"differs; the answer lies in what the spec sheets do not tell.", worse.Name, worse.Note, limiter)
		case len(guilty) == 1:
			out.Firm, out.Answer = "likely", fmt.Sprintf("The %s (%s) was held back by %s, and of the %d things that differ "+
				"one belongs to it: %s.", worse.Name, worse.Note, limiter, len(out.Differs), guilty[0])
		default:
			out.Firm, out.Answer = "open", fmt.Sprintf("The %s (%s) was held back by %s; %d of the things that differ belong "+
				"to it, and which of them it is cannot be told: %s.", worse.Name, worse.Note, limiter, len(guilty),
				strings.Join(guilty, "; "))
		}
	}
	return out
}
