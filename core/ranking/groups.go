package ranking

// groups finds the maximal runs of neighbouring rows in which no pair surely differs by an amount
// that matters. A group is undecided if any pair in it is, else practically equal unless all its
// pairs are parted by too little to matter.
func groups(n int, tie func(i, j int) Tie) []Group {
	out := []Group{}
	end, to := 0, 0
	for from := range n {
		to = max(to, from) // what is tied from one row on is tied from the next on too
		for to+1 < n && tiedWithAll(tie, from, to+1) {
			to++
		}
		if to > from && to > end {
			out = append(out, Group{from, to, groupKind(tie, from, to)})
			end = to
		}
	}
	return out
}

func tiedWithAll(tie func(i, j int) Tie, from, to int) bool {
	for i := to - 1; i >= from; i-- {
		if tie(i, to) == Different {
			return false
		}
	}
	return true
}

func groupKind(tie func(i, j int) Tie, from, to int) Tie {
	kind := Small
	for i := from; i <= to; i++ {
		for j := i + 1; j <= to; j++ {
			switch tie(i, j) {
			case Undecided:
				return Undecided
			case Equal:
				kind = Equal
			}
		}
	}
	return kind
}
