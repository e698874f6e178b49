package policy

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"durvek/core/method"
	"durvek/core/record"
)

var setups = []method.Setup{
	{Slug: "mains", Name: "Mains", Conditions: map[string]string{"supply": "mains", "power.mode": "default"}},
	{Slug: "battery", Name: "Battery", Conditions: map[string]string{"supply": "battery", "power.mode": "default"}},
	{Slug: "fast", Name: "Fast", Hands: "Press the fan key twice",
		Conditions: map[string]string{"supply": "mains", "power.mode": "fast"}},
}

// planOf makes a plan of two repeats of each "test@setup".
func planOf(t method.Terms, steps ...string) method.Plan {
	p := method.Plan{ID: "p", Setup: "mains", Terms: t}
	for _, s := range steps {
		test, setup, _ := strings.Cut(s, "@")
		p.Steps = append(p.Steps, method.PlanStep{Test: test, Setup: setup, Repeats: 2})
	}
	return p
}

// said writes a decision as words: the test and repeat of a run, what is asked, the step that is given up.
func said(d Decision) string {
	out := []string{d.Setup + ":"}
	for _, x := range d.Actions {
		switch x.Do {
		case Run:
			text := fmt.Sprintf("%s%d", x.Job.Test, x.Job.Repeat)
			if x.Failure != GoOn {
				text += "/" + string(x.Failure)
			}
			if x.Ask != nil {
				text += " (then " + x.Ask.Text + ")"
			}
			out = append(out, text)
		case Ask:
			out = append(out, fmt.Sprintf("ask %s [%s]", x.Ask.Text, x.Ask.Setup))
		case GiveUp:
			out = append(out, fmt.Sprintf("give up %d, %s", x.Step, x.Text))
		default:
			out = append(out, strings.TrimSpace(fmt.Sprintf("%s %s", x.Do, x.Text)))
		}
	}
	return strings.Join(out, "; ")
}

func made(step, repeat int, test string, o record.Ending) Made {
	return Made{method.Job{Step: step, Repeat: repeat, Test: test}, o}
}

func TestDecide(t *testing.T) {
	onMains := map[string]string{"supply": "mains", "power.mode": "default"}
	onBattery := map[string]string{"supply": "battery", "power.mode": "default"}
	asked := &record.Ask{ID: "r", Setup: "battery", Text: "Unplug the charger", Now: true}
	cases := map[string]struct {
		plan method.Plan
		a    Account
		w    record.Directive
		want string
	}{
		"in order, then done": {planOf(method.Terms{}, "a", "b"), Account{}, record.Directive{},
			"mains:; a0; a1; b0; b1; done"},
		"nothing in it": {planOf(method.Terms{}), Account{}, record.Directive{}, ":; done"},
		"interleaved": {planOf(method.Terms{Order: "interleaved"}, "a", "b"), Account{}, record.Directive{},
			"mains:; a0; b0; a1; b1; done"},
		"what is made is not made again": {planOf(method.Terms{}, "a"), Account{Made: []Made{made(0, 0, "a", record.Done)}},
			record.Directive{}, "mains:; a1; done"},
		"a step left out": {planOf(method.Terms{}, "a", "b"), Account{}, record.Directive{Skip: []int{0}},
			"mains:; b0; b1; done"},
		"stopped by people": {planOf(method.Terms{}, "a"), Account{}, record.Directive{Stop: true, Pause: true},
			":; done The plan was stopped"},
		"paused": {planOf(method.Terms{}, "a"), Account{Setup: "mains"}, record.Directive{Pause: true},
			"mains:; wait paused"},
		"another setup comes last and is announced": {planOf(method.Terms{}, "a", "b@battery", "c"),
			Account{Observed: onMains}, record.Directive{}, "mains:; a0 (then Unplug the charger); a1 (then Unplug the " +
				"charger); " +
				"c0 (then Unplug the charger); c1 (then Unplug the charger); ask Unplug the charger [battery]; b0; b1; done"},
		"a setup that is observed needs no hand": {planOf(method.Terms{}, "a", "b@battery"),
			Account{Setup: "mains", Observed: onBattery, Made: []Made{made(0, 0, "a", record.Done),
				made(0, 1, "a", record.Done)}},
			record.Directive{}, "battery:; b0; b1; done"},
		"before its own, if the machine is in another and the plan stops at departures": {
			planOf(method.Terms{Departure: "stop"}, "a", "b@battery"), Account{Setup: "mains", Observed: onBattery},
			record.Directive{}, "battery:; b0; b1 (then Plug in the charger); " +
				"ask Plug in the charger [mains]; a0; a1; done"},
		"a hand at the beginning, if the plan stops at departures": {planOf(method.Terms{Departure: "stop"}, "a"),
			Account{Observed: onBattery}, record.Directive{}, "mains:; ask Plug in the charger [mains]; a0; a1; done"},
		"else it is only marked": {planOf(method.Terms{}, "a"), Account{Observed: onBattery}, record.Directive{},
			"mains:; a0; a1; done"},
		"a person says it is done, and the machine sees it": {planOf(method.Terms{}, "b@battery"),
			Account{Setup: "mains", Observed: onBattery, Asked: asked, Did: "r"}, record.Directive{}, "battery:; b0; b1; done"},
		"or cannot tell": {planOf(method.Terms{}, "b@battery"), Account{Setup: "mains", Asked: asked, Did: "r"},
			record.Directive{}, "battery:; b0; b1; done"},
		"or sees that it is not": {planOf(method.Terms{}, "b@battery"),
			Account{Setup: "mains", Observed: onMains, Asked: asked, Did: "r"}, record.Directive{},
			"mains:; ask Unplug the charger: the machine does not see it yet (Unplug the charger) [battery]; b0; b1; done"},
		"done is said of another request": {planOf(method.Terms{}, "b@battery"),
			Account{Setup: "mains", Observed: onMains, Asked: asked, Did: "older"}, record.Directive{},
			"mains:; ask Unplug the charger [battery]; b0; b1; done"},
		"broke off once too few": {planOf(method.Terms{}, "a", "b"), Account{Broken: []Tries{{Step: 0, Times: 2}}},
			record.Directive{}, "mains:; a0; a1; b0; b1; done"},
		"broke off thrice": {planOf(method.Terms{}, "a", "b"), Account{Broken: []Tries{{Step: 0, Times: 3}}},
			record.Directive{}, ":; give up 0, broke off 3 times; b0; b1; done"},
		"broke off thrice, and nothing left of it": {planOf(method.Terms{}, "a"),
			Account{Broken: []Tries{{Step: 0, Times: 3}},
				Made: []Made{made(0, 0, "a", record.Parked), made(0, 1, "a", record.Parked)}}, record.Directive{}, ":; done"},
		"after a failure it goes on": {planOf(method.Terms{Failure: "go-on"}, "a"),
			Account{Made: []Made{made(0, 0, "a", record.Failed)}}, record.Directive{}, "mains:; a1; done"},
		"or stops": {planOf(method.Terms{Failure: "stop"}, "a"), Account{Made: []Made{made(0, 0, "a", record.Failed)}},
			record.Directive{}, ":; done The plan stops after a failure, as it says"},
		"or leaves the step": {planOf(method.Terms{Failure: "skip"}, "a", "b"),
			Account{Made: []Made{made(0, 0, "a", record.Failed)}}, record.Directive{},
			":; give up 0, left out after a failure; b0/tell; b1/tell; done"},
		"what could not be run is no failure": {planOf(method.Terms{Failure: "skip"}, "a"),
			Account{Made: []Made{made(0, 0, "a", record.NotRun)}}, record.Directive{}, "mains:; a1/tell; done"},
		"or tries again": {planOf(method.Terms{Failure: "retry"}, "a"),
			Account{Failed: []Tries{{Step: 0, Repeat: 0, Times: 1}}}, record.Directive{}, "mains:; a0/again; a1/again; done"},
		"but twice at most": {planOf(method.Terms{Failure: "retry"}, "a"),
			Account{Failed: []Tries{{Step: 0, Repeat: 0, Times: 2}}}, record.Directive{}, "mains:; a0; a1/again; done"},
	}
	for name, c := range cases {
		got := Decide(c.plan, setups, c.a, c.w, func() string { return "new" })
		if said(got) != c.want {
			t.Errorf("%s:\n got %s\nwant %s", name, said(got), c.want)
		}
		if n := len(got.Actions); n == 0 || (got.Actions[n-1].Do == End) == (got.Actions[n-1].Do == Wait) {
			t.Errorf("%s: it does not lead to an end", name)
		}
	}
}

// A request that is looked at again keeps its id, so that a person's answer is not for another one; another setup, text
// or answer makes another request.
func TestARequestKeepsItsID(t *testing.T) {
	p := planOf(method.Terms{}, "b@battery")
	onMains := map[string]string{"supply": "mains"}
	n := 0
	fresh := func() string { n++; return fmt.Sprint("r", n) }
	ask := func(asked *record.Ask, did string) record.Ask {
		a := Account{Setup: "mains", Observed: onMains, Asked: asked, Did: did}
		return *Decide(p, setups, a, record.Directive{}, fresh).Actions[0].Ask
	}
	first := ask(nil, "")
	if first.ID == "" || !first.Now || first.Setup != "battery" {
		t.Fatalf("%+v", first)
	}
	if again := ask(&first, ""); again != first {
		t.Errorf("%+v, then %+v", first, again)
	}
	unseen := ask(&first, first.ID)
	if unseen.ID == first.ID || !strings.Contains(unseen.Text, "does not see it yet") {
		t.Errorf("said to be done: %+v", unseen)
	}
	if again := ask(&unseen, ""); again != unseen {
		t.Errorf("what is not seen: %+v, then %+v", unseen, again)
	}
	if third := ask(&unseen, unseen.ID); third.ID == unseen.ID || third.Text != unseen.Text {
		t.Errorf("said to be done once more: %+v", third)
	}
	for _, other := range []record.Ask{{ID: first.ID, Setup: "fast", Text: first.Text}, {ID: first.ID, Setup: "battery",
		Text: "Pull the plug"}} {
		if x := ask(&other, ""); x.ID == first.ID {
			t.Errorf("after %+v the same request: %+v", other, x)
		}
	}
}

func TestRunsCarryThePlansTermsAndADecisionIsBounded(t *testing.T) {
	cool := &method.Cool{Seconds: 30}
	p := planOf(method.Terms{Cool: cool}, "a")
	d := Decide(p, setups, Account{}, record.Directive{}, func() string { return "" })
	if !reflect.DeepEqual(d.Actions[0].Cool, cool) {
		t.Errorf("%+v", d.Actions[0])
	}
	p.Steps[0].Repeats = 100
	for range 6 {
		p.Steps = append(p.Steps, p.Steps[0])
	}
	if d := Decide(p, setups, Account{}, record.Directive{}, func() string { return "" }); len(d.Actions) != most {
		t.Errorf("%d actions", len(d.Actions))
	}
}
