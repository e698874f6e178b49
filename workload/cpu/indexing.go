package cpu

import (
	"bytes"
	"slices"

	"durvek/workload"
)

const (
	indexPiece  = 64 << 10
	indexCases  = 8
	indexSlots  = 1 << 15
	indexDigest = 0xf0adfdf47ec13acf
)

func init() {
	register(Kernel{
		Slug: "log-indexing", Name: "Log indexing", Unit: "MiBy/s",
		About: "Survey log is cut into words, the words are counted in a hash table, and the table is sorted by count " +
			"and spelling.",
		StandsFor: "What a search index, a log viewer or a spreadsheet's import does with text: many short comparisons " +
			"and jumps in a table.",
		LimitedBy: "Branches that are hard to foresee and the second-level cache, where the table lies.",
		Input:     "8 pieces of 64 KiB of survey log, seed 4.", Checked: "Digest of each sorted table.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			log := SurveyLog(4, indexPiece*indexCases)
			return cases(indexCases, indexDigest, func() solver { return newIndex(log) })()
		}}},
	})
}

// entry is one word: where it stands first, and how often it was met.
type entry struct{ from, to, count uint32 }

func newIndex(log []byte) solver {
	var (
		slots  = make([]uint32, indexSlots) // number of the entry in the slot, from 1; 0 is empty
		list   = make([]entry, 0, indexSlots/2)
		sorted = make([]entry, 0, indexSlots/2)
		text   []byte
	)
	word := func(e entry) []byte { return text[e.from:e.to] }
	return solver{
		do: func(i int) float64 {
			text = log[i*indexPiece : (i+1)*indexPiece]
			clear(slots)
			list = list[:0]
			for at := 0; at < len(text); {
				from, h := at, uint32(2166136261)
				for at < len(text) && letter[text[at]] {
					h = (h ^ uint32(text[at])) * 16777619
					at++
				}
				if at > from {
					for s := (h ^ h>>15) % indexSlots; ; s = (s + 1) % indexSlots {
						n := slots[s]
						if n == 0 {
							list = append(list, entry{uint32(from), uint32(at), 1})
							slots[s] = uint32(len(list))
							break
						}
						if e := &list[n-1]; bytes.Equal(word(*e), text[from:at]) {
							e.count++
							break
						}
					}
				}
				at++
			}
			sorted = append(sorted[:0], list...)
			slices.SortFunc(sorted, func(a, b entry) int {
				if a.count != b.count {
					return int(b.count) - int(a.count)
				}
				return bytes.Compare(word(a), word(b))
			})
			return float64(indexPiece) / workload.MiB
		},
		answer: func() uint64 {
			f := newFingerprint()
			for _, e := range sorted {
				f.add(uint64(e.count))
				for _, b := range word(e) {
					f.add(uint64(b))
				}
			}
			return uint64(f)
		},
	}
}

// letter tells which bytes belong to words.
var letter = func() (t [256]bool) {
	for b := range t {
		t[b] = b >= '0' && b <= '9' || b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z'
	}
	return t
}()
