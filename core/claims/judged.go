package claims

import "durvek/core/catalog"

// Judged is a claim with what became of it, ready to be shown.
type Judged struct {
	catalog.Claim
	Name    string   `json:"name" doc:"The measure in words"`
	Text    string   `json:"text" doc:"The claim in words: qualifier, value, unit"`
	Symbol  string   `json:"symbol" doc:"Symbol of the measure's unit"`
	Verdict Verdict  `json:"verdict"`
	Doubts  []string `json:"doubts,omitempty" doc:"Open doubts about the figure that judges it, in words"`
}
