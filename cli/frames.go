package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"durvek/client"
	"durvek/core/analyse"
	"durvek/core/quantity"
	"durvek/core/record"
)

func (a *app) framesCmd() *cobra.Command {
	layout := func(f *pflag.FlagSet, x *analyse.FrameFile) {
		f.StringVar(&x.Column, "column", "", "column of the frame times; left out where the table has one column")
		f.StringVar(&x.Unit, "unit-of-time", "ms", "unit that the column is in")
		f.BoolVar(&x.Moments, "moments", false, "the column holds the moment of each frame, not how long it took")
		f.StringVar(&x.Generated, "generated", "", "column that is 1, true or yes for frames generated between rendered ones")
	}
	var look analyse.FrameFile
	read := verb("read FILE", "Say what a table of frame times holds, by the definitions printed with it; nothing is "+
		"recorded", "durvek frames read harbour.csv --column frame_ms", 1, func(cmd *cobra.Command, args []string) error {
		data, err := a.readFile(args[0])
		if err != nil {
			return err
		}
		ms, generated, err := look.Read(bytes.NewReader(data))
		if err != nil {
			return err
		}
		x, err := analyse.FrameTimes(ms, generated)
		if err != nil {
			return err
		}
		if a.json {
			return json.NewEncoder(a.out).Encode(x)
		}
		rows := [][]any{{"Mean rate", quantity.Format(x.Mean, "{frame}/s")}}
		if x.Generated > 0 {
			rows = append(rows, []any{"Shown, with generated frames", quantity.Format(x.Shown, "{frame}/s")})
		}
		if x.P99 > 0 {
			rows = append(rows, []any{"1 % low", quantity.Format(x.Low, "{frame}/s")}, []any{"99th percentile",
				quantity.Format(x.P99, "ms")}, []any{"Stutters", fmt.Sprintf("%d, %s", x.Stutters, quantity.Format(x.Share, "%"))})
		}
		a.print([]string{"Figure", "→Value"}, rows)
		a.say("%d frames in %.1f s%s.", x.Count, x.Seconds, note("; ", x.Warning))
		a.say("%s", analyse.FramesDefined)
		return nil
	})
	layout(read.Flags(), &look)
	var file analyse.FrameFile
	var test, unit, host, place, setup, date string
	var repeat int
	var conditions []string
	add := verb("add FILE", "Record a run whose frame times are in a table",
		"durvek frames add harbour.csv --test harbour-flight --unit sound-16-32-1000-a --column frame_ms", 1,
		func(cmd *cobra.Command, args []string) error {
			data, err := a.readFile(args[0])
			if err != nil {
				return err
			}
			q := client.Query("test", test, "unit", unit, "host", host, "place", place, "setup", setup, "date", date, "repeat",
				zero(repeat), "column", file.Column, "unit-of-time", file.Unit, "generated", file.Generated, "conditions",
				strings.Join(conditions, ";"))
			if file.Moments {
				q.Set("moments", "true")
			}
			return post(a, cmd, "/api/frames", q, data, func(r record.Run) {
				for _, x := range r.Readings {
					text := fmt.Sprintf("%.4g", x.Value)
					if x.State == record.Missing {
						text = "missing: " + x.Reason
					}
					a.say("%s: %s", x.Measure, text)
				}
				a.say("Recorded as run %s.", r.ID)
			})
		})
	f := add.Flags()
	layout(f, &file)
	f.StringVar(&test, "test", "", "test with the analysis frames")
	f.StringVar(&unit, "unit", "", "unit that was measured")
	f.StringVar(&host, "host", "", "unit or rig that a part was measured in")
	f.StringVar(&place, "place", "", "port, slot or screen")
	f.StringVar(&setup, "setup", "", "setup; as-delivered if left out")
	f.StringVar(&date, "date", "", "day it was measured, YYYY-MM-DD")
	f.IntVar(&repeat, "repeat", 0, "which repeat it is, from 0")
	f.StringArrayVar(&conditions, "condition", nil, "KEY=VALUE beside the setup's; may be repeated")
	return noun("frames", "Frame times from files", read, add)
}
