// Package claims judges what makers promise against what was measured. It takes a claim and the
// estimate it is to be judged by, and says held, beyond, short, undecided, not comparable, untested or
// impossible, with a sentence. Conditions are compared by the caller through trust.
package claims

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/link"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/say"
	"durvek/core/stats"
)

// Outcome is what became of a claim.
type Outcome string

const (
	Held          Outcome = "held"
	Beyond        Outcome = "beyond"
	Short         Outcome = "short"
	Open          Outcome = "undecided"
	NotComparable Outcome = "not comparable"
	Untested      Outcome = "untested"
	Impossible    Outcome = "impossible"
)

// Decided tells whether an outcome is one that figures, or what a link can carry, have settled.
func (o Outcome) Decided() bool {
	return slices.Contains([]Outcome{Held, Beyond, Short, Impossible}, o)
}

// Outcomes lists all outcomes, the kept promises first.
var Outcomes = []Outcome{Held, Beyond, Short, Impossible, Open, NotComparable, Untested}

// DefaultTolerance is the relative tolerance of a claim unless it or its measure says otherwise.
const DefaultTolerance = 0.01

// Evidence is what a claim is judged by. Best is the best single ok reading, for "up to" claims.
// Unlike says why the evidence cannot be compared with the claim, "" if it can.
type Evidence struct {
	Estimate stats.Estimate
	Best     float64
	Where    string // which of several figures it is, in words; "" where there is one
	Unlike   string
}

// Verdict is a judged claim. Value and Claimed are in the measure's unit; By and Within are the
// surplus (negative: shortfall) and its half-width: relative to the claim on ratio scales, in the
// measure's unit otherwise. Amount says By in words, without its sign.
type Verdict struct {
	Outcome  Outcome         `json:"outcome"`
	Claimed  float64         `json:"claimed"`
	Estimate *stats.Estimate `json:"estimate,omitempty"`
	By       float64         `json:"by,omitempty"`
	Within   float64         `json:"within,omitempty"`
	Amount   string          `json:"amount,omitempty"`
	Effect   float64         `json:"-"` // size of By for sorting: relative, or in tens of units
	More     int             `json:"more,omitempty" doc:"Repeats that would probably decide an undecided claim"`
	Why      string          `json:"why"`
}

// Check judges one claim. With an interval lo…hi, claim c and tolerance e, higher better (mirrored for lower): beyond
// if lo > c(1+e), held if lo ≥ c(1−e), short if hi < c(1−e), otherwise undecided. "up to" holds if the best reading
// reaches c(1−e). A bound can only prove what it implies. Above what its link carries under the most permissive framing
// it is impossible, whatever was measured. evidence is nil if nothing was measured; spec is the variant's spec sheet,
// for its voltage and the link of its drive. An error means the claim's unit does not fit.
func Check(c catalog.Claim, m method.Measure, evidence *Evidence, spec map[string]any) (Verdict, error) {
	claimed, err := c.In(m.Unit, spec)
	if err != nil {
		return Verdict{}, err
	}
	v := Verdict{Claimed: claimed}
	if l, text, ok := linkOf(c, m, spec); ok && nominal(l, c, claimed, m) {
		asLink(&v, l, text, m, evidence)
		return v, nil
	}
	if why := beyondLink(c, m, claimed, spec); why != "" {
		v.Outcome, v.Why = Impossible, why
		if evidence != nil && evidence.Unlike == "" {
			v.Estimate = &evidence.Estimate
			v.Why += " Measured " + quantity.Format(evidence.Estimate.Centre, m.Unit) + "."
		}
		return v, nil
	}
	if evidence == nil {
		v.Outcome, v.Why = Untested, "Nothing has been measured that could judge it."
		return v, nil
	}
	est := evidence.Estimate
	v.Estimate = &est
	if evidence.Unlike != "" {
		v.Outcome, v.Why = NotComparable, "Measured under other conditions than claimed: "+evidence.Unlike+"."
		return v, nil
	}
	j := newJudge(c, m, *evidence, claimed)
	switch {
	case est.Unknown && c.Qualifier != "up to":
		j.unknown(&v)
	case m.Better == quantity.Target:
		j.target(&v)
	case c.Qualifier == "up to":
		j.upTo(&v)
	default:
		j.level(&v)
	}
	if evidence.Where != "" {
		v.Why += " Judged at " + evidence.Where + "."
	}
	return v, nil
}

// judge holds a claim against its evidence on the claim's side of things: larger is better, in shares of the claim on
// ratio scales and in the measure's unit otherwise.
type judge struct {
	m        method.Measure
	found    Evidence
	claimed  float64
	relative bool
	e        float64 // tolerance
	sign     float64
	unit     float64
	lo, hi   float64
}

// Tolerance is the tolerance of a claim: its own or its measure's, both relative to the claimed value; without either
// 1 % on ratio scales, and what does not matter (the margin, in the measure's unit) on others.
func Tolerance(c catalog.Claim, m method.Measure, claimed float64, relative bool) float64 {
	e := c.Tolerance
	if e == 0 {
		e = m.Tolerance
	}
	switch {
	case e == 0 && relative:
		return DefaultTolerance
	case e == 0:
		return m.Margin
	case relative:
		return e
	}
	return e * math.Abs(claimed)
}

func newJudge(c catalog.Claim, m method.Measure, found Evidence, claimed float64) judge {
	j := judge{m: m, found: found, claimed: claimed, relative: m.Scale == quantity.Ratio, sign: 1, unit: 1}
	j.e = Tolerance(c, m, claimed, j.relative)
	if m.Better == quantity.Lower {
		j.sign = -1
	}
	if j.relative && claimed != 0 {
		j.unit = math.Abs(claimed)
	}
	est := found.Estimate
	j.lo, j.hi = min(j.at(est.Lo), j.at(est.Hi)), max(j.at(est.Lo), j.at(est.Hi))
	if est.Bound != "" { // at least so much: better still, or for what is better lower, worse still
		if j.better() {
			j.hi = math.Inf(1)
		} else {
			j.lo = math.Inf(-1)
		}
	}
	return j
}

// better tells whether a bound leaves open what is better, not what is worse.
func (j judge) better() bool { return (j.sign > 0) == stats.Upward(j.found.Estimate.Bound) }

func (j judge) at(x float64) float64 { return j.sign * (x - j.claimed) / j.unit }

func (j judge) says(x float64) string { return quantity.Format(x, j.m.Unit) }

func (j judge) measured() string {
	if b := j.found.Estimate.Bound; b != "" {
		return b + " " + j.says(j.found.Estimate.Centre)
	}
	return j.says(j.found.Estimate.Centre)
}

// spell says a distance: per cent of the claim on ratio scales, in the measure's unit otherwise.
func (j judge) spell(x float64) string {
	if j.relative {
		return quantity.Number(100*math.Abs(x), 2) + " %"
	}
	return strings.TrimSpace(quantity.Number(math.Abs(x), 2) + " " + quantity.Symbol(j.m.Unit))
}

// by writes into a verdict by how much the claim is missed or beaten, and says how a figure with its ends stands to
// what was promised.
func (j judge) by(v *Verdict, promise string, figure, lo, hi float64) string {
	v.Amount, v.Effect = j.spell(v.By), math.Abs(v.By)
	if !j.relative {
		v.Effect /= 10
	}
	from := func(x float64) float64 { return x - j.claimed }
	if j.relative && j.claimed > 0 && min(figure, lo, hi) > 0 {
		from = func(x float64) float64 { return math.Log(x / j.claimed) }
	}
	return j.m.Apart(figure, from(figure), from(lo), from(hi)).Than(promise)
}

// apart says how the centre differs from the claim; of a bound only by how much at least.
func (j judge) apart(v *Verdict) string {
	e := j.found.Estimate
	if e.Bound != "" {
		return j.by(v, "promised", e.Centre, e.Centre, e.Centre)
	}
	return j.by(v, "promised", e.Centre, e.Lo, e.Hi)
}

func (j judge) fill(v *Verdict) {
	v.By = j.at(j.found.Estimate.Centre)
	if !math.IsInf(j.hi-j.lo, 0) {
		v.Within = (j.hi - j.lo) / 2
	}
}

// level judges a claim of a level that a figure reaches.
func (j judge) level(v *Verdict) {
	j.fill(v)
	switch {
	case j.lo > j.e:
		v.Outcome, v.Why = Beyond, fmt.Sprintf("Measured %s: %s.", j.measured(), j.apart(v))
	case j.lo >= -j.e:
		v.Outcome, v.Why = Held, fmt.Sprintf("Measured %s: kept, to within %s.", j.measured(), j.spell(j.e))
	case j.hi < -j.e:
		v.Outcome, v.Why = Short, fmt.Sprintf("Measured %s: %s.", j.measured(), j.apart(v))
	default:
		j.open(v)
	}
}

// target judges a claim where the nearest is best: away from it is short on either side, and nothing is beyond.
func (j judge) target(v *Verdict) {
	j.fill(v)
	away := func() string { return fmt.Sprintf("Measured %s: %s.", j.measured(), j.apart(v)) }
	switch {
	case j.lo >= -j.e && j.hi <= j.e:
		v.Outcome, v.Why = Held, fmt.Sprintf("Measured %s: kept, to within %s.", j.measured(), j.spell(j.e))
	case j.hi < -j.e, j.lo > j.e:
		v.Outcome, v.Why = Short, away()
		v.By = -math.Abs(v.By)
	default:
		j.open(v)
	}
}

// leastForUpTo is how many readings "up to" must have missed before it is short: one more might reach it.
const leastForUpTo = 3

// upTo judges a claim that asks for one reading. What is only known as a bound convicts nobody.
func (j judge) upTo(v *Verdict) {
	est := j.found.Estimate
	best := j.at(j.found.Best)
	v.By, v.Within = best, 0
	switch {
	case best >= -j.e:
		j.fill(v)
		v.Outcome, v.Why = Held, fmt.Sprintf("%s is %s: kept, since “up to” asks for one.", theBest(est.N),
			j.says(j.found.Best))
	case est.Bound != "" && j.better():
		v.Outcome, v.Why = Open, fmt.Sprintf("Only known to be %s; whether “up to” %s is reached stays open.", j.measured(),
			quantity.Given(j.claimed, j.m.Unit))
	case est.N < leastForUpTo || est.Unknown:
		v.Outcome, v.More = Open, max(leastForUpTo-est.N, 1)
		v.Why = fmt.Sprintf("%s is %s and does not reach “up to” %s; %s more will decide.", theBest(est.N),
			j.says(j.found.Best), quantity.Given(j.claimed, j.m.Unit), readings(v.More))
	default:
		v.Outcome = Short
		v.Why = fmt.Sprintf("%s is %s: %s.", theBest(est.N), j.says(j.found.Best),
			j.by(v, "“up to” "+quantity.Given(j.claimed, j.m.Unit), j.found.Best, j.found.Best, j.found.Best))
	}
}

// theBest names the reading that "up to" is held against.
func theBest(n int) string {
	if n == 1 {
		return "The one reading"
	}
	return "The best of " + readings(n)
}

func readings(n int) string { return say.Things(n, "reading") }

// open says that the interval leaves the claim undecided, and how many repeats should decide.
func (j judge) open(v *Verdict) {
	v.Outcome = Open
	v.More = more(v.By, v.Within, j.e, j.found.Estimate.N)
	if j.found.Estimate.Bound != "" {
		v.More = 0
		v.Why = fmt.Sprintf("Only known to be %s; the claim %s stays open.", j.measured(), quantity.Given(j.claimed,
			j.m.Unit))
		return
	}
	v.Why = fmt.Sprintf("Measured %s, promised %s: not decided, the interval leaves it open.", j.measured(),
		quantity.Given(j.claimed, j.m.Unit))
	if v.More > 0 {
		v.Why += fmt.Sprintf(" About %s should decide.", say.Things(v.More, "more repeat"))
	} else {
		v.Why += " More repeats will hardly decide: the claim lies at the edge of its tolerance."
	}
}

// unknown says that nothing is known of how much such readings scatter, so that they decide nothing.
func (j judge) unknown(v *Verdict) {
	j.fill(v)
	v.Outcome, v.Within, v.More = Open, 0, 2
	v.Why = fmt.Sprintf("Measured %s in %s; how much such readings scatter is not known. %s more will tell.",
		j.measured(), readings(j.found.Estimate.N), readings(v.More))
	v.Amount, v.Effect = "", 0
}

// linkOf is the link that a claim of a data rate names, or that its drive is on.
func linkOf(c catalog.Claim, m method.Measure, spec map[string]any) (l link.Link, text string, ok bool) {
	unit, err := quantity.LookUp(m.Unit)
	if err != nil || unit.Dimension != "data rate" || m.Better != quantity.Higher {
		return l, "", false
	}
	text = c.Link
	if text == "" && strings.HasPrefix(c.Measure, "drive-") {
		text, _ = spec["drive.link"].(string)
	}
	l, err = link.Parse(text)
	return l, text, err == nil
}

// perUnit is how many of the measure's unit make a MB/s.
func perUnit(m method.Measure) float64 {
	unit, _ := quantity.LookUp(m.Unit)
	return 1e6 / unit.Factor
}

// nominal tells whether a claim is the link's own rate, as it is printed on a port in bits a second, and no rate of
// data.
func nominal(l link.Link, c catalog.Claim, claimed float64, m method.Measure) bool {
	return strings.Contains(c.Unit, "bit") && math.Abs(claimed/(l.Nominal()*perUnit(m))-1) < 1e-3
}

// reached is the share of its payload from which a link counts as kept.
const reached = 0.9

// asLink judges a claim of a link's own rate by the share of its payload that was reached. Less than that accuses
// nobody: what hangs on the link may be slower.
func asLink(v *Verdict, l link.Link, text string, m method.Measure, found *Evidence) {
	switch {
	case found == nil:
		v.Outcome, v.Why = Untested, "Nothing has been measured that could judge it."
		return
	case found.Unlike != "":
		v.Outcome, v.Why = NotComparable, "Measured under other conditions than claimed: "+found.Unlike+"."
		return
	}
	est := found.Estimate
	v.Estimate = &est
	usual := l.Usual() * perUnit(m)
	share := est.Centre / usual
	v.By, v.Outcome = share-1, Open
	v.Why = fmt.Sprintf("A link of %s: %.0f %% of the %s that it carries in usual framing was reached.", text, 100*share,
		quantity.Format(usual, m.Unit))
	switch {
	case est.Lo >= reached*usual:
		v.Outcome = Held
	case est.Bound == "":
		v.Why += " Whether the link or what hangs on it holds it back is not known."
	}
}

// beyondLink says that a link cannot carry what is claimed, or "".
func beyondLink(c catalog.Claim, m method.Measure, claimed float64, spec map[string]any) string {
	l, text, ok := linkOf(c, m, spec)
	if !ok {
		return ""
	}
	payload, source, ok := l.Payload()
	most := payload * perUnit(m)
	if !ok || claimed <= most {
		return ""
	}
	return fmt.Sprintf("%s carries at most %s of data, %s; nobody can get %s through it.", text, quantity.Format(most,
		m.Unit), source, quantity.Given(claimed, m.Unit))
}

// more estimates how many further repeats would bring the interval clear of the nearest limit, as
// its half-width falls with the square root of the count; 0 if over 30.
func more(by, within, e float64, n int) int {
	need := math.Abs(by + e)
	if need <= 0 || within <= 0 {
		return 0
	}
	extra := int(math.Ceil(float64(n)*(within/need)*(within/need))) - n
	if extra < 1 {
		extra = 1
	}
	if extra > 30 {
		return 0
	}
	return extra
}
