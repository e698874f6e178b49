package results

import (
	"bytes"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/desk"
	"durvek/document"
	"durvek/internal/mutants"
	"durvek/trace"
	"errors"
	"image"
	"image/jpeg"
	"testing"
)

func FuzzCleanPhoto(f *testing.F) {
	var picture bytes.Buffer
	if err := jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 9, 5)), nil); err != nil {
		f.Fatal(err)
	}
	b := picture.Bytes()
	mutants.Add(f, b)
	mutants.Add(f, b[:len(b)/2])
	exif := append([]byte{0xFF, 0xD8, 0xFF, 0xE1, 0, 34},
		"Exif\x00\x00II\x2a\x00\x08\x00\x00\x00\x01\x00\x12\x01\x03\x00\x01\x00\x00\x00\x06\x00\x00\x00"...)
	mutants.Add(f, append(exif, b[2:]...))
	f.Fuzz(func(t *testing.T, data []byte) {
		clean, media, err := cleanPhoto(data)
		if err == nil && (len(clean) == 0 || media == "" || bytes.Contains(clean, []byte("Exif\x00"))) {
			t.Fatalf("%d bytes of %q", len(clean), media)
		}
	})
}

func FuzzTable(f *testing.F) {
	for _, s := range []string{"unit,test,measure,value\na,work,rate,100\n", "unit;work/rate\na;1.234,5\n",
		"unit\ttest\tmeasure\tvalue\trepeat\tsecond\na\twork\trate\t'=1\t2\t0.5\n", "\ufeffunit,test,measure,value\n\"a",
		"a"} {
		mutants.Add(f, []byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		runs, lines, refused, err := readTable(data)
		if err != nil {
			var e *desk.Error
			if !errors.As(err, &e) || e.Kind != desk.Invalid {
				t.Fatalf("%v is no refusal", err)
			}
			return
		}
		if len(runs) != len(lines) {
			t.Fatalf("%d runs stand on %d lines", len(runs), len(lines))
		}
		for _, r := range refused {
			if r.Line < 1 || r.Reason == "" {
				t.Fatalf("%+v says not what is wrong, and where", r)
			}
		}
	})
}

func FuzzRunFile(f *testing.F) {
	mutants.Add(f, []byte(`{"format":"durvek-runs/1","machine":{"name":"m","system":"Linux","boot":"b"},"runs":[]}`))
	mutants.Add(f, []byte("format: durvek-runs/1\nruns: [{id: x, readings: [{measure: a, value: 1}]}]\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		file, err := document.Read("file of runs", data)
		if err != nil {
			return
		}
		var r RunFile
		if file.Decode(runsSchema, &r) != nil {
			return
		}
		for _, x := range r.Runs {
			if _, err := trace.Unpack(x.Trace); err != nil {
				continue
			}
			_ = settle(method.Test{Slug: x.Test, Measures: []method.Measure{{Slug: "a", Scale: quantity.Ratio, Unit: "s"}}}, &x)
		}
	})
}
