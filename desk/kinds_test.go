package desk_test

import (
	"testing"

	"durvek/core/catalog"
	"durvek/core/ranking"
	"durvek/desk"
	"durvek/internal/testdesk"
)

// A kind that nobody ships is added once, and then models, fields and tests may name it; a misspelt one is refused.
func TestADeskAddsKindsOfItsOwn(t *testing.T) {
	d := testdesk.Opened(t)
	antenna := catalog.Model{Slug: "whip", Maker: "Maker", Name: "Whip", Kind: "antenna"}
	_, err := d.Books.AddModel(testdesk.Ctx, antenna, "me")
	testdesk.Says(t, err, desk.Invalid, `unknown kind "antenna"`, "laptop", "added to the desk's kinds first")
	err = d.Figures.AddField(testdesk.Ctx, ranking.Field{Slug: "f", Name: "f", Kinds: []catalog.Kind{"antenna"}}, "me")
	testdesk.Says(t, err, desk.Invalid, `unknown kind "antenna"`)
	_, err = d.Desk.AddKind(testdesk.Ctx, catalog.OwnKind{Kind: "An antenna"}, "me")
	testdesk.Says(t, err, desk.Invalid, "is not an identifier")
	_, err = d.Desk.AddKind(testdesk.Ctx, catalog.OwnKind{Kind: "cooler"}, "me")
	testdesk.Says(t, err, desk.Conflict, "there already")
	k, err := d.Desk.AddKind(testdesk.Ctx, catalog.OwnKind{Kind: "antenna"}, "me")
	if err != nil || k.Plural != "antennas" {
		t.Fatal(k, err)
	}
	if _, err = d.Books.AddModel(testdesk.Ctx, antenna, "me"); err != nil {
		t.Error(err)
	}
	f := ranking.Field{Slug: "f", Name: "f", Kinds: []catalog.Kind{"antenna"}}
	if err := d.Figures.AddField(testdesk.Ctx, f, "me"); err != nil || f.Rule() != "antennas" {
		t.Error(f.Rule(), err)
	}
	for spec, says := range map[string]string{"own.gain": "", "own.Gain": "is not an identifier", "gain": "own."} {
		_, err := d.Books.AddVariant(testdesk.Ctx, catalog.Variant{Slug: "whip-a", Model: "whip", Name: "A",
			Spec: map[string]any{spec: "6 dBi"}}, "me")
		if says == "" && err != nil {
			t.Errorf("%s: %v", spec, err)
		} else if says != "" {
			testdesk.Says(t, err, desk.Invalid, says)
		}
	}
	v, err := d.Books.Variant(testdesk.Ctx, "whip-a")
	if rows := catalog.SpecSheet(v.Spec); err != nil || len(rows) != 1 || rows[0].Name != "Gain" ||
		rows[0].Value != "6 dBi" {
		t.Errorf("%+v, %v", rows, err)
	}
}
