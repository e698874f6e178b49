package desk

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/lithammer/fuzzysearch/fuzzy"
	"golang.org/x/text/unicode/norm"

	"durvek/core/say"
)

// Slug makes an identifier of words: letters and digits of ASCII in lower case, an accented letter as the one that it
// is written like, a hyphen between; other where nothing is left of them.
func Slug(other string, words ...string) string {
	var b strings.Builder
	for _, r := range norm.NFD.String(strings.ToLower(strings.Join(words, " "))) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			b.WriteRune(r)
		case unicode.Is(unicode.Mn, r): // an accent behind its letter
		default:
			b.WriteByte(' ')
		}
	}
	s := strings.Join(strings.Fields(b.String()), "-")
	if s = strings.Trim(s[:min(len(s), 60)], "-"); s == "" {
		return other
	}
	return s
}

// Free gives the first of an identifier, it with -2, -3 and so on, that nothing bears yet; find fails with
// store.ErrNotFound where that is so.
func Free(ctx context.Context, slug string, find func(context.Context, string) error) (string, error) {
	for n := 1; ; n++ {
		s := slug
		if n > 1 {
			s = fmt.Sprintf("%s-%d", slug, n)
		}
		if known, err := Found(find(ctx, s)); err != nil || !known {
			return s, err
		}
	}
}

// Near says which identifiers are like one that nothing bears: "near are fen-14-a and fen-15-a"; "" where none is, or
// one bears it. Like it is what shares half of its parts, or differs in a letter of four; three are named at most, the
// likest first. It looks at all of them, and is for one name, not for each row of a table.
func Near(slugs []string, name string) string {
	type found struct {
		slug  string
		score float64
	}
	var like []found
	if slices.Contains(slugs, name) {
		return ""
	}
	parts := strings.Split(name, "-")
	for _, s := range slugs {
		own := strings.Split(s, "-")
		shared := 0
		for _, p := range parts {
			if slices.Contains(own, p) {
				shared++
			}
		}
		common := float64(shared) / float64(max(len(own), len(parts)))
		close := 1 - float64(fuzzy.LevenshteinDistance(name, s))/float64(max(len(s), len(name), 1))
		if common >= 0.5 || close >= 0.75 {
			like = append(like, found{s, common + close})
		}
	}
	slices.SortStableFunc(like, func(a, b found) int { return cmp.Compare(b.score, a.score) })
	var names []string
	for _, f := range like[:min(3, len(like))] {
		names = append(names, f.slug)
	}
	switch len(names) {
	case 0:
		return ""
	case 1:
		return "near is " + names[0]
	}
	return "near are " + say.List(names)
}

// Like says which units and tests have names like those of a unit and a test that are not known.
func (d *Desk) Like(ctx context.Context, unit, test string) (says []string, err error) {
	units, err := d.Store.Units(ctx, "")
	if err != nil {
		return nil, err
	}
	tests, err := d.Store.Tests(ctx)
	var ofUnits, ofTests []string
	for _, u := range units {
		ofUnits = append(ofUnits, u.Slug)
	}
	for _, t := range tests {
		ofTests = append(ofTests, t.Slug)
	}
	for _, s := range []string{Near(ofUnits, unit), Near(ofTests, test)} {
		if s != "" {
			says = append(says, s)
		}
	}
	return says, err
}
