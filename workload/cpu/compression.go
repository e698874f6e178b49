package cpu

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"io"

	"github.com/klauspost/compress/flate"

	"durvek/workload"
)

// packPiece is how much one call packs or unpacks; packLevel is DEFLATE's usual effort.
const (
	packPiece = 128 << 10
	packLevel = 6
)

func init() {
	register(Kernel{
		Slug: "compression", Name: "Compression", Unit: "MiBy/s",
		About: "DEFLATE (RFC 1951, effort 6) over 128 KiB pieces of survey log, packing and unpacking. Rates count " +
			"unpacked bytes.",
		StandsFor: "Packing and unpacking reports, pictures and web pages: nearly every file that is sent or stored " +
			"passes through this method.",
		LimitedBy: "Integer work, branches that are hard to foresee, and the first-level cache. Packing gains from clock, " +
			"unpacking from clock and from short branches.",
		Input:   "128 KiB of survey log, seed 2; codec from a library at a fixed version.",
		Checked: "The content that comes back from the last piece on each thread is the input.",
		Parts: []Part{{Slug: "pack", Name: "packing", Prepare: packing}, {Slug: "unpack", Name: "unpacking",
			Prepare: unpacking}},
	})
}

// sameContent tells whether what was unpacked is the input.
func sameContent(got, want []byte) error {
	if sha256.Sum256(got) != sha256.Sum256(want) {
		return fmt.Errorf("the content came back changed: %w", workload.ErrWrong)
	}
	return nil
}

func packing() (func(int) (workload.Work, error), error) {
	input := SurveyLog(2, packPiece)
	return func(int) (workload.Work, error) {
		packed := bytes.NewBuffer(make([]byte, 0, 2*packPiece))
		w, err := flate.NewWriter(packed, packLevel)
		return workload.Work{
			Do: func() float64 {
				packed.Reset()
				w.Reset(packed)
				w.Write(input) // into memory: it cannot fail
				w.Close()
				return float64(packPiece) / workload.MiB
			},
			Check: func() error {
				got, err := io.ReadAll(flate.NewReader(bytes.NewReader(packed.Bytes())))
				if err != nil {
					return fmt.Errorf("%v: %w", err, workload.ErrWrong)
				}
				return sameContent(got, input)
			},
		}, err
	}, nil
}

func unpacking() (func(int) (workload.Work, error), error) {
	input := SurveyLog(2, packPiece)
	var packed bytes.Buffer
	w, err := flate.NewWriter(&packed, packLevel)
	if err != nil {
		return nil, err
	}
	w.Write(input)
	w.Close()
	return func(int) (workload.Work, error) {
		out := bytes.NewBuffer(make([]byte, 0, 2*packPiece))
		src := bytes.NewReader(packed.Bytes())
		r := flate.NewReader(src)
		return workload.Work{
			Do: func() float64 {
				out.Reset()
				src.Reset(packed.Bytes())
				r.(flate.Resetter).Reset(src, nil)
				io.Copy(out, r)
				return float64(packPiece) / workload.MiB
			},
			Check: func() error { return sameContent(out.Bytes(), input) },
		}, nil
	}, nil
}
