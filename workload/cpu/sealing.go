package cpu

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/sha256"
	"encoding/hex"
	"fmt"

	"durvek/workload"
)

const (
	sealPiece  = 256 << 10
	sealDigest = "9171b2e8"
)

func init() {
	register(Kernel{
		Slug: "sealing", Name: "Sealing", Unit: "MiBy/s",
		About: "AES-256 in Galois/Counter Mode (NIST SP 800-38D) over 256 KiB pieces of survey log: encrypted and " +
			"authenticated in one pass.",
		StandsFor: "Everything that crosses a network or lies on an encrypted drive is sealed like this: backups, mail, " +
			"web pages, whole disks.",
		LimitedBy: "The processor's instructions for AES and carry-less multiplication; without them it is slower by a " +
			"factor of ten and more. With them, the clock.",
		Input:   "256 KiB of survey log, seed 3; fixed key and nonce, as the figure is a rate and nothing is kept secret.",
		Checked: "The digest of the last sealed piece on each thread, which then must open to the input.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			input := SurveyLog(3, sealPiece)
			block, err := aes.NewCipher([]byte("a key of 32 bytes for a kernel  "))
			if err != nil {
				return nil, err
			}
			seal, err := cipher.NewGCM(block)
			if err != nil {
				return nil, err
			}
			nonce, header := []byte("twelve bytes"), []byte("leg 7")
			return func(int) (workload.Work, error) {
				out := make([]byte, 0, sealPiece+seal.Overhead())
				return workload.Work{
					Do: func() float64 {
						out = seal.Seal(out[:0], nonce, input, header)
						return float64(sealPiece) / workload.MiB
					},
					Check: func() error {
						sum := sha256.Sum256(out)
						if got := hex.EncodeToString(sum[:4]); got != sealDigest {
							return fmt.Errorf("digest %s instead of %s: %w", got, sealDigest, workload.ErrWrong)
						}
						plain, err := seal.Open(nil, nonce, out, header)
						if err != nil {
							return fmt.Errorf("%v: %w", err, workload.ErrWrong)
						}
						return sameContent(plain, input)
					},
				}, nil
			}, nil
		}}},
	})
}
