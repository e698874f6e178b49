package results

import (
	"bytes"
	"durvek/core/catalog"
	"durvek/desk"
	"durvek/store"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/jpeg"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestAPhotoIsBoundedByWhatItTakesToDraw(t *testing.T) {
	asPNG := func(m image.Image) []byte {
		var b bytes.Buffer
		if err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, m); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	asJPEG := func(w, h int) []byte {
		var b bytes.Buffer
		if err := jpeg.Encode(&b, image.NewGray(image.Rect(0, 0, w, h)), nil); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	// said is a picture that says to be of so many pixels; what it has of them nobody is to find out.
	said := func(m image.Image, w, h uint32) []byte {
		b := asPNG(m)
		binary.BigEndian.PutUint32(b[16:], w)
		binary.BigEndian.PutUint32(b[20:], h)
		binary.BigEndian.PutUint32(b[29:], crc32.ChecksumIEEE(b[12:29]))
		return b
	}
	dot := image.Rect(0, 0, 1, 1)
	scans := append(asJPEG(4000, 4000), bytes.Repeat([]byte{0xFF, 0xDA, 0, 2}, 15)...)
	for name, x := range map[string]struct {
		data []byte
		says string
	}{
		"61 million pixels":    {said(image.NewGray(dot), 7810, 7811), "at most 60 million"},
		"8 bytes a pixel":      {said(image.NewNRGBA64(dot), 6000, 5209), "takes too much to be drawn"},
		"16 scans of 16 MP":    {scans, "4000 × 4000 pixels, 16 scans"},
		"15 scans of 16 MP":    {scans[:len(scans)-4], ""},
		"the most that stays":  {asPNG(image.NewGray(image.Rect(0, 0, 6000, 4000))), ""},
		"a row more than that": {asPNG(image.NewGray(image.Rect(0, 0, 6000, 4001))), ""},
		"one long line":        {said(image.NewGray(dot), 30001, 1), "30000 on a side"},
		"fewer than it says":   {said(image.NewGray(dot), 30000, 1), "damaged"},
	} {
		clean, _, err := cleanPhoto(x.data)
		if (err == nil) != (x.says == "") || err != nil && !strings.Contains(err.Error(), x.says) {
			t.Errorf("%s: %v, want %q", name, err, x.says)
		}
		if err != nil {
			continue
		}
		c, _, err := image.DecodeConfig(bytes.NewReader(clean))
		if err != nil || c.Width*c.Height > KeptPixels || name == "the most that stays" && (c.Width != 6000 ||
			c.Height != 4000) {
			t.Errorf("%s is kept at %d × %d, %v", name, c.Width, c.Height, err)
		}
		if name == "a row more than that" && (c.Width != 5999 || c.Height != 4000) {
			t.Errorf("%s is kept at %d × %d", name, c.Width, c.Height)
		}
	}
}

// A kill between a photo's file and its row leaves a file of nobody's: it is put away, never lost.
func TestFilesOfNoPhotoArePutAway(t *testing.T) {
	dir := t.TempDir()
	open := func() *Results {
		t.Helper()
		d, err := desk.Open(t.Context(), desk.Options{Dir: dir})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { d.Close() })
		return &Results{desk: d, drawing: make(chan struct{}, 1)}
	}
	r := open()
	if err := r.putAway(t.Context()); err != nil {
		t.Fatalf("without photos: %v", err)
	}
	keep := func(name string) string {
		t.Helper()
		at := filepath.Join(dir, "attachments", name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(at), 0o700), os.WriteFile(at, []byte("x"), 0o600)); err != nil {
			t.Fatal(err)
		}
		return at
	}
	kept, lost, part := keep("ab/cd"), keep("ab/ef"), keep("ab/.part-1")
	if err := r.desk.Write(t.Context(), func(q *desk.Tx) error {
		return errors.Join(q.PutModel(t.Context(), catalog.Model{Slug: "m", Maker: "M", Name: "N", Kind: "laptop"}),
			q.PutVariant(t.Context(), catalog.Variant{Slug: "v", Model: "m", Name: "V"}, 0),
			q.PutUnit(t.Context(), catalog.Unit{Slug: "u", Variant: "v", Origin: "bought"}, 0),
			q.AddAttachment(t.Context(), store.Attachment{ID: "p", Digest: "abcd", Unit: "u", Media: "image/png", Name: "p"}))
	}); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if err := r.putAway(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	for at, there := range map[string]bool{kept: true, lost: false, part: false,
		filepath.Join(dir, "attachments", "put-away", "abef"): true} {
		if _, err := os.Stat(at); (err == nil) != there {
			t.Errorf("%s: %v, want there: %v", at, err, there)
		}
	}
}
