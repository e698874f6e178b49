package cpu

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"runtime"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

// hashPiece is how much one call hashes; hashDigest is the right answer for the seeded input.
const (
	hashPiece  = 256 << 10
	hashDigest = "e640e897"
)

func init() {
	workload.Register(workload.Workload{
		Test: method.Test{
			Slug: "hashing", Version: 1, Name: "Hashing", Group: "CPU", Subjects: devices,
			About:     "SHA-256 (FIPS 180-4) over 256 KiB of survey log held in cache: what checking downloads, backups and logs costs. Limited by the processor's clock and its instructions for hashing, not by memory.",
			MustMatch: []string{"supply", "power.mode", "runtime"}, Repeats: 5, Seconds: 2.6,
			Measures: []method.Measure{
				{Slug: "single", Name: "single thread", Unit: "MiBy/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.01},
				{Slug: "all", Name: "all threads", Unit: "MiBy/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.015},
			},
		},
		Run: runHashing,
	})
}

func runHashing(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	input := SurveyLog(1, hashPiece)
	for i, part := range []struct {
		measure string
		threads int
	}{{"single", 1}, {"all", runtime.NumCPU()}} {
		sums := make([][32]byte, part.threads)
		r, err := workload.Rate(ctx, env.Part(i, 2), part.measure, "MiBy/s", part.threads, func(i int) func() float64 {
			own := append([]byte(nil), input...)
			return func() float64 {
				sums[i] = sha256.Sum256(own)
				return float64(hashPiece) / workload.MiB
			}
		})
		if err != nil {
			return out, err
		}
		for _, s := range sums {
			if hex.EncodeToString(s[:4]) != hashDigest {
				return out, fmt.Errorf("hashing, %s: digest %x: %w", part.measure, s[:4], workload.ErrWrong)
			}
		}
		out.Readings = append(out.Readings, workload.Reading(part.measure, r.Rate))
		out.Series = append(out.Series, r.Series)
	}
	return out, nil
}
