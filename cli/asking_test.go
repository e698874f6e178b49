package cli

import (
	"errors"
	"testing"

	"github.com/spf13/cobra"

	"durvek/api"
)

// What a word or a flag cannot be is wrong usage before anything is asked; what it can be stands in the input.
func TestWordsAndFlagsFillTheInput(t *testing.T) {
	try := func(args ...string) error {
		in, most, of := api.DoubtsIn{Page: api.Page{Limit: 30}}, api.AlikeAsked{}, api.MeasureOf{}
		a := &app{}
		root := &cobra.Command{Use: "x", SilenceErrors: true, SilenceUsage: true}
		root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
		doubts := asking(a, "doubts", "", "", api.Doubts, &in, []any{own{&in.Offset}}, nil)
		alike := asking(a, "alike VARIANT", "", "", api.Alike, &most, []any{&most.Variant}, nil)
		measure := asking(a, "measure MEASURE", "", "", api.Measure, &of, []any{parts{&of.Slug, &of.Measure}}, nil)
		for _, c := range []*cobra.Command{doubts, alike, measure} {
			words := map[string][]any{"alike": {&most.Variant}, "measure": {parts{&of.Slug, &of.Measure}}}[c.Name()]
			c.RunE = func(_ *cobra.Command, args []string) error { return a.take(words, args) }
			root.AddCommand(c)
		}
		root.SetArgs(args)
		return root.Execute()
	}
	for _, bad := range [][]string{{"doubts", "--state", "closed"}, {"doubts", "--limit", "0"}, {"doubts", "--limit",
		"-1"},
		{"doubts", "--offset", "3"}, {"doubts", "--subject", "u"}, {"alike", "v", "--most", "0"}, {"alike", ""}, {"alike"},
		{"alike", "v", "w"}, {"measure", "hashing"}, {"measure", "hashing/"}, {"measure", "/all"}} {
		var usage usageError
		if err := try(bad...); !errors.As(err, &usage) {
			t.Errorf("%q: %v", bad, err)
		}
	}
	for _, good := range [][]string{{"doubts"}, {"doubts", "--limit", "1"}, {"doubts", "--state", ""}, {"doubts", "--unit",
		"u"}, {"alike", "v"}, {"alike", "v", "--most", "1"}, {"measure", "hashing/all"}} {
		if err := try(good...); err != nil {
			t.Errorf("%q: %v", good, err)
		}
	}
	var in api.Body[api.PartnerNote]
	c := asking(&app{}, "note PART PARTNER", "", "", api.NotePartner, &in, []any{&in.Body.Part, &in.Body.Partner}, nil)
	if err := c.ParseFlags([]string{"--how", "it drops out", "--firmware", "1.2"}); err != nil ||
		in.Body.How != "it drops out" ||
		in.Body.Firmware != "1.2" || c.Flags().Lookup("partner") != nil {
		t.Errorf("%+v, %v", in.Body, err)
	}
	var q api.ValueAsked
	if c := asking(&app{}, "show", "", "", api.Value, &q, nil, nil); c.Flags().Lookup("no-voucher") == nil ||
		c.Flags().Lookup("measure") == nil || c.Flags().Lookup("weights") == nil {
		t.Error("parts of an input within an input have no flags")
	}
}
