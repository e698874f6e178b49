package cli

import (
	"cmp"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/desk/results"
)

func (a *app) sheetCmd() *cobra.Command {
	list := asking(a, "list", "List inspection sheets", "durvek sheet list --kind laptop", api.Sheets, &api.KindOf{}, nil,
		func(ss []method.Sheet) {
			var rows [][]any
			for _, s := range ss {
				for _, p := range s.Parts {
					rows = append(rows, []any{s.Slug, s.Name, p.Name, strings.Join(p.Tests, ", ")})
				}
			}
			a.print([]string{"Sheet", "Name", "Part", "Tests"}, rows)
		})
	show := one(a, "show UNIT", "Show a unit's inspection sheet with what was found so far",
		"durvek sheet show fen-14-16-512-a", api.Inspect, func(x results.Inspection) {
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
	return noun("sheet", "What to look at and try by hand, per kind of device", list, show)
}

func (a *app) photoCmd() *cobra.Command {
	var in api.PhotoIn
	add := asking(a, "add UNIT FILE", "Take in a photo of a unit; what the camera wrote beside the picture is left out",
		"durvek photo add fen-14-16-512-a port.jpg --measure ports/power --caption 'No word that it does not charge'",
		api.AddPhoto, &in, []any{&in.Unit, &in.RawBody, own{&in.Name}}, func(x results.Attachment) {
			a.say("Photo %s is kept, %s without what stood beside the picture.", x.ID, bytesText(x.Size))
		})
	add.PreRun = func(_ *cobra.Command, args []string) { in.Name = cmp.Or(in.Name, filepath.Base(args[1])) }
	var of api.PhotosOf
	list := asking(a, "list UNIT", "List a unit's photos", "durvek photo list fen-14-16-512-a", api.Photos, &of,
		[]any{&of.Unit}, func(xs []results.Attachment) {
			var rows [][]any
			for _, x := range xs {
				rows = append(rows, []any{x.ID, x.Name, x.Measure, x.Caption, bytesText(x.Size),
					x.Added.Format("2006-01-02 15:04")})
			}
			a.print([]string{"Photo", "File", "Belongs to", "Shows", "→Size", "Added (UTC)"}, rows)
		})
	photo := &api.Slugged{}
	save := saving(a, "save PHOTO", "Save a photo as a file", "durvek photo save 01995c3e-… -o port.jpg", "photo.jpg",
		api.Photo, photo, []any{&photo.Slug})
	return noun("photo", "Photos of units", add, list, save)
}

func (a *app) partnerCmd() *cobra.Command {
	list := asking(a, "list", "Show what works with what: part, partner, place, firmware",
		"durvek partner list --part gannet-2000-a", api.Partners, &api.OfPart{}, nil, func(ps []compare.Pair) {
			var rows [][]any
			for _, p := range ps {
				rows = append(rows, []any{p.Part, p.Partner, p.Place, p.Firmware, p.Outcome, p.Works, p.Fails, strings.Join(p.How,
					"; ")})
			}
			a.print([]string{"Part", "Partner", "Place", "Firmware", "Outcome", "→Worked", "→Failed", "How"}, rows)
		})
	var in api.Body[api.PartnerNote]
	var fails bool
	add := asking(a, "note PART PARTNER", "Note that a part works or fails with a partner",
		"durvek partner note narrows-hub-a inlet-6-128-a --fails --how 'no power reaches the phone'", api.NotePartner, &in,
		[]any{&in.Body.Part, &in.Body.Partner}, func(api.None) {
			a.say("Noted: %s %s with %s.", in.Body.Part, in.Body.Outcome, in.Body.Partner)
		})
	add.PreRun = func(*cobra.Command, []string) {
		in.Body.Outcome = map[bool]string{true: "fails", false: "works"}[fails]
	}
	add.Flags().BoolVar(&fails, "fails", false, "it does not work; without this it works")
	return noun("partner", "What works with what", list, add)
}

func (a *app) incidentCmd() *cobra.Command {
	var in api.Body[api.IncidentNote]
	in.Body.Times = 1
	add := asking(a, "add UNIT", "Note an incident, or how often something happened out of so many tries",
		"durvek incident add narrows-hub-a --kind slow-link --host fen-14-16-512-a --place 'right port' --times 1 --tries 4",
		api.NoteIncident, &in, []any{&in.Body.Unit}, func(x record.Incident) {
			a.say("Noted: %s, %s%s.", x.Kind, say.Things(x.Times, "time"), note(" in ", zero(x.Tries)))
		})
	add.MarkFlagRequired("kind")
	var q api.IncidentsIn
	list := asking(a, "list", "List incidents, the newest first", "durvek incident list --unit cuddy-8-256-a",
		api.Incidents, &q, []any{own{&q.Offset}, own{&q.After}}, func(l api.IncidentList) {
			var rows [][]any
			for _, x := range l.Incidents {
				times := fmt.Sprint(x.Times)
				if x.Tries > 0 {
					times = fmt.Sprintf("%d of %d", x.Times, x.Tries)
				}
				rows = append(rows, []any{x.At.Format("2006-01-02 15:04:05"), x.Unit, x.Kind,
					strings.TrimSpace(x.Host + " " + x.Place), times, x.Text + note(" Last: ", sensorText(x.Last)) + stands(x), x.ID})
			}
			a.print([]string{"At (UTC)", "Unit", "Kind", "With", "→Times", "What", "ID"}, rows)
			a.say("%d of %d incidents.", len(l.Incidents), l.Total)
		})
	rate := asking(a, "rate", "Say how often each kind of incident happens, with intervals, per host and place",
		"durvek incident rate --unit narrows-hub-a", api.IncidentRates, &api.OfUnit{}, nil, func(rs []record.IncidentRate) {
			var rows [][]any
			for _, r := range rs {
				with := strings.TrimSpace(r.Host + " " + r.Place)
				if with == "" {
					with = "over all"
				}
				rows = append(rows, []any{r.Unit, with, r.Sentence})
			}
			if len(rows) == 0 {
				a.say("No incident counts.")
				return
			}
			a.print([]string{"Unit", "With", "Rate"}, rows)
		})
	return under(noun("incident", "Crashes, hangs, disconnections, and whatever else happened now and then", add, list,
		rate),
		a.incidentChanges()...)
}

// stands says that an incident was corrected or withdrawn.
func stands(x record.Incident) string {
	switch {
	case x.Withdrawn != nil:
		return " (withdrawn, not counted)"
	case x.Corrected > 0:
		return " (corrected)"
	}
	return ""
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

func (a *app) kindCmd() *cobra.Command {
	in := &api.Body[catalog.OwnKind]{}
	add := asking(a, "add KIND", "Add a kind of product of the desk's own", "durvek kind add antenna --plural antennas",
		api.AddKind, in, []any{(*string)(&in.Body.Kind)}, func(k catalog.OwnKind) {
			a.say("Kind %s is known: %s.", k.Kind, k.Plural)
		})
	list := all(a, "list", "List the kinds of product", "durvek kind list", api.Kinds, func(ks []catalog.OwnKind) {
		var rows [][]any
		for _, k := range ks {
			rows = append(rows, []any{k.Kind, k.Plural})
		}
		a.print([]string{"Kind", "Many of them"}, rows)
	})
	return noun("kind", "Kinds of product", add, list)
}

func (a *app) conditionCmd() *cobra.Command {
	var c method.ConditionKey
	add := verb("add KEY", "Add a condition of the desk's own; its key begins with own.",
		"durvek condition add own.table-fan --name 'Table fan' --meaning 'off, or its step'", 1, func(cmd *cobra.Command,
			args []string) error {
			c.Key = args[0]
			return ask(a, cmd, api.AddCondition, api.With(c), func(x method.ConditionKey) {
				a.say("Condition %s is known; "+
					"setups and readings may name it.", x.Key)
			})
		})
	add.Flags().StringVar(&c.Name, "name", "", "name")
	add.Flags().StringVar(&c.Meaning, "meaning", "", "what its values are")
	list := all(a, "list", "List the conditions of the desk's own", "durvek condition list", api.Conditions,
		func(cs []method.ConditionKey) {
			var rows [][]any
			for _, c := range cs {
				rows = append(rows, []any{c.Key, c.Name, c.Meaning})
			}
			a.print([]string{"Key", "Name", "Meaning"}, rows)
		})
	return noun("condition", "Conditions beside the built-in vocabulary", add, list)
}

// traceCmds are the commands about what sensors told during a run.
func (a *app) traceCmds() (*cobra.Command, []*cobra.Command) {
	in := api.Traced{Points: 240}
	trace := asking(a, "trace RUN", "Show what the sensors told during a run", "durvek run trace 01995c3e-… -o trace.csv",
		api.RunTrace, &in, []any{&in.Slug}, func(v results.TraceView) {
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
	var out string
	trace.Flags().StringVarP(&out, "output", "o", "", "write the whole trace as CSV to this file")
	look := trace.RunE
	trace.RunE = func(cmd *cobra.Command, args []string) error {
		if out == "" {
			return look(cmd, args)
		}
		return a.save(cmd, out, api.TraceTable.Request(slugged(args[0])))
	}
	var log api.LogIn
	lay := asking(a, "lay-log RUN FILE", "Lay an outside sensor's log (CSV) beside a run; its clock's offset is found by "+
		"correlation", "durvek run lay-log 01995c3e-… wall-meter.csv --name 'wall meter'", api.LayLog, &log,
		[]any{&log.Slug, &log.RawBody}, func(o results.OutsideLog) {
			text := fmt.Sprintf("Log %s lies beside the run, shifted by %.2f s", o.ID, o.Shift)
			if o.Correlation != nil {
				text += fmt.Sprintf(" (correlation %.2f)", *o.Correlation)
			}
			a.say("%s.%s", text, note(" ", o.Note))
		})
	lay.PreRun = func(_ *cobra.Command, args []string) { log.Name = cmp.Or(log.Name, filepath.Base(args[1])) }
	var by api.LogShift
	move := asking(a, "shift-log RUN LOG", "Set by hand how many seconds a log's clock is off",
		"durvek run shift-log 01995c3e-… 01995c40-… --shift 12.4", api.ShiftLog, &by, []any{&by.Slug, &by.Log},
		func(o results.OutsideLog) { a.say("Log %s is shifted by %.2f s.", o.ID, o.Shift) })
	move.Flags().Float64Var(&by.Body.Shift, "shift", 0, "seconds to add to the log's times")
	move.MarkFlagRequired("shift")
	var gone api.LogOf
	drop := asking(a, "drop-log RUN LOG", "Take a log away from a run", "durvek run drop-log 01995c3e-… 01995c40-…",
		api.DropLog, &gone, []any{&gone.Slug, &gone.Log},
		func(api.None) { a.say("The log is gone; the run stays as it was.") })
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
