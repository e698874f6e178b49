package desk_test

import (
	"context"
	"errors"
	"strings"
	"testing"

	"durvek/desk"
	"durvek/store"
)

func TestSlugsAreMadeOfWords(t *testing.T) {
	for _, c := range []struct{ words, want string }{
		{"Fen 14", "fen-14"}, {" Größe  Ål/é ", "gro-e-al-e"}, {"16 GiB, 512 GB", "16-gib-512-gb"}, {"az 09", "az-09"},
		{"№ ★", "thing"},
		{"★", "thing"}, {"", "thing"}, {strings.Repeat("ab ", 40), strings.Repeat("ab-", 19) + "ab"},
	} {
		if got := desk.Slug("thing", c.words); got != c.want {
			t.Errorf("%q: %q, want %q", c.words, got, c.want)
		}
	}
}

func TestTheFirstFreeSlugIsTaken(t *testing.T) {
	taken := map[string]bool{"fen": true, "fen-2": true}
	find := func(_ context.Context, s string) error {
		if taken[s] {
			return nil
		}
		return store.ErrNotFound
	}
	for slug, want := range map[string]string{"fen": "fen-3", "skiff": "skiff"} {
		if got, err := desk.Free(context.Background(), slug, find); got != want || err != nil {
			t.Errorf("%s: %s, %v", slug, got, err)
		}
	}
	broken := errors.New("closed")
	if _, err := desk.Free(context.Background(), "fen", func(context.Context,
		string) error {
		return broken
	}); !errors.Is(err, broken) {
		t.Errorf("a failed read: %v", err)
	}
}

func TestNamesThatAreNearAreNamed(t *testing.T) {
	slugs := []string{"gull-as-sold-a", "gull-ii-as-sold-a", "tern-as-sold-a", "fen-14-16-512-a", "drive-sequential"}
	for name, want := range map[string]string{
		"gull-as-sold": "near are gull-as-sold-a, gull-ii-as-sold-a and tern-as-sold-a",
		"fen-14-16-a":  "near is fen-14-16-512-a", "drive-sequental": "near is drive-sequential", "fen-15": "", "": "",
		"fen-14": "", "tern-as-sold-a": "", "fen-14-a": "near is fen-14-16-512-a"} {
		if got := desk.Near(slugs, name); got != want {
			t.Errorf("near %q: %q, want %q", name, got, want)
		}
	}
	if got := desk.Near(nil, "a"); got != "" {
		t.Errorf("of none: %q", got)
	}
}
