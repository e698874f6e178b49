package rawfile

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"durvek/internal/mutants"
)

// says is a sheet in a few words: name, unit and values of each column.
func says(s Sheet) string {
	var out []string
	for _, c := range s.Columns {
		part := c.Name
		if c.Unit != "" {
			part += " [" + c.Unit + "]"
		}
		for _, v := range c.Values {
			part += fmt.Sprintf(" %g", v)
		}
		for _, w := range c.Words {
			part += " " + w
		}
		out = append(out, part)
	}
	return strings.Join(out, "; ")
}

func TestTablesInEveryDialect(t *testing.T) {
	const want = "time [s] 0 1 2; power [W] 5.5 1234.25 -3"
	const objects = `{"time [s]":0,"power [W]":5.5},{"time [s]":1,"power [W]":1234.25},{"time [s]":2,"power [W]":-3}`
	for name, text := range map[string]string{
		"commas":                "time [s],power [W]\n0,5.5\n1,1234.25\n2,-3\n",
		"semicolons":            "time [s];power [W]\n0;5.5\n1;1234.25\n2;-3\n",
		"tabs":                  "time [s]\tpower [W]\r\n0\t5.5\r\n1\t1234.25\r\n2\t-3\r\n",
		"bars":                  "time [s]|power [W]\n0|5.5\n1|1234.25\n2|-3",
		"blanks":                "time_s   power_W\n0   5.5\n1   1234.25\n2  -3\n",
		"decimal commas":        "time [s];power [W]\n0;5,5\n1;1234,25\n2;-3\n",
		"decimal commas, tabs":  "time [s]\tpower [W]\n0,0\t5,5\n1,0\t1234,25\n2,0\t-3,0\n",
		"thousands":             "time [s];power [W]\n0;5.5\n1;1,234.25\n2;-3\n",
		"thousands by points":   "time [s];power [W]\n0;5,5\n1;1.234,25\n2;-3,0\n",
		"thousands by spaces":   "time [s];power [W]\n0;5,5\n1;1 234,25\n2;-3,0\n",
		"thousands by marks":    "time [s];power [W]\n0;5.5\n1;1'234.25\n2;-3\n",
		"quoted":                "\"time [s]\",\"power [W]\"\n\"0\",\"5.5\"\n\"1\",\"1234.25\"\n\"2\",\"-3\"\n",
		"quoted decimal commas": "\"time [s]\",\"power [W]\"\n\"0\",\"5,5\"\n\"1\",\"1234,25\"\n\"2\",\"-3,0\"\n",
		"remarks and lines above": "# a meter wrote this\nDevice: Model 3\nSerial;77\n\ntime [s];power [W]\n0;5.5\n// a " +
			"pause\n1;1234.25\n2;-3\n",
		"units in their own line": "time,power\ns,W\n0,5.5\n1,1234.25\n2,-3\n",
		"units in brackets below": "time,power\n[s],[W]\n0,5.5\n1,1234.25\n2,-3\n",
		"units after a word":      "time in s,power in watts\n0,5.5\n1,1234.25\n2,-3\n",
		"a comma at the end":      "time [s],power [W],\n0,5.5,\n1,1234.25,\n2,-3,\n",
		"a mark at the beginning": "\ufefftime [s],power [W]\n0,5.5\n1,1234.25\n2,-3\n",
		"old line ends":           "time [s],power [W]\r0,5.5\r1,1234.25\r2,-3\r",
		"an array of objects":     "[" + objects + "]",
		"lines of objects": "{\"time [s]\":0,\"power [W]\":5.5}\n{\"time [s]\":1,\"power [W]\":1234.25}\n{\"time " +
			"[s]\":2,\"power [W]\":-3}\n",
		"arrays by name":        `{"meter":"x","time [s]":[0,1,2],"power [W]":[5.5,1234.25,-3]}`,
		"an array of arrays":    `[["time [s]","power [W]"],[0,5.5],[1,1234.25],[2,-3]]`,
		"a list one level down": `{"meter":"x","log":[` + objects + "]}",
	} {
		s, err := Read([]byte(text))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		got := strings.TrimSuffix(says(s), "; column 3 NaN NaN NaN")
		if strings.Contains(text, `"power [W]"`) && strings.HasPrefix(got, "power") { // an object has no order
			parts := strings.Split(got, "; ")
			got = parts[1] + "; " + parts[0]
		}
		if got != want || s.Rows != 3 || s.Bad != 0 {
			t.Errorf("%s: %s, %d rows, %d bad %v", name, got, s.Rows, s.Bad, s.Found)
		}
	}
}

func TestEncodings(t *testing.T) {
	const text = "Zeit [s];Wärme [°C]\n0;21,5\n1;22,5\n"
	const want = "Zeit [s] 0 1; Wärme [Cel] 21.5 22.5"
	old, err := charmap.Windows1252.NewEncoder().Bytes([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	for name, e := range map[string]unicode.Endianness{"little": unicode.LittleEndian, "big": unicode.BigEndian} {
		wide, err := unicode.UTF16(e, unicode.UseBOM).NewEncoder().Bytes([]byte(text))
		if err != nil {
			t.Fatal(err)
		}
		if s, err := Read(wide); err != nil || says(s) != want {
			t.Errorf("UTF-16 %s: %s %v", name, says(s), err)
		}
	}
	for _, b := range [][]byte{old, []byte(text)} {
		if s, err := Read(b); err != nil || says(s) != want {
			t.Errorf("%q: %s %v", b[:12], says(s), err)
		}
	}
}

func TestMomentsCountFromTheFirst(t *testing.T) {
	for name, x := range map[string]struct{ text, want string }{
		"dates":         {"when,W\n2026-11-23T10:00:00Z,5\n2026-11-23T10:00:01.5Z,6\n", "when [s] 0 1.5; W [W] 5 6"},
		"of a day":      {"when,W\n23:59:59,5\n00:00:01,6\n", "when [s] 0 2; W [W] 5 6"},
		"another order": {"when;W\n23.11.2026 10:00:00;5\n23.11.2026 10:01:00;6\n", "when [s] 0 60; W [W] 5 6"},
		"with commas":   {"when;W\n10:00:00,250;5\n10:00:01,750;6\n", "when [s] 0 1.5; W [W] 5 6"},
	} {
		if s, err := Read([]byte(x.text)); err != nil || says(s) != x.want {
			t.Errorf("%s: %s %v", name, says(s), err)
		}
	}
}

func TestRowsThatAreRefusedSayWhereAndWhy(t *testing.T) {
	s, err := Read([]byte("time [s],power [W]\n0,5\n1,n/a\n2,5,7\n3,\n4,=1+1\n5,6\n6,1e999\n7,NaN\n8,inf\n"))
	if err != nil {
		t.Fatal(err)
	}
	if got := says(s); got != "time [s] 0 3 5; power [W] 5 NaN 6" || s.Rows != 3 || s.Bad != 6 {
		t.Errorf("%s, %d rows, %d bad", got, s.Rows, s.Bad)
	}
	for i, want := range []struct {
		line int
		why  string
	}{{3, `power is "n/a"`}, {4, "3 cells"}, {6, `"=1+1"`}, {8, "1e999"}, {9, "NaN"}, {10, "inf"}} {
		if r := s.Refused[i]; r.Line != want.line || !strings.Contains(r.Why, want.why) {
			t.Errorf("refusal %d is %v, want line %d %s", i, r, want.line, want.why)
		}
	}
	for text, why := range map[string]string{"": "empty", " \n ": "empty", "a,b\nc,d\n": "figures",
		"\x00\x01\x02": "neither",
		"[1,":          "no JSON", "{}": "no rows", "RIFF....AVI ": "WAVE", "PK\x03\x04rest": "broken",
		strings.Repeat("[", 20): "nested", strings.Repeat("1,", 600) + "1\n" + strings.Repeat("2,",
			600) + "2\n": "601 columns",
		"BEGIN_DATA_FORMAT\nA B\nEND_DATA_FORMAT\nBEGIN_DATA\n1 2\n": "cut off"} {
		if _, err := Read([]byte(text)); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("%.20q: %v, want %q", text, err, why)
		}
	}
	many := "a,b\n1,2\n" + strings.Repeat("x,y\n1,2\n3,4\n", 60)
	if s, err = Read([]byte(many)); err != nil || s.Bad != 60 || len(s.Refused) != 50 || s.Rows != 121 {
		t.Errorf("%d bad, %d told, %d rows, %v", s.Bad, len(s.Refused), s.Rows, err)
	}
}

const patchFile = `CGATS.17
ORIGINATOR "A meter"
# what it wrote
NUMBER_OF_FIELDS 7
BEGIN_DATA_FORMAT
SAMPLE_ID RGB_R RGB_G RGB_B XYZ_X XYZ_Y XYZ_Z
END_DATA_FORMAT
NUMBER_OF_SETS 3
BEGIN_DATA
1 100.0 100.0 100.0 95.0 100.0 108.9
"deep red" 100.0 0 0 41.2 21.3 1.9
3 0 0 0 0.1 0.1 0.1
END_DATA
`

func TestPatchesInTheirOwnFormat(t *testing.T) {
	s, err := Read([]byte(patchFile))
	if err != nil {
		t.Fatal(err)
	}
	if s.Kind != "patches" || s.Rows != 3 || s.Options["full"] != "100" || len(s.Columns) != 7 {
		t.Errorf("%+v", s)
	}
	ps := Recognise(s, nil)
	if len(ps) == 0 || ps[0].Mapping.Analysis != "colour" || len(Likely(ps,
		"")) != 1 || ps[0].Mapping.Columns["Y"].Column != "XYZ_Y" ||
		ps[0].Mapping.Columns["R"].Column != "RGB_R" {
		t.Errorf("%+v", ps)
	}
	short := strings.Replace(patchFile, "41.2 21.3 1.9", "41.2 21.3", 1)
	if s, err = Read([]byte(short)); err != nil || s.Bad != 1 || s.Refused[0].Line != 11 {
		t.Errorf("%v %v", s.Refused, err)
	}
}

// waveFile is a recording of some samples.
func waveFile(format, channels, bits int, rate uint32, body []byte) []byte {
	var b bytes.Buffer
	le := binary.LittleEndian
	b.WriteString("RIFF\x00\x00\x00\x00WAVEJUNK\x03\x00\x00\x00abc\x00fmt \x10\x00\x00\x00")
	binary.Write(&b, le, []uint16{uint16(format), uint16(channels)})
	binary.Write(&b, le, []uint32{rate, rate * uint32(channels*bits/8)})
	binary.Write(&b, le, []uint16{uint16(channels * bits / 8), uint16(bits)})
	b.WriteString("data")
	binary.Write(&b, le, uint32(len(body)))
	b.Write(body)
	return b.Bytes()
}

func TestRecordingsOfEveryFormat(t *testing.T) {
	le := binary.LittleEndian
	bytesOf := func(v any) []byte {
		var b bytes.Buffer
		binary.Write(&b, le, v)
		return b.Bytes()
	}
	for name, f := range map[string][]byte{
		"8 bits":  waveFile(1, 2, 8, 48000, []byte{192, 64, 0, 128}),
		"16 bits": waveFile(1, 2, 16, 48000, bytesOf([]int16{1 << 14, -1 << 14, -1 << 15, 0})),
		"24 bits": waveFile(1, 2, 24, 48000, []byte{0, 0, 0x40, 0, 0, 0xC0, 0, 0, 0x80, 0, 0, 0}),
		"32 bits": waveFile(1, 2, 32, 48000, bytesOf([]int32{1 << 30, -1 << 30, -1 << 31, 0})),
		"floats":  waveFile(3, 2, 32, 48000, bytesOf([]float32{0.5, -0.5, -1, 0})),
		"doubles": waveFile(3, 2, 64, 48000, bytesOf([]float64{0.5, -0.5, -1, 0})),
	} {
		s, err := Read(f)
		if err != nil || says(s) != "signal 0.5 -1; channel 2 -0.5 0" || s.Options["rate"] != "48000 Hz" {
			t.Errorf("%s: %s %v %v", name, says(s), s.Options, err)
		}
	}
	whole := waveFile(1, 1, 16, 48000, make([]byte, 100))
	for why, f := range map[string][]byte{"cut off": whole[:len(whole)-2], "format 85": waveFile(85, 1, 16, 48000,
		[]byte{1, 2}),
		"samples a second": waveFile(1, 1, 16, 10, []byte{1, 2}), "no samples": whole[:48], "0 samples": waveFile(1, 1, 16,
			48000, nil),
		"no number": waveFile(3, 1, 32, 48000, bytesOf([]float32{float32(math.NaN())}))} {
		if _, err := Read(f); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("%v, want %q", err, why)
		}
	}
}

func TestSpreadsheets(t *testing.T) {
	f := excelize.NewFile()
	f.SetSheetName("Sheet1", "Notes")
	f.SetCellValue("Notes", "A1", "written by hand")
	f.NewSheet("Log")
	for cell, v := range map[string]any{"A1": "Meter 3", "A3": "time [s]", "B3": "power [W]", "A4": 0, "B4": 5.5, "A5": 1,
		"B5": 6.25, "A6": 2} {
		f.SetCellValue("Log", cell, v)
	}
	f.SetCellFormula("Log", "B6", "B4+1") // of which no value was kept
	var b bytes.Buffer
	if err := f.Write(&b); err != nil {
		t.Fatal(err)
	}
	s, err := Read(b.Bytes())
	if err != nil || says(s) != "time [s] 0 1 2; power [W] 5.5 6.25 NaN" || s.Kind != "spreadsheet" {
		t.Errorf("%s %v", says(s), err)
	}
	open := odsFile(`<table:table table:name="Log"><table:table-row><table:table-cell office:value-type="string">` +
		`<text:p>time [s]</text:p></table:table-cell><table:table-cell><text:p>power [W]</text:p></table:table-cell>` +
		`<table:table-cell table:number-columns-repeated="16000"/></table:table-row>` +
		`<table:table-row><table:table-cell office:value="0"/><table:table-cell office:value="5.5"><text:p>5,50</text:p>` +
		`</table:table-cell></table:table-row><table:table-row table:number-rows-repeated="2"><table:table-cell ` +
		`office:value="1"/><table:table-cell office:value="6.25"/></table:table-row>` +
		`<table:table-row table:number-rows-repeated="1048570"><table:table-cell/></table:table-row></table:table>`)
	if s, err = Read(open); err != nil || says(s) != "time [s] 0 1 1; power [W] 5.5 6.25 6.25" {
		t.Errorf("%s %v", says(s), err)
	}
	bomb := odsFile(`<table:table><table:table-row table:number-rows-repeated="2000000000"><table:table-cell ` +
		`office:value="1"/></table:table-row></table:table>`)
	if _, err = Read(bomb); err == nil || !strings.Contains(err.Error(), "rows") {
		t.Errorf("%v", err)
	}
	wide := odsFile(`<table:table><table:table-row><table:table-cell table:number-columns-repeated="2000000000" ` +
		`office:value="1"/></table:table-row></table:table>`)
	if _, err = Read(wide); err == nil || !strings.Contains(err.Error(), "columns") {
		t.Errorf("%v", err)
	}
	many := odsFile(`<table:table><table:table-row table:number-rows-repeated="1000000"><table:table-cell ` +
		`table:number-columns-repeated="100" office:value="1"/></table:table-row></table:table>`)
	if _, err = Read(many); err == nil || !strings.Contains(err.Error(), "cells") {
		t.Errorf("%v", err)
	}
	if _, err = Read(append([]byte("["), bytes.Repeat([]byte("1,"), mostJSON/2)...)); err == nil ||
		!strings.Contains(err.Error(), "MB of JSON") {
		t.Errorf("%v", err)
	}
	var zipped bytes.Buffer
	z := zip.NewWriter(&zipped)
	w, _ := z.Create("content.xml")
	blank := make([]byte, 1<<20)
	for range mostUnpacked>>20 + 1 {
		w.Write(blank)
	}
	z.Close()
	if _, err = Read(zipped.Bytes()); err == nil || !strings.Contains(err.Error(), "unpacks to more") {
		t.Errorf("%d kB that unpack to %d MB: %v", zipped.Len()>>10, mostUnpacked>>20+1, err)
	}
}

// odsFile is an OpenDocument spreadsheet with some tables.
func odsFile(tables string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	w, _ := z.Create("content.xml")
	fmt.Fprintf(w, `<?xml version="1.0"?><office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x">`+
		`<office:body><office:spreadsheet>%s</office:spreadsheet></office:body></office:document-content>`, tables)
	z.Close()
	return b.Bytes()
}

func TestWhatAFileIsIsRecognised(t *testing.T) {
	row := func(head, cells string) string { return head + "\n" + strings.Repeat(cells+"\n", 20) }
	for _, x := range []struct{ text, analysis string }{
		{row("time [s],level [%],power [W]", "1,90,5"), "discharge"},
		{row("time [s],battery [%]", "1,90"), "discharge"},
		{row("time [s],LAeq [dB(A)]", "1,33"), "sound-level"},
		{row("Time (s),Light", "1,33"), "flicker"},
		{row("time [s],power [W]", "1,33"), "power-log"},
		{row("frame time [ms]", "16.7"), "frames"}, {row("time [s],rate", "1,300"), "sustained"},
		{row("time [s],temperature [°C],room [°C]", "1,33,20"), "temperature"},
		{row("spot,temperature [°C]", "keys,33"), "surface"},
		{"A,B,C\n30,31,32\n33,34,35\n", "surface"},
		{row("time [s],rate [Mbit/s],distance [m]", "1,300,2"), "link-rate"},
		{row("written [GB],rate [MB/s]", "1,300"), "fill-log"},
		{row("latency [ms]", "1"), "latency-list"},
		{row("latency_us", "1"), "latency-list"},
		{row("R,G,B,X,Y,Z", "255,0,0,40,20,2"), "colour"},
		{row("red,green,blue,Y,x,y", "255,0,0,40,0.6,0.3"), "colour"},
		{row("zone,Luminance [cd/m²]", "left,300"), "uniformity"},
		{row("round,score", "1,300"), "loops"},
		{row("time_ms,light,from,to", "1,300,0,255"), "pixel-response"},
	} {
		s, err := Read([]byte(x.text))
		if err != nil {
			t.Errorf("%.30q: %v", x.text, err)
			continue
		}
		ps := Recognise(s, nil)
		if len(ps) == 0 || ps[0].Mapping.Analysis != x.analysis {
			t.Errorf("%.30q is taken for %+v", x.text, ps)
		}
	}
	s, _ := Read([]byte(row("a,b", "1,2")))
	if ps := Recognise(s, nil); len(Likely(ps, "")) == 1 {
		t.Errorf("columns without a name are surely %v", ps[0].Mapping.Analysis)
	}
	// What fits two alike is told by the file's name, if it says all of it.
	s, _ = Read([]byte(row("time [s],light", "1,2")))
	for file, want := range map[string]string{"wave.csv": "flicker pixel-response", "Flicker 200 cd.csv": "flicker",
		"response.csv": "flicker pixel-response", "pixel_response.csv": "pixel-response"} {
		var names []string
		for _, p := range Likely(Recognise(s, nil), file) {
			names = append(names, p.Mapping.Analysis)
		}
		if got := strings.Join(names, " "); got != want {
			t.Errorf("%s is likely %s, want %s", file, got, want)
		}
	}
	s, _ = Read(waveFile(1, 1, 16, 48000, make([]byte, 64)))
	for _, p := range Recognise(s, nil) {
		if p.Mapping.Analysis != "sound-recording" && p.Mapping.Analysis != "speaker-response" {
			t.Errorf("a recording is taken for %s", p.Mapping.Analysis)
		}
	}
	if ps := Likely(nil, "flicker.csv"); len(ps) != 0 {
		t.Errorf("a name alone makes %v", ps)
	}
	s, _ = Read([]byte(row("a,b", "1,2")))
	m := Mapping{Name: "mine", Analysis: "power-log", Header: []string{"a", "b"},
		Columns: map[string]Source{"time": {Column: "a", Unit: "min"}, "power": {Column: "b", Unit: "mW"}}}
	ps := Recognise(s, []Mapping{m})
	if len(ps) == 0 || !ps[0].Saved || len(Likely(ps, "")) != 1 {
		t.Fatalf("%+v", ps)
	}
	raw, err := ps[0].Mapping.Apply(s, nil)
	if err != nil || raw.Columns["time"][0] != 60 || raw.Columns["power"][0] != 0.002 {
		t.Errorf("%v %v", raw.Columns, err)
	}
	for why, bad := range map[string]Mapping{"no analysis": {Analysis: "x"}, `no column "c"`: {Analysis: "power-log",
		Columns: map[string]Source{"time": {Column: "c"}}}, "no \"light\"": {Analysis: "power-log",
		Columns: map[string]Source{"light": {Column: "a"}}}, "known unit": {Analysis: "power-log",
		Columns: map[string]Source{"time": {Column: "a", Unit: "parsec"}}}, "cannot": {Analysis: "power-log",
		Columns: map[string]Source{"time": {Column: "a", Unit: "W"}}}} {
		if _, err := bad.Apply(s, nil); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("%v, want %q", err, why)
		}
	}
}

func FuzzRead(f *testing.F) {
	mutants.Add(f, []byte("# x\ntime [s];power [W]\n0;5,5\n1;\"1.234,25\"\n"), []byte(`[{"a":1,"b":"x"},{"a":2}]`),
		[]byte(patchFile), waveFile(1, 2, 16, 48000, make([]byte, 64)),
		odsFile(`<table:table><table:table-row><table:table-cell office:value="1"/></table:table-row></table:table>`))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := Read(data)
		if err != nil {
			return
		}
		for _, c := range s.Columns {
			if len(c.Values)+len(c.Words) != s.Rows {
				t.Fatalf("%s has %d values of %d rows", c.Name, len(c.Values)+len(c.Words), s.Rows)
			}
		}
		for _, p := range Recognise(s, nil) {
			p.Mapping.Apply(s, nil)
		}
	})
}

func BenchmarkTenMillionFrameTimes(b *testing.B) {
	var text bytes.Buffer
	text.WriteString("frame time [ms]\n")
	for i := range 10_000_000 {
		fmt.Fprintf(&text, "%.3f\n", 16+float64(i%97)/50)
	}
	b.ReportAllocs()
	for b.Loop() {
		if s, err := Read(text.Bytes()); err != nil || s.Rows != 10_000_000 {
			b.Fatal(err)
		}
	}
}
