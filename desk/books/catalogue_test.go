package books_test

import (
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/desk"
	"durvek/desk/results"
	"durvek/internal/testdesk"
)

const dossier = `format: durvek-dossier/1
model: {slug: z, maker: Maker, name: Z, kind: laptop, succeeds: c}
variants:
  - slug: z-16
    name: 16 GiB
    spec: {memory.size: 16 GiB}
    units: [{slug: z-16-a, origin: bought}]
    claims: [{measure: work/rate, value: 100, unit: /min, source: box}]
    offers: [{amount: 90000, currency: EUR, region: DE, tax_included: true, condition: new, seller: Shop, date: "2026-11-02"}]
  - {slug: z-32, name: 32 GiB}
rigs: [{slug: z-rig, name: Z with a, parts: [{unit: z-16-a, role: host}, {unit: a, role: drive}]}]
`

func TestADossierGoesInWholeAndComesOutTheSame(t *testing.T) {
	d := testdesk.Opened(t)
	ctx := testdesk.Ctx
	in, err := d.Books.ImportDossier(ctx, []byte(dossier), true, "me")
	if err != nil || !in.Checked || in.Variants != 2 || in.Units != 1 || in.Claims != 1 || in.Offers != 1 || in.Rigs != 1 {
		t.Fatalf("%+v, %v", in, err)
	}
	_, err = d.Books.ModelPage(ctx, "z")
	testdesk.Says(t, err, desk.NotFound, `"z"`) // a check writes nothing
	for range 2 {                               // taken in again it says the same and doubles nothing
		if in, err = d.Books.ImportDossier(ctx, []byte(dossier), false, "me"); err != nil || in.Checked {
			t.Fatalf("%+v, %v", in, err)
		}
	}
	p, err := d.Books.ModelPage(ctx, "z")
	if err != nil || len(p.Variants) != 2 || p.Variants[0].Slug != "z-16" || len(p.Variants[0].Claims) != 1 ||
		len(p.Variants[0].Offers) != 1 || len(p.Rigs) != 1 || len(p.Rigs[0].Parts) != 2 {
		t.Fatalf("%+v, %v", p, err)
	}
	var line []string
	for _, m := range p.Lineage {
		line = append(line, m.Slug)
	}
	if strings.Join(line, " ") != "c b a" || len(p.Sheets) != 2 {
		t.Errorf("lineage %v, sheets %v", line, p.Sheets)
	}
	if before, err := d.Books.ModelPage(ctx, "c"); err != nil || len(before.Successors) != 1 ||
		before.Successors[0].Slug != "z" {
		t.Errorf("%+v, %v", before.Successors, err)
	}
	x, err := d.Books.ExportDossier(ctx, "z")
	if err != nil || x.Format != catalog.DossierFormat || len(x.Variants) != 2 || x.Variants[0].Model != "" ||
		x.Variants[0].Units[0].Variant != "" || x.Variants[0].Claims[0].ID != "" || x.Variants[0].Offers[0].Variant != "" ||
		len(x.Rigs) != 1 {
		t.Errorf("%+v, %v", x, err)
	}
}

// What another model holds already, and what nobody knows, is refused with its place, and nothing is written.
func TestADossierThatContradictsTheDeskIsRefusedWhole(t *testing.T) {
	d := testdesk.Opened(t)
	for _, c := range []struct{ from, to, want string }{
		{"slug: z-32", "slug: a", `variant "a" belongs to model "a" already`},
		{"slug: z-16-a, origin", "slug: b, origin", `unit "b" belongs to variant "b" already`},
		{"unit: a, role", "unit: nobody, role", `no unit "nobody" is known`},
		{"succeeds: c", "succeeds: nothing", "nothing"},
		{"measure: work/rate", "measure: work/rat", "work/rat"},
	} {
		_, err := d.Books.ImportDossier(testdesk.Ctx, []byte(strings.ReplaceAll(dossier, c.from, c.to)), false, "me")
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", c.to, err, c.want)
		}
		if _, err := d.Books.ModelPage(testdesk.Ctx, "z"); !desk.Refused(err, desk.NotFound) {
			t.Fatalf("%s: a part was written: %v", c.to, err)
		}
	}
}

func TestSingleEntriesAreCheckedLikeDossiers(t *testing.T) {
	d := testdesk.Opened(t)
	ctx := testdesk.Ctx
	testdesk.Says(t, testdesk.Err(d.Books.AddModel(ctx, catalog.Model{Slug: "Z Z", Maker: "M", Name: "Z", Kind: "laptop"},
		"me")),
		desk.Invalid, "model refused")
	testdesk.Says(t, testdesk.Err(d.Books.AddVariant(ctx, catalog.Variant{Slug: "z", Model: "nothing", Name: "Z"}, "me")),
		desk.NotFound,
		`"nothing"`)
	testdesk.Says(t, testdesk.Err(d.Books.AddVariant(ctx, catalog.Variant{Slug: "a", Model: "b", Name: "A"}, "me")),
		desk.Invalid,
		`belongs to model "a" already`)
	testdesk.Says(t, testdesk.Err(d.Books.AddUnit(ctx, catalog.Unit{Slug: "a", Variant: "b", Origin: "bought"}, "me")),
		desk.Invalid,
		`belongs to variant "a" already`)
	testdesk.Says(t, testdesk.Err(d.Books.AddUnit(ctx, catalog.Unit{Slug: "q", Variant: "nobody", Origin: "bought"},
		"me")),
		desk.NotFound, `"nobody"`)
	testdesk.Says(t, d.Books.AddRig(ctx, catalog.Rig{Slug: "r"}, "me"), desk.Invalid, "at least one part")
	testdesk.Says(t, d.Books.AddRig(ctx, catalog.Rig{Slug: "R", Parts: []catalog.RigPart{{Unit: "a"}}}, "me"),
		desk.Invalid, "rig refused")
	testdesk.Says(t, d.Books.AddRig(ctx, catalog.Rig{Slug: "r", Parts: []catalog.RigPart{{Unit: "nobody"}}}, "me"),
		desk.Invalid, `no unit "nobody"`)
	_, err := d.Books.Rig(ctx, "r")
	testdesk.Says(t, err, desk.NotFound, `"r"`)
	_, err = d.Books.AddClaim(ctx, catalog.Claim{Variant: "nobody"}, "me")
	testdesk.Says(t, err, desk.NotFound, `"nobody"`)
	_, err = d.Books.AddOffer(ctx, catalog.Offer{Variant: "nobody"}, "me")
	testdesk.Says(t, err, desk.NotFound, `"nobody"`)
	// Siblings keep the order in which they came, changed ones too.
	for _, v := range []string{"a-2", "a-1", "a"} {
		if _, err := d.Books.AddVariant(ctx, catalog.Variant{Slug: v, Model: "a", Name: v}, "me"); err != nil {
			t.Fatal(err)
		}
	}
	list, err := d.Books.Variants(ctx, "a")
	if err != nil || len(list) != 3 || list[0].Slug != "a" || list[1].Slug != "a-2" || list[2].Slug != "a-1" {
		t.Errorf("%+v, %v", list, err)
	}
}

// A setup and a test that runs rest on keep what the runs rest on; before any run everything may change.
func TestWhatRunsRestOnStays(t *testing.T) {
	d := testdesk.Opened(t)
	ctx := testdesk.Ctx
	setup := method.Setup{Slug: "deck", Name: "On deck", Conditions: map[string]string{"supply": "battery"}}
	other := method.Setup{Slug: "deck", Name: "On deck", Conditions: map[string]string{"supply": "mains"}}
	for _, s := range []method.Setup{setup, other, setup} {
		if err := d.Books.AddSetup(ctx, s, "me"); err != nil {
			t.Fatal(err)
		}
	}
	testdesk.Typed(t, d, results.Typed{Subject: "a", Setup: "deck", Readings: map[string]string{"rate": "100"}})
	testdesk.Says(t, d.Books.AddSetup(ctx, other, "me"), desk.Conflict, "has 1 runs")
	setup.Name = "Out on deck"
	if err := d.Books.AddSetup(ctx, setup, "me"); err != nil {
		t.Errorf("its name may change: %v", err)
	}
	testdesk.Says(t, d.Books.AddSetup(ctx, method.Setup{Slug: "odd", Name: "Odd",
		Conditions: map[string]string{"own.fan": "on"}}, "me"), desk.Invalid, `no condition "own.fan"`)
	testdesk.Says(t, d.Books.AddCondition(ctx, method.ConditionKey{Key: "fan", Name: "fan", Meaning: "x"}, "me"),
		desk.Invalid, `begins with "own."`)
	testdesk.Says(t, d.Books.AddCondition(ctx, method.ConditionKey{Key: "own.fan", Name: "fan"}, "me"), desk.Invalid,
		"a name and a meaning")
	if err := d.Books.AddCondition(ctx, method.ConditionKey{Key: "own.fan", Name: "fan", Meaning: "on or off"},
		"me"); err != nil {
		t.Fatal(err)
	}
	if err := d.Books.AddSetup(ctx, method.Setup{Slug: "odd", Name: "Odd", Conditions: map[string]string{"own.fan": "on"}},
		"me"); err != nil {
		t.Error(err)
	}

	test := func(version, unit string) string {
		return "format: durvek-test/1\nslug: knots\nversion: " + version + "\nname: Knots\ngroup: application\nmeasures: " +
			"[{slug: tied, name: tied, unit: " + unit + ", scale: ratio, better: higher}]\nmust_match: [supply]\n"
	}
	for _, c := range []struct{ file, want string }{
		{test("1", "/min"), ""}, {test("1", "/s"), ""}, {test("2", "/s"), ""}, {test("1", "/s"),
			"version 1 is older than the 2"},
	} {
		_, err := d.Books.ImportTest(ctx, []byte(c.file), false, "me")
		if (err != nil) != (c.want != "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%v, want %q", err, c.want)
		}
	}
	testdesk.Typed(t, d, results.Typed{Test: "knots", Subject: "a", Readings: map[string]string{"tied": "3"}})
	_, err := d.Books.ImportTest(ctx, []byte(test("2", "/min")), false, "me")
	if err == nil || !strings.Contains(err.Error(), "version 2 has runs") {
		t.Errorf("its unit changed under a run: %v", err)
	}
	if _, err := d.Books.ImportTest(ctx, []byte(test("3", "/s")), true, "me"); err != nil {
		t.Errorf("a check alone: %v", err)
	}
	if known, err := d.Books.Test(ctx, "knots"); err != nil || known.Version != 2 {
		t.Errorf("a check alone wrote version %d, %v", known.Version, err)
	}
	if _, err := d.Books.ImportTest(ctx, []byte(test("2", "1/s")), false,
		"me"); err != nil { // the same, written otherwise
		t.Errorf("%v", err)
	}
	_, err = d.Books.ImportTest(ctx, []byte(strings.Replace(test("1", "/s"), "slug: knots", "slug: work", 1)), false, "me")
	if err == nil || !strings.Contains(err.Error(), "built-in") {
		t.Errorf("a built-in test was replaced: %v", err)
	}
}

// Adding again changes what is named and keeps the rest; what is to be emptied is said, and what nothing rests on can
// be removed.
func TestChangeMeansChange(t *testing.T) {
	d, ctx := testdesk.Opened(t), testdesk.Ctx
	full := catalog.Variant{Slug: "a", Model: "a", Name: "16 GiB", Notes: "quiet", Spec: map[string]any{"cpu.cores": 8.0,
		"body.weight": "1.2 kg"}}
	if _, err := d.Books.AddVariant(ctx, full, "me"); err != nil {
		t.Fatal(err)
	}
	v, err := d.Books.AddVariant(ctx, catalog.Variant{Slug: "a", Spec: map[string]any{"cpu.cores": 6.0}}, "me")
	if err != nil || v.Name != "16 GiB" || v.Notes != "quiet" || v.Model != "a" || v.Spec["cpu.cores"] != 6.0 ||
		v.Spec["body.weight"] != "1.2 kg" {
		t.Errorf("%+v, %v", v, err)
	}
	m, err := d.Books.AddModel(ctx, catalog.Model{Slug: "b", Notes: "new"}, "me")
	if err != nil || m.Maker != "Maker" || m.Kind != "laptop" || m.Succeeds != "a" || m.Notes != "new" {
		t.Errorf("%+v, %v", m, err)
	}
	if u, err := d.Books.AddUnit(ctx, catalog.Unit{Slug: "new", Variant: "b"}, "me"); err != nil || u.Origin != "bought" ||
		u.State != "on desk" {
		t.Errorf("%+v, %v", u, err)
	}
	u, err := d.Books.AddUnit(ctx, catalog.Unit{Slug: "new", Serial: "7"}, "me")
	if err != nil || u.Variant != "b" || u.Serial != "7" {
		t.Errorf("%+v, %v", u, err)
	}

	clear := func(kind, slug string, parts ...string) error { return d.Books.Clear(ctx, kind, slug, parts, "me") }
	for _, err := range []error{clear("variant", "a", "spec.cpu.cores", "notes"), clear("model", "b", "succeeds"),
		clear("unit", "new", "serial")} {
		if err != nil {
			t.Error(err)
		}
	}
	if x, _ := d.Books.Variant(ctx, "a"); x.Notes != "" || len(x.Spec) != 1 || x.Spec["body.weight"] != "1.2 kg" {
		t.Errorf("%+v", x)
	}
	if x, _ := d.Books.Unit(ctx, "new"); x.Serial != "" || x.Variant != "b" {
		t.Errorf("%+v", x)
	}
	testdesk.Says(t, clear("variant", "a", "name"), desk.Invalid, `"name" cannot be cleared; spec, notes can`)
	testdesk.Says(t, clear("variant", "a", "spec.cpu.cores"), desk.NotFound, `no entry "cpu.cores"`)
	testdesk.Says(t, clear("variant", "a"), desk.Invalid, "say what")
	testdesk.Says(t, clear("variant", "nobody", "notes"), desk.NotFound, `"nobody"`)
	testdesk.Says(t, clear("rig", "r", "notes"), desk.Invalid, "cannot be cleared")

	remove := func(kind, id string) error { return d.Books.Remove(ctx, kind, id, "me") }
	testdesk.Says(t, remove("variant", "b"), desk.Conflict, "2 units rest on it")
	testdesk.Says(t, remove("setup", "as-delivered"), desk.Invalid, "stays")
	testdesk.Says(t, remove("run", "x"), desk.Invalid, "cannot be removed")
	testdesk.Says(t, remove("unit", "nobody"), desk.NotFound, `no unit "nobody"`)
	o, err := d.Books.AddOffer(ctx, catalog.Offer{Variant: "b", Amount: 100, Currency: "EUR", Condition: "new",
		Seller: "Quayside", Date: "2026-11-01", Region: "DE"}, "me")
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range [][2]string{{"offer", o.ID}, {"unit", "new"}, {"unit", "b"}, {"variant", "b"}} {
		if err := remove(x[0], x[1]); err != nil {
			t.Errorf("%v: %v", x, err)
		}
	}
	testdesk.Says(t, remove("offer", o.ID), desk.NotFound, "no offer")
	if _, err := d.Books.Variant(ctx, "b"); err == nil {
		t.Error("a removed variant is still there")
	}
}
