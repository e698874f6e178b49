package results

import (
	"bytes"
	"image"
	"image/jpeg"
	"testing"
)

func FuzzCleanPhoto(f *testing.F) {
	var picture bytes.Buffer
	if err := jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 9, 5)), nil); err != nil {
		f.Fatal(err)
	}
	b := picture.Bytes()
	f.Add(b)
	f.Add(b[:len(b)/2])
	exif := append([]byte{0xFF, 0xD8, 0xFF, 0xE1, 0, 34},
		"Exif\x00\x00II\x2a\x00\x08\x00\x00\x00\x01\x00\x12\x01\x03\x00\x01\x00\x00\x00\x06\x00\x00\x00"...)
	f.Add(append(exif, b[2:]...))
	f.Fuzz(func(t *testing.T, data []byte) {
		clean, media, err := cleanPhoto(data)
		if err == nil && (len(clean) == 0 || media == "" || bytes.Contains(clean, []byte("Exif\x00"))) {
			t.Fatalf("%d bytes of %q", len(clean), media)
		}
	})
}
