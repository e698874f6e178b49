package verdict

import (
	"fmt"
	"strings"

	"durvek/core/record"
	"durvek/core/say"
)

// Rules that hand on what people said; an edition shows it under a heading of its own.
const (
	RemarkRule = "remark"
	ReportRule = "report"
)

func init() {
	for name, x := range map[string]struct {
		kind     record.RemarkKind
		sentence string
	}{
		RemarkRule: {record.Impression, "An impression of the desk's own, without a figure."},
		ReportRule: {record.Report, "What owners or others say, attributed and dated."},
	} {
		register(Rule{Name: name, Sentence: x.sentence, Find: func(f Facts) []Finding {
			var out []Finding
			for _, r := range f.Remarks {
				if r.Kind == x.kind && r.Withdrawn == nil {
					out = append(out, Finding{Kind: Note, Certainty: Undecided, RestsOn: []string{r.ID}, Text: said(r), Area: r.Area})
				}
			}
			return out
		}})
	}
}

// said is a remark or report as a sentence, with what it is about and, of a report, whose it is.
func said(r record.Remark) string {
	text := r.Text
	if !strings.ContainsAny(text[len(text)-1:], ".!?") {
		text += "."
	}
	if r.Area != "" {
		text = say.Sentence(r.Area + ": " + text)
	}
	if r.Kind == record.Report {
		text = fmt.Sprintf("%s (%s, %s; %s)", text, r.Who, r.Dated, r.Source)
	}
	return text
}

// Unmeasured tells whether a finding is something that was said, not measured.
func (f Finding) Unmeasured() bool { return f.Rule == RemarkRule || f.Rule == ReportRule }
