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
	"durvek/core/say"
	"durvek/core/stats"
	"durvek/desk"
	"durvek/store"
)

// NoteIncident takes in an incident from a person: one that was seen, or a count out of so many tries.
func (d *Bench) NoteIncident(ctx context.Context, x record.Incident, by string) (record.Incident, error) {
	if err := d.checkIncident(ctx, x); err != nil {
		return x, err
	}
	x.ID, x.By = desk.NewID(), by
	if x.At.IsZero() {
		x.At = d.desk.Now()
	}
	return x, d.addIncident(ctx, x)
}

// checkIncident refuses what cannot be, and names all of it.
func (d *Bench) checkIncident(ctx context.Context, x record.Incident) error {
	var wrong []string
	_, err := d.desk.Store.Unit(ctx, x.Unit)
	if known, err := desk.Found(err); err != nil {
		return err
	} else if !known {
		wrong = append(wrong, fmt.Sprintf("no unit %q is known", x.Unit))
	}
	if x.Host != "" {
		known, err := d.desk.KnownHost(ctx, x.Host)
		if err != nil {
			return err
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
		return desk.Refuse(desk.Invalid, "incident refused: %s", strings.Join(wrong, "; "))
	}
	return nil
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
	if _, err := d.over(ctx, x.Plan); err != nil {
		return err
	}
	if !slices.Contains(record.IncidentKinds, x.Kind) {
		return desk.Refuse(desk.Invalid, "an agent notes %s, not %q", say.List(record.IncidentKinds), x.Kind)
	}
	if x.Step != nil && (*x.Step < 0 || *x.Step >= len(p.Steps)) {
		return desk.Refuse(desk.Invalid, "the plan has no step %d", *x.Step+1)
	}
	if r, err := d.desk.Store.Run(ctx, x.Run); err == nil && r.Plan != x.Plan {
		return desk.Refuse(desk.Invalid, "run %q is none of this plan's", x.Run)
	}
	x.Unit, x.Host, x.Place, x.Times, x.Tries, x.By = p.Unit, p.Host, p.Place, 1, 0, p.Agent
	x.Withdrawn, x.Corrected = nil, 0
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

// IncidentChange corrects an incident: parts that are named are others from now on.
type IncidentChange struct {
	Kind     record.IncidentKind `json:"kind,omitempty" doc:"Another kind: a hang that was none is an interruption"`
	Text     string              `json:"text,omitempty"`
	Host     string              `json:"host,omitempty"`
	Place    string              `json:"place,omitempty"`
	Times    *int                `json:"times,omitempty"`
	Tries    *int                `json:"tries,omitempty"`
	Withdraw bool                `json:"withdraw,omitempty" doc:"It counts no longer; it stays in the list"`
	Restore  bool                `json:"restore,omitempty" doc:"It counts again"`
	Reason   string              `json:"reason" doc:"Why it is changed"`
}

// ChangeIncident corrects, relabels, withdraws or restores an incident. What it was is kept.
func (d *Bench) ChangeIncident(ctx context.Context, id string, c IncidentChange, by string) (record.Incident, error) {
	was, err := d.desk.Store.Incident(ctx, id)
	if err != nil {
		return was, desk.Missing(err, "incident", id)
	}
	if strings.TrimSpace(c.Reason) == "" {
		return was, desk.Refuse(desk.Invalid, "say why the incident is changed; the reason stands in its history")
	}
	now, at := was, d.desk.Now()
	now.Kind, now.Text = cmp.Or(c.Kind, was.Kind), cmp.Or(c.Text, was.Text)
	now.Host, now.Place = cmp.Or(c.Host, was.Host), cmp.Or(c.Place, was.Place)
	if c.Times != nil {
		now.Times = *c.Times
	}
	if c.Tries != nil {
		now.Tries = *c.Tries
	}
	switch {
	case c.Withdraw && c.Restore:
		return was, desk.Refuse(desk.Invalid, "an incident is withdrawn or restored, not both")
	case c.Withdraw && was.Withdrawn != nil:
		return was, desk.Refuse(desk.Conflict, "the incident is withdrawn already")
	case c.Restore && was.Withdrawn == nil:
		return was, desk.Refuse(desk.Conflict, "the incident was not withdrawn")
	case c.Withdraw:
		now.Withdrawn = &at
	case c.Restore:
		now.Withdrawn = nil
	case c == (IncidentChange{Reason: c.Reason}):
		return was, desk.Refuse(desk.Invalid, "say what is to be changed: kind, text, host, place, times or tries")
	}
	if err := d.checkIncident(ctx, now); err != nil {
		return was, err
	}
	err = d.desk.Note(ctx, by, "change incident", id, c.Reason, func(q *desk.Tx) error {
		return q.ChangeIncident(ctx, was, now, by, c.Reason, at)
	})
	now.Corrected++
	d.desk.Events.Send(desk.Event{Name: "incident", Data: map[string]string{"plan": now.Plan, "unit": now.Unit}})
	return now, err
}

// Incident finds an incident with what it was before.
func (d *Bench) Incident(ctx context.Context, id string) (record.Incident, []record.IncidentChange, error) {
	x, err := d.desk.Store.Incident(ctx, id)
	if err != nil {
		return x, nil, desk.Missing(err, "incident", id)
	}
	changes, err := d.desk.Store.IncidentChanges(ctx, id)
	return x, changes, err
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
	list, total, err := d.desk.Store.Incidents(ctx, f)
	return list, total, desk.Behind(f.After, err)
}

// IncidentRates says for every kind of incident of a unit, or of all units that have any, how often it
// happened: over all, and per host and place, each with its Clopper–Pearson interval. What was counted
// out of tries is a share of those; what agents noted is a share of the runs that were begun there.
func (d *Bench) IncidentRates(ctx context.Context, unit string) ([]record.IncidentRate, error) {
	all, _, err := d.desk.Store.Incidents(ctx, store.IncidentFilter{Unit: unit})
	if err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(all, func(x record.Incident) bool { return x.Withdrawn != nil })
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
	whole, hosts := map[key]*record.IncidentRate{}, map[key]map[string]bool{}
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
		text += fmt.Sprintf(", on %s of %s hosts", say.Count(r.Hosts), say.Count(r.HostsAll))
	}
	return text
}
