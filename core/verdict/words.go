package verdict

// Kind says on which side of a verdict a finding stands.
type Kind string

const (
	Strength Kind = "strength"
	Weakness Kind = "weakness"
	Note     Kind = "note"
)

// Certainty says how sure the data make a finding.
type Certainty string

const (
	Sure      Certainty = "sure"
	Likely    Certainty = "likely"
	Undecided Certainty = "open"
)

// Recommendation is what a verdict comes to; empty until the reviewer chooses.
type Recommendation string

const (
	Recommended        Recommendation = "recommended"
	RecommendedForSome Recommendation = "recommended for some"
	NotRecommended     Recommendation = "not recommended"
)

// Reviewer stands in place of a rule where a person wrote a finding.
const Reviewer = "reviewer"

// Listed names the recommendations that there are, with commas between.
func Listed() string {
	text := ""
	for i, r := range Recommendations {
		if i > 0 {
			text += ", "
		}
		text += string(r)
	}
	return text
}
