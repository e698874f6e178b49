package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/analyse"
	"durvek/core/quantity"
	"durvek/core/record"
)

func (a *app) framesCmd() *cobra.Command {
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
	look.Unit = "ms"
	flagsOf(read, &look)
	var in api.FramesIn
	in.Unit = "ms"
	var conditions []string
	add := asking(a, "add FILE", "Record a run whose frame times are in a table",
		"durvek frames add harbour.csv --test harbour-flight --unit sound-16-32-1000-a --column frame_ms", api.AddFrames, &in,
		[]any{&in.RawBody, own{&in.Set}}, func(r record.Run) {
			for _, x := range r.Readings {
				text := fmt.Sprintf("%.4g", x.Value)
				if x.State == record.Missing {
					text = "missing: " + x.Reason
				}
				a.say("%s: %s", x.Measure, text)
			}
			a.say("Recorded as run %s.", r.ID)
		})
	add.Flags().StringArrayVar(&conditions, "condition", nil, "KEY=VALUE beside the setup's; may be repeated")
	add.PreRun = func(*cobra.Command, []string) { in.Set = strings.Join(conditions, ";") }
	return noun("frames", "Frame times from files", read, add)
}
