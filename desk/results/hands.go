package results

import (
	"cmp"
	"context"
	"fmt"
	"strings"

	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/store"
)

// Inspection is a sheet laid over one unit: what was found so far, test by test.
type Inspection struct {
	Sheet method.Sheet     `json:"sheet"`
	Unit  string           `json:"unit"`
	Title string           `json:"title"`
	Parts []InspectionPart `json:"parts"`
	Done  int              `json:"done"`
	All   int              `json:"all"`
}

// InspectionPart is a part of a sheet with its tests.
type InspectionPart struct {
	Name  string            `json:"name"`
	Tests []InspectionEntry `json:"tests"`
}

// InspectionEntry is a test of a sheet with the readings that a unit has.
type InspectionEntry struct {
	Test   method.Test    `json:"test"`
	Found  []InspectFound `json:"found" doc:"Latest reading of each measure"`
	Runs   int            `json:"runs"`
	Photos []Attachment   `json:"photos"`
}

// InspectFound is the latest reading of a measure.
type InspectFound struct {
	Measure string `json:"measure"`
	Text    string `json:"text"`
	Note    string `json:"note,omitempty"`
}

// Inspect lays the sheet for its kind over a unit.
func (d *Results) Inspect(ctx context.Context, unit string) (Inspection, error) {
	x := Inspection{Unit: unit, Parts: []InspectionPart{}}
	u, err := d.desk.Store.Unit(ctx, unit)
	if err != nil {
		return x, desk.Missing(err, "unit", unit)
	}
	tests, err := d.figures.Tests(ctx)
	if err != nil {
		return x, err
	}
	v, err := d.figures.Name(ctx, u.Variant)
	if err != nil {
		return x, err
	}
	x.Title = v.Label()
	sheets, err := d.books.Sheets(v.Model.Kind)
	if err != nil {
		return x, err
	}
	if len(sheets) == 0 {
		return x, desk.Refuse(desk.NotFound, "there is no inspection sheet for a %s", v.Model.Kind)
	}
	x.Sheet = sheets[0]
	photos, err := d.Attachments(ctx, store.AttachmentFilter{Unit: unit})
	if err != nil {
		return x, err
	}
	for _, part := range x.Sheet.Parts {
		p := InspectionPart{Name: part.Name, Tests: []InspectionEntry{}}
		for _, slug := range part.Tests {
			t, ok := tests[slug]
			if !ok || !t.Fits(v.Model.Kind) {
				continue
			}
			e := InspectionEntry{Test: t, Found: []InspectFound{}, Photos: []Attachment{}}
			runs, n, err := d.desk.Store.Runs(ctx, store.RunFilter{Subject: unit, Test: slug, Limit: 1})
			if err != nil {
				return x, err
			}
			e.Runs = n
			for _, r := range runs {
				for _, reading := range r.Readings {
					if m, ok := t.Measure(reading.Measure); ok {
						e.Found = append(e.Found, InspectFound{reading.Measure, m.Say(reading.Value, string(reading.State)),
							reading.Reason})
					}
				}
			}
			for _, a := range photos {
				if test, _ := method.Split(a.Measure); test == slug {
					e.Photos = append(e.Photos, a)
				}
			}
			x.All++
			if n > 0 {
				x.Done++
			}
			p.Tests = append(p.Tests, e)
		}
		if len(p.Tests) > 0 {
			x.Parts = append(x.Parts, p)
		}
	}
	return x, nil
}

// NotePairing takes in what a person found of a part with a partner.
func (d *Results) NotePairing(ctx context.Context, p compare.Pair, by string) error {
	var wrong []string
	_, err := d.desk.Store.Unit(ctx, p.Part)
	if known, err := desk.Found(err); err != nil {
		return err
	} else if !known {
		wrong = append(wrong, fmt.Sprintf("no unit %q is known to be the part", p.Part))
	}
	if p.Outcome != "works" && p.Outcome != "fails" {
		wrong = append(wrong, fmt.Sprintf("a pair works or fails, it does not %q", p.Outcome))
	}
	if p.Partner == "" {
		wrong = append(wrong, "name the partner: a unit, a rig, or any other thing by its name")
	}
	if len(wrong) > 0 {
		return desk.Refuse(desk.Invalid, "pairing refused: %s", strings.Join(wrong, "; "))
	}
	return d.desk.Note(ctx, by, "note pairing", p.Part, "", func(q *desk.Tx) error {
		return q.AddPairing(ctx, store.Pairing{ID: desk.NewID(), Part: p.Part, Partner: p.Partner, Place: p.Place,
			Firmware: p.Firmware, Outcome: p.Outcome, How: strings.Join(p.How, "; "), At: d.desk.Now(), By: by})
	})
}

// Partners is the matrix of what works with what, of one part or of all. It fills itself from every run of
// a part in a host; checks and notes by hand add to it.
func (d *Results) Partners(ctx context.Context, part string) ([]compare.Pair, error) {
	runs, err := d.desk.Store.HostedRuns(ctx, part)
	if err != nil {
		return nil, err
	}
	var facts []compare.Fact
	for _, r := range runs {
		f := compare.Fact{Part: r.Part, Partner: r.Partner, Place: r.Place, At: r.At, Works: r.Outcome == record.Done &&
			!r.Failed,
			Firmware: cmp.Or(r.Negotiated["drive.firmware"], r.Observed["firmware"])}
		switch {
		case r.Outcome == record.NotRun:
			continue // says nothing of the two
		case r.Failed:
			f.How = r.Test + " did not pass"
		case !f.Works:
			f.How = r.Test + ": " + r.Failure
		default:
			f.How = cmp.Or(r.Negotiated["link.usb"], r.Negotiated["link.drive"])
		}
		facts = append(facts, f)
	}
	notes, err := d.desk.Store.Pairings(ctx, part)
	if err != nil {
		return nil, err
	}
	for _, n := range notes {
		facts = append(facts, compare.Fact{Part: n.Part, Partner: n.Partner, Place: n.Place, Firmware: n.Firmware,
			Works: n.Outcome == "works", How: n.How, At: n.At})
	}
	return compare.Partners(facts), nil
}
