package probe_test

import (
	"testing"

	"durvek/core/method"
)

func TestToy(t *testing.T) {
	plan, c := planned(t, method.Plan{Steps: steps("toy-echo")})
	newDevice(t).measured(c.Link)
	if got := runs(t, plan.ID); len(got) != 1 || figures(t, got[0])["echoes"] != 42 {
		t.Errorf("%+v", got)
	}
}
