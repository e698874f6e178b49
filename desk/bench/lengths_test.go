package bench

import "testing"

func TestLengthsAreLearnedPerUnitAndTest(t *testing.T) {
	var l lengths
	for i := range 20 {
		l.add("hashing", "a", float64(i))
	}
	l.add("hashing", "b", 100)
	l.add("archive", "b", 7)
	got := l.of("a", []string{"hashing", "archive", "unknown"})
	if got["hashing"] != 15 || got["archive"] != 7 || len(got) != 2 {
		t.Errorf("%v", got)
	}
}
