package desk

import (
	"context"
	"fmt"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Slug makes an identifier of words: letters and digits of ASCII in lower case, an accented letter as the one that it
// is
// written like, a hyphen between; other where nothing is left of them.
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
