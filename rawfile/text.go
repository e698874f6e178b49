package rawfile

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
)

// Text is a table as CSV in UTF-8 for readers that know what stands in it: a spreadsheet's first sheet that holds
// anything, or a text brought to UTF-8.
func Text(data []byte) ([]byte, error) {
	if !bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		text, _, err := decoded(data)
		return text, err
	}
	z, err := opened(data)
	if err != nil {
		return nil, err
	}
	sheets, err := sheetsOf(z, data)
	if err != nil {
		return nil, err
	}
	for _, n := range sheets {
		if len(n.rows) == 0 {
			continue
		}
		var out bytes.Buffer
		w := csv.NewWriter(&out)
		wide := len(n.rows[0])
		for _, r := range n.rows {
			wide = max(wide, len(r))
		}
		for _, r := range n.rows {
			w.Write(append(r[:len(r):len(r)], make([]string, wide-len(r))...))
		}
		w.Flush()
		return out.Bytes(), w.Error()
	}
	return nil, refuse("it has no sheet that holds anything")
}

// sheetsOf reads all sheets of a spreadsheet as words.
func sheetsOf(z *zip.Reader, data []byte) ([]named, error) {
	if open, err := z.Open("content.xml"); err == nil {
		defer open.Close()
		return openDocument(open)
	}
	return officeOpen(data)
}
