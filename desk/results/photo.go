package results

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io/fs"
	"log/slog"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"durvek/desk"
	"durvek/internal/durable"
	"durvek/publish"
	"durvek/store"

	"golang.org/x/image/draw"
)

// Attachment is a photo as it is listed.
type Attachment struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Media   string    `json:"media"`
	Size    int64     `json:"size"`
	Unit    string    `json:"unit"`
	Run     string    `json:"run,omitempty"`
	Measure string    `json:"measure,omitempty" doc:"Test, or test/measure, that it belongs to"`
	Doubt   string    `json:"doubt,omitempty" doc:"Doubt that it is evidence of"`
	Caption string    `json:"caption,omitempty"`
	Added   time.Time `json:"added"`
}

// Attachments lists photos, the oldest first.
func (d *Results) Attachments(ctx context.Context, f store.AttachmentFilter) ([]Attachment, error) {
	list, err := d.desk.Store.Attachments(ctx, f)
	out := []Attachment{}
	for _, a := range list {
		out = append(out, Attachment{a.ID, a.Name, a.Media, a.Size, a.Unit, a.Run, a.Measure, a.Doubt, a.Caption,
			a.Added})
	}
	return out, err
}

// What a photo may be: of so many pixels, as memory holds them and as often as a picture of many scans draws each. A
// few hundred bytes can stand for all of them. One is drawn at a time.
const (
	MostPixels = 60e6
	mostDrawn  = 250e6 // pixels times scans
	mostMemory = 250e6 // bytes of the picture as it is drawn
	KeptPixels = 24e6  // a larger one is kept smaller
	mostSide   = 30000
)

// AddPhoto takes in a photo of a unit, JPEG or PNG. What the camera wrote beside the picture (where, when,
// by which device) is left out: the picture alone is kept, upright, in a folder named by content.
func (d *Results) AddPhoto(ctx context.Context, a Attachment, data []byte, by string) (Attachment, error) {
	if _, err := d.desk.Store.Unit(ctx, a.Unit); err != nil {
		return a, desk.Missing(err, "unit", a.Unit)
	}
	if a.Run != "" {
		r, err := d.desk.Store.Run(ctx, a.Run)
		if err != nil {
			return a, desk.Missing(err, "run", a.Run)
		}
		if r.Subject != a.Unit {
			return a, desk.Refuse(desk.Invalid, "run %q is one of unit %q, not of %q", a.Run, r.Subject, a.Unit)
		}
	}
	if a.Doubt != "" {
		x, err := d.desk.Store.Doubt(ctx, a.Doubt)
		if err != nil {
			return a, desk.Missing(err, "doubt", a.Doubt)
		}
		if x.Subject != a.Unit {
			return a, desk.Refuse(desk.Invalid, "doubt %q is about unit %q, not %q", a.Doubt, x.Subject, a.Unit)
		}
	}
	clean, media, err := d.draw(ctx, data)
	if err != nil {
		return a, err
	}
	digest, err := d.keepFile(clean)
	if err != nil {
		return a, err
	}
	a.ID, a.Media, a.Size, a.Added = desk.NewID(), media, int64(len(clean)), d.desk.Now()
	a.Name = cmp.Or(filepath.Base(strings.ReplaceAll(a.Name, "\\", "/")), "photo")
	return a, d.desk.Note(ctx, by, "add photo", a.Unit, "", func(q *desk.Tx) error {
		return q.AddAttachment(ctx, store.Attachment{ID: a.ID, Digest: digest, Name: a.Name, Media: media, Size: a.Size,
			Unit: a.Unit, Run: a.Run, Measure: a.Measure, Doubt: a.Doubt,
			Caption: a.Caption, Added: a.Added, By: by})
	})
}

// putAway moves files of photos that no row speaks of out of the way, as a kill between file and row leaves them, and
// says which photos have lost theirs.
func (d *Results) putAway(ctx context.Context) error {
	known, err := d.desk.Store.AttachmentDigests(ctx)
	if err != nil {
		return err
	}
	root := filepath.Join(d.desk.Dir, "attachments")
	speaks, there := map[string]bool{}, map[string]bool{}
	for _, digest := range known {
		speaks[digest] = true
	}
	err = filepath.WalkDir(root, func(at string, e fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case e.IsDir():
			if e.Name() == "put-away" {
				return fs.SkipDir
			}
			return nil
		case strings.HasPrefix(e.Name(), ".part-"):
			return os.Remove(at)
		}
		digest := filepath.Base(filepath.Dir(at)) + e.Name()
		if there[digest] = speaks[digest]; there[digest] {
			return nil
		}
		slog.Warn("a file that no photo or run speaks of is put away", "file", at)
		if err := os.MkdirAll(filepath.Join(root, "put-away"), 0o700); err != nil {
			return err
		}
		return durable.Rename(at, filepath.Join(root, "put-away", digest))
	})
	if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	for _, digest := range known {
		if !there[digest] {
			slog.Error("the file of a photo or run is gone; restore it from a backup", "file", d.attachmentPath(digest))
		}
	}
	return err
}

func (d *Results) attachmentPath(digest string) string {
	return filepath.Join(d.desk.Dir, "attachments", digest[:2], digest[2:])
}

// Photo reads a photo's bytes.
func (d *Results) Photo(ctx context.Context, id string) (data []byte, media string, err error) {
	a, err := d.desk.Store.Attachment(ctx, id)
	if err != nil {
		return nil, "", desk.Missing(err, "photo", id)
	}
	data, err = os.ReadFile(d.attachmentPath(a.Digest))
	if errors.Is(err, fs.ErrNotExist) {
		err = desk.Refuse(desk.NotFound, "the file of photo %q is gone from the data folder", id)
	}
	return data, a.Media, err
}

// shownPixels is how large a published photo is at most: 1600 × 1067.
const shownPixels = 1.7e6

// Shown gives the newest photos of units as a page shows them: smaller, as JPEG.
func (d *Results) Shown(ctx context.Context, units []string, most int) (out []publish.Photo, err error) {
	for _, u := range units {
		list, err := d.desk.Store.Attachments(ctx, store.AttachmentFilter{Unit: u})
		if err != nil {
			return nil, err
		}
		for _, a := range slices.Backward(list) {
			if a.Doubt != "" || a.Run != "" || len(out) == most {
				continue // evidence of one run shows no product
			}
			data, _, err := d.Photo(ctx, a.ID)
			if err != nil {
				return nil, err
			}
			if data, err = d.small(ctx, data); err != nil {
				return nil, err
			}
			out = append(out, publish.Photo{Caption: cmp.Or(a.Caption, "The sample that was measured"), Data: data})
		}
	}
	return out, nil
}

// small draws a photo as a page shows it, when no other is being drawn.
func (d *Results) small(ctx context.Context, data []byte) ([]byte, error) {
	done, err := d.turn(ctx)
	if err != nil {
		return nil, err
	}
	defer done()
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err = jpeg.Encode(&out, smaller(img, shownPixels), &jpeg.Options{Quality: 82})
	return out.Bytes(), err
}

// draw makes a clean photo when no other is being drawn.
func (d *Results) draw(ctx context.Context, data []byte) (clean []byte, media string, err error) {
	done, err := d.turn(ctx)
	if err != nil {
		return nil, "", err
	}
	defer done()
	return cleanPhoto(data)
}

// turn waits until no other large file is worked on; photos and raw measurements take a good part of the memory each.
func (d *Results) turn(ctx context.Context) (done func(), err error) {
	select {
	case d.drawing <- struct{}{}:
		return func() { <-d.drawing }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// cleanPhoto draws a picture anew, upright, so that nothing but the picture is left.
func cleanPhoto(data []byte) (clean []byte, media string, err error) {
	c, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil || kind != "jpeg" && kind != "png" {
		return nil, "", desk.Refuse(desk.Invalid, "a photo is a JPEG or PNG picture")
	}
	if float64(c.Width)*float64(c.Height) > MostPixels || c.Width > mostSide || c.Height > mostSide {
		return nil, "", desk.Refuse(desk.Invalid, "a photo of %d × %d pixels is too large; at most %d million are taken in, "+
			"%d on a side", c.Width, c.Height, int(MostPixels/1e6), mostSide)
	}
	pixels := float64(c.Width) * float64(c.Height)
	deep := 4.0
	if c.ColorModel == color.NRGBA64Model || c.ColorModel == color.RGBA64Model {
		deep = 8
	}
	if scans := bytes.Count(data, []byte{0xFF, 0xDA}); kind == "jpeg" && pixels*float64(scans) > mostDrawn ||
		pixels*deep > mostMemory {
		return nil, "", desk.Refuse(desk.Invalid, "this picture takes too much to be drawn (%d × %d pixels, %d scans, %g "+
			"bytes "+
			"each); save it smaller, as a plain JPEG", c.Width, c.Height, max(1, scans), deep)
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, "", desk.Refuse(desk.Invalid, "the picture is damaged: %v", err)
	}
	img = smaller(img, KeptPixels)
	var out bytes.Buffer
	if kind == "png" {
		err = png.Encode(&out, img)
		return out.Bytes(), "image/png", err
	}
	err = jpeg.Encode(&out, upright(img, orientation(data)), &jpeg.Options{Quality: 90})
	return out.Bytes(), "image/jpeg", err
}

// smaller brings a picture down to so many pixels.
func smaller(img image.Image, pixels float64) image.Image {
	b := img.Bounds()
	by := math.Sqrt(pixels / (float64(b.Dx()) * float64(b.Dy())))
	if by >= 1 {
		return img
	}
	out := image.NewNRGBA(image.Rect(0, 0, max(1, int(by*float64(b.Dx()))), max(1, int(by*float64(b.Dy())))))
	draw.ApproxBiLinear.Scale(out, out.Bounds(), img, b, draw.Src, nil)
	return out
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
