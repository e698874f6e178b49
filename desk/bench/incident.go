package bench

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"durvek/core/catalog"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/desk"
	"durvek/store"
)

// NoteIncident takes in an incident from a person: one that was seen, or a count out of so many tries.
func (d *Bench) NoteIncident(ctx context.Context, x record.Incident, by string) (record.Incident, error) {
	var wrong []string
	_, err := d.desk.Store.Unit(ctx, x.Unit)
	if known, err := desk.Found(err); err != nil {
		return x, err
	} else if !known {
		wrong = append(wrong, fmt.Sprintf("no unit %q is known", x.Unit))
	}
	if x.Host != "" {
		known, err := d.desk.KnownHost(ctx, x.Host)
		if err != nil {
			return x, err
		}
		if !known {
			wrong = append(wrong, fmt.Sprintf("no unit or rig %q is known to be the host", x.Host))
		}
	}
	if why := catalog.CheckSlug(string(x.Kind)); why != "" {
		wrong = append(wrong, "the kind is a short name such as crash or slow-link: "+why)
	}
	if x.Times < 0 || x.Tries < 0 || x.Tries > 0 && x.Times > x.Tries || x.Tries == 0 && x.Times == 0 {
		wrong = append(wrong, fmt.Sprintf("%d times in %d tries cannot be: it happened at most as often as it was tried",
			x.Times, x.Tries))
	}
	if x.At.After(d.desk.Now().Add(desk.FarOff)) {
		wrong = append(wrong, "it cannot have happened in the future")
	}
	if len(wrong) > 0 {
		return x, desk.Refuse(desk.Invalid, "incident refused: %s", strings.Join(wrong, "; "))
	}
	x.ID, x.By = desk.NewID(), by
	if x.At.IsZero() {
		x.At = d.desk.Now()
	}
	return x, d.addIncident(ctx, x)
}

// AgentIncident takes in an incident that an agent noted; sending it again changes nothing. Where the agent
// lost its last sensor values, what it reported live stands in.
func (d *Bench) AgentIncident(ctx context.Context, x record.Incident) error {
	if _, err := uuid.Parse(x.ID); err != nil {
		return desk.Refuse(desk.Invalid, "incident id %q is not a UUID", x.ID)
	}
	p, err := d.desk.Store.Plan(ctx, x.Plan)
	if err != nil {
		return desk.Missing(err, "plan", x.Plan)
	}
	if !slices.Contains(record.IncidentKinds, x.Kind) {
		return desk.Refuse(desk.Invalid, "an agent notes %v, not %q", record.IncidentKinds, x.Kind)
	}
	if x.Step != nil && (*x.Step < 0 || *x.Step >= len(p.Steps)) {
		return desk.Refuse(desk.Invalid, "the plan has no step %d", *x.Step+1)
	}
	x.Unit, x.Host, x.Place, x.Times, x.Tries = p.Unit, p.Host, p.Place, 1, 0
	if x.Step != nil {
		x.Test = p.Steps[*x.Step].Test
	}
	if len(x.Last) == 0 && x.Run != "" {
		t, err := d.desk.Store.Trace(ctx, x.Run, 0, 0)
		if err != nil {
			return err
		}
		x.Last = lastOf(t)
	}
	return d.addIncident(ctx, x)
}

func lastOf(t record.Trace) map[string]float64 {
	out := map[string]float64{}
	for _, s := range t.Series() {
		if n := len(s.Values); n > 0 {
			out[s.Channel] = s.Values[n-1]
		}
	}
	return out
}

func (d *Bench) addIncident(ctx context.Context, x record.Incident) error {
	err := d.desk.Write(ctx, func(q *desk.Tx) error {
		_, err := q.AddIncident(ctx, x)
		return err
	})
	d.desk.Events.Send(desk.Event{Name: "incident", Data: map[string]string{"plan": x.Plan, "unit": x.Unit}})
	return err
}

// Incidents lists incidents, the newest first, and how many there are in all.
func (d *Bench) Incidents(ctx context.Context, f store.IncidentFilter) ([]record.Incident, int, error) {
	return d.desk.Store.Incidents(ctx, f)
}

// IncidentRates says for every kind of incident of a unit, or of all units that have any, how often it
// happened: over all, and per host and place, each with its Clopper–Pearson interval. What was counted
// out of tries is a share of those; what agents noted is a share of the runs that were begun there.
func (d *Bench) IncidentRates(ctx context.Context, unit string) ([]record.IncidentRate, error) {
	all, _, err := d.desk.Store.Incidents(ctx, store.IncidentFilter{Unit: unit})
	if err != nil {
		return nil, err
	}
	type key struct {
		unit        string
		kind        record.IncidentKind
		host, place string
	}
	tallies := map[key]*record.IncidentRate{}
	counted := map[key]bool{} // kinds that were counted out of tries
	for _, x := range all {
		if x.Tries > 0 {
			counted[key{unit: x.Unit, kind: x.Kind}] = true
		}
	}
	tally := func(k key, of string, times, tries int) {
		if tallies[k] == nil {
			tallies[k] = &record.IncidentRate{Unit: k.unit, Kind: k.kind, Host: k.host, Place: k.place, Of: of}
		}
		tallies[k].Times += times
		tallies[k].Tries += tries
	}
	runs := map[string][]store.Attempts{}
	for _, x := range all {
		if counted[key{unit: x.Unit, kind: x.Kind}] {
			tally(key{x.Unit, x.Kind, x.Host, x.Place}, "tries", x.Times, max(x.Tries, x.Times))
			continue
		}
		if _, ok := runs[x.Unit]; !ok {
			if runs[x.Unit], err = d.desk.Store.RunsByPlace(ctx, x.Unit); err != nil {
				return nil, err
			}
			// every place where the unit was at work counts, also those without trouble
		}
		for _, a := range runs[x.Unit] {
			if k := (key{x.Unit, x.Kind, a.Host, a.Place}); tallies[k] == nil {
				tally(k, "runs", 0, a.Runs)
			}
		}
		tally(key{x.Unit, x.Kind, x.Host, x.Place}, "runs", x.Times, x.Times) // the run that was broken off was begun as well
	}
	whole := map[key]*record.IncidentRate{}
	hosts := map[key]map[string]bool{}
	var out []record.IncidentRate
	for k, r := range tallies {
		w := key{unit: k.unit, kind: k.kind}
		if whole[w] == nil {
			whole[w], hosts[w] = &record.IncidentRate{Unit: k.unit, Kind: k.kind, Of: r.Of}, map[string]bool{}
		}
		whole[w].Times += r.Times
		whole[w].Tries += r.Tries
		hosts[w][k.host] = hosts[w][k.host] || r.Times > 0
		if k.host != "" || k.place != "" {
			out = append(out, *r)
		}
	}
	for k, r := range whole {
		for _, happened := range hosts[k] {
			r.HostsAll++
			if happened {
				r.Hosts++
			}
		}
		out = append(out, *r)
	}
	for i := range out {
		out[i].Low, out[i].High = stats.ClopperPearson(out[i].Times, out[i].Tries, 0.95)
		out[i].Sentence = rateSentence(out[i])
	}
	slices.SortFunc(out, func(a, b record.IncidentRate) int {
		return cmp.Or(cmp.Compare(a.Unit, b.Unit), cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Host, b.Host),
			cmp.Compare(a.Place, b.Place))
	})
	if out == nil {
		out = []record.IncidentRate{}
	}
	return out, nil
}

var numbers = []string{"none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"}

func numberWord(n int) string {
	if n < len(numbers) {
		return numbers[n]
	}
	return fmt.Sprint(n)
}

// rateSentence says a rate as a review would print it: "slow link in 3 of 11 tries (27 %, 95 %: 6–61 %),
// on two of three hosts".
func rateSentence(r record.IncidentRate) string {
	share := 0.0
	if r.Tries > 0 {
		share = float64(r.Times) / float64(r.Tries)
	}
	text := fmt.Sprintf("%s in %d of %d %s (%.0f %%, 95 %%: %.0f–%.0f %%)", strings.ReplaceAll(string(r.Kind), "-", " "),
		r.Times, r.Tries, r.Of, 100*share, 100*r.Low, 100*r.High)
	if r.HostsAll > 1 {
		text += fmt.Sprintf(", on %s of %s hosts", numberWord(r.Hosts), numberWord(r.HostsAll))
	}
	return text
}
