package results

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"durvek/core/analyse"
	"durvek/core/record"
	"durvek/desk"
)

// FramesOf says what a file of frame times was taken on, and how it is laid out.
type FramesOf struct {
	Test    string `query:"test" required:"true" doc:"Test with the analysis frames"`
	Subject string `query:"unit" required:"true" doc:"Unit that was measured"`
	Host    string `query:"host" doc:"Unit or rig that a part was measured in"`
	Place   string `query:"place" doc:"Port, slot or screen"`
	Setup   string `query:"setup" doc:"Setup; as delivered if empty"`
	Repeat  int    `query:"repeat" minimum:"0" doc:"Which repeat it is, from 0"`
	Date    string `query:"date" doc:"Day it was measured, YYYY-MM-DD; today if left out"`
	Set     string `query:"conditions" doc:"Conditions beside the setup's, KEY=VALUE, each after a semicolon"`
	analyse.FrameFile
}

// AddFrames records a run whose frame times are in a CSV table. Its figures are made as those of any other
// frame times are.
func (d *Results) AddFrames(ctx context.Context, data []byte, of FramesOf, by string) (record.Run, error) {
	conditions, err := pairs(of.Set, "a condition")
	if err != nil {
		return record.Run{}, err
	}
	// A typed run but for its readings, which the analysis makes.
	r, wrong, err := d.typedRun(ctx, Typed{Test: of.Test, Subject: of.Subject, Host: of.Host, Place: of.Place,
		Setup: of.Setup, Date: of.Date, Repeat: of.Repeat, Conditions: conditions}, by, record.FromFile)
	if err != nil {
		return r, err
	}
	wrong = slices.DeleteFunc(wrong, func(s string) bool { return s == noReading })
	t, err := d.desk.Store.Test(ctx, of.Test, 0)
	if known, err := desk.Found(err); err != nil {
		return r, err
	} else if known && t.Analysis != "frames" {
		wrong = append(wrong, fmt.Sprintf("test %q does not read frame times; give its definition `analysis: frames`",
			of.Test))
	}
	ms, generated, err := of.FrameFile.Read(bytes.NewReader(data))
	if err != nil {
		wrong = append(wrong, err.Error())
	}
	if len(wrong) > 0 {
		return r, desk.Refuse(desk.Invalid, "frame times refused: %s", strings.Join(wrong, "; "))
	}
	s, g := record.Series{Channel: "frame", Unit: "ms"}, record.Series{Channel: "generated", Unit: "1"}
	at := 0.0
	for i, x := range ms {
		at += x / 1000
		s.Times, s.Values = append(s.Times, at), append(s.Values, x)
		if generated != nil {
			v := 0.0
			if generated[i] {
				v = 1
			}
			g.Times, g.Values = append(g.Times, at), append(g.Values, v)
		}
	}
	r.Series = []record.Series{s}
	if generated != nil {
		r.Series = append(r.Series, g)
	}
	runs := []record.Run{r}
	if err := d.sittings(ctx, runs, func(i int, id string) { runs[i].Sitting = id }); err != nil {
		return r, err
	}
	if _, err := d.record(ctx, runs); err != nil {
		return r, err
	}
	return d.desk.Store.Run(ctx, r.ID)
}
