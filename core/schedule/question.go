package schedule

// Question is what a schedule is asked for: a field, perhaps one variant of it, and what counts.
type Question struct {
	Field   string // everything if empty
	Variant string // only this one is put on the bench
	Use     string // only measures that count for this use, areas weighed as it weighs them
}
