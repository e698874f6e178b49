package books

import (
	"testing"

	"durvek/core/catalog"
	"durvek/core/quantity"
	"durvek/document"
	"durvek/internal/mutants"
)

func FuzzDossier(f *testing.F) {
	for _, s := range []string{"format: durvek-dossier/1\nmodel: {slug: fen-14, maker: Selvane, name: Fen 14, kind: " +
		"laptop}\n" +
		"variants:\n  - slug: a\n    name: A\n    spec: {cpu.cores: 10, drive.sequential_read: 5000 MB/s, " +
		"battery.voltage: 11 V}\n" +
		"    claims: [{measure: work/rate, value: 12, unit: mAh, qualifier: up to, link: usb4, tolerance: 0.1}]\n" +
		"    offers: [{amount: 104900, currency: EUR, date: \"2026-11-16\", voucher: {code: A, amount: 1}}]\n"} {
		mutants.Add(f, []byte(s))
	}
	judges := map[string]catalog.Judge{"work/rate": {Unit: "W.h", Better: quantity.Higher}}
	f.Fuzz(func(t *testing.T, data []byte) {
		file, err := document.Read("dossier", data)
		if err != nil {
			return
		}
		var d catalog.Dossier
		if file.Decode(dossierSchema, &d) != nil {
			return
		}
		for _, p := range d.Check(judges, map[string]bool{"known": true}) {
			if p.Reason == "" {
				t.Fatalf("%v is wrong, and not how", p.Path)
			}
		}
	})
}
