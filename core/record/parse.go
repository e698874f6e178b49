package record

import (
	"fmt"
	"regexp"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
)

var rangeForm = regexp.MustCompile(`^(.+?)\s*(?:to|–|\.\.)\s*(.+)$`)

// ParseReading reads what a person types for a measure: "412", "412 MB/s" (turned into the measure's
// unit), "29 to 31", "at least 100" or ">= 100", "more than 600" or "> 600", "missing". An empty text
// is refused. The reading has settled against the measure's ceiling and limit.
func ParseReading(text string, m method.Measure) (Reading, error) {
	r := Reading{Measure: m.Slug, State: OK}
	t := strings.TrimSpace(text)
	if strings.EqualFold(t, "missing") {
		r.State = Missing
		return r, nil
	}
	for _, p := range []struct {
		prefix string
		state  State
	}{{"at least ", AtCeiling}, {">=", AtCeiling}, {"≥", AtCeiling}, {"more than ", BeyondLimit}, {">", BeyondLimit}} {
		if len(t) >= len(p.prefix) && strings.EqualFold(t[:len(p.prefix)], p.prefix) {
			t, r.State = strings.TrimSpace(t[len(p.prefix):]), p.state
			break
		}
	}
	if found := rangeForm.FindStringSubmatch(t); found != nil && r.State == OK {
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

// inUnit parses a quantity and turns it into the measure's unit. A bare number is in fallback, or in
// the measure's unit if that is empty.
func inUnit(s, fallback string, m method.Measure) (value float64, unit string, err error) {
	q, err := quantity.Parse(s)
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
