package rawfile

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"
)

// mostUnpacked bounds what a spreadsheet unpacks to: a few kB can hold terabytes of blanks.
const mostUnpacked = 64 << 20

// mostBookRows bounds the rows of a spreadsheet: its own kind ends there (ISO/IEC 29500).
const mostBookRows = 1 << 20

// readBook reads the first sheet with figures of a spreadsheet: Office Open XML (ISO/IEC 29500) or OpenDocument
// (ISO/IEC 26300).
func readBook(data []byte) (Sheet, error) {
	z, err := opened(data)
	if err != nil {
		return Sheet{}, err
	}
	return fromBook(sheetsOf(z, data))
}

// opened opens the archive that a spreadsheet is, unless it unpacks to too much.
func opened(data []byte) (*zip.Reader, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, refuse("it is a broken archive: %v", err)
	}
	unpacked := uint64(0)
	for _, f := range z.File {
		if unpacked += f.UncompressedSize64; unpacked > mostUnpacked || f.UncompressedSize64 > mostUnpacked {
			return nil, refuse("it unpacks to more than %d MB", mostUnpacked>>20)
		}
	}
	return z, nil
}

// named is a sheet of a spreadsheet as words.
type named struct {
	name string
	rows [][]string
}

// fromBook takes the first sheet that holds a table.
func fromBook(sheets []named, err error) (Sheet, error) {
	if err != nil {
		return Sheet{}, err
	}
	var why error = refuse("it has no sheet with figures")
	for _, n := range sheets {
		s, err := fromCells(n.rows)
		if err != nil || s.Rows == 0 {
			if err != nil && len(n.rows) > 0 {
				why = err
			}
			continue
		}
		s.Kind = "spreadsheet"
		if len(sheets) > 1 {
			s.Found = append(s.Found, fmt.Sprintf("its sheet %q, of %d", n.name, len(sheets)))
		}
		return s, nil
	}
	return Sheet{}, why
}

// fromCells makes a sheet of rows of words, with the lines above the figures as its header.
func fromCells(rows [][]string) (Sheet, error) {
	b := builder{d: dialect{sep: ','}}
	var head [][][]byte
	wide := 0
	for _, r := range rows {
		wide = max(wide, len(r))
	}
	if wide > MostColumns {
		return Sheet{}, refuse("it has %d columns; at most %d are read", wide, MostColumns)
	}
	cells := func(r []string) [][]byte {
		out := make([][]byte, wide)
		for i, c := range r {
			out[i] = []byte(c)
		}
		return out
	}
	all, widths := make([][][]byte, 0, min(len(rows), 300)), map[int]int{wide: 1}
	for _, r := range rows[:min(len(rows), 300)] {
		all = append(all, cells(r))
	}
	first := firstRow(all, widths, b.d)
	if first < 0 {
		return Sheet{}, refuse("no row of it holds figures for the most part")
	}
	head = all[:first]
	body := rows[first:]
	for _, r := range body[:min(len(body), 200)] {
		b.sample = append(b.sample, cells(r))
	}
	if err := b.begin(head); err != nil {
		return Sheet{}, err
	}
	if err := b.room(len(body)); err != nil {
		return Sheet{}, err
	}
	for i, r := range body {
		if strings.TrimSpace(strings.Join(r, "")) != "" {
			b.row(first+i+1, cells(r))
		}
	}
	return b.done(), nil
}

// officeOpen reads Office Open XML. A formula counts as the value that was kept with it.
func officeOpen(data []byte) (out []named, err error) {
	defer func() { // hostile files are known to make such readers stumble
		if r := recover(); r != nil {
			err = refuse("it is a broken spreadsheet")
		}
	}()
	f, err := excelize.OpenReader(bytes.NewReader(data), excelize.Options{UnzipSizeLimit: mostUnpacked,
		UnzipXMLSizeLimit: mostUnpacked, RawCellValue: true})
	if err != nil {
		return nil, refuse("it is no spreadsheet that can be read: %v", err)
	}
	defer f.Close()
	for _, name := range f.GetSheetList() {
		rows, err := f.Rows(name)
		if err != nil {
			return nil, refuse("sheet %q: %v", name, err)
		}
		n := named{name: name}
		for rows.Next() {
			r, err := rows.Columns(excelize.Options{RawCellValue: true})
			if err != nil {
				return nil, refuse("sheet %q: %v", name, err)
			}
			if len(r) > MostColumns {
				return nil, refuse("it has %d columns; at most %d are read", len(r), MostColumns)
			}
			if n.rows = append(n.rows, r); len(n.rows) > mostBookRows {
				return nil, refuse("it has more than %d rows", mostBookRows)
			}
		}
		rows.Close()
		out = append(out, n)
	}
	return out, nil
}

// openDocument reads the tables of an OpenDocument spreadsheet's content. Cells and rows that are said to repeat are
// written out as far as anything stands in them.
func openDocument(r io.Reader) ([]named, error) {
	d := xml.NewDecoder(io.LimitReader(r, mostUnpacked))
	var out []named
	var row []string
	var text strings.Builder
	times, rowTimes, value, inCell := 1, 1, "", false
	for {
		t, err := d.Token()
		if err == io.EOF {
			return out, nil
		}
		if err != nil {
			return nil, refuse("it is a broken spreadsheet: %v", err)
		}
		switch x := t.(type) {
		case xml.StartElement:
			switch x.Name.Local {
			case "table":
				out = append(out, named{name: attribute(x, "name")})
			case "table-row":
				row, rowTimes = nil, repeats(x, "number-rows-repeated")
			case "table-cell", "covered-table-cell":
				times, value, inCell = repeats(x, "number-columns-repeated"), attribute(x, "value"), true
				if value == "" {
					value = attribute(x, "date-value")
				}
				text.Reset()
			}
		case xml.CharData:
			if inCell {
				text.Write(x)
			}
		case xml.EndElement:
			switch x.Name.Local {
			case "table-cell", "covered-table-cell":
				inCell = false
				if value == "" {
					value = text.String()
				}
				if value == "" && times > MostColumns { // what is empty to the edge of the sheet
					continue
				}
				if len(row)+times > MostColumns {
					return nil, refuse("it has more than %d columns", MostColumns)
				}
				for range times {
					row = append(row, value)
				}
			case "table-row":
				if len(out) == 0 {
					return nil, refuse("it has a row outside a table")
				}
				if strings.TrimSpace(strings.Join(row, "")) == "" {
					continue
				}
				n := &out[len(out)-1]
				if len(n.rows)+rowTimes > mostBookRows {
					return nil, refuse("it has more than %d rows", mostBookRows)
				}
				for range rowTimes {
					n.rows = append(n.rows, row)
				}
			}
		}
	}
}

func attribute(x xml.StartElement, name string) string {
	for _, a := range x.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// repeats is how often something is said to stand, once where that is not said.
func repeats(x xml.StartElement, name string) int {
	n, err := strconv.Atoi(attribute(x, name))
	if err != nil || n < 1 {
		return 1
	}
	return n
}
