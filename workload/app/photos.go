package app

import (
	"bytes"
	"context"
	"crypto/sha256"
	"image"
	"image/jpeg"
	"math/rand/v2"
	"runtime"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/workload"
)

// The batch: how many photos, their size, and the share to which they are made smaller.
const (
	photos      = 8
	photoWide   = 1600
	photoHigh   = 1200
	photoShrink = 2
	photoDigest = "41db762f"
)

func init() {
	register(method.Test{
		Slug: "photo-batch", Name: "Photo batch", Repeats: 5, Seconds: 3,
		About: "8 photos of 1600 × 1200 are decoded from JPEG (ISO/IEC 10918-1), made smaller by half, sharpened and " +
			"encoded again, on all threads.",
		StandsFor: "Preparing a day's pictures for a report.", LimitedBy: "All cores: integer arithmetic and branches; " +
			"memory for the pictures in work.",
		Input: "Photos made from seed 17, held in memory.", Checked: "Digest of the encoded files.",
		Measures: rates("{picture}/min", 0.02, "rate", "rate"),
	}, func(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
		var files [photos][]byte
		for i := range files {
			files[i] = newPhoto(uint64(i))
		}
		digests := make([][32]byte, photos)
		mean, s, err := timed(ctx, env, "batch", 2, func() error {
			return together(runtime.NumCPU(), photos, func(i int) (err error) {
				digests[i], err = develop(files[i])
				return err
			})
		})
		out.Series = []record.Series{s}
		if err == nil {
			err = right(sum(digests), photoDigest)
		}
		if err != nil {
			return out, err
		}
		out.Readings = []record.Reading{workload.Reading("rate", photos*60/mean)}
		return out, nil
	})
}

// newPhoto makes a photo's file: soft shapes and noise.
func newPhoto(seed uint64) []byte {
	rng := rand.New(rand.NewPCG(17, seed))
	p := image.NewYCbCr(image.Rect(0, 0, photoWide, photoHigh), image.YCbCrSubsampleRatio420)
	plane := func(pix []uint8, wide int) {
		cx, cy := rng.IntN(wide), rng.IntN(wide)
		for i := range pix {
			x, y := i%wide-cx, i/wide-cy
			pix[i] = uint8((x*x+y*y)>>11 + (x*y)>>12 + rng.IntN(8))
		}
	}
	plane(p.Y, p.YStride)
	plane(p.Cb, p.CStride)
	plane(p.Cr, p.CStride)
	var b bytes.Buffer
	jpeg.Encode(&b, p, &jpeg.Options{Quality: 88}) // into memory: it cannot fail
	return b.Bytes()
}

// develop decodes, shrinks, sharpens and encodes one photo, and returns the digest of the file.
func develop(file []byte) (digest [32]byte, err error) {
	img, err := jpeg.Decode(bytes.NewReader(file))
	if err != nil {
		return digest, err
	}
	in, ok := img.(*image.YCbCr)
	if !ok {
		return digest, workload.ErrWrong
	}
	small := image.NewYCbCr(image.Rect(0, 0, photoWide/photoShrink, photoHigh/photoShrink), image.YCbCrSubsampleRatio420)
	shrink(small.Y, in.Y, small.YStride, in.YStride)
	shrink(small.Cb, in.Cb, small.CStride, in.CStride)
	shrink(small.Cr, in.Cr, small.CStride, in.CStride)
	sharpen(small.Y, small.YStride)
	var b bytes.Buffer
	if err := jpeg.Encode(&b, small, &jpeg.Options{Quality: 85}); err != nil {
		return digest, err
	}
	return sha256.Sum256(b.Bytes()), nil
}

// shrink takes the mean of 2 × 2 levels.
func shrink(out, in []uint8, wide, from int) {
	for y := 0; y < len(out)/wide; y++ {
		a, b := in[2*y*from:], in[(2*y+1)*from:]
		o := out[y*wide : (y+1)*wide]
		for x := range o {
			o[x] = uint8((int(a[2*x]) + int(a[2*x+1]) + int(b[2*x]) + int(b[2*x+1]) + 2) / 4)
		}
	}
}

// sharpen adds to each level half of what it stands out from its eight neighbours.
func sharpen(pix []uint8, wide int) {
	src := bytes.Clone(pix)
	for y := 1; y < len(pix)/wide-1; y++ {
		for x := 1; x < wide-1; x++ {
			i, around := y*wide+x, 0
			for _, k := range [8]int{-wide - 1, -wide, -wide + 1, -1, 1, wide - 1, wide, wide + 1} {
				around += int(src[i+k])
			}
			v := int(src[i]) + (8*int(src[i])-around)/16
			pix[i] = uint8(min(max(v, 0), 255))
		}
	}
}
