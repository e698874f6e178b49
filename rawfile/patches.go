package rawfile

import (
	"bytes"
	"slices"
	"strings"
)

// isPatches tells whether a text is of the family of CGATS.17 and ISO 28178: keywords, then the names of fields, then
// their data.
func isPatches(text []byte) bool {
	head := text[:min(len(text), 1<<16)]
	return bytes.Contains(head, []byte("BEGIN_DATA_FORMAT")) && bytes.Contains(text, []byte("BEGIN_DATA"))
}

// readPatches reads the first table of such a text.
func readPatches(text []byte) (Sheet, error) {
	d := dialect{quote: true}
	var fields []string
	var rows []line
	const before, inFormat, between, inData, after = 0, 1, 2, 3, 4
	state := before
	eachLine(text, func(l line) bool {
		word := strings.TrimSpace(string(l.text))
		switch {
		case word == "BEGIN_DATA_FORMAT":
			state = inFormat
		case word == "END_DATA_FORMAT":
			state = between
		case word == "BEGIN_DATA":
			state = inData
		case word == "END_DATA":
			state = after
			return false
		case state == inFormat:
			fields = append(fields, strings.Fields(word)...)
		case state == inData:
			rows = append(rows, l)
		}
		return true
	})
	switch {
	case len(fields) == 0:
		return Sheet{}, refuse("it names no fields between BEGIN_DATA_FORMAT and END_DATA_FORMAT")
	case len(fields) > MostColumns:
		return Sheet{}, refuse("it has %d fields; at most %d are read", len(fields), MostColumns)
	case state != after:
		return Sheet{}, refuse("it ends before END_DATA: the file is cut off")
	}
	b := builder{d: d}
	var split [][][]byte
	for _, l := range rows {
		split = append(split, quoted(l.text))
	}
	b.sample = split[:min(len(split), 200)]
	head := make([][]byte, len(fields))
	for i, f := range fields {
		head[i] = []byte(f)
	}
	if err := b.begin([][][]byte{head}); err != nil {
		return Sheet{}, err
	}
	for i := range b.s.Columns { // what a patch is called is a word, even where most are numbers
		if strings.HasPrefix(b.s.Columns[i].Name, "SAMPLE_") {
			b.forms[i], b.s.Columns[i].Words = words, []string{}
		}
	}
	if len(b.s.Columns) != len(fields) {
		return Sheet{}, refuse("it names %d fields, and its rows have %d cells", len(fields), len(b.s.Columns))
	}
	if err := b.room(len(rows)); err != nil {
		return Sheet{}, err
	}
	for i, cells := range split {
		if len(cells) != len(fields) {
			b.s.refuseRow(rows[i].at, "it has %d cells for %d fields", len(cells), len(fields))
			continue
		}
		b.row(rows[i].at, cells)
	}
	s := b.done()
	s.Kind = "patches"
	s.Found = []string{"fields named as in CGATS.17"}
	scalePatches(&s)
	return s, nil
}

// quoted parts a line at blanks outside quotation marks.
func quoted(l []byte) [][]byte {
	var out [][]byte
	for len(bytes.TrimSpace(l)) > 0 {
		l = bytes.TrimSpace(l)
		if l[0] == '"' {
			if end := bytes.IndexByte(l[1:], '"'); end >= 0 {
				out, l = append(out, l[1:end+1]), l[end+2:]
				continue
			}
		}
		end := bytes.IndexAny(l, " \t")
		if end < 0 {
			end = len(l)
		}
		out, l = append(out, l[:end]), l[end:]
	}
	return out
}

// scalePatches takes note of signals that are in per cent, as programs of this family write them.
func scalePatches(s *Sheet) {
	top := 0.0
	for _, name := range []string{"RGB_R", "RGB_G", "RGB_B"} {
		if c, ok := s.Column(name); ok && len(c.Values) > 0 {
			top = max(top, slices.Max(c.Values))
		}
	}
	if top > 1 && top <= 100 {
		s.Options = map[string]string{"full": "100"}
	}
}
