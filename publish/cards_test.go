package publish

import (
	"archive/zip"
	"bytes"
	"io"
	"strings"
	"testing"

	"durvek/core/verdict"
)

func TestCardsWithTheirCues(t *testing.T) {
	c := content()
	c.Figures[0].Measure.Group = "CPU"
	c.Review.State, c.Review.StateNote = verdict.Preliminary, "the battery."
	c.Review.Findings = append(c.Review.Findings, verdict.Finding{Rule: "area", Area: "processor",
		Text: "=" + strings.Repeat("word ", 160)})
	data, err := Cards(c, CardChoice{Formats: []string{"link"}, Grounds: []string{"clear"}})
	if err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	files, names := map[string]string{}, ""
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		b, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		files[f.Name] = string(b)
		names += f.Name + " "
	}
	if names != "00-verdict-link-clear.png 01-processor-1-hashing-all-link-clear.png cues.csv cues.srt " {
		t.Error(names)
	}
	// "Quick. the battery." takes two seconds; 160 words at two and a half a second, and a pause, 65.
	if !strings.Contains(files["cues.srt"], "2\n00:00:02,000 --> 00:01:07,000\n") {
		t.Errorf("%.200s", files["cues.srt"])
	}
	if !strings.Contains(files["cues.csv"], ",'=word") {
		t.Errorf("a spreadsheet would run a sentence: %.200s", files["cues.csv"])
	}
	if card := verdictCard(c); card.Tag != "preliminary" || !card.Against || card.Lead != "Quick. the battery." {
		t.Errorf("%+v", card)
	}
	for _, bad := range []CardChoice{{Formats: []string{"page"}}, {Grounds: []string{"red"}}} {
		if bad.Check() == "" {
			t.Errorf("%+v is taken", bad)
		}
	}
}

// A finding of an area that has no figures stands on the page all the same, and a text is written as it was typed.
func TestNothingThatIsSaidIsLostOnThePage(t *testing.T) {
	c := content()
	c.Review.Summary = "Quick & light. And more."
	c.Review.Findings = append(c.Review.Findings, verdict.Finding{Rule: "worth", Kind: verdict.Note, Area: "price",
		Text: "At 9 EUR nothing is as cheap."}, verdict.Finding{Kind: verdict.Note, Text: "A note of the whole."},
		verdict.Finding{Kind: verdict.Note, Area: "body", Text: "Hidden away.", Hidden: true})
	files, err := Files(c)
	if err != nil {
		t.Fatal(err)
	}
	page := string(files["index.html"])
	for _, part := range []string{`<section id="price">`, "At 9 EUR nothing is as cheap.", "A note of the whole.",
		`<meta name="description" content="Quick &amp; light.">`} {
		if n := strings.Count(page, part); n != 1 {
			t.Errorf("%q stands there %d times", part, n)
		}
	}
	if strings.Contains(page, "Hidden away") || strings.Contains(page, `id="body"`) {
		t.Error("what is hidden has a section")
	}
	if r := recordOf(c); r.Lead != "Quick & light." {
		t.Errorf("%q", r.Lead)
	}
}
