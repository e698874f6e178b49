// Package sheet writes and reads cells of tables that people open in spreadsheets. A cell that begins like a formula
// would be run there (OWASP, CSV injection): it is written with an apostrophe before it, and read without.
package sheet

import (
	"encoding/csv"
	"io"
	"strconv"
	"strings"
)

// runs are what a spreadsheet takes for the beginning of a formula.
const runs = "=+-@\t\r"

// Cell is a text as it is written: with an apostrophe before what a spreadsheet would run. Numbers stay.
func Cell(s string) string {
	if s == "" || !strings.ContainsRune(runs, rune(s[0])) {
		return s
	}
	if _, err := strconv.ParseFloat(s, 64); err == nil {
		return s
	}
	return "'" + s
}

// Text is a cell as it was before it was written.
func Text(cell string) string {
	if len(cell) > 1 && cell[0] == '\'' && strings.ContainsRune(runs, rune(cell[1])) {
		return cell[1:]
	}
	return cell
}

// Writer writes rows of such cells as CSV (RFC 4180).
type Writer struct{ *csv.Writer }

// NewWriter writes to w.
func NewWriter(w io.Writer) Writer { return Writer{csv.NewWriter(w)} }

// Write writes a row.
func (w Writer) Write(row []string) error {
	out := make([]string, len(row))
	for i, s := range row {
		out[i] = Cell(s)
	}
	return w.Writer.Write(out)
}

// WriteAll writes rows and has them all on their way.
func (w Writer) WriteAll(rows [][]string) error {
	for _, row := range rows {
		if err := w.Write(row); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}
