package demo

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"durvek/agent"
	"durvek/api"
	"durvek/client"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/machine"
	"durvek/simulate"
)

// Attend lets a simulated machine join for every plan that is put on the bench of a demo for a unit other than this
// machine, until ctx ends. Its agent works at o.Pace.
func Attend(ctx context.Context, o Options) error {
	seen := map[string]bool{}
	var helpers sync.WaitGroup
	defer helpers.Wait()
	for {
		plans, err := client.Ask(ctx, o.Client, api.Bench, api.AtMost20{Limit: 200})
		if err != nil && ctx.Err() == nil {
			o.Say("The demo's bench cannot be seen: %v", err)
		}
		for _, b := range plans {
			if b.Plan.State != method.PlanWaiting || seen[b.Plan.ID] || name(b.Plan.Unit) == ThisMachine || b.Plan.Host != "" &&
				name(b.Plan.Host) == ThisMachine {
				continue
			}
			seen[b.Plan.ID] = true
			helpers.Add(1)
			go func() {
				defer helpers.Done()
				if err := attend(ctx, o, b.Plan); err != nil && ctx.Err() == nil {
					o.Say("%s: %v", b.Plan.Unit, err)
				}
			}()
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(2 * time.Second):
		}
	}
}

func attend(ctx context.Context, o Options, p method.Plan) error {
	spec, err := specOf(ctx, o.Client, p.Unit)
	if err != nil {
		return err
	}
	m := &simulate.Machine{Name: name(p.Unit), Spec: spec, Seed: seed(p.Unit) + seed(p.ID), Runtime: machine.Runtime(),
		Pace: o.Pace}
	probed, err := inBrowser(ctx, o.Client, p)
	if err != nil {
		return err
	}
	if probed { // somebody may be about to open it on a real device
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(5 * time.Minute):
		}
		b, err := client.Ask(ctx, o.Client, api.Plan, api.Slugged{Slug: p.ID})
		if err != nil || b.Plan.State != method.PlanWaiting {
			return err
		}
		m.Browser = true
	}
	if p.Host != "" {
		if m.HostSpec, err = specOf(ctx, o.Client, p.Host); err != nil {
			return err
		}
	}
	if m.Setup, err = setupOf(ctx, o.Client, p.SetupOf(0)); err != nil {
		return err
	}
	code, err := client.Ask(ctx, o.Client, api.PlanCode, api.Slugged{Slug: p.ID})
	if err != nil {
		return err
	}
	return work(ctx, o, m, code.Code, m.Name+"-"+p.ID)
}

// inBrowser tells whether a plan is one for the probe: all its tests can be made there, and one there only.
func inBrowser(ctx context.Context, c *client.Client, p method.Plan) (bool, error) {
	tests, err := client.Ask(ctx, c, api.Tests, api.None{})
	only := false
	for _, s := range p.Steps {
		i := slices.IndexFunc(tests, func(t method.Test) bool { return t.Slug == s.Test })
		if i < 0 || tests[i].InBrowser == "" {
			return false, err
		}
		only = only || tests[i].InBrowser == "only"
	}
	return only, err
}

// planFor adds a plan and makes its one-time code.
func planFor(ctx context.Context, c *client.Client, p method.Plan) (string, error) {
	p.Order, p.Failure = cmp.Or(p.Order, "grouped"), cmp.Or(p.Failure, "go-on")
	p, err := client.Ask(ctx, c, api.AddPlan, api.With(api.PlanRequest{Unit: p.Unit, Host: p.Host, Place: p.Place,
		Setup: p.Setup, Name: p.Name, Steps: p.Steps, Terms: p.Terms}))
	if err != nil {
		return "", err
	}
	code, err := client.Ask(ctx, c, api.PlanCode, api.Slugged{Slug: p.ID})
	return code.Code, err
}

// lossy is a connection that is lost for a while.
type lossy struct {
	*client.Client
	from, to time.Time
}

func (l lossy) lost() bool { return time.Now().After(l.from) && time.Now().Before(l.to) }

// SendRun delivers a run while there is a network.
func (l lossy) SendRun(ctx context.Context, token string, r record.Run) error {
	if l.lost() {
		return errLost
	}
	return l.Client.SendRun(ctx, token, r)
}

// SendProgress reports while there is a network.
func (l lossy) SendProgress(ctx context.Context, token string, p record.Progress) (record.Directive, error) {
	if l.lost() {
		return record.Directive{}, errLost
	}
	return l.Client.SendProgress(ctx, token, p)
}

// work has a simulated machine's agent work through the plan of a code; keep names its folder, which each plan has
// to itself.
func work(ctx context.Context, o Options, m *simulate.Machine, code, keep string) error {
	dir := filepath.Join(o.Dir, "agents", strings.NewReplacer(" ", "-", "/", "-").Replace(keep))
	var hand chan struct{}
	if m.Pace == 0 { // nobody watches: a hand is lent at once
		hand = make(chan struct{})
		close(hand)
	}
	var service agent.Service = o.Client
	if o.service != nil {
		service = o.service
	}
	_, err := agent.Work(ctx, agent.Options{Service: service, Server: o.Client.Server, Machine: m, Code: code, Dir: dir,
		Retry: 50 * time.Millisecond, Confirm: hand})
	if err == nil {
		os.RemoveAll(dir)
	}
	return err
}

// simulated works one plan on a simulated machine, with the same agent as a real one.
func simulated(ctx context.Context, o Options, j job, pace float64) error {
	if j.tests == nil {
		j.tests = whole
	}
	if j.repeats == 0 {
		j.repeats = 5
	}
	if j.setup = cmp.Or(j.setup, method.AsDelivered); len(j.setups) > 0 {
		j.setup = j.setups[0]
	}
	spec, err := specOf(ctx, o.Client, j.unit)
	if err != nil {
		return err
	}
	var hostSpec map[string]any
	if j.host != "" {
		if hostSpec, err = specOf(ctx, o.Client, j.host); err != nil {
			return err
		}
	}
	p := method.Plan{Unit: j.unit, Host: j.host, Place: j.place, Setup: j.setup, Name: planName(j), Terms: j.terms}
	for _, t := range j.tests {
		p.Steps = append(p.Steps, method.PlanStep{Test: t, Repeats: j.repeats, Options: j.options})
	}
	p.Steps = method.Cross(p.Steps, j.setups)
	code, err := planFor(ctx, o.Client, p)
	if err != nil {
		return err
	}
	setup, err := setupOf(ctx, o.Client, j.setup)
	if err != nil {
		return err
	}
	m := &simulate.Machine{Name: name(j.unit), Spec: spec, HostSpec: hostSpec, Setup: setup, Seed: seed(j.unit),
		Browser: j.browser, Runtime: machine.Runtime(), Pace: pace, Quirks: j.quirks, Faults: j.faults}
	if j.ago > 0 {
		m.Start = o.now().AddDate(0, 0, -j.ago).Truncate(time.Hour)
		m.Boot, m.Earlier = fmt.Sprintf("simulated-%s-%d-days-ago", m.Name, j.ago), 100*j.ago
	} else if pace == 0 {
		m.Start = o.now().Add(-time.Duration(24+seed(j.unit)%400) * time.Hour).Truncate(time.Minute)
	}
	if j.lost[1] > 0 && pace > 0 {
		at := func(s float64) time.Time { return time.Now().Add(time.Duration(s * float64(time.Second))) }
		o.service = lossy{o.Client, at(j.lost[0]), at(j.lost[1])}
	}
	return work(ctx, o, m, code, strings.Join([]string{m.Name, j.setup, j.place, p.Name, m.Boot}, "-"))
}
