package publish

import (
	"archive/zip"
	"bytes"
	"fmt"
	"slices"
	"strings"
	"time"

	"durvek/core/chart"
	"durvek/core/say"
	"durvek/core/verdict"
	"durvek/draw"
	"durvek/internal/sheet"
)

// CardChoice says which cards are made. Left out it is wide ones on a light and on a dark ground.
type CardChoice struct {
	Formats []string // card, tall, link
	Grounds []string // light, dark, clear
}

// Grounds are what a card can stand on; clear is none.
var Grounds = []string{"light", "dark", "clear"}

// cardFormats are the shapes of cards.
var cardFormats = []string{"card", "tall", "link"}

// Check says what is wrong in a choice; "" if nothing is.
func (c CardChoice) Check() string {
	for _, f := range c.Formats {
		if !slices.Contains(cardFormats, f) {
			return fmt.Sprintf("%q is no format of a card; there are %s", f, strings.Join(cardFormats, ", "))
		}
	}
	for _, g := range c.Grounds {
		if !slices.Contains(Grounds, g) {
			return fmt.Sprintf("%q is no ground of a card; there are %s", g, strings.Join(Grounds, ", "))
		}
	}
	return ""
}

// verdictCard is a review's verdict as one picture.
func verdictCard(c Content) chart.Card {
	r := recordOf(c)
	out := chart.Card{Title: r.Title, Tag: r.Recommendation, Against: r.Recommendation == string(verdict.NotRecommended),
		Lead: r.Lead, For: r.Strengths, Not: r.Weaknesses, Foot: c.Desk}
	if r.State == verdict.Preliminary || r.State == verdict.Withdrawn {
		out.Tag, out.Against = string(r.State), true
		out.Lead = strings.TrimSpace(out.Lead + " " + r.StateNote)
	}
	if w := c.Facts.Worth; w != nil {
		out.Foot += " · seen at " + w.Price
	}
	for _, k := range r.Keys {
		out.Keys = append(out.Keys, chart.CardKey{Name: say.Capital(k.Name), Value: k.Value, Place: k.Place})
	}
	return out
}

// cue is one card with what to say to it.
type cue struct{ file, section, sentence string }

// reading is how long a sentence takes to be said: two and a half words a second, and a pause.
func reading(sentence string) time.Duration {
	return time.Duration(1+float64(len(strings.Fields(sentence)))/2.5) * time.Second
}

// Cards makes a pack for a video: the verdict and every chart of a review as cards, named so that an editor sorts them
// by section, and a sheet of cues that says which sentence goes with which.
func Cards(c Content, choice CardChoice) ([]byte, error) {
	if len(choice.Formats) == 0 {
		choice.Formats = []string{"card"}
	}
	if len(choice.Grounds) == 0 {
		choice.Grounds = []string{"light", "dark"}
	}
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	var cues []cue
	put := func(name string, p chart.Picture) error {
		for _, format := range choice.Formats {
			for _, ground := range choice.Grounds {
				png, err := draw.PNG(p, draw.Options{Format: format, Dark: ground == "dark", Transparent: ground == "clear"})
				if err != nil {
					return err
				}
				f, err := w.Create(fmt.Sprintf("%s-%s-%s.png", name, format, ground))
				if err == nil {
					_, err = f.Write(png)
				}
				if err != nil {
					return err
				}
			}
		}
		return nil
	}
	card := verdictCard(c)
	if err := put("00-verdict", card); err != nil {
		return nil, err
	}
	cues = append(cues, cue{"00-verdict", "verdict", card.Lead})
	byArea := map[string][]Figure{}
	var areas []string
	for _, f := range c.Figures {
		area := verdict.AreaOf(f.Measure.Group)
		if byArea[area] == nil {
			areas = append(areas, area)
		}
		byArea[area] = append(byArea[area], f)
	}
	for i, area := range c.Review.Order(areas) {
		lead := ""
		for _, f := range c.Review.Findings {
			if f.Area == area && f.Rule == "area" {
				lead = f.Text
			}
		}
		for k, f := range byArea[area] {
			name := fmt.Sprintf("%02d-%s-%d-%s", i+1, fileName(area), k+1, fileName(f.Measure.ID))
			if err := put(name, f.Chart); err != nil {
				return nil, err
			}
			sentence := say.Sentence(f.Chart.Title)
			if k == 0 && lead != "" {
				sentence = lead
			}
			cues = append(cues, cue{name, area, sentence})
		}
	}
	if err := cueSheets(w, cues); err != nil {
		return nil, err
	}
	err := w.Close()
	return b.Bytes(), err
}

// cueSheets writes the cues as a table, and as subtitles (SubRip) that an editor lays under the cards.
func cueSheets(w *zip.Writer, cues []cue) error {
	f, err := w.Create("cues.csv")
	if err != nil {
		return err
	}
	table := sheet.NewWriter(f)
	var srt strings.Builder
	at := time.Duration(0)
	stamp := func(d time.Duration) string {
		s := int(d.Seconds())
		return fmt.Sprintf("%02d:%02d:%02d,000", s/3600, s/60%60, s%60)
	}
	rows := [][]string{{"card", "section", "from", "to", "sentence"}}
	for i, c := range cues {
		to := at + reading(c.sentence)
		rows = append(rows, []string{c.file, c.section, stamp(at), stamp(to), c.sentence})
		fmt.Fprintf(&srt, "%d\n%s --> %s\n%s\n\n", i+1, stamp(at), stamp(to), c.sentence)
		at = to
	}
	if err := table.WriteAll(rows); err != nil {
		return err
	}
	if f, err = w.Create("cues.srt"); err == nil {
		_, err = f.Write([]byte(srt.String()))
	}
	return err
}
