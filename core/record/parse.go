package record

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
)

var (
	rangeForm = regexp.MustCompile(`^(.+?)\s*(?:to|–|\.\.)\s*(.+)$`)
	dashForm  = regexp.MustCompile(`^([\d.]+)\s*-\s*([\d.].*)$`)
)

// vague is by which share of it a figure may be off that is only "about" so much.
const vague = 0.05

// ParseReading reads what a person types for a measure: "412", "412 MB/s" (turned into the measure's unit), "2 min 14
// s", "2:14", "29 to 31" or "29–31", "about 95" (a range of ± 5 %), "at least 100" or ">= 100", "more than 600" or ">
// 600", "at most 20" or "< 20", "missing", "missing: why". An empty text is refused. The reading has settled against
// the measure's ceiling and limit.
func ParseReading(text string, m method.Measure) (Reading, error) {
	r := Reading{Measure: m.Slug, State: OK}
	t := strings.TrimSpace(text)
	if word, why, _ := strings.Cut(t, ":"); strings.EqualFold(strings.TrimSpace(word), "missing") {
		r.State, r.Reason = Missing, strings.TrimSpace(why)
		return r, nil
	}
	if m.Scale == quantity.Pass || m.Scale == quantity.Grade {
		return parseMark(t, m)
	}
	for _, p := range []struct {
		prefix string
		state  State
	}{{"at least ", AtCeiling}, {">=", AtCeiling}, {"≥", AtCeiling}, {"more than ", BeyondLimit}, {">", BeyondLimit},
		{"at most ", AtFloor}, {"less than ", AtFloor}, {"<=", AtFloor},
		{"≤", AtFloor}, {"<", AtFloor}} {
		if len(t) >= len(p.prefix) && strings.EqualFold(t[:len(p.prefix)], p.prefix) {
			t, r.State = strings.TrimSpace(t[len(p.prefix):]), p.state
			break
		}
	}
	about := ""
	for _, p := range []string{"about ", "~", "≈"} {
		if r.State == OK && len(t) > len(p) && strings.EqualFold(t[:len(p)], p) {
			about = strings.TrimSpace(t[len(p):])
		}
	}
	found := rangeForm.FindStringSubmatch(t)
	if found == nil {
		found = dashForm.FindStringSubmatch(t)
	}
	if about != "" {
		v, _, err := inUnit(about, "", m)
		if err != nil {
			return r, err
		}
		low, high := v-vague*math.Abs(v), v+vague*math.Abs(v)
		r.Low, r.High, r.Value = &low, &high, v
	} else if found != nil && r.State == OK {
		high, unit, err := inUnit(found[2], "", m)
		if err != nil {
			return r, err
		}
		low, _, err := inUnit(found[1], unit, m)
		if err != nil {
			return r, err
		}
		r.Low, r.High, r.Value = &low, &high, (low+high)/2
	} else {
		v, _, err := inUnit(t, "", m)
		if err != nil {
			return r, err
		}
		r.Value = v
	}
	r = r.Settle(m)
	if why := r.Check(m); why != "" {
		return r, fmt.Errorf("%s", why)
	}
	return r, nil
}

// Says writes a reading as somebody read it: a mark by its words, a bound, a range, or one figure.
func (r Reading) Says(m method.Measure) string {
	if r.Low != nil && r.High != nil && r.State != Missing {
		w := quantity.WritingFor(m.Unit, [3]float64{*r.High, *r.High, *r.High})
		return w.With(w.Bound(*r.Low) + " to " + w.Bound(*r.High))
	}
	return strings.TrimSpace(r.State.Bound() + " " + m.Say(r.Value, string(r.State)))
}

// parseMark reads the outcome of a check ("pass", "fail") or the mark of a grade, by its number or its text;
// either may be "not applicable".
func parseMark(t string, m method.Measure) (Reading, error) {
	r := Reading{Measure: m.Slug, State: OK}
	if strings.EqualFold(t, "not applicable") || strings.EqualFold(t, "n/a") {
		r.State = Missing
		return r, nil
	}
	if m.Scale == quantity.Pass {
		switch strings.ToLower(t) {
		case "pass", "passed", "yes", "1":
			r.Value = 1
		case "fail", "failed", "no", "0":
		default:
			return r, fmt.Errorf("a check is pass, fail or not applicable, not %q", t)
		}
		return r, nil
	}
	number, numeric := strconv.ParseFloat(t, 64)
	var marks []string
	for _, l := range m.Levels {
		if strings.EqualFold(t, l.Text) || numeric == nil && number == l.Mark {
			r.Value = l.Mark
			return r, nil
		}
		marks = append(marks, fmt.Sprintf("%g: %s", l.Mark, l.Text))
	}
	if len(m.Levels) == 0 && numeric == nil && quantity.Sound(number) {
		r.Value = number // a grade of before rubrics were written down
		return r, nil
	}
	return r, fmt.Errorf("%q is no mark of the rubric; it has %s", t, strings.Join(marks, "; "))
}

// inUnit parses a quantity and turns it into the measure's unit. A bare number is in fallback, or in
// the measure's unit if that is empty.
func inUnit(s, fallback string, m method.Measure) (value float64, unit string, err error) {
	q, err := quantity.Parse(s)
	if clock, ok := quantity.Clock(s, m.Unit); ok {
		if u, known := quantity.LookUp(m.Unit); known == nil && u.Dimension == "time" {
			q, err = clock, nil
		}
	}
	if err != nil {
		return 0, "", err
	}
	if q.Unit == "1" && m.Unit != "1" {
		q.Unit = m.Unit
		if fallback != "" {
			q.Unit = fallback
		}
	}
	target, err := quantity.LookUp(m.Unit)
	if err != nil {
		return 0, "", err
	}
	v, err := q.In(target.Code)
	return v, q.Unit, err
}
