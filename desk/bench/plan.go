package bench

import (
	"cmp"
	"context"
	"embed"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"time"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/desk"
	"durvek/document"
)

// AddPlan adds a plan for a unit. An impossible plan is refused as a whole, with every reason.
func (d *Bench) AddPlan(ctx context.Context, p method.Plan, by string) (method.Plan, error) {
	p, wrong, err := d.checkPlan(ctx, p)
	if err != nil {
		return p, err
	}
	if len(wrong) > 0 {
		test := ""
		if len(p.Steps) > 0 {
			test = p.Steps[0].Test
		}
		like, err := d.desk.Like(ctx, p.Unit, test)
		if err != nil {
			return p, err
		}
		return p, desk.Refuse(desk.Invalid, "plan refused: %s", strings.Join(append(wrong, like...), "; "))
	}
	p.ID, p.State, p.Agent, p.Created = desk.NewID(), method.PlanWaiting, "", d.desk.Now().UTC().Format(time.RFC3339)
	if p.Name == "" {
		p.Name = say.Things(len(testsOf(p)), "test")
	}
	err = d.desk.Note(ctx, by, "add plan", p.ID, p.Unit, func(q *desk.Tx) error { return q.PutPlan(ctx, p) })
	d.desk.Events.Send(desk.Event{Name: "bench", Data: map[string]string{"plan": p.ID}})
	return p, err
}

// ChangePlan replaces what a plan that has not begun is to measure, and on which terms. Its unit, its codes and its
// place on the bench stay; steps that were left out are no longer.
func (d *Bench) ChangePlan(ctx context.Context, id string, p method.Plan, by string) (method.Plan, error) {
	was, err := d.desk.Store.Plan(ctx, id)
	if err != nil {
		return was, desk.Missing(err, "plan", id)
	}
	p.Unit = was.Unit
	p, wrong, err := d.checkPlan(ctx, p)
	if err != nil {
		return p, err
	}
	if len(wrong) > 0 {
		return p, desk.Refuse(desk.Invalid, "plan refused: %s", strings.Join(wrong, "; "))
	}
	return d.control(ctx, id, by, "change plan", func(q *desk.Tx, now *method.Plan, c *record.Directive) error {
		if now.State != method.PlanWaiting || now.Agent != "" {
			return desk.Refuse(desk.Conflict, "plan %q has begun; leave out steps, or make another plan", now.Name)
		}
		p.ID, p.State, p.Created, p.Name = now.ID, now.State, now.Created, cmp.Or(p.Name, now.Name)
		*now, c.Skip = p, nil
		return q.PutPlan(ctx, p)
	})
}

// checkPlan fills in what a plan leaves to its tests and says everything that makes it impossible. The error is one of
// reading alone.
func (d *Bench) checkPlan(ctx context.Context, p method.Plan) (method.Plan, []string, error) {
	p.Setup = cmp.Or(p.Setup, method.AsDelivered)
	if p.Unit == "" {
		return p, []string{"name the unit that is to be measured"}, nil
	}
	kind, wrong, err := d.desk.CheckPlace(ctx, p.Unit, p.Host, p.Setup)
	if err != nil {
		return p, nil, err
	}
	wrong = append(wrong, p.Terms.Check()...)
	if len(p.Steps) == 0 {
		wrong = append(wrong, "a plan needs at least one test")
	}
	setups, bad, err := d.checkSetups(ctx, p, kind)
	if err != nil {
		return p, nil, err
	}
	wrong = append(wrong, bad...)
	p.Steps = slices.Clone(p.Steps)
	for i := range p.Steps {
		s := &p.Steps[i]
		t, err := d.desk.Store.Test(ctx, s.Test, 0)
		known, err := desk.Found(err)
		switch {
		case err != nil:
			return p, nil, err
		case !known:
			wrong = append(wrong, fmt.Sprintf("no test %q is known", s.Test))
			continue
		case t.Derived():
			wrong = append(wrong, fmt.Sprintf("the figures of test %q are worked out from others; plan those", s.Test))
		case t.Origin == "own":
			wrong = append(wrong, fmt.Sprintf("test %q is entered by the desk; an agent cannot run it", s.Test))
		case kind != "" && !t.Fits(kind):
			wrong = append(wrong, fmt.Sprintf("test %q is not meant for a %s", s.Test, kind))
		}
		if setup := setups[p.SetupOf(i)]; setup != nil {
			for _, k := range desk.SortedKeys(t.Needs) {
				if got := setup.Conditions[k]; got != t.Needs[k] {
					wrong = append(wrong, fmt.Sprintf("test %q needs %s=%s, and setup %q says %s", s.Test, k, t.Needs[k], setup.Slug,
						cmp.Or(got, "nothing of it")))
				}
			}
		}
		if s.Repeats == 0 {
			s.Repeats = cmp.Or(t.Repeats, 3)
		}
		wrong = append(wrong, t.CheckOptions(s.Options)...)
		if s.Repeats < 1 || s.Repeats > 100 {
			wrong = append(wrong, fmt.Sprintf("%d repeats of %q: a step has 1 to 100", s.Repeats, s.Test))
		}
	}
	slices.Sort(wrong)
	return p, slices.Compact(wrong), nil
}

// checkSetups finds the setups of a plan's steps; nil stands for one that is not known.
func (d *Bench) checkSetups(ctx context.Context, p method.Plan, kind catalog.Kind) (setups map[string]*method.Setup,
	wrong []string, err error) {
	setups = map[string]*method.Setup{}
	for i := range p.Steps {
		slug := p.SetupOf(i)
		if _, seen := setups[slug]; seen {
			continue
		}
		s, err := d.desk.Store.Setup(ctx, slug)
		known, err := desk.Found(err)
		if err != nil {
			return nil, nil, err
		}
		if !known {
			setups[slug] = nil
			if slug != p.Setup {
				wrong = append(wrong, fmt.Sprintf("no setup %q is known", slug))
			}
			continue
		}
		setups[slug] = &s
		if s.Conditions["supply"] != "battery" || p.Host != "" {
			continue
		}
		has, err := d.hasBattery(ctx, p.Unit, kind)
		if err != nil {
			return nil, nil, err
		}
		if !has {
			wrong = append(wrong, fmt.Sprintf("setup %q runs on battery, and a %s has none", slug, kind))
		}
	}
	return setups, wrong, nil
}

// hasBattery tells whether a unit can run on battery: it is a kind that always does, or its spec sheet names one.
func (d *Bench) hasBattery(ctx context.Context, unit string, kind catalog.Kind) (bool, error) {
	if slices.Contains([]catalog.Kind{"laptop", "tablet", "phone", ""}, kind) {
		return true, nil
	}
	u, err := d.desk.Store.Unit(ctx, unit)
	if err != nil {
		return false, err
	}
	v, err := d.desk.Store.Variant(ctx, u.Variant)
	_, has := catalog.SpecNumber(v.Spec, "battery.energy")
	return has, err
}

// PlanFile is a plan as a file: for any unit of the kinds that it is meant for.
type PlanFile struct {
	Format   string             `json:"format"`
	Slug     string             `json:"slug"`
	Name     string             `json:"name"`
	About    string             `json:"about,omitempty"`
	Subjects []catalog.Kind     `json:"subjects,omitempty" doc:"Kinds it is meant for; none means every kind"`
	Setups   []string           `json:"setups,omitempty" doc:"Every test is made under each of them; as-delivered if left out"`
	Tests    []method.PlanStep  `json:"tests"`
	Terms    method.Terms       `json:"terms"`
	Estimate *method.PlanFigure `json:"estimate,omitempty"`
}

//go:embed plans/*.yaml
var planFiles embed.FS

// PlanLibrary lists the plans that ship with the program, with what each takes; those for a kind, or all.
func (d *Bench) PlanLibrary(ctx context.Context, kind catalog.Kind) ([]PlanFile, error) {
	names, err := fs.Glob(planFiles, "plans/*.yaml")
	if err != nil {
		return nil, err
	}
	tests, err := d.figures.Tests(ctx)
	if err != nil {
		return nil, err
	}
	out := []PlanFile{}
	for _, name := range names {
		data, err := planFiles.ReadFile(name)
		if err != nil {
			return nil, err
		}
		f, err := readPlanFile(data)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if kind != "" && len(f.Subjects) > 0 && !slices.Contains(f.Subjects, kind) {
			continue
		}
		var e method.PlanFigure
		for _, s := range method.Cross(f.Tests, f.Setups) {
			t := tests[s.Test]
			n := cmp.Or(s.Repeats, t.Repeats, 3)
			e.Runs += n
			e.Seconds += t.SecondsWith(s.Options) * float64(n)
			e.Writes += t.WritesWith(s.Options) * int64(n)
		}
		if c := f.Terms.Cool; c != nil {
			e.Seconds += c.Seconds * float64(e.Runs)
		}
		f.Estimate = &e
		out = append(out, f)
	}
	return out, nil
}

var planSchema = desk.Schema("plan")

func readPlanFile(data []byte) (f PlanFile, err error) {
	file, err := document.Read("plan", data)
	if err == nil {
		err = file.Decode(planSchema, &f)
	}
	return f, err
}

// PlanFrom is what a plan file, or a plan of the library by name, becomes on one unit.
type PlanFrom struct {
	Library string
	File    []byte
	Unit    string
	Host    string
	Place   string
	Setups  []string // in place of the file's own
	Repeats int      // in place of the file's own
}

// AddPlanFrom puts a plan file's plan on the bench for a unit.
func (d *Bench) AddPlanFrom(ctx context.Context, x PlanFrom, by string) (method.Plan, error) {
	data := x.File
	if x.Library != "" {
		var err error
		if data, err = planFiles.ReadFile("plans/" + x.Library + ".yaml"); err != nil {
			return method.Plan{}, desk.Refuse(desk.NotFound, "the library has no plan %q; its list names them all", x.Library)
		}
	}
	f, err := readPlanFile(data)
	if err != nil {
		return method.Plan{}, err
	}
	setups := f.Setups
	if len(x.Setups) > 0 {
		setups = x.Setups
	}
	if len(setups) == 0 {
		setups = []string{method.AsDelivered}
	}
	steps := method.Cross(f.Tests, setups)
	for i := range steps {
		if x.Repeats > 0 {
			steps[i].Repeats = x.Repeats
		}
	}
	kind, _, err := d.desk.CheckPlace(ctx, x.Unit, x.Host, setups[0])
	if err != nil {
		return method.Plan{}, err
	}
	if kind != "" && len(f.Subjects) > 0 && !slices.Contains(f.Subjects, kind) {
		return method.Plan{}, desk.Refuse(desk.Invalid, "plan %q is meant for %v, not for a %s", f.Name, f.Subjects, kind)
	}
	return d.AddPlan(ctx, method.Plan{Unit: x.Unit, Host: x.Host, Place: x.Place, Setup: setups[0], Name: f.Name,
		Steps: steps, Terms: f.Terms}, by)
}

// ExportPlan gives a plan on the bench as a file, for other units.
func (d *Bench) ExportPlan(ctx context.Context, id string) ([]byte, error) {
	p, err := d.desk.Store.Plan(ctx, id)
	if err != nil {
		return nil, desk.Missing(err, "plan", id)
	}
	f := PlanFile{Format: "durvek-plan/1", Slug: desk.Slug("plan", p.Name), Name: p.Name, Terms: p.Terms, Tests: p.Steps}
	for i := range f.Tests {
		f.Tests[i].Setup = p.SetupOf(i)
	}
	return document.YAML(f)
}

// Directives of people to a plan at work.
const (
	PlanPause  = "pause"
	PlanResume = "resume"
	PlanStop   = "stop"
)

// Direct pauses, resumes or stops a plan. The agent hears of it with its next report; a plan that waits
// for its machine is stopped at once.
func (d *Bench) Direct(ctx context.Context, id, what, by string) (method.Plan, error) {
	return d.control(ctx, id, by, what+" plan", func(q *desk.Tx, p *method.Plan, c *record.Directive) error {
		switch what {
		case PlanPause:
			c.Pause = true
		case PlanResume:
			c.Pause = false
		case PlanStop:
			c.Stop = true
			if p.State == method.PlanWaiting || p.State == method.PlanSilent {
				p.State = method.PlanStopped
				if err := q.EndPlanTokens(ctx, id, d.desk.Now().Add(afterStop)); err != nil {
					return err
				}
				return q.PutPlan(ctx, *p)
			}
		default:
			return desk.Refuse(desk.Invalid, "a plan can be told to %s, %s or %s, not to %q", PlanPause, PlanResume, PlanStop,
				what)
		}
		return nil
	})
}

// SkipStep leaves a step of a plan out from now on; what it has so far stays.
func (d *Bench) SkipStep(ctx context.Context, id string, step int, by string) (method.Plan, error) {
	return d.control(ctx, id, by, "skip step", func(_ *desk.Tx, p *method.Plan, c *record.Directive) error {
		if step < 1 || step > len(p.Steps) {
			return desk.Refuse(desk.Invalid, "the plan has steps 1 to %d, no %d", len(p.Steps), step)
		}
		if !slices.Contains(c.Skip, step-1) {
			c.Skip = append(c.Skip, step-1)
		}
		return nil
	})
}

// Confirm says that a person has done what a plan asked for. It is refused where nothing is asked.
func (d *Bench) Confirm(ctx context.Context, id, ask, by string) (method.Plan, error) {
	return d.control(ctx, id, by, "confirm", func(_ *desk.Tx, p *method.Plan, c *record.Directive) error {
		open := d.live.asked(id)
		switch {
		case open == nil || !open.Now:
			return desk.Refuse(desk.Conflict, "the plan asks for nothing now; it goes on with what needs no hand")
		case ask != "" && ask != open.ID:
			return desk.Refuse(desk.Conflict, "the plan asks for something else by now: %s", open.Text)
		}
		c.Confirmed = open.ID
		return nil
	})
}

func (d *Bench) control(ctx context.Context, id, by, act string, change func(*desk.Tx, *method.Plan,
	*record.Directive) error) (method.Plan, error) {
	var p method.Plan
	err := d.desk.Write(ctx, func(q *desk.Tx) error {
		var err error
		if p, err = q.Plan(ctx, id); err != nil {
			return desk.Missing(err, "plan", id)
		}
		if p.State.Over() {
			return desk.Refuse(desk.Conflict, "plan %q is %s", p.Name, p.State)
		}
		c, err := q.PlanControl(ctx, id)
		if err != nil {
			return err
		}
		if err := change(q, &p, &c); err != nil {
			return err
		}
		if err := q.SetPlanControl(ctx, id, c); err != nil {
			return err
		}
		d.live.direct(id, c)
		return q.Note(ctx, d.desk.Now(), by, act, id, "")
	})
	d.desk.Events.Send(desk.Event{Name: "bench", Data: map[string]string{"plan": id}})
	return p, err
}
