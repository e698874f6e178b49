// Package rawfile reads files of raw measurements as the programs of meters and the hands of people write them: tables
// in any common dialect, JSON, spreadsheets, colour patches, recordings. It finds columns, their names and units, and
// says what it refused; what the columns mean is for a Mapping to say.
package rawfile

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// ErrFile marks a file that cannot be read as raw measurements.
var ErrFile = errors.New("raw file")

func refuse(format string, args ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrFile}, args...)...)
}

// What a file may hold at most.
const (
	MostBytes   = 256 << 20
	MostColumns = 500
	MostRows    = 20_000_000
	mostCells   = 40_000_000
	mostJSON    = 32 << 20 // whose values take many times their text
	mostRefused = 50       // that are told one by one
)

// Sheet is what a file holds: columns of the same length.
type Sheet struct {
	Kind    string            `json:"kind" doc:"table, patches, recording, spreadsheet or json"`
	Columns []Column          `json:"columns"`
	Rows    int               `json:"rows" doc:"Rows that were read"`
	Refused []Refusal         `json:"refused,omitempty" doc:"Rows that were not, the first fifty"`
	Bad     int               `json:"bad" doc:"Rows that were not read, in all"`
	Found   []string          `json:"found,omitempty" doc:"How the file was read"`
	Options map[string]string `json:"options,omitempty" doc:"Options of an analysis that the file itself says"`
}

// Column is one column of a file.
type Column struct {
	Name   string    `json:"name"`
	Unit   string    `json:"unit,omitempty" doc:"UCUM code of the unit that its header says"`
	From   float64   `json:"from,omitempty" doc:"Unix time that its values count from, where it held dates"`
	Values []float64 `json:"-"`
	Words  []string  `json:"-"`
}

// Text tells whether the column holds words.
func (c Column) Text() bool { return c.Words != nil }

// Refusal is a row that was not read.
type Refusal struct {
	Line int    `json:"line" doc:"Counted from 1"`
	Why  string `json:"why"`
}

// refuseRow takes note of a row that cannot be read.
func (s *Sheet) refuseRow(line int, format string, args ...any) {
	s.Bad++
	if len(s.Refused) < mostRefused {
		s.Refused = append(s.Refused, Refusal{line, fmt.Sprintf(format, args...)})
	}
}

// Column finds a column by its name.
func (s Sheet) Column(name string) (Column, bool) {
	for _, c := range s.Columns {
		if c.Name == name {
			return c, true
		}
	}
	return Column{}, false
}

// Read reads a file, whatever it is.
func Read(data []byte) (Sheet, error) {
	switch {
	case len(data) > MostBytes:
		return Sheet{}, refuse("it has %d MB; at most %d are read", len(data)>>20, MostBytes>>20)
	case len(bytes.TrimSpace(data)) == 0:
		return Sheet{}, refuse("it is empty")
	case bytes.HasPrefix(data, []byte("RIFF")) || bytes.HasPrefix(data, []byte("RF64")):
		return readWave(data)
	case bytes.HasPrefix(data, []byte("PK\x03\x04")):
		return readBook(data)
	}
	text, encoding, err := decoded(data)
	if err != nil {
		return Sheet{}, err
	}
	if bytes.IndexByte(text, '\n') < 0 { // the line ends of an old system
		text = bytes.ReplaceAll(text, []byte("\r"), []byte("\n"))
	}
	var s Sheet
	switch first := bytes.TrimLeft(text[:min(len(text), 1<<16)], " \t\r\n"); {
	case isPatches(text):
		s, err = readPatches(text)
	case len(first) > 0 && (first[0] == '{' || first[0] == '['):
		s, err = readJSON(text)
	default:
		s, err = readTable(text)
	}
	if err == nil && encoding != "" {
		s.Found = append(s.Found, encoding)
	}
	if err == nil && s.Rows == 0 {
		why := ""
		if len(s.Refused) > 0 {
			why = fmt.Sprintf("; the first, line %d: %s", s.Refused[0].Line, s.Refused[0].Why)
		}
		err = refuse("there are no rows of figures in it%s", why)
	}
	return s, err
}

// decoded is a text in UTF-8, and what it was in where that is something else.
func decoded(data []byte) (text []byte, encoding string, err error) {
	switch {
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		data = data[3:]
	case bytes.HasPrefix(data, []byte("\xff\xfe")), bytes.HasPrefix(data, []byte("\xfe\xff")):
		out, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Bytes(data)
		if err != nil {
			return nil, "", refuse("it is in UTF-16 and broken: %v", err)
		}
		return out, "in UTF-16", nil
	}
	if bytes.IndexByte(data[:min(len(data), 4096)], 0) >= 0 {
		return nil, "", refuse("it is neither text nor a spreadsheet nor a recording that is known here")
	}
	if !utf8.Valid(data) {
		out, err := charmap.Windows1252.NewDecoder().Bytes(data)
		return out, "in Windows-1252", err
	}
	return data, "", nil
}

// none is a number that a cell does not hold.
var none = math.NaN()
