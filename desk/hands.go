package desk

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/document"
	"durvek/store"
)

// handsOn are the tests made by hand and the inspection sheets that every desk starts with.
//
//go:embed hands/*.yaml sheets/*.yaml
var handsOn embed.FS

// handsOnTests reads the tests by hand that ship with the program.
func handsOnTests() ([]method.Test, error) {
	names, err := fs.Glob(handsOn, "hands/*.yaml")
	if err != nil {
		return nil, err
	}
	var out []method.Test
	for _, name := range names {
		data, err := handsOn.ReadFile(name)
		if err != nil {
			return nil, err
		}
		_, t, err := readTest(data)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if err := firstProblem(name, t.Check()); err != nil {
			return nil, err
		}
		for i, m := range t.Measures {
			t.Measures[i].Unit, _ = unitCode(m.Unit)
		}
		out = append(out, t)
	}
	return out, nil
}

// Sheet is an inspection sheet: the tests by hand that a kind of device is looked over by, in order.
type Sheet struct {
	Format   string         `json:"format"`
	Slug     string         `json:"slug"`
	Name     string         `json:"name"`
	About    string         `json:"about,omitempty"`
	Subjects []catalog.Kind `json:"subjects,omitempty"`
	Parts    []SheetPart    `json:"parts"`
}

// SheetPart is a part of a sheet.
type SheetPart struct {
	Name  string   `json:"name"`
	Tests []string `json:"tests"`
}

// Sheets lists the inspection sheets, those for a kind of device or all.
func (d *Desk) Sheets(kind catalog.Kind) ([]Sheet, error) {
	names, err := fs.Glob(handsOn, "sheets/*.yaml")
	if err != nil {
		return nil, err
	}
	out := []Sheet{}
	for _, name := range names {
		data, err := handsOn.ReadFile(name)
		if err != nil {
			return nil, err
		}
		file, err := document.Read("sheet", data)
		var s Sheet
		if err == nil {
			err = file.Decode(sheetSchema, &s)
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if kind == "" || len(s.Subjects) == 0 || slices.Contains(s.Subjects, kind) {
			out = append(out, s)
		}
	}
	return out, nil
}

// Inspection is a sheet laid over one unit: what was found so far, test by test.
type Inspection struct {
	Sheet Sheet            `json:"sheet"`
	Unit  string           `json:"unit"`
	Title string           `json:"title"`
	Parts []InspectionPart `json:"parts"`
	Done  int              `json:"done"`
	All   int              `json:"all"`
}

// InspectionPart is a part of a sheet with its tests.
type InspectionPart struct {
	Name  string            `json:"name"`
	Tests []InspectionEntry `json:"tests"`
}

// InspectionEntry is a test of a sheet with the readings that a unit has.
type InspectionEntry struct {
	Test   method.Test    `json:"test"`
	Found  []InspectFound `json:"found" doc:"Latest reading of each measure"`
	Runs   int            `json:"runs"`
	Photos []Attachment   `json:"photos"`
}

// InspectFound is the latest reading of a measure.
type InspectFound struct {
	Measure string `json:"measure"`
	Text    string `json:"text"`
	Note    string `json:"note,omitempty"`
}

// Inspect lays the sheet for its kind over a unit.
func (d *Desk) Inspect(ctx context.Context, unit string) (Inspection, error) {
	x := Inspection{Unit: unit, Parts: []InspectionPart{}}
	u, err := d.store.Unit(ctx, unit)
	if err != nil {
		return x, missing(err, "unit", unit)
	}
	view, err := d.view(ctx)
	if err != nil {
		return x, err
	}
	v := view.variants[u.Variant]
	x.Title = v.FullName() + ", " + v.Note
	sheets, err := d.Sheets(v.Model.Kind)
	if err != nil {
		return x, err
	}
	if len(sheets) == 0 {
		return x, refuse(NotFound, "there is no inspection sheet for a %s", v.Model.Kind)
	}
	x.Sheet = sheets[0]
	photos, err := d.Attachments(ctx, store.AttachmentFilter{Unit: unit})
	if err != nil {
		return x, err
	}
	for _, part := range x.Sheet.Parts {
		p := InspectionPart{Name: part.Name, Tests: []InspectionEntry{}}
		for _, slug := range part.Tests {
			t, ok := view.tests[slug]
			if !ok || !t.Fits(v.Model.Kind) {
				continue
			}
			e := InspectionEntry{Test: t, Found: []InspectFound{}, Photos: []Attachment{}}
			runs, n, err := d.store.Runs(ctx, store.RunFilter{Subject: unit, Test: slug, Limit: 1})
			if err != nil {
				return x, err
			}
			e.Runs = n
			for _, r := range runs {
				for _, reading := range r.Readings {
					if m, ok := t.Measure(reading.Measure); ok {
						e.Found = append(e.Found, InspectFound{reading.Measure, m.Say(reading.Value, string(reading.State)), reading.Reason})
					}
				}
			}
			for _, a := range photos {
				if test, _ := method.Split(a.Measure); test == slug {
					e.Photos = append(e.Photos, a)
				}
			}
			x.All++
			if n > 0 {
				x.Done++
			}
			p.Tests = append(p.Tests, e)
		}
		if len(p.Tests) > 0 {
			x.Parts = append(x.Parts, p)
		}
	}
	return x, nil
}

// Attachment is a photo as it is listed.
type Attachment struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Media   string    `json:"media"`
	Size    int64     `json:"size"`
	Unit    string    `json:"unit"`
	Run     string    `json:"run,omitempty"`
	Measure string    `json:"measure,omitempty" doc:"Test, or test/measure, that it belongs to"`
	Caption string    `json:"caption,omitempty"`
	Added   time.Time `json:"added"`
}

// Attachments lists photos, the oldest first.
func (d *Desk) Attachments(ctx context.Context, f store.AttachmentFilter) ([]Attachment, error) {
	list, err := d.store.Attachments(ctx, f)
	out := []Attachment{}
	for _, a := range list {
		out = append(out, Attachment{a.ID, a.Name, a.Media, a.Size, a.Unit, a.Run, a.Measure, a.Caption, a.Added})
	}
	return out, err
}

// MostPixels bounds the photos that are taken in.
const MostPixels = 60e6

// AddPhoto takes in a photo of a unit, JPEG or PNG. What the camera wrote beside the picture (where, when,
// by which device) is left out: the picture alone is kept, upright, in a folder named by content.
func (d *Desk) AddPhoto(ctx context.Context, a Attachment, data []byte, by string) (Attachment, error) {
	if _, err := d.store.Unit(ctx, a.Unit); err != nil {
		return a, missing(err, "unit", a.Unit)
	}
	if a.Run != "" {
		r, err := d.store.Run(ctx, a.Run)
		if err != nil {
			return a, missing(err, "run", a.Run)
		}
		if r.Subject != a.Unit {
			return a, refuse(Invalid, "run %q is one of unit %q, not of %q", a.Run, r.Subject, a.Unit)
		}
	}
	clean, media, err := cleanPhoto(data)
	if err != nil {
		return a, err
	}
	sum := sha256.Sum256(clean)
	digest := hex.EncodeToString(sum[:])
	path := d.attachmentPath(digest)
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return a, err
	}
	if _, err := os.Stat(path); err != nil {
		if err := writeWhole(path, clean); err != nil {
			return a, fmt.Errorf("keep the photo: %w", err)
		}
	}
	a.ID, a.Media, a.Size, a.Added = newID(), media, int64(len(clean)), d.now()
	a.Name = cmp.Or(filepath.Base(strings.ReplaceAll(a.Name, "\\", "/")), "photo")
	return a, d.put(ctx, by, "add photo", a.Unit, func(q store.Queries) error {
		return q.AddAttachment(ctx, store.Attachment{ID: a.ID, Digest: digest, Name: a.Name, Media: media, Size: a.Size, Unit: a.Unit, Run: a.Run, Measure: a.Measure,
			Caption: a.Caption, Added: a.Added, By: by})
	})
}

func (d *Desk) attachmentPath(digest string) string {
	return filepath.Join(d.dir, "attachments", digest[:2], digest[2:])
}

// Photo reads a photo's bytes.
func (d *Desk) Photo(ctx context.Context, id string) (data []byte, media string, err error) {
	a, err := d.store.Attachment(ctx, id)
	if err != nil {
		return nil, "", missing(err, "photo", id)
	}
	data, err = os.ReadFile(d.attachmentPath(a.Digest))
	if errors.Is(err, fs.ErrNotExist) {
		err = refuse(NotFound, "the file of photo %q is gone from the data folder", id)
	}
	return data, a.Media, err
}

func writeWhole(path string, data []byte) error {
	f, err := os.CreateTemp(filepath.Dir(path), ".part-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	_, err = f.Write(data)
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	return err
}

// cleanPhoto draws a picture anew, upright, so that nothing but the picture is left.
func cleanPhoto(data []byte) (clean []byte, media string, err error) {
	c, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil || kind != "jpeg" && kind != "png" {
		return nil, "", refuse(Invalid, "a photo is a JPEG or PNG picture")
	}
	if float64(c.Width)*float64(c.Height) > MostPixels {
		return nil, "", refuse(Invalid, "a photo of %d × %d pixels is too large; at most %d million are taken in", c.Width, c.Height, int(MostPixels/1e6))
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, "", refuse(Invalid, "the picture is damaged: %v", err)
	}
	var out bytes.Buffer
	if kind == "png" {
		err = png.Encode(&out, img)
		return out.Bytes(), "image/png", err
	}
	err = jpeg.Encode(&out, upright(img, orientation(data)), &jpeg.Options{Quality: 90})
	return out.Bytes(), "image/jpeg", err
}

// upright turns a picture as its camera says that it is held (Exif 2.3, tag 0x0112).
func upright(img image.Image, orientation int) image.Image {
	if orientation < 2 || orientation > 8 {
		return img
	}
	b := img.Bounds()
	w, h := b.Dx(), b.Dy()
	ow, oh := w, h
	if orientation >= 5 {
		ow, oh = h, w
	}
	out := image.NewRGBA(image.Rect(0, 0, ow, oh))
	for y := range h {
		for x := range w {
			tx, ty := x, y
			switch orientation {
			case 2:
				tx = w - 1 - x
			case 3:
				tx, ty = w-1-x, h-1-y
			case 4:
				ty = h - 1 - y
			case 5:
				tx, ty = y, x
			case 6:
				tx, ty = h-1-y, x
			case 7:
				tx, ty = h-1-y, w-1-x
			case 8:
				tx, ty = y, w-1-x
			}
			out.Set(tx, ty, img.At(b.Min.X+x, b.Min.Y+y))
		}
	}
	return out
}

// orientation reads a JPEG file's Exif orientation; 1 where it says none.
func orientation(data []byte) int {
	for i := 2; i+4 <= len(data) && data[i] == 0xFF; {
		size := int(data[i+2])<<8 | int(data[i+3])
		if size < 2 || i+2+size > len(data) || data[i+1] == 0xDA {
			break
		}
		segment := data[i+4 : i+2+size]
		if data[i+1] == 0xE1 && bytes.HasPrefix(segment, []byte("Exif\x00\x00")) {
			return exifOrientation(segment[6:])
		}
		i += 2 + size
	}
	return 1
}

func exifOrientation(tiff []byte) int {
	if len(tiff) < 14 {
		return 1
	}
	little := tiff[0] == 'I'
	u16 := func(i int) int {
		if i+2 > len(tiff) || i < 0 {
			return 0
		}
		if little {
			return int(tiff[i]) | int(tiff[i+1])<<8
		}
		return int(tiff[i])<<8 | int(tiff[i+1])
	}
	u32 := func(i int) int {
		if little {
			return u16(i) | u16(i+2)<<16
		}
		return u16(i)<<16 | u16(i+2)
	}
	at := u32(4)
	for k := range u16(at) {
		if e := at + 2 + 12*k; u16(e) == 0x0112 {
			return u16(e + 8)
		}
	}
	return 1
}

// NotePairing takes in what a person found of a part with a partner.
func (d *Desk) NotePairing(ctx context.Context, p compare.Pair, by string) error {
	var wrong []string
	if _, err := d.store.Unit(ctx, p.Part); err != nil {
		wrong = append(wrong, fmt.Sprintf("no unit %q is known to be the part", p.Part))
	}
	if p.Outcome != "works" && p.Outcome != "fails" {
		wrong = append(wrong, fmt.Sprintf("a pair works or fails, it does not %q", p.Outcome))
	}
	if p.Partner == "" {
		wrong = append(wrong, "name the partner: a unit, a rig, or any other thing by its name")
	}
	if len(wrong) > 0 {
		return refuse(Invalid, "pairing refused: %s", strings.Join(wrong, "; "))
	}
	return d.put(ctx, by, "note pairing", p.Part, func(q store.Queries) error {
		return q.AddPairing(ctx, store.Pairing{ID: newID(), Part: p.Part, Partner: p.Partner, Place: p.Place, Firmware: p.Firmware, Outcome: p.Outcome, How: strings.Join(p.How, "; "), At: d.now(), By: by})
	})
}

// Partners is the matrix of what works with what, of one part or of all. It fills itself from every run of
// a part in a host; checks and notes by hand add to it.
func (d *Desk) Partners(ctx context.Context, part string) ([]compare.Pair, error) {
	runs, err := d.store.HostedRuns(ctx, part)
	if err != nil {
		return nil, err
	}
	var facts []compare.Fact
	for _, r := range runs {
		f := compare.Fact{Part: r.Part, Partner: r.Partner, Place: r.Place, At: r.At, Works: r.Outcome == "done" && !r.Failed,
			Firmware: cmp.Or(r.Negotiated["drive.firmware"], r.Observed["firmware"])}
		switch {
		case r.Outcome == "not-run":
			continue // says nothing of the two
		case r.Failed:
			f.How = r.Test + " did not pass"
		case !f.Works:
			f.How = r.Test + ": " + r.Failure
		default:
			f.How = cmp.Or(r.Negotiated["link.usb"], r.Negotiated["link.drive"])
		}
		facts = append(facts, f)
	}
	notes, err := d.store.Pairings(ctx, part)
	if err != nil {
		return nil, err
	}
	for _, n := range notes {
		facts = append(facts, compare.Fact{Part: n.Part, Partner: n.Partner, Place: n.Place, Firmware: n.Firmware, Works: n.Outcome == "works", How: n.How, At: n.At})
	}
	return compare.Partners(facts), nil
}
