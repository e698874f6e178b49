package rawfile

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"
)

// dialect is how a table is written.
type dialect struct {
	sep   byte // 0 for any number of blanks
	comma bool // the decimal mark is a comma
	quote bool // cells may stand in quotation marks
}

// line is one line of a text, and its number.
type line struct {
	text []byte
	at   int
}

// comment tells whether a line is a remark.
func comment(l []byte) bool {
	l = bytes.TrimLeft(l, " \t")
	return len(l) > 0 && (l[0] == '#' || l[0] == '%' || bytes.HasPrefix(l, []byte("//")) || l[0] == '!')
}

// eachLine calls f with every line that holds something and is no remark, until it says false.
func eachLine(text []byte, f func(line) bool) {
	at := 0
	for len(text) > 0 {
		end := bytes.IndexByte(text, '\n')
		var l []byte
		if end < 0 {
			l, text = text, nil
		} else {
			l, text = text[:end], text[end+1:]
		}
		at++
		l = bytes.TrimRight(l, "\r")
		if len(bytes.TrimSpace(l)) == 0 || comment(l) {
			continue
		}
		if !f(line{l, at}) {
			return
		}
	}
}

// cells parts a line.
func (d dialect) cells(l []byte, into [][]byte) [][]byte {
	into = into[:0]
	if d.sep == 0 {
		return append(into, bytes.Fields(l)...)
	}
	if d.quote && bytes.IndexByte(l, '"') >= 0 {
		r := csv.NewReader(bytes.NewReader(l))
		r.Comma, r.LazyQuotes, r.TrimLeadingSpace, r.FieldsPerRecord = rune(d.sep), true, true, -1
		row, err := r.Read()
		if err == nil || err == io.EOF {
			for _, c := range row {
				into = append(into, []byte(c))
			}
			return into
		}
	}
	for {
		i := bytes.IndexByte(l, d.sep)
		if i < 0 {
			return append(into, l)
		}
		into = append(into, l[:i])
		l = l[i+1:]
	}
}

// numeric counts how many of some cells are numbers, and how many hold anything.
func (d dialect) numeric(cells [][]byte) (numbers, filled int) {
	for _, c := range cells {
		c = bytes.Trim(bytes.TrimSpace(c), `"`)
		if len(c) == 0 {
			continue
		}
		filled++
		if _, ok := number(c, d.comma); ok {
			numbers++
		} else if _, ok := momentForm([]string{string(c)}); ok {
			numbers++
		}
	}
	return numbers, filled
}

// sniffed is the dialect of a table: the one that makes most of its lines into rows of one width with most numbers.
func sniffed(text []byte) dialect {
	var lines []line
	eachLine(text[:min(len(text), 1<<18)], func(l line) bool {
		lines = append(lines, l)
		return len(lines) < 300
	})
	best, most := dialect{sep: ',', quote: true}, -1.0
	for _, sep := range []byte{'\t', ';', ',', '|', 0} {
		for _, comma := range []bool{false, true} {
			if sep == ',' && comma && !bytes.Contains(text[:min(len(text), 1<<16)], []byte(`"`)) {
				continue // what parts the cells is no decimal mark
			}
			d := dialect{sep, comma, true}
			widths := map[int]int{}
			numbers, filled := 0.0, 0.0
			var cells [][]byte
			for _, l := range lines {
				cells = d.cells(l.text, cells)
				widths[len(cells)]++
				n, f := d.numeric(cells)
				numbers, filled = numbers+float64(n), filled+float64(f)
			}
			wide, often := 1, 0
			for w, n := range widths {
				if n > often || n == often && w > wide {
					wide, often = w, n
				}
			}
			score := float64(often) / float64(len(lines)) * (numbers + 1) / (filled + 1)
			if wide > 1 {
				score *= 1.5
			}
			if sep == 0 {
				score *= 0.9 // blanks stand between the words of a name, too
			}
			if comma {
				score *= 0.99
			}
			if score > most {
				best, most = d, score
			}
		}
	}
	return best
}

func (d dialect) says() string {
	names := map[byte]string{'\t': "tabs", ';': "semicolons", ',': "commas", '|': "bars", 0: "blanks"}
	out := "cells parted by " + names[d.sep]
	if d.comma {
		out += ", decimal commas"
	}
	return out
}

// start finds where the rows of a table begin: at the first line of the usual width that has numbers wherever the
// others have them. It gives the lines above it, and 0 where there are no rows.
func (d dialect) start(text []byte) (head [][][]byte, first int) {
	var all [][][]byte
	var at []int
	widths := map[int]int{}
	eachLine(text, func(l line) bool {
		cells := slices.Clone(d.cells(l.text, nil))
		for i := range cells {
			cells[i] = bytes.Trim(bytes.TrimSpace(cells[i]), `"`)
		}
		all, at = append(all, cells), append(at, l.at)
		widths[len(cells)]++
		return len(all) < 300
	})
	i := firstRow(all, widths, d)
	if i < 0 {
		return all, 0
	}
	return all[:i], at[i]
}

// firstRow is the index of the first of some rows that is one of figures; -1 where none is.
func firstRow(rows [][][]byte, widths map[int]int, d dialect) int {
	wide := 0
	for w, n := range widths {
		if n > widths[wide] || n == widths[wide] && w > wide {
			wide = w
		}
	}
	number := func(c []byte) bool {
		n, _ := d.numeric([][]byte{c})
		return n == 1
	}
	count, filled := make([]int, wide), make([]int, wide)
	for _, r := range rows {
		if len(r) != wide {
			continue
		}
		for i, c := range r {
			if len(c) > 0 {
				filled[i]++
				if number(c) {
					count[i]++
				}
			}
		}
	}
	return slices.IndexFunc(rows, func(r [][]byte) bool {
		some := false
		for i, c := range r {
			if len(r) != wide || len(c) == 0 || filled[i] == 0 {
				continue
			}
			if usual := 2*count[i] >= filled[i]; usual && !number(c) {
				return false
			} else if usual {
				some = true
			}
		}
		return some
	})
}

// readTable reads delimited text.
func readTable(text []byte) (Sheet, error) {
	d := sniffed(text)
	head, first := d.start(text)
	if first == 0 {
		return Sheet{}, refuse("no line of it holds figures for the most part")
	}
	b := builder{d: d}
	eachLine(text, func(l line) bool {
		if l.at < first {
			return true
		}
		b.sample = append(b.sample, slices.Clone(d.cells(l.text, nil)))
		return len(b.sample) < 200
	})
	if err := b.begin(head); err != nil {
		return Sheet{}, err
	}
	var cells [][]byte
	rows := 1 + bytes.Count(text, []byte("\n"))
	if err := b.room(min(rows, MostRows)); err != nil {
		return Sheet{}, err
	}
	over := false
	eachLine(text, func(l line) bool {
		if l.at < first {
			return true
		}
		if b.s.Rows+b.s.Bad >= MostRows {
			over = true
			return false
		}
		cells = d.cells(l.text, cells)
		b.row(l.at, cells)
		return true
	})
	if over {
		return Sheet{}, refuse("it has more than %d rows", MostRows)
	}
	b.s.Kind = "table"
	b.s.Found = append(b.s.Found, d.says())
	return b.done(), nil
}

// builder makes columns of rows of cells.
type builder struct {
	d      dialect
	sample [][][]byte // the first rows
	s      Sheet
	forms  []string // by column: how its moments are written, "" for numbers, "words" for words
}

const words = "words"

// begin finds the columns from the lines above the rows, of which the last of the rows' width is the header, and the
// units below it where they have a line of their own.
func (b *builder) begin(head [][][]byte) error {
	widths := map[int]int{}
	for _, r := range b.sample {
		widths[len(r)]++
	}
	wide := 0
	for w, n := range widths {
		if n > widths[wide] || n == widths[wide] && w > wide {
			wide = w
		}
	}
	if wide > MostColumns {
		return refuse("it has %d columns; at most %d are read", wide, MostColumns)
	}
	var names, units []string
	row := func(cells [][]byte) []string {
		out := make([]string, len(cells))
		for i, c := range cells {
			out[i] = string(bytes.TrimSpace(c))
		}
		return out
	}
	for i := len(head) - 1; i >= 0 && names == nil; i-- {
		if len(head[i]) < wide || len(head[i]) > wide+1 {
			continue
		}
		names = row(head[i])
		if i > 0 && len(head[i-1]) >= wide && areUnits(names) {
			units, names = names, row(head[i-1])
		}
	}
	twice := map[string]int{}
	for k := range wide {
		c := Column{Name: fmt.Sprintf("column %d", k+1)}
		if k < len(names) && names[k] != "" {
			c.Name, c.Unit = titled(names[k])
		}
		if k < len(units) {
			if u, ok := unitOf(strings.Trim(units[k], "[]() ")); ok {
				c.Unit = u
			}
		}
		if twice[c.Name]++; twice[c.Name] > 1 {
			c.Name = fmt.Sprintf("%s (%d)", c.Name, twice[c.Name])
		}
		form := b.form(k, c.Unit != "")
		if form == words {
			c.Words = []string{}
		} else if form != "" {
			c.Unit = "s"
		}
		b.forms = append(b.forms, form)
		b.s.Columns = append(b.s.Columns, c)
	}
	return nil
}

// areUnits tells whether a line under a header says units: at least one, and nothing else.
func areUnits(cells []string) bool {
	n := 0
	for _, c := range cells {
		c = strings.Trim(c, "[]() -")
		if c == "" {
			continue
		}
		if _, ok := unitOf(c); !ok {
			return false
		}
		n++
	}
	return n > 0
}

// form finds what a column holds. One whose header says a unit holds numbers, if there are some.
func (b *builder) form(k int, measured bool) string {
	var cells []string
	numbers := 0
	for _, r := range b.sample {
		if k >= len(r) {
			continue
		}
		c := bytes.Trim(bytes.TrimSpace(r[k]), `"`)
		if len(c) == 0 {
			continue
		}
		cells = append(cells, string(c))
		if _, ok := number(c, b.d.comma); ok {
			numbers++
		}
	}
	if len(cells) == 0 || 2*numbers >= len(cells) || measured && 5*numbers >= len(cells) {
		return ""
	}
	if f, ok := momentForm(cells); ok {
		return f
	}
	return words
}

// room makes room for rows, unless there are more cells than are read.
func (b *builder) room(rows int) error {
	if n := rows * len(b.s.Columns); n > mostCells {
		return refuse("it has %d rows of %d columns; at most %d cells are read", rows, len(b.s.Columns), mostCells)
	}
	for i := range b.s.Columns {
		if b.forms[i] != words {
			b.s.Columns[i].Values = make([]float64, 0, rows)
		}
	}
	return nil
}

// row takes a row, or refuses it and says why.
func (b *builder) row(at int, cells [][]byte) {
	n := len(b.s.Columns)
	if len(cells) > n && len(bytes.TrimSpace(bytes.Join(cells[n:], nil))) > 0 || len(cells) < n && len(cells) < n-1 &&
		b.d.sep == 0 {
		b.s.refuseRow(at, "it has %d cells, the table %d columns", len(cells), n)
		return
	}
	for i := range b.s.Columns {
		c := &b.s.Columns[i]
		var cell []byte
		if i < len(cells) {
			cell = bytes.TrimSpace(cells[i])
			if len(cell) > 1 && cell[0] == '"' {
				cell = bytes.Trim(cell, `"`)
			}
		}
		v, ok := none, true
		switch form := b.forms[i]; {
		case form == words:
			c.Words = append(c.Words, string(cell))
			continue
		case len(cell) == 0:
		case form == "":
			v, ok = number(cell, b.d.comma)
		default:
			v, ok = moment(string(cell), form)
		}
		if !ok {
			for k := range i { // nothing of the row stays
				b.s.Columns[k].drop()
			}
			b.s.refuseRow(at, "%s is %s, which is no number", c.Name, short(cell))
			return
		}
		c.Values = append(c.Values, v)
	}
	b.s.Rows++
}

func (c *Column) drop() {
	if c.Words != nil {
		c.Words = c.Words[:len(c.Words)-1]
	} else {
		c.Values = c.Values[:len(c.Values)-1]
	}
}

// short is a cell in quotation marks, cut.
func short(cell []byte) string {
	if len(cell) > 40 {
		cell = append(bytes.Clone(cell[:40]), "…"...)
	}
	return fmt.Sprintf("%q", cell)
}

// done is the sheet with its moments as seconds from the first.
func (b *builder) done() Sheet {
	for i, f := range b.forms {
		if f != "" && f != words {
			if first := fromFirst(b.s.Columns[i].Values); first > 86400 { // else it is a time of the day
				b.s.Columns[i].From = first
			}
			b.s.Found = append(b.s.Found, b.s.Columns[i].Name+" holds moments, counted from the first")
		}
	}
	return b.s
}
