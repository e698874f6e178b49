package cli

import (
	"fmt"
	"net/http"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"durvek/client"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/desk/results"
)

func (a *app) sheetCmd() *cobra.Command {
	var kind string
	list := verb("list", "List inspection sheets", "durvek sheet list --kind laptop", 0, func(cmd *cobra.Command,
		_ []string) error {
		return get(a, cmd, "/api/sheets", client.Query("kind", kind), func(ss []method.Sheet) {
			var rows [][]any
			for _, s := range ss {
				for _, p := range s.Parts {
					rows = append(rows, []any{s.Slug, s.Name, p.Name, strings.Join(p.Tests, ", ")})
				}
			}
			a.print([]string{"Sheet", "Name", "Part", "Tests"}, rows)
		})
	})
	list.Flags().StringVar(&kind, "kind", "", "only those for this kind of device")
	show := verb("show UNIT", "Show a unit's inspection sheet with what was found so far",
		"durvek sheet show fen-14-16-512-a", 1, func(cmd *cobra.Command, args []string) error {
			return get(a, cmd, "/api/inspections/"+client.Slug(args[0]), nil, func(x results.Inspection) {
				a.say("%s: %s. %d of %d found.", x.Title, x.Sheet.Name, x.Done, x.All)
				var rows [][]any
				for _, p := range x.Parts {
					for _, e := range p.Tests {
						for _, m := range e.Test.Measures {
							found, remark := "—", ""
							for _, f := range e.Found {
								if f.Measure == m.Slug {
									found, remark = f.Text, f.Note
								}
							}
							rows = append(rows, []any{p.Name, e.Test.Slug, m.Slug, e.Test.Hands, found, remark})
						}
					}
				}
				a.print([]string{"Part", "Test", "Measure", "How", "Found", "Note"}, rows)
				a.say("Enter what you find with: durvek reading add %s TEST MEASURE=VALUE", x.Unit)
			})
		})
	return noun("sheet", "What to look at and try by hand, per kind of device", list, show)
}

func (a *app) photoCmd() *cobra.Command {
	var run, measure, caption string
	add := verb("add UNIT FILE", "Take in a photo of a unit; what the camera wrote beside the picture is left out",
		"durvek photo add fen-14-16-512-a port.jpg --measure ports/power --caption 'No word that it does not charge'", 2,
		func(cmd *cobra.Command, args []string) error {
			data, err := a.readFile(args[1])
			if err != nil {
				return err
			}
			q := client.Query("unit", args[0], "run", run, "measure", measure, "caption", caption, "name",
				filepath.Base(args[1]))
			return post(a, cmd, "/api/photos", q, data, func(x results.Attachment) {
				a.say("Photo %s is kept, %s without what stood beside the picture.", x.ID, bytesText(x.Size))
			})
		})
	add.Flags().StringVar(&run, "run", "", "run that it shows")
	add.Flags().StringVar(&measure, "measure", "", "test, or test/measure, that it belongs to")
	add.Flags().StringVar(&caption, "caption", "", "what is seen on it")
	list := verb("list UNIT", "List a unit's photos", "durvek photo list fen-14-16-512-a", 1, func(cmd *cobra.Command,
		args []string) error {
		return get(a, cmd, "/api/photos", client.Query("unit", args[0]), func(xs []results.Attachment) {
			var rows [][]any
			for _, x := range xs {
				rows = append(rows, []any{x.ID, x.Name, x.Measure, x.Caption, bytesText(x.Size),
					x.Added.Format("2006-01-02 15:04")})
			}
			a.print([]string{"Photo", "File", "Belongs to", "Shows", "→Size", "Added (UTC)"}, rows)
		})
	})
	var out string
	save := verb("save PHOTO", "Save a photo as a file", "durvek photo save 01995c3e-… -o port.jpg", 1,
		func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			var data []byte
			if err := c.Do(cmd.Context(), http.MethodGet, "/api/photos/"+client.Slug(args[0]), nil, nil, &data); err != nil {
				return err
			}
			return a.writeOut(out, data)
		})
	save.Flags().StringVarP(&out, "output", "o", "photo.jpg", "file")
	return noun("photo", "Photos of units", add, list, save)
}

func (a *app) partnerCmd() *cobra.Command {
	var part string
	list := verb("list", "Show what works with what: part, partner, place, firmware",
		"durvek partner list --part gannet-2000-a", 0, func(cmd *cobra.Command, _ []string) error {
			return get(a, cmd, "/api/partners", client.Query("part", part), func(ps []compare.Pair) {
				var rows [][]any
				for _, p := range ps {
					rows = append(rows, []any{p.Part, p.Partner, p.Place, p.Firmware, p.Outcome, p.Works, p.Fails, strings.Join(p.How,
						"; ")})
				}
				a.print([]string{"Part", "Partner", "Place", "Firmware", "Outcome", "→Worked", "→Failed", "How"}, rows)
			})
		})
	list.Flags().StringVar(&part, "part", "", "only this unit's")
	note := map[string]string{}
	add := verb("note PART PARTNER", "Note that a part works or fails with a partner",
		"durvek partner note narrows-hub-a inlet-6-128-a --fails --how 'no power reaches the phone'", 2,
		func(cmd *cobra.Command, args []string) error {
			note["part"], note["partner"], note["outcome"] = args[0], args[1], "works"
			if fails, _ := cmd.Flags().GetBool("fails"); fails {
				note["outcome"] = "fails"
			}
			for _, k := range []string{"place", "firmware", "how"} {
				note[k], _ = cmd.Flags().GetString(k)
			}
			return post(a, cmd, "/api/partners", nil, note, func(struct{}) {
				a.say("Noted: %s %s with %s.", args[0],
					note["outcome"], args[1])
			})
		})
	add.Flags().Bool("fails", false, "it does not work; without this it works")
	add.Flags().String("place", "", "port, slot or screen")
	add.Flags().String("firmware", "", "firmware of part or partner")
	add.Flags().String("how", "", "how it works, or what goes wrong")
	return noun("partner", "What works with what", list, add)
}

func (a *app) incidentCmd() *cobra.Command {
	var x record.Incident
	add := verb("add UNIT", "Note an incident, or how often something happened out of so many tries",
		"durvek incident add narrows-hub-a --kind slow-link --host fen-14-16-512-a --place 'right port' --times 1 --tries 4",
		1, func(cmd *cobra.Command, args []string) error {
			in := map[string]any{"unit": args[0], "host": x.Host, "place": x.Place, "kind": x.Kind, "text": x.Text,
				"times": x.Times, "tries": x.Tries}
			return post(a, cmd, "/api/incidents", nil, in, func(x record.Incident) {
				a.say("Noted: %s, %d time(s)%s.", x.Kind, x.Times, note(" in ", zero(x.Tries)))
			})
		})
	f := add.Flags()
	f.StringVar((*string)(&x.Kind), "kind", "", "crash, hang, disconnection, refusal, failure, or a kind of your own "+
		"such as slow-link")
	f.StringVar(&x.Host, "host", "", "unit or rig that it was used with")
	f.StringVar(&x.Place, "place", "", "port, slot, screen or surface")
	f.StringVar(&x.Text, "text", "", "what happened")
	f.IntVar(&x.Times, "times", 1, "how often it happened; 0 for tries without trouble")
	f.IntVar(&x.Tries, "tries", 0, "out of how many tries; left out, the unit's runs count")
	add.MarkFlagRequired("kind")
	var unit, plan string
	list := verb("list", "List incidents, the newest first", "durvek incident list --unit cuddy-8-256-a", 0,
		func(cmd *cobra.Command, _ []string) error {
			return get(a, cmd, "/api/incidents", client.Query("unit", unit, "plan", plan), func(l struct {
				Incidents []record.Incident
				Total     int
			}) {
				var rows [][]any
				for _, x := range l.Incidents {
					times := fmt.Sprint(x.Times)
					if x.Tries > 0 {
						times = fmt.Sprintf("%d of %d", x.Times, x.Tries)
					}
					rows = append(rows, []any{x.At.Format("2006-01-02 15:04:05"), x.Unit, x.Kind,
						strings.TrimSpace(x.Host + " " + x.Place), times, x.Text + note(" Last: ", sensorText(x.Last))})
				}
				a.print([]string{"At (UTC)", "Unit", "Kind", "With", "→Times", "What"}, rows)
				a.say("%d of %d incidents.", len(l.Incidents), l.Total)
			})
		})
	list.Flags().StringVar(&unit, "unit", "", "only this unit's")
	list.Flags().StringVar(&plan, "plan", "", "only this plan's")
	rate := verb("rate", "Say how often each kind of incident happens, with intervals, per host and place",
		"durvek incident rate --unit narrows-hub-a", 0, func(cmd *cobra.Command, _ []string) error {
			return get(a, cmd, "/api/incident-rates", client.Query("unit", unit), func(rs []record.IncidentRate) {
				var rows [][]any
				for _, r := range rs {
					with := strings.TrimSpace(r.Host + " " + r.Place)
					if with == "" {
						with = "over all"
					}
					rows = append(rows, []any{r.Unit, with, r.Sentence})
				}
				a.print([]string{"Unit", "With", "Rate"}, rows)
			})
		})
	rate.Flags().StringVar(&unit, "unit", "", "only this unit's")
	return noun("incident", "Crashes, hangs, disconnections, and whatever else happened now and then", add, list, rate)
}

// sensorText says the most telling of what sensors said last.
func sensorText(last map[string]float64) string {
	var parts []string
	for _, c := range record.ChannelVocabulary {
		if v, ok := last[c.Name]; ok && len(parts) < 4 {
			parts = append(parts, strings.ReplaceAll(c.Name, ".", " ")+" "+quantity.Format(v, c.Unit))
		}
	}
	return strings.Join(parts, ", ")
}

func (a *app) conditionCmd() *cobra.Command {
	var c method.ConditionKey
	add := verb("add KEY", "Add a condition of the desk's own; its key begins with own.",
		"durvek condition add own.table-fan --name 'Table fan' --meaning 'off, or its step'", 1, func(cmd *cobra.Command,
			args []string) error {
			c.Key = args[0]
			return post(a, cmd, "/api/conditions", nil, c, func(x method.ConditionKey) {
				a.say("Condition %s is known; "+
					"setups and readings may name it.", x.Key)
			})
		})
	add.Flags().StringVar(&c.Name, "name", "", "name")
	add.Flags().StringVar(&c.Meaning, "meaning", "", "what its values are")
	list := verb("list", "List the conditions of the desk's own", "durvek condition list", 0, func(cmd *cobra.Command,
		_ []string) error {
		return get(a, cmd, "/api/conditions", nil, func(cs []method.ConditionKey) {
			var rows [][]any
			for _, c := range cs {
				rows = append(rows, []any{c.Key, c.Name, c.Meaning})
			}
			a.print([]string{"Key", "Name", "Meaning"}, rows)
		})
	})
	return noun("condition", "Conditions beside the built-in vocabulary", add, list)
}

// traceCmds are the commands about what sensors told during a run.
func (a *app) traceCmds() (*cobra.Command, []*cobra.Command) {
	var out string
	trace := verb("trace RUN", "Show what the sensors told during a run", "durvek run trace 01995c3e-… -o trace.csv", 1,
		func(cmd *cobra.Command, args []string) error {
			path := "/api/runs/" + client.Slug(args[0]) + "/trace"
			if out != "" {
				c, err := a.client()
				if err != nil {
					return err
				}
				var data []byte
				if err := c.Do(cmd.Context(), http.MethodGet, path+".csv", nil, nil, &data); err != nil {
					return err
				}
				return a.writeOut(out, data)
			}
			return get(a, cmd, path, client.Query("points", "240"), func(v results.TraceView) {
				a.say("%s of trace, %d samples.", leftText(v.To-v.From), v.Samples)
				var rows [][]any
				for _, s := range v.Series {
					rows = append(rows, []any{s.Channel, quantity.Symbol(s.Unit), quantity.Number(slices.Min(s.Values), 3),
						quantity.Number(slices.Max(s.Values), 3), quantity.Number(s.Values[len(s.Values)-1], 3), strip(s.Values, 48)})
				}
				a.print([]string{"Channel", "Unit", "→Lowest", "→Highest", "→Last", "Course"}, rows)
				if len(v.Phases) > 0 {
					var names []string
					for _, p := range v.Phases[:min(len(v.Phases), 12)] {
						names = append(names, fmt.Sprintf("%s at %.0f s", p.Name, p.At))
					}
					a.say("Phases: %s", strings.Join(names, ", "))
				}
			})
		})
	trace.Flags().StringVarP(&out, "output", "o", "", "write the whole trace as CSV to this file")
	var name, shift string
	lay := verb("lay-log RUN FILE", "Lay an outside sensor's log (CSV) beside a run; its clock's offset is found by "+
		"correlation", "durvek run lay-log 01995c3e-… wall-meter.csv --name 'wall meter'", 2, func(cmd *cobra.Command,
		args []string) error {
		data, err := a.readFile(args[1])
		if err != nil {
			return err
		}
		if name == "" {
			name = filepath.Base(args[1])
		}
		return post(a, cmd, "/api/runs/"+client.Slug(args[0])+"/logs", client.Query("name", name, "shift", shift), data,
			func(o results.OutsideLog) {
				text := fmt.Sprintf("Log %s lies beside the run, shifted by %.2f s", o.ID, o.Shift)
				if o.Correlation != nil {
					text += fmt.Sprintf(" (correlation %.2f)", *o.Correlation)
				}
				a.say("%s.%s", text, note(" ", o.Note))
			})
	})
	lay.Flags().StringVar(&name, "name", "", "name of the sensor; the file's if left out")
	lay.Flags().StringVar(&shift, "shift", "", "seconds to add to the log's times, in place of what correlation finds")
	var by float64
	move := verb("shift-log RUN LOG", "Set by hand how many seconds a log's clock is off",
		"durvek run shift-log 01995c3e-… 01995c40-… --shift 12.4", 2, func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			var o results.OutsideLog
			if err := c.Do(cmd.Context(), http.MethodPut, "/api/runs/"+client.Slug(args[0])+"/logs/"+client.Slug(args[1]), nil,
				map[string]float64{"shift": by}, &o); err != nil {
				return err
			}
			a.say("Log %s is shifted by %.2f s.", o.ID, o.Shift)
			return nil
		})
	move.Flags().Float64Var(&by, "shift", 0, "seconds to add to the log's times")
	move.MarkFlagRequired("shift")
	drop := verb("drop-log RUN LOG", "Take a log away from a run", "durvek run drop-log 01995c3e-… 01995c40-…", 2,
		func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			if err := c.Do(cmd.Context(), http.MethodDelete, "/api/runs/"+client.Slug(args[0])+"/logs/"+client.Slug(args[1]),
				nil, nil, nil); err != nil {
				return err
			}
			a.say("The log is gone; the run stays as it was.")
			return nil
		})
	return trace, []*cobra.Command{lay, move, drop}
}

// strip draws a series as a line of blocks, each the highest of its stretch.
func strip(values []float64, cells int) string {
	blocks := []rune("▁▂▃▄▅▆▇█")
	cells = min(cells, len(values))
	lo, hi := slices.Min(values), slices.Max(values)
	out := make([]rune, cells)
	for i := range out {
		v := slices.Max(values[i*len(values)/cells : (i+1)*len(values)/cells])
		k := 0
		if hi > lo {
			k = int((v-lo)/(hi-lo)*float64(len(blocks)-1) + 0.5)
		}
		out[i] = blocks[k]
	}
	return string(out)
}

func negotiatedName(key string) string {
	i := slices.IndexFunc(method.NegotiatedVocabulary, func(c method.ConditionKey) bool { return c.Key == key })
	if i < 0 {
		return strings.ReplaceAll(key, ".", " ")
	}
	return method.NegotiatedVocabulary[i].Name
}
