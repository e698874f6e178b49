package books_test

import (
	"strings"
	"testing"

	"durvek/core/quantity"
	"durvek/core/say"
	"durvek/internal/testdesk"
)

// A test of one's own says what is wanted; what follows from it is filled in.
func TestADefinitionSaysNoMoreThanItMust(t *testing.T) {
	d, ctx := testdesk.Opened(t), testdesk.Ctx
	x, err := d.Books.ImportTest(ctx, []byte(`format: durvek-test/1
slug: own
name: Own
group: noise
measures:
  - {slug: rate, name: rate, unit: MB/s, better: higher}
  - {slug: noise, name: noise, unit: "dB[A]", better: lower}
  - {slug: heat, name: heat, unit: °C, better: lower}
  - {slug: done, name: done, unit: "%", better: higher, words: coverage}
  - {slug: steps, name: steps, unit: "1", better: lower, scale: level, words: count}
`), false, "me")
	if err != nil || x.Version != 1 {
		t.Fatalf("version %d, %v", x.Version, err)
	}
	for i, want := range []struct {
		scale quantity.Scale
		more  string
	}{{quantity.Ratio, "{} faster"}, {quantity.Level, "{} louder"}, {quantity.Interval, "{} warmer"},
		{quantity.Share, "covers {} more"}, {quantity.Level, "has {} more"}} {
		if m := x.Measures[i]; m.Scale != want.scale || m.Pair().More != want.more {
			t.Errorf("%s: scale %s, %q; want %s, %q", m.Slug, m.Scale, m.Pair().More, want.scale, want.more)
		}
	}
	for _, c := range []struct{ file, says string }{
		{"slug: own\n", `the line "format: durvek-test/1" is missing`},
		{"slug: own\n", "missing properties 'name', 'group', 'measures'"},
		{"format: durvek-test/1\nslug: own\nname: Own\ngroup: noise\nmeasures:\n  - {slug: a, name: a, unit: s, " +
			"better: lower, words: sweetness}\n", "words is one of: " + strings.Join(say.Quantities()[:2], ", ")},
	} {
		_, err := d.Books.ImportTest(ctx, []byte(c.file), true, "me")
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%q: %v, want %q", c.file, err, c.says)
		}
	}
}
