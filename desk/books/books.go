// Package books is the room of what is written down before anything is measured: models, variants, units, claims,
// offers, rigs, exchange rates, tests, setups, conditions, inspection sheets, and who may come in. It checks an entry,
// writes it or nothing of it, and tells who watches the catalogue. It judges no figure.
package books

import (
	"context"

	"durvek/core/analyse"
	"durvek/core/method"
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
		for _, a := range analyse.Analyses() { // what was taken in by one is called as it is called now
			t, err := q.Test(ctx, a.Name, a.Test().Version)
			known, err := desk.Found(err)
			if err == nil && known && t.Fingerprint() == a.Test().Fingerprint() {
				err = q.PutTest(ctx, a.Test(), d.Now())
			}
			if err != nil {
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
