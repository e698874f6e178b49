// Package claims judges what makers promise against what was measured. It takes a claim and the
// estimate it is to be judged by, and says held, beyond, short, undecided, not comparable, untested or
// impossible, with a sentence. Conditions are compared by the caller through trust.
package claims

import (
	"fmt"
	"math"
	"strings"

	"durvek/core/catalog"
	"durvek/core/link"
	"durvek/core/method"
	"durvek/core/quantity"
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

// Outcomes lists all outcomes, the kept promises first.
var Outcomes = []Outcome{Held, Beyond, Short, Impossible, Open, NotComparable, Untested}

// DefaultTolerance is the relative tolerance of a claim unless it or its measure says otherwise.
const DefaultTolerance = 0.01

// Evidence is what a claim is judged by. Best is the best single ok reading, for "up to" claims.
// Unlike says why the evidence cannot be compared with the claim, "" if it can.
type Evidence struct {
	Estimate stats.Estimate
	Best     float64
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
	if why := beyondLink(c, m, claimed, spec); why != "" {
		v.Outcome, v.Why = Impossible, why
		if evidence != nil && evidence.Unlike == "" {
			v.Estimate = &evidence.Estimate
			v.Why += " Measured " + quantity.Format(evidence.Estimate.Centre, m.Unit) + "."
		}
		return v, nil
	}
	says := func(x float64) string { return quantity.Format(x, m.Unit) }
	if evidence == nil {
		v.Outcome, v.Why = Untested, "Nothing has been measured that could judge it."
		return v, nil
	}
	est := evidence.Estimate
	if evidence.Unlike != "" {
		v.Outcome, v.Why = NotComparable, "Measured under other conditions than claimed: "+evidence.Unlike+"."
		v.Estimate = &est
		return v, nil
	}
	v.Estimate = &est
	e := c.Tolerance
	if e == 0 {
		e = m.Tolerance
	}
	relative := m.Scale == quantity.Ratio
	switch {
	case e == 0 && relative:
		e = DefaultTolerance
	case e == 0:
		e = m.Margin
	}
	sign := 1.0
	if m.Better == quantity.Lower {
		sign = -1
	}
	// On the claim's side of things, larger is better; percentages only where a ratio means something.
	unit := 1.0
	if relative && claimed != 0 {
		unit = math.Abs(claimed)
	}
	spell := func(x float64) string {
		if relative {
			return quantity.Number(100*math.Abs(x), 2) + " %"
		}
		return strings.TrimSpace(quantity.Number(math.Abs(x), 2) + " " + quantity.Symbol(m.Unit))
	}
	at := func(x float64) float64 { return sign * (x - claimed) / unit }
	lo, hi := min(at(est.Lo), at(est.Hi)), max(at(est.Lo), at(est.Hi))
	v.By = at(est.Centre)
	v.Within = (hi - lo) / 2
	if est.Bound != "" {
		if sign > 0 {
			hi = math.Inf(1)
		} else {
			lo = math.Inf(-1)
		}
		v.Within = 0
	}
	say := func() string {
		v.Amount, v.Effect = spell(v.By), math.Abs(v.By)
		if !relative {
			v.Effect /= 10
		}
		if v.Within > 0 {
			return v.Amount + " ± " + strings.Fields(spell(v.Within))[0]
		}
		return v.Amount
	}
	measured := says(est.Centre)
	if est.Bound != "" {
		measured = est.Bound + " " + measured
	}
	if c.Qualifier == "up to" {
		best := at(evidence.Best)
		if best >= -e {
			v.Outcome, v.Why = Held, fmt.Sprintf("Best of %d readings is %s; “up to” asks for one.", est.N, says(evidence.Best))
		} else {
			v.Outcome, v.By, v.Within = Short, best, 0
			v.Why = fmt.Sprintf("Best of %d readings is %s, %s short of “up to” %s.", est.N, says(evidence.Best), say(),
				says(claimed))
		}
		return v, nil
	}
	switch {
	case lo > e:
		v.Outcome, v.Why = Beyond, fmt.Sprintf("Measured %s, better than claimed by %s.", measured, say())
	case lo >= -e:
		v.Outcome, v.Why = Held, fmt.Sprintf("Measured %s, within %s of the claim or better.", measured, spell(e))
	case hi < -e:
		v.Outcome, v.Why = Short, fmt.Sprintf("Measured %s, short by %s.", measured, say())
	default:
		v.Outcome = Open
		v.More = more(v.By, v.Within, e, est.N)
		v.Why = fmt.Sprintf("Measured %s, and the claim %s lies within what the interval leaves open.", measured,
			says(claimed))
		switch {
		case v.More > 0:
			v.Why += fmt.Sprintf(" About %d more repeats should decide.", v.More)
		case est.Bound == "":
			v.Why += " More repeats will hardly decide: the claim lies at the edge of its tolerance."
		}
	}
	return v, nil
}

// beyondLink says that a link cannot carry what is claimed, or "".
func beyondLink(c catalog.Claim, m method.Measure, claimed float64, spec map[string]any) string {
	unit, err := quantity.LookUp(m.Unit)
	if err != nil || unit.Dimension != "data rate" || m.Better != quantity.Higher {
		return ""
	}
	text := c.Link
	if text == "" && strings.HasPrefix(c.Measure, "drive-") {
		text, _ = spec["drive.link"].(string)
	}
	l, err := link.Parse(text)
	if err != nil {
		return ""
	}
	payload, source, ok := l.Payload()
	most := payload * 1e6 / unit.Factor
	if !ok || claimed <= most {
		return ""
	}
	return fmt.Sprintf("%s carries at most %s of data, %s; nobody can get %s through it.", text, quantity.Format(most,
		m.Unit), source, quantity.Format(claimed, m.Unit))
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
