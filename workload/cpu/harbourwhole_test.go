package cpu_test

import (
	"bytes"
	"context"
	"image/png"
	"math"
	"testing"

	"durvek/core/record"
	"durvek/workload"
)

func TestTheWholePictureIsSeenToForm(t *testing.T) {
	w, _ := workload.Find("harbour-picture-whole")
	var seen []record.Sample
	out, err := w.Execute(context.Background(), workload.Env{Options: map[string]string{"paths": "65"},
		Report: func(s record.Sample) { seen = append(seen, s) }})
	if err != nil {
		t.Fatal(err)
	}
	last := seen[len(seen)-1]
	im, err := png.Decode(bytes.NewReader(last.Picture))
	if err != nil || im.Bounds().Dx() != 160 || im.Bounds().Dy() != 90 || last.Share != 1 {
		t.Errorf("%v, share %g", err, last.Share)
	}
	// Rounds are whole: 65 paths become 72.
	seconds, rate := out.Readings[0].Value, out.Readings[1].Value
	if got := rate * seconds * 1e6; math.Abs(got/(72*320*180)-1) > 1e-9 || out.Observed["option.paths"] != "65" {
		t.Errorf("%.0f paths were followed", got)
	}
	ctx, stop := context.WithCancel(context.Background())
	out, err = w.Execute(ctx, workload.Env{Options: map[string]string{"paths": "4096"},
		Report: func(record.Sample) { stop() }})
	if err == nil || len(out.Readings) > 0 {
		t.Errorf("an interrupt gives %v, %v", out.Readings, err)
	}
	if _, err := w.Execute(context.Background(), workload.Env{Options: map[string]string{"paths": "63"}}); err == nil {
		t.Error("a picture too grainy to be checked was made")
	}
}
