package demo

import (
	"context"
	"net/http"

	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
)

// thisMachine measures the machine that the demo runs on with the real agent.
func thisMachine(ctx context.Context, o Options) error {
	p := method.Plan{Unit: ThisMachine + "-a", Setup: method.AsDelivered, Name: "Short plan, really measured"}
	for _, t := range local {
		p.Steps = append(p.Steps, method.PlanStep{Test: t, Repeats: 3})
	}
	code, err := planFor(ctx, o.Client, p)
	if err != nil {
		return err
	}
	return o.Local(ctx, code)
}

// addMachine adds a machine to the catalogue by what it says of itself.
func addMachine(ctx context.Context, c *client.Client, m record.Machine) error {
	notes := "The machine that this demo runs on, measured by the agent."
	if v := m.Facts["virtual.machine"]; v != "" {
		notes += " It says that it is a virtual machine."
	}
	for _, x := range []struct {
		path  string
		entry any
	}{
		{"/api/models", catalog.Model{Slug: ThisMachine, Maker: "This", Name: "machine", Kind: "desktop", Notes: notes}},
		{"/api/variants", catalog.Variant{Slug: ThisMachine, Model: ThisMachine, Name: "really measured", Spec: m.Sheet()}},
		{"/api/units", catalog.Unit{Slug: ThisMachine + "-a", Variant: ThisMachine, Origin: "own", State: "on desk"}},
	} {
		if err := c.Do(ctx, http.MethodPost, x.path, nil, x.entry, nil); err != nil {
			return err
		}
	}
	return nil
}
