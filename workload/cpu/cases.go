package cpu

import (
	"fmt"

	"durvek/workload"
)

// solver is one thread's instance of a kernel that works through cases in turn. do solves a case and
// leaves the output in the solver's own memory; answer is the digest of that output.
type solver struct {
	do     func(i int) (amount float64)
	answer func() uint64
}

// cases prepares a part that works through n cases in turn. Beforehand every case is solved once and the
// digest of all answers is held against the right one; afterwards each thread's last answer is held against
// that case's.
func cases(n int, right uint64, make func() solver) func() (func(int) (workload.Work, error), error) {
	return func() (func(int) (workload.Work, error), error) {
		answers := [64]uint64{}
		first := make()
		all := newFingerprint()
		for i := range n {
			first.do(i)
			answers[i] = first.answer()
			all.add(answers[i])
		}
		if err := all.want(right); err != nil {
			return nil, fmt.Errorf("before it was timed: %w", err)
		}
		return func(thread int) (workload.Work, error) {
			s := first
			if thread > 0 {
				s = make()
			}
			next := thread % n
			last := next
			return workload.Work{
				Do: func() float64 {
					last = next
					if next++; next == n {
						next = 0
					}
					return s.do(last)
				},
				Check: func() error {
					got := s.answer()
					if got != answers[last] {
						return fmt.Errorf("case %d: digest %016x instead of %016x: %w", last, got, answers[last], workload.ErrWrong)
					}
					return nil
				},
			}, nil
		}, nil
	}
}
