package cli

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/quantity"
	"durvek/core/say"
	"durvek/desk/books"
)

func (a *app) dossierCmd() *cobra.Command {
	take := func(name string, check bool) *cobra.Command {
		short := "Take in a dossier, or nothing of it if anything is wrong"
		if check {
			short = "Say everything that is wrong with a dossier, and change nothing"
		}
		in := &api.File{CheckOnly: check}
		words := []any{&in.RawBody}
		if check {
			words = append(words, own{&in.CheckOnly})
		}
		return asking(a, name+" FILE", short, "durvek dossier "+name+" demo/dossiers/04-fen-14.yaml", api.ImportDossier, in,
			words, func(x books.Intake) {
				done := "Taken in"
				if x.Checked {
					done = "Nothing wrong, nothing written"
				}
				a.say("%s: %s with %s, %s, %s, %s, %s.", done, x.Model, say.Things(x.Variants, "variant"),
					say.Things(x.Units, "unit"), say.Things(x.Claims, "claim"), say.Things(x.Offers, "offer"),
					say.Things(x.Rigs, "rig"))
			})
	}
	of := &api.Slugged{}
	export := saving(a, "export MODEL", "Write everything known of a model as a dossier",
		"durvek dossier export fen-14 -o fen-14.yaml", "", api.ExportDossier, of, []any{&of.Slug})
	export.PreRun = func(cmd *cobra.Command, args []string) {
		if out, _ := cmd.Flags().GetString("output"); len(args) > 0 && (a.json || strings.HasSuffix(out, ".json")) {
			args[0] += ".json"
		}
	}
	return noun("dossier", "Everything known of a model, as a file", take("import", false), take("check", true), export,
		a.schema("dossier", "dossiers"))
}

func (a *app) writeOut(path string, b []byte) error {
	if path == "" || path == "-" {
		_, err := a.out.Write(b)
		return err
	}
	if err := os.WriteFile(path, b, 0o644); err != nil {
		return fmt.Errorf("write %s: %w", path, err)
	}
	a.say("Written to %s.", path)
	return nil
}

func (a *app) modelCmd() *cobra.Command {
	var m catalog.Model
	var kind string
	var also []string
	add := verb("add SLUG", "Add a model, or change what is named of one",
		"durvek model add fen-15 --maker Selvane --name 'Fen 15' --kind "+
			"laptop --succeeds fen-14", 1, func(cmd *cobra.Command, args []string) error {
			m.Slug, m.Kind = args[0], catalog.Kind(kind)
			for _, s := range also {
				maker, name, ok := strings.Cut(s, "/")
				if !ok {
					return usageError{fmt.Errorf("--also-sold-as takes MAKER/NAME, got %q", s)}
				}
				m.AlsoSoldAs = append(m.AlsoSoldAs, catalog.Alias{Maker: maker, Name: name})
			}
			return ask(a, cmd, api.AddModel, api.With(m), func(x catalog.Model) {
				a.say("Model %s is in the catalogue.",
					x.Slug)
			})
		})
	f := add.Flags()
	f.StringVar(&m.Maker, "maker", "", "maker")
	f.StringVar(&m.Name, "name", "", "name")
	f.StringVar(&kind, "kind", "", "kind of product")
	f.StringVar(&m.Released, "released", "", "month of release, YYYY-MM")
	f.StringVar(&m.Succeeds, "succeeds", "", "model that it succeeds")
	f.StringArrayVar(&also, "also-sold-as", nil, "another MAKER/NAME of the same hardware; may be repeated")
	f.StringVar(&m.Notes, "notes", "", "notes")
	list := listing(a, "list", "List models", "durvek model list", api.Models, func(ms []catalog.Model) {
		var rows [][]any
		for _, m := range ms {
			var names []string
			for _, x := range m.AlsoSoldAs {
				names = append(names, x.Maker+" "+x.Name)
			}
			rows = append(rows, []any{m.Slug, m.FullName(), m.Kind, m.Released, m.Succeeds, strings.Join(names, ", ")})
		}
		a.print([]string{"Slug", "Model", "Kind", "Released", "Succeeds", "Also sold as"}, rows)
	})
	show := one(a, "show SLUG", "Show a model with its variants, units, claims and offers", "durvek model show fen-14",
		api.Model, func(p books.ModelPage) {
			a.say("%s (%s), %s%s", p.Model.FullName(), p.Model.Slug, p.Model.Kind, note(", released ", p.Model.Released))
			for _, x := range p.Model.AlsoSoldAs {
				a.say("Also sold as %s %s%s", x.Maker, x.Name, note(" in ", x.Region))
			}
			if len(p.Lineage) > 0 {
				var names []string
				for _, m := range p.Lineage {
					names = append(names, m.FullName())
				}
				a.say("Succeeds %s", strings.Join(names, ", which succeeded "))
			}
			for i, v := range p.Variants {
				a.say("\n%s (%s)", v.Name, v.Slug)
				var rows [][]any
				for _, r := range p.Sheets[i] {
					rows = append(rows, []any{"  " + r.Name, r.Value})
				}
				a.print([]string{"  Spec sheet", ""}, rows)
				for _, u := range v.Units {
					a.say("  Unit %s, %s%s%s", u.Slug, u.Origin, note(", received ", u.Received), note(", ", u.State))
				}
				for _, o := range v.Offers {
					a.say("  %s", offerText(o))
				}
				if len(v.Claims) > 0 {
					a.say("  %s; judge with `durvek claim check %s`", say.Things(len(v.Claims), "claim"), v.Slug)
				}
			}
		})
	return under(noun("model", "Models as they are named and sold", add, list, show, a.dropCmd("model", "SLUG", "fen-15"),
		a.clearCmd("model", "released, succeeds, also_sold_as, notes", "fen-15 succeeds")),
		a.archiveCmds("model", "fen-15")...)
}

func note(prefix, s string) string {
	if s == "" {
		return ""
	}
	return prefix + s
}

func offerText(o catalog.Offer) string {
	s := catalog.Money(o.Amount, o.Currency) + ", " + o.Where(o.Date)
	if o.Condition != "new" {
		s += ", " + o.Condition
	}
	if o.List {
		s += ", list price"
	}
	if !o.TaxIncluded {
		s += ", without tax"
	}
	if o.Voucher != nil {
		s += fmt.Sprintf(", with voucher %s (%s off)", o.Voucher.Code, catalog.Money(o.Voucher.Amount, o.Currency))
	}
	if len(o.Contents) > 0 {
		s += ", with " + strings.Join(o.Contents, ", ")
	}
	return s
}

// sheetOf reads a spec sheet of flags.
func sheetOf(flags []string) (map[string]any, error) {
	kv, err := pairs(flags)
	out := map[string]any{}
	for k, s := range kv {
		var n float64
		if json.Unmarshal([]byte(s), &n) == nil {
			out[k] = n
		} else {
			out[k] = s
		}
	}
	return out, err
}

func (a *app) variantCmd() *cobra.Command {
	var v catalog.Variant
	var spec []string
	add := verb("add SLUG", "Add a variant, or change what is named of one",
		"durvek variant add fen-14-8-256 --model fen-14 --name '8 GiB, "+
			"256 GB' --spec memory.size='8 GiB' --spec cpu.cores=10", 1, func(cmd *cobra.Command, args []string) error {
			v.Slug = args[0]
			var err error
			if v.Spec, err = sheetOf(spec); err != nil {
				return err
			}
			return ask(a, cmd, api.AddVariant, api.With(v), func(x catalog.Variant) {
				a.say("Variant %s is in the catalogue.",
					x.Slug)
			})
		})
	f := add.Flags()
	f.StringVar(&v.Model, "model", "", "its model")
	f.StringVar(&v.Name, "name", "", "what sets it apart")
	f.StringArrayVar(&spec, "spec", nil, "KEY=VALUE of the spec sheet; may be repeated")
	f.StringVar(&v.Notes, "notes", "", "notes")
	var of api.OfModel
	list := asking(a, "list", "List variants", "durvek variant list --model fen-14", api.Variants, &of, nil,
		func(vs []catalog.Variant) {
			var rows [][]any
			for _, v := range vs {
				rows = append(rows, []any{v.Slug, v.Model, v.Name, len(v.Spec)})
			}
			a.print([]string{"Slug", "Model", "Variant", "→Spec entries"}, rows)
		})
	show := one(a, "show SLUG", "Show a variant", "durvek variant show fen-14-16-512", api.Variant,
		func(v catalog.DossierVariant) {
			a.say("%s, a variant of %s: %s", v.Slug, v.Model, v.Name)
			var rows [][]any
			for _, r := range catalog.SpecSheet(v.Spec) {
				rows = append(rows, []any{r.Name, r.Value, r.Key})
			}
			a.print([]string{"Spec sheet", "", "Key"}, rows)
		})
	return under(noun("variant", "Exact configurations", add, list, show, a.dropCmd("variant", "SLUG", "fen-14-8-256"),
		a.clearCmd("variant", "spec, spec.KEY, notes", "fen-14-8-256 spec.cpu.cores")),
		a.archiveCmds("variant", "fen-14-8-256")...)
}

func (a *app) unitCmd() *cobra.Command {
	var u catalog.Unit
	add := verb("add SLUG", "Add a unit, or change what is named of one",
		"durvek unit add fen-14-16-512-b --variant fen-14-16-512 --origin "+
			"bought", 1, func(cmd *cobra.Command, args []string) error {
			u.Slug = args[0]
			return ask(a, cmd, api.AddUnit, api.With(u), func(x catalog.Unit) { a.say("Unit %s is on the books.", x.Slug) })
		})
	f := add.Flags()
	f.StringVar(&u.Variant, "variant", "", "its variant")
	f.StringVar(&u.Origin, "origin", "", "bought (a new one's usual), sent by maker, borrowed or own")
	f.StringVar(&u.Serial, "serial", "", "serial number")
	f.StringVar(&u.Received, "received", "", "day it came, YYYY-MM-DD")
	f.StringVar(&u.State, "state", "", "on desk (a new one's usual), returned, sold or broken")
	f.StringVar(&u.Notes, "notes", "", "notes")
	var of api.UnitsIn
	list := asking(a, "list", "List units", "durvek unit list", api.Units, &of, nil, func(us []catalog.Unit) {
		var rows [][]any
		for _, u := range us {
			rows = append(rows, []any{u.Slug, u.Variant, u.Origin, u.Received, u.State})
		}
		a.print([]string{"Slug", "Variant", "Origin", "Received", "State"}, rows)
	})
	show := one(a, "show SLUG", "Show a unit", "durvek unit show fen-14-16-512-a", api.Unit, func(u catalog.Unit) {
		a.say("%s, a unit of %s: %s%s%s%s%s", u.Slug, u.Variant, u.Origin, note(", serial ", u.Serial), note(", received ",
			u.Received), note(", ", u.State), note(". ", u.Notes))
	})
	return under(noun("unit", "Samples on the desk", add, list, show, a.historyCmd(), a.dropCmd("unit", "SLUG",
		"fen-14-16-512-b"),
		a.clearCmd("unit", "serial, received, notes", "fen-14-16-512-b serial")),
		a.archiveCmds("unit", "fen-14-16-512-b")...)
}

func (a *app) rigCmd() *cobra.Command {
	r := catalog.Rig{Parts: []catalog.RigPart{}}
	var parts []string
	add := verb("add SLUG", "Add or change a rig", "durvek rig add wrack-in-tower --name 'Wrack in the Harbour Tower' "+
		"--part harbour-tower-64-2000-a=host --part wrack-1000-a=drive", 1, func(cmd *cobra.Command, args []string) error {
		r.Slug = args[0]
		for _, p := range parts {
			unit, role, ok := strings.Cut(p, "=")
			if !ok {
				return usageError{fmt.Errorf("--part takes UNIT=ROLE, got %q", p)}
			}
			r.Parts = append(r.Parts, catalog.RigPart{Unit: unit, Role: role})
		}
		return ask(a, cmd, api.AddRig, api.With(r), func(x catalog.Rig) { a.say("Rig %s is on the books.", x.Slug) })
	})
	add.Flags().StringVar(&r.Name, "name", "", "name")
	add.Flags().StringArrayVar(&parts, "part", nil, "UNIT=ROLE; may be repeated")
	list := all(a, "list", "List rigs", "durvek rig list", api.Rigs, func(rs []catalog.Rig) {
		var rows [][]any
		for _, r := range rs {
			var ps []string
			for _, p := range r.Parts {
				ps = append(ps, p.Unit+" as "+p.Role)
			}
			rows = append(rows, []any{r.Slug, r.Name, strings.Join(ps, ", ")})
		}
		a.print([]string{"Slug", "Name", "Parts"}, rows)
	})
	show := one(a, "show SLUG", "Show a rig", "durvek rig show own-build", api.Rig, func(r catalog.Rig) {
		a.say("%s (%s)%s", r.Name, r.Slug, note(". ", r.Notes))
		for _, p := range r.Parts {
			a.say("  %s as %s", p.Unit, p.Role)
		}
	})
	return noun("rig", "Units put together for a purpose", add, list, show, a.rigCostCmd(),
		a.dropCmd("rig", "SLUG", "wrack-in-tower"))
}

func (a *app) claimCmd() *cobra.Command {
	var c catalog.Claim
	var qualifier, value string
	var conditions []string
	add := verb("add VARIANT", "Add a claim about a variant", "durvek claim add fen-14-16-512 --measure "+
		"drive-sequential/read --value '5.0 GB/s' --qualifier 'up to' --source box", 1, func(cmd *cobra.Command,
		args []string) error {
		for _, word := range catalog.Qualifiers { // as makers write it: "up to 13 h"
			if rest, ok := strings.CutPrefix(value, string(word)+" "); ok {
				value, qualifier = rest, string(word)
			}
		}
		q, err := quantity.Parse(value)
		if err != nil {
			return usageError{err}
		}
		c.Variant, c.Value, c.Unit, c.Qualifier = args[0], q.Value, q.Unit, catalog.Qualifier(qualifier)
		if c.Conditions, err = pairs(conditions); err != nil {
			return err
		}
		return ask(a, cmd, api.AddClaim, api.With(c), func(x catalog.Claim) { a.say("Claim %s is noted.", x.ID) })
	})
	f := add.Flags()
	f.StringVar(&c.Measure, "measure", "", "test/measure that can judge it")
	f.StringVar(&value, "value", "", "value with unit, such as '5.0 GB/s'")
	f.StringVar(&qualifier, "qualifier", "exact", "exact, up to, at least, at most or typical")
	f.StringArrayVar(&conditions, "condition", nil, "KEY=VALUE it was made for; may be repeated")
	f.StringVar(&c.Place, "place", "", "port, slot or screen it was made for")
	f.StringVar(&c.Link, "link", "", "link that it names, such as 'USB 10 Gbit/s'")
	f.StringVar(&c.Source, "source", "", "where it was read")
	f.StringVar(&c.Date, "date", "", "day it was read, YYYY-MM-DD")
	must(add, "measure", "value")
	show := func(one bool) func([]claims.Judged) { return func(js []claims.Judged) { a.printClaims(js, one) } }
	var of api.ClaimsIn
	check := drawing(a, "check VARIANT", "Judge the claims about a variant; with -o draw the chart",
		"durvek claim check fen-14-16-512 -o claims.svg", api.CheckClaims, api.ClaimsChart, &of, []any{&of.Variant},
		show(true))
	return noun("claim", "What makers promise, and what became of it", add, check, a.dropCmd("claim", "ID", "01995c3e-…"),
		asking(a, "list", "Judge every claim", "durvek claim list", api.CheckClaims, &api.ClaimsIn{}, nil, show(false)),
		a.tallyCmd())
}

// printClaims prints judged claims: those about one variant with the reasons, those about many with the variant.
func (a *app) printClaims(js []claims.Judged, one bool) {
	var rows [][]any
	for _, j := range js {
		row := []any{j.Variant, j.Name, j.Text, j.Measured, j.Verdict.Outcome, j.Verdict.Amount, j.ID}
		if one {
			row = append(row[1:6:6], j.Verdict.Why+note(" In doubt: ", strings.Join(j.Doubts, " ")))
		}
		rows = append(rows, row)
	}
	if one {
		a.print([]string{"Measure", "Claimed", "Measured, 95 %", "Outcome", "→By", "Why"}, rows)
	} else {
		a.print([]string{"Variant", "Measure", "Claimed", "Measured, 95 %", "Outcome", "→By", "ID"}, rows)
	}
}

func (a *app) offerCmd() *cobra.Command {
	var o catalog.Offer
	var amount, voucher string
	var without bool
	add := verb("add VARIANT", "Add a price seen on a day", "durvek offer add fen-14-16-512 --price '1049.00 EUR' "+
		"--region DE --seller 'Quayside Electric' --date 2026-11-16", 1, func(cmd *cobra.Command, args []string) error {
		var err error
		o.Variant, o.TaxIncluded = args[0], !without
		if o.Amount, o.Currency, err = price(amount); err != nil {
			return usageError{err}
		}
		if voucher != "" {
			code, off, ok := strings.Cut(voucher, "=")
			n, _, err := price(off + " " + o.Currency)
			if !ok || err != nil {
				return usageError{fmt.Errorf("--voucher takes CODE=AMOUNT, got %q", voucher)}
			}
			o.Voucher = &catalog.Voucher{Code: code, Amount: n}
		}
		if o.Date == "" {
			o.Date = time.Now().Format(time.DateOnly)
		}
		return ask(a, cmd, api.AddOffer, api.With(o), func(x catalog.Offer) { a.say("Noted as %s: %s", x.ID, offerText(x)) })
	})
	f := add.Flags()
	f.StringVar(&amount, "price", "", "amount and currency, such as '1049.00 EUR', after the voucher")
	f.StringVar(&o.Region, "region", "", "country or region")
	f.StringVar(&o.Seller, "seller", "", "who sells it")
	f.StringVar(&o.Date, "date", "", "day it was seen, YYYY-MM-DD; today if left out")
	f.StringVar(&o.Condition, "condition", "new", "new, used or refurbished")
	f.BoolVar(&without, "without-tax", false, "tax is not in the price")
	f.StringVar(&voucher, "voucher", "", "CODE=AMOUNT that lowered the price")
	f.StringArrayVar(&o.Contents, "with", nil, "what is in the box; may be repeated")
	f.BoolVar(&o.List, "list-price", false, "the maker's list price")
	must(add, "price")
	var of api.OfVariant
	list := asking(a, "list", "List offers", "durvek offer list --variant fen-14-16-512", api.Offers, &of, nil,
		func(os []catalog.Offer) {
			var rows [][]any
			for _, o := range os {
				rows = append(rows, []any{o.Variant, catalog.Money(o.Amount, o.Currency), strings.TrimPrefix(offerText(o),
					catalog.Money(o.Amount, o.Currency)+", "), o.ID})
			}
			a.print([]string{"Variant", "→Price", "Where and when", "ID"}, rows)
		})
	return noun("offer", "Prices seen", add, list, a.dropCmd("offer", "ID", "01995c3e-…"))
}

func price(s string) (int64, string, error) {
	num, code, ok := strings.Cut(strings.TrimSpace(s), " ")
	v, err := strconv.ParseFloat(num, 64)
	if !ok || err != nil || v < 0 {
		return 0, "", fmt.Errorf("--price takes an amount and a currency such as '1049.00 EUR', got %q", s)
	}
	code = strings.TrimSpace(code)
	return int64(math.Round(v * math.Pow10(catalog.MinorDigits(code)))), code, nil
}
