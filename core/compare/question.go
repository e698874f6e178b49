package compare

// Question is what a comparison is asked for.
type Question struct {
	Field     string
	Measure   string // test/measure, spec/KEY or price/CURRENCY
	Setup     string
	Subject   string // variant
	Reference string // "", mean, claim, predecessor or a variant
	Claims    bool
	Raised    bool
	Modes     bool     // other modes stand as rows of their own
	Allow     []string // variants that are compared though unlike
	Carried   bool     // figures of siblings with the same limiting part
	Where     []string // narrows to cells: place=left port, host=…, unit=…, or a condition and its value
}
