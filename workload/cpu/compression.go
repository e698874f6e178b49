package cpu

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"runtime"

	"github.com/klauspost/compress/flate"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

// devices are the kinds that have a processor of their own.
var devices = []catalog.Kind{"laptop", "desktop", "mini-pc", "tablet", "phone"}

// packPiece is how much one call packs or unpacks; packLevel is DEFLATE's usual effort.
const (
	packPiece = 128 << 10
	packLevel = 6
)

func init() {
	rate := func(slug, name string, s float64) method.Measure {
		return method.Measure{Slug: slug, Name: name, Unit: "MiBy/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: s}
	}
	workload.Register(workload.Workload{
		Test: method.Test{
			Slug: "compression", Version: 1, Name: "Compression", Group: "CPU", Subjects: devices,
			About:     "DEFLATE (RFC 1951, effort 6) over 128 KiB pieces of survey log: packing and unpacking reports, pictures and web pages. Rates count unpacked bytes. Limited by the processor: integer work, branches, first-level cache.",
			MustMatch: []string{"supply", "power.mode", "runtime"}, Repeats: 5, Seconds: 5.2,
			Measures: []method.Measure{
				rate("pack-single", "packing, single thread", 0.01), rate("pack-all", "packing, all threads", 0.015),
				rate("unpack-single", "unpacking, single thread", 0.01), rate("unpack-all", "unpacking, all threads", 0.015),
			},
		},
		Run: runCompression,
	})
}

func runCompression(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	input := SurveyLog(2, packPiece)
	want := sha256.Sum256(input)
	var once bytes.Buffer
	w, err := flate.NewWriter(&once, packLevel)
	if err != nil {
		return out, err
	}
	w.Write(input) // into memory: it cannot fail
	w.Close()
	packed := once.Bytes()
	for i, part := range []struct {
		measure string
		threads int
		pack    bool
	}{{"pack-single", 1, true}, {"pack-all", runtime.NumCPU(), true}, {"unpack-single", 1, false}, {"unpack-all", runtime.NumCPU(), false}} {
		results := make([]*bytes.Buffer, part.threads)
		r, err := workload.Rate(ctx, env.Part(i, 4), part.measure, "MiBy/s", part.threads, func(i int) func() float64 {
			results[i] = bytes.NewBuffer(make([]byte, 0, 2*packPiece))
			if part.pack {
				w, _ := flate.NewWriter(results[i], packLevel) // the level was accepted above
				return func() float64 {
					results[i].Reset()
					w.Reset(results[i])
					w.Write(input)
					w.Close()
					return float64(packPiece) / workload.MiB
				}
			}
			src := bytes.NewReader(packed)
			r := flate.NewReader(src)
			return func() float64 {
				results[i].Reset()
				src.Reset(packed)
				r.(flate.Resetter).Reset(src, nil)
				io.Copy(results[i], r)
				return float64(packPiece) / workload.MiB
			}
		})
		if err != nil {
			return out, err
		}
		for _, b := range results {
			got := b.Bytes()
			if part.pack {
				if got, err = io.ReadAll(flate.NewReader(bytes.NewReader(got))); err != nil {
					return out, fmt.Errorf("compression, %s: %v: %w", part.measure, err, workload.ErrWrong)
				}
			}
			if sha256.Sum256(got) != want {
				return out, fmt.Errorf("compression, %s: the content came back changed: %w", part.measure, workload.ErrWrong)
			}
		}
		out.Readings = append(out.Readings, workload.Reading(part.measure, r.Rate))
		out.Series = append(out.Series, r.Series)
	}
	return out, nil
}
