package cpu

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"

	"durvek/workload"
)

// hashPiece is how much one call hashes; hashDigest begins the right answer for the seeded input.
const (
	hashPiece  = 256 << 10
	hashDigest = "e640e897"
)

func init() {
	register(Kernel{
		Slug: "hashing", Name: "Hashing", Unit: "MiBy/s",
		About:     "SHA-256 (FIPS 180-4) over 256 KiB of survey log held in cache.",
		StandsFor: "Checking that a download, a backup or a day's log is whole, and finding files that are the same.",
		LimitedBy: "The processor's clock and its instructions for hashing; a processor without them is slower by a " +
			"factor of three to six. Memory plays no part.",
		Input:   "256 KiB of survey log, seed 1; each thread has its own copy.",
		Checked: "The digest of the last piece on each thread.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			input := SurveyLog(1, hashPiece)
			return func(int) (workload.Work, error) {
				own := append([]byte(nil), input...)
				var sum [32]byte
				return workload.Work{
					Do: func() float64 { sum = sha256.Sum256(own); return float64(hashPiece) / workload.MiB },
					Check: func() error {
						if got := hex.EncodeToString(sum[:4]); got != hashDigest {
							return fmt.Errorf("digest %s instead of %s: %w", got, hashDigest, workload.ErrWrong)
						}
						return nil
					},
				}, nil
			}, nil
		}}},
	})
}
