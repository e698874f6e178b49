package ranking

// groups finds the maximal runs of neighbouring rows in which no pair surely differs by an amount
// that matters. A group is undecided if any pair in it is, else practically equal unless all its
// pairs are parted by too little to matter.
func groups(ties [][]Tie) []Group {
	out := []Group{}
	n := len(ties)
	end := 0
	for from := range n {
		to := from
		for to+1 < n && tiedWithAll(ties, from, to+1) {
			to++
		}
		if to > from && to > end {
			out = append(out, Group{from, to, groupKind(ties, from, to)})
			end = to
		}
	}
	return out
}

func tiedWithAll(ties [][]Tie, from, to int) bool {
	for i := from; i < to; i++ {
		if ties[i][to] == Different {
			return false
		}
	}
	return true
}

func groupKind(ties [][]Tie, from, to int) Tie {
	kind := Small
	for i := from; i <= to; i++ {
		for j := i + 1; j <= to; j++ {
			switch ties[i][j] {
			case Undecided:
				return Undecided
			case Equal:
				kind = Equal
			}
		}
	}
	return kind
}
