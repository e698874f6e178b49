package results

import (
	"context"
	"strings"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// Runs lists runs, the newest first, and how many there are in all.
func (d *Results) Runs(ctx context.Context, f store.RunFilter) ([]record.Run, int, error) {
	list, total, err := d.desk.Store.Runs(ctx, f)
	return list, total, desk.Behind(f.After, err)
}

// arrived is a run on its way to the rules, with what its sensors told.
type arrived struct {
	run    record.Run
	sensed record.Trace
}

// RunPage is a run with its raw samples and what its conditions departed from.
type RunPage struct {
	Run        record.Run         `json:"run"`
	Machine    record.Machine     `json:"machine"`
	Title      string             `json:"title"`
	TestName   string             `json:"test_name"`
	Measures   []method.Measure   `json:"measures"`
	Departures []trust.Difference `json:"departures" doc:"Conditions observed otherwise than the setup says"`
	Sensors    []record.Channel   `json:"sensors" doc:"Channels that its trace has"`
	Outside    []OutsideLog       `json:"outside" doc:"Logs of outside sensors laid beside it"`
	Courses    []trust.Went       `json:"courses" doc:"How its series of rates went"`
	Photos     []Attachment       `json:"photos"`
	Doubts     []trust.Doubt      `json:"doubts" doc:"What makes one distrust it, settled or not"`
	Changes    []store.Change     `json:"changes" doc:"What was changed in it since, the newest first"`
	File       string             `json:"file,omitempty" doc:"Name of the file of raw measurements that its figures were made of"`
}

// Run finds a run with its raw samples.
func (d *Results) Run(ctx context.Context, id string) (RunPage, error) {
	p := RunPage{Departures: []trust.Difference{}, Outside: []OutsideLog{}, Courses: []trust.Went{}}
	var err error
	if p.Run, err = d.desk.Store.Run(ctx, id); err != nil {
		return p, desk.Missing(err, "run", id)
	}
	if p.Run.Series, err = d.desk.Store.Series(ctx, id); err != nil {
		return p, err
	}
	s, err := d.desk.Store.Sitting(ctx, p.Run.Sitting)
	if _, err := desk.Found(err); err != nil {
		return p, err
	}
	p.Machine = s.Machine
	if p.Sensors, err = d.desk.Store.TraceChannels(ctx, id); err != nil {
		return p, err
	}
	logs, err := d.desk.Store.Outsides(ctx, id)
	if err != nil {
		return p, err
	}
	for _, o := range logs {
		p.Outside = append(p.Outside, outsideLog(o))
	}
	if p.Photos, err = d.Attachments(ctx, store.AttachmentFilter{Run: id}); err != nil {
		return p, err
	}
	if p.Doubts, _, err = d.desk.Store.Doubts(ctx, store.DoubtFilter{Run: id}); err != nil {
		return p, err
	}
	if p.Changes, err = d.desk.Store.Changes(ctx, id, 1000); err != nil {
		return p, err
	}
	made, err := d.desk.Store.Source(ctx, id)
	if _, err := desk.Found(err); err != nil {
		return p, err
	}
	p.File = made.Name
	t, err := d.desk.Store.Test(ctx, p.Run.Test, p.Run.TestVersion)
	if err != nil {
		return p, err
	}
	p.TestName, p.Measures = t.Name, t.Measures
	for _, x := range p.Run.Series {
		name := strings.ReplaceAll(x.Channel, ".", " ")
		if m, ok := t.Measure(x.Channel); ok {
			name = m.Name
		}
		if x.Channel == analyse.Done || x.Channel == analyse.Due {
			continue // they only ever rise
		}
		if w, ok := trust.CourseOf(name, x); ok {
			if shape := p.Run.Negotiated["load.shape"]; shape != "" && x.Channel == "rate" {
				w.Sentence = "It " + shape + "."
			}
			p.Courses = append(p.Courses, w)
		}
	}
	setup, err := d.desk.Store.Setup(ctx, p.Run.Setup)
	if _, err := desk.Found(err); err != nil {
		return p, err
	}
	p.Departures = append(p.Departures, trust.Departures(setup.Conditions, p.Run.Observed)...)
	u, err := d.desk.Store.Unit(ctx, p.Run.Subject)
	if _, err := desk.Found(err); err != nil {
		return p, err
	}
	name, err := d.figures.Name(ctx, u.Variant)
	p.Title = name.Name
	return p, err
}
