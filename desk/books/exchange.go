package books

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"

	"durvek/core/method"
	"durvek/desk"
	"durvek/exchange"
	"durvek/store"
)

// Rivals are what another desk published in one edition of a review and is here to be compared with.
type Rivals struct {
	Origin    string    `json:"origin" doc:"Identifier of the desk, made of the name that it goes by here"`
	Desk      string    `json:"desk" doc:"Name that it goes by here"`
	Review    string    `json:"review"`
	Edition   int       `json:"edition"`
	Title     string    `json:"title"`
	Published time.Time `json:"published"`
	Licence   string    `json:"licence,omitempty" doc:"SPDX name of the licence that its data are given away under; empty where it named none"`
	Digest    string    `json:"digest" doc:"SHA-256 of its data package"`
	Taken     time.Time `json:"taken,omitempty,omitzero" doc:"When it was taken in; left out of what is only looked at"`
	By        string    `json:"by,omitempty"`
	Known     bool      `json:"known,omitempty" doc:"It was here already, as it stands"`
	Devices   []Foreign `json:"devices" doc:"What it measured"`
	Figures   int       `json:"figures" doc:"Figures in all"`
	Usable    int       `json:"usable" doc:"Figures of tests that this desk has in the same version"`
	Tests     []Stood   `json:"tests" doc:"Its tests, and how they stand to those of this desk"`
}

// Foreign is a device that another desk measured.
type Foreign struct {
	Variant string `json:"variant" doc:"Identifier that it goes by in comparisons here"`
	Name    string `json:"name"`
}

// Stood is how another desk's test stands to this one's.
type Stood struct {
	Test    string            `json:"test"`
	Name    string            `json:"name"`
	Version int               `json:"version" doc:"The other desk's"`
	Here    int               `json:"here,omitempty" doc:"This desk's version; left out where it has no such test"`
	Figures int               `json:"figures"`
	Stands  exchange.Standing `json:"stands" enum:"alike,unknown,other version,other test" doc:"alike: its figures stand beside this desk's; other version: they are listed as not comparable; unknown and other test: they are kept, and shown as soon as the test is here alike"`
}

// Arrival is what comes in: the files of an edition's data, by name.
type Arrival struct {
	Files map[string]string `json:"files" doc:"datapackage.json, figures.csv, variants.csv and tests.csv, as they lie in the folder data of an edition"`
	As    string            `json:"as,omitempty" maxLength:"60" doc:"Name that the desk is to go by here, where its own is taken"`
}

// mostExchanged is how many editions of other desks are kept.
const mostExchanged = 2000

// TakeEdition takes in what another desk published, in place of an earlier edition of the same review; with check
// nothing is written. One that is here already is answered as it stands.
func (d *Books) TakeEdition(ctx context.Context, a Arrival, check bool, by string) (Rivals, error) {
	files := map[string][]byte{}
	for name, text := range a.Files {
		files[name] = []byte(text)
	}
	e, err := exchange.Read(files)
	if err != nil {
		return Rivals{}, desk.Refuse(desk.Invalid, "what was published cannot be taken in: %v", err)
	}
	if a.As = strings.TrimSpace(a.As); strings.ContainsFunc(a.As, unicode.IsControl) {
		return Rivals{}, desk.Refuse(desk.Invalid, "the name that a desk goes by is a line of text")
	}
	var out Rivals
	x := store.Exchanged{Review: e.Review, Number: e.Number, DeskID: e.DeskID, Digest: e.Digest, Taken: d.desk.Now().UTC(),
		By: by}
	body, err := json.Marshal(e)
	if err != nil {
		return out, err
	}
	x.Body = string(body)
	known := false
	put := func(q store.Queries) (anew bool, err error) {
		there, err := q.Exchanged(ctx)
		if err != nil {
			return false, err
		}
		if x.Name, err = d.goesBy(e, a.As, there); err != nil {
			return false, err
		}
		x.Origin = desk.Slug("desk", x.Name)
		i := slices.IndexFunc(there, func(o store.Exchanged) bool { return o.Origin == x.Origin && o.Review == x.Review })
		switch {
		case i < 0 && len(there) >= mostExchanged:
			return false, desk.Refuse(desk.Conflict,
				"%d editions of other desks are here, and no more are kept; remove some first", len(there))
		case i < 0:
			return true, nil
		case there[i].Digest == x.Digest:
			known, x.Taken, x.By = true, there[i].Taken, there[i].By
			return false, nil
		case there[i].Number > x.Number:
			return false, desk.Refuse(desk.Conflict, "edition %d of %q by %s is here already, and this is edition %d",
				there[i].Number, x.Review, x.Name, x.Number)
		case there[i].Number == x.Number:
			return false, desk.Refuse(desk.Conflict,
				"edition %d of %q by %s is here with other tables; what is published does not "+
					"change, so one of them is not that desk's", x.Number, x.Review, x.Name)
		}
		return true, nil
	}
	if check {
		_, err = put(d.desk.Store.Queries)
	} else {
		err = d.desk.Write(ctx, func(q *desk.Tx) error {
			anew, err := put(q.Queries)
			if err != nil || !anew {
				return err
			}
			if err := q.PutExchanged(ctx, x); err != nil {
				return err
			}
			q.After(d.desk.CatalogueChanged)
			return q.Note(ctx, d.desk.Now(), by, "take in edition", x.Origin+"/"+x.Review, fmt.Sprint(x.Number))
		})
	}
	if err != nil {
		return out, err
	}
	tests, err := d.desk.Store.Tests(ctx)
	if err != nil {
		return out, err
	}
	out = told(x, e, tests)
	if out.Known = known; check && !known {
		out.Taken, out.By = time.Time{}, ""
	}
	return out, nil
}

// goesBy finds the name that a desk goes by here: the one that it is known by, the wanted one, or its own.
func (d *Books) goesBy(e exchange.Edition, as string, there []store.Exchanged) (string, error) {
	if e.DeskID == d.desk.Self().ID {
		return "", desk.Refuse(desk.Conflict,
			"this was published by this desk itself; its figures are here as they were measured")
	}
	for _, o := range there {
		if o.DeskID == e.DeskID && as == "" {
			return o.Name, nil
		}
	}
	name := cmp.Or(as, e.Desk)
	if name == d.desk.Name() {
		return "", desk.Refuse(desk.Conflict, "this desk is called %q, too; say what the other one is to go by here", name)
	}
	for _, o := range there {
		switch same := o.Origin == desk.Slug("desk", name); {
		case o.DeskID == e.DeskID && !same:
			return "", desk.Refuse(desk.Conflict, "that desk goes by %q here; remove what is here of it before it goes by %q",
				o.Name, name)
		case o.DeskID != e.DeskID && same:
			return "", desk.Refuse(desk.Conflict, "another desk goes by %q here; say what this one is to go by", o.Name)
		}
	}
	return name, nil
}

// told says what an edition holds and how it stands to this desk's tests.
func told(x store.Exchanged, e exchange.Edition, tests []method.Test) Rivals {
	out := Rivals{Origin: x.Origin, Desk: x.Name, Review: e.Review, Edition: e.Number, Title: e.Title,
		Published: e.Published,
		Licence:   e.Licence, Digest: e.Digest, Taken: x.Taken, By: x.By, Devices: []Foreign{}, Figures: len(e.Figures),
		Tests: []Stood{}}
	mine := map[string]method.Test{}
	for _, t := range tests {
		mine[t.Slug] = t
	}
	of := map[string]int{}
	for _, f := range e.Figures {
		test, _ := method.Split(f.Measure)
		of[test]++
	}
	for _, r := range e.Rivals {
		out.Devices = append(out.Devices, Foreign{exchange.Slug(x.Origin, r.Variant),
			r.Maker + " " + r.Name + " (" + x.Name + "), " + r.Configuration})
	}
	for _, t := range e.Tests {
		s := Stood{t.Slug, t.Name, t.Version, mine[t.Slug].Version, of[t.Slug], t.Stands(mine)}
		if s.Stands == exchange.Alike {
			out.Usable += s.Figures
		}
		out.Tests = append(out.Tests, s)
	}
	return out
}

// Exchanged lists what other desks published and is here, by desk and review.
func (d *Books) Exchanged(ctx context.Context) ([]Rivals, error) {
	list, err := d.desk.Store.Exchanged(ctx)
	if err != nil {
		return nil, err
	}
	tests, err := d.desk.Store.Tests(ctx)
	if err != nil {
		return nil, err
	}
	out := []Rivals{}
	for _, x := range list {
		body, err := d.desk.Store.ExchangedBody(ctx, x.Origin, x.Review)
		if err != nil {
			return nil, err
		}
		var e exchange.Edition
		if err := json.Unmarshal([]byte(body), &e); err != nil {
			return nil, fmt.Errorf("what %s published as %s is kept broken: %w", x.Name, x.Review, err)
		}
		out = append(out, told(x, e, tests))
	}
	return out, nil
}

// DropExchanged removes what is here of another desk: one review, or all of it where none is named.
func (d *Books) DropExchanged(ctx context.Context, origin, review, by string) error {
	return d.desk.Put(ctx, by, "remove edition", origin+"/"+cmp.Or(review, "all"), func(q *desk.Tx) error {
		was, err := q.DropExchanged(ctx, origin, review)
		if err == nil && !was {
			what := "nothing that a desk " + fmt.Sprintf("%q", origin) + " published"
			if review != "" {
				what = fmt.Sprintf("no review %q by a desk %q", review, origin)
			}
			return desk.Refuse(desk.NotFound, "%s is here; the list of rivals names what is", what)
		}
		return err
	})
}
