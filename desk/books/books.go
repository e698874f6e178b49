// Package books is the room of what is written down before anything is measured: models, variants, units, claims,
// offers, rigs, exchange rates, tests, setups, conditions, inspection sheets, and who may come in. It checks an entry,
// writes it or nothing of it, and tells who watches the catalogue. It judges no figure.
package books

import (
	"context"
	"math"
	"slices"
	"time"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
)

// Books is the room. It holds nothing but the desk's core, so all of it may be used by many at once.
type Books struct{ desk *desk.Desk }

// Open makes the room and registers built-in tests, tests by hand and setups. Tests of analyses are on the books only
// once something was taken in for them.
func Open(ctx context.Context, d *desk.Desk, builtin []method.Test) (*Books, error) {
	handmade, err := handsOnTests()
	if err != nil {
		return nil, err
	}
	return &Books{d}, d.Write(ctx, func(q *desk.Tx) error {
		for _, t := range append(handmade, builtin...) {
			if err := q.PutTest(ctx, t, d.Now()); err != nil {
				return err
			}
		}
		for _, a := range analyse.Analyses() {
			if err := renew(ctx, q, a.Test(), d.Now()); err != nil {
				return err
			}
		}
		for _, x := range builtinSetups {
			_, err := q.Setup(ctx, x.Slug)
			known, err := desk.Found(err)
			if err == nil && !known {
				err = q.PutSetup(ctx, x)
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// renew has the test of an analysis called as it is called now, if something was taken in for it. One that measures
// something else, or that somebody imported, stays as it is.
func renew(ctx context.Context, q *desk.Tx, t method.Test, at time.Time) error {
	old, err := q.Test(ctx, t.Slug, t.Version)
	known, err := desk.Found(err)
	if err != nil || !known || old.Fingerprint() != t.Fingerprint() {
		return err
	}
	imports, _, err := q.Journal(ctx, importTest+" "+t.Slug, math.MaxInt64, 0, 1000)
	if err != nil || slices.ContainsFunc(imports, func(n record.Noted) bool { return n.Subject == t.Slug }) {
		return err
	}
	return q.PutTest(ctx, t, at)
}

// importTest is what the journal says of a test that somebody imported.
const importTest = "import test"

// builtinSetups are the setups that every desk starts with.
var builtinSetups = []method.Setup{
	{Slug: method.AsDelivered, Name: "As delivered", Conditions: map[string]string{"supply": "mains",
		"power.mode": "default", "memory.profile": "default"}},
	{Slug: "battery", Name: "On battery", Raised: true, Conditions: map[string]string{"supply": "battery",
		"power.mode": "default", "memory.profile": "default"}},
	{Slug: "fast-mode", Name: "Fast mode", Raised: true, Conditions: map[string]string{"supply": "mains",
		"power.mode": "fast", "memory.profile": "default"}},
	{Slug: "quiet-mode", Name: "Quiet mode", Raised: true, Conditions: map[string]string{"supply": "mains",
		"power.mode": "quiet", "memory.profile": "default"}},
}

// Schema returns a published JSON Schema by name: dossier, test, runs, plan, sheet or use.
func (d *Books) Schema(name string) ([]byte, error) { return desk.SchemaSource(name) }
