// Package mutants makes a short run of every fuzz target part of the usual tests: beside a seed, the same with a few
// small faults in it, the same ones each time. Long runs, which also learn what they reach, are make fuzz.
package mutants

import (
	"bytes"
	"hash/fnv"
	"math/rand/v2"
	"testing"
)

// Each is how many faulty ones are made of a seed.
const Each = 200

// spliced are the bytes that readers of numbers, tables, YAML and JSON trip over.
var spliced = [][]byte{[]byte("\x00"), []byte("\xff\xfe"), []byte("\xef\xbb\xbf"), []byte("1e999"), []byte("-0"),
	[]byte("NaN"), []byte("9223372036854775808"), []byte("\r"), []byte("\n\n"), []byte("\""), []byte("'"), []byte(";"),
	[]byte(","), []byte("\t"), []byte("{"), []byte("["), []byte("}"), []byte(": "), []byte("&a *a"), []byte("null"),
	[]byte("="), []byte("../"), []byte("%00"), []byte("\u202e"), bytes.Repeat([]byte("["), 500)}

// Add gives a fuzz target seeds, and of each some with faults.
func Add[T ~string | ~[]byte](f *testing.F, seeds ...T) {
	f.Helper()
	add := func(b []byte) {
		if _, text := any(*new(T)).(string); text {
			f.Add(string(b))
		} else {
			f.Add(b)
		}
	}
	for _, s := range seeds {
		b := []byte(s)
		add(b)
		h := fnv.New64a()
		h.Write(b)
		r := rand.New(rand.NewPCG(h.Sum64(), 1))
		for range Each {
			m := bytes.Clone(b)
			for range 1 + r.IntN(3) {
				m = fault(m, r)
			}
			add(m)
		}
	}
}

// fault makes one fault: a bit turned, a part left out, doubled or moved to the end, the rest cut off, or something put
// in.
func fault(b []byte, r *rand.Rand) []byte {
	from := r.IntN(len(b) + 1)
	to := min(len(b), from+1+r.IntN(16))
	head, part, rest := b[:from], b[from:to], b[to:]
	switch r.IntN(6) {
	case 0:
		if len(part) == 0 {
			return b
		}
		b[from] ^= 1 << r.IntN(8)
		return b
	case 1:
		return bytes.Join([][]byte{head, rest}, nil)
	case 2:
		return bytes.Join([][]byte{head, part, part, rest}, nil)
	case 3:
		return bytes.Join([][]byte{head, rest, part}, nil)
	case 4:
		return bytes.Clone(head)
	}
	return bytes.Join([][]byte{head, spliced[r.IntN(len(spliced))], part, rest}, nil)
}
