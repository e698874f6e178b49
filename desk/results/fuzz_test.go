package results

import (
	"bytes"
	"image"
	"image/jpeg"
	"testing"
	"time"
)

func FuzzReadLog(f *testing.F) {
	for _, s := range []string{"seconds,power.wall [W]\n1,2\n2,3\n",
		"time;noise [dB(A)]\n2026-11-23T10:00:00Z;31\n2026-11-23T10:00:01Z;\n", "seconds,a,b\n1,\n", "seconds\n",
		"seconds,a\n\"x\n", "seconds,a\n1,\"2\"3\n", "\ufeffseconds,x\n-1,1e300\n0,NaN\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		x, err := readLog(data, time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC))
		if err != nil {
			return
		}
		for i, at := range x.Times {
			if i > 0 && at <= x.Times[i-1] {
				t.Fatal("times do not rise")
			}
		}
		if len(x.Times) < 2 || len(x.Values) != len(x.Channels) {
			t.Fatalf("%d moments, %d channels, %d columns", len(x.Times), len(x.Channels), len(x.Values))
		}
	})
}

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
