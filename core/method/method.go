// Package method holds what is measured and how, as data: test definitions with their measures, the
// conditions that must match, setups, plans. It computes nothing but checks and step lists.
package method

import (
	"fmt"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/quantity"
)

// Test defines what is measured and how.
type Test struct {
	Slug      string         `json:"slug"`
	Version   int            `json:"version" minimum:"1" doc:"Raised whenever figures of the old and new definition must not be compared"`
	Name      string         `json:"name"`
	About     string         `json:"about,omitempty" doc:"What it stands for in real use and what limits it"`
	Group     string         `json:"group" doc:"CPU, memory, storage, application, display, battery …"`
	Origin    string         `json:"origin" enum:"workload,command,own" doc:"workload: Durvek's own, run by the agent; command: another program, run by the agent; own: a figure entered by the desk"`
	Subjects  []catalog.Kind `json:"subjects,omitempty" doc:"Kinds it is meant for; none means every kind"`
	MustMatch []string       `json:"must_match,omitempty" doc:"Conditions that must be known and equal before two figures may be compared"`
	Repeats   int            `json:"repeats,omitempty" doc:"Repeats of a usual plan"`
	Seconds   float64        `json:"seconds,omitempty" doc:"Usual duration of one run"`
	Writes    int64          `json:"writes,omitempty" doc:"Bytes that one run writes at most, with the options as they are"`
	Usual     bool           `json:"usual,omitempty" doc:"Part of a plan for which no tests were chosen"`
	Of        string         `json:"of,omitempty" doc:"Workload that this test measures in another way"`
	StandsFor string         `json:"stands_for,omitempty" doc:"What it means in real use"`
	LimitedBy string         `json:"limited_by,omitempty" doc:"What holds a machine back in it"`
	Input     string         `json:"input,omitempty" doc:"What it works on, and from which seed"`
	Checked   string         `json:"checked,omitempty" doc:"How its output is checked"`
	Options   []Option       `json:"options,omitempty" doc:"What a plan may set"`
	Command   *Command       `json:"command,omitempty" doc:"Program to run, for tests of origin command"`
	Measures  []Measure      `json:"measures"`
}

// Measure is one figure that a test yields.
type Measure struct {
	Slug          string             `json:"slug"`
	Name          string             `json:"name"`
	Unit          string             `json:"unit" doc:"UCUM code"`
	Scale         quantity.Scale     `json:"scale" enum:"ratio,interval,level,share,grade,pass"`
	Better        quantity.Direction `json:"better" enum:"higher,lower,target"`
	Target        float64            `json:"target,omitempty" doc:"Where better is target"`
	Ceiling       *float64           `json:"ceiling,omitempty" doc:"Highest value the test can show; a reading there means at least"`
	Limit         *float64           `json:"limit,omitempty" doc:"Where the test is stopped; a reading there means more than"`
	Resolution    float64            `json:"resolution,omitempty" doc:"Smallest step of the reading"`
	Margin        float64            `json:"margin,omitempty" doc:"Difference that does not matter: relative on ratio scales, in the unit otherwise; 0 means 2 %"`
	Repeatability float64            `json:"repeatability,omitempty" doc:"Typical standard deviation of one run: relative on ratio scales, in the unit otherwise"`
	Tolerance     float64            `json:"tolerance,omitempty" doc:"Tolerance for claims, relative; 0 means 1 %"`
}

// ID is the measure's identity across tests: test/measure.
func ID(test, measure string) string { return test + "/" + measure }

// Split parts a measure's identity into test and measure.
func Split(id string) (test, measure string) {
	test, measure, _ = strings.Cut(id, "/")
	return test, measure
}

// Measure finds a measure of the test by slug.
func (t Test) Measure(slug string) (Measure, bool) {
	i := slices.IndexFunc(t.Measures, func(m Measure) bool { return m.Slug == slug })
	if i < 0 {
		return Measure{}, false
	}
	return t.Measures[i], true
}

// Fits tells whether the test is meant for a kind of product.
func (t Test) Fits(k catalog.Kind) bool {
	return len(t.Subjects) == 0 || slices.Contains(t.Subjects, k)
}

// Check returns everything that is wrong in a test definition.
func (t Test) Check() []catalog.Problem {
	var out []catalog.Problem
	at := func(reason string, path ...any) {
		if reason != "" {
			out = append(out, catalog.Problem{Path: path, Reason: reason})
		}
	}
	at(catalog.CheckSlug(t.Slug), "slug")
	if t.Version < 1 {
		at("the version counts from 1", "version")
	}
	for i, k := range t.Subjects {
		if !slices.Contains(catalog.Kinds, k) {
			at(fmt.Sprintf("unknown kind %q; known: %v", k, catalog.Kinds), "subjects", i)
		}
	}
	for i, c := range t.MustMatch {
		if _, known := Condition(c); !known {
			at(fmt.Sprintf("unknown condition %q; `durvek vocabulary conditions` lists the vocabulary", c), "must_match", i)
		}
	}
	if t.Command != nil {
		for _, p := range t.Command.check(t) {
			out = append(out, catalog.Problem{Path: append([]any{"command"}, p.Path...), Reason: p.Reason})
		}
	}
	if len(t.Measures) == 0 {
		at("a test needs at least one measure", "measures")
	}
	seen := map[string]bool{}
	for i, m := range t.Measures {
		at(catalog.CheckSlug(m.Slug), "measures", i, "slug")
		if seen[m.Slug] {
			at(fmt.Sprintf("measure %q stands twice", m.Slug), "measures", i, "slug")
		}
		seen[m.Slug] = true
		if _, err := quantity.LookUp(m.Unit); err != nil {
			at(err.Error(), "measures", i, "unit")
		}
		if !slices.Contains(quantity.Scales, m.Scale) {
			at(fmt.Sprintf("unknown scale %q; known: %v", m.Scale, quantity.Scales), "measures", i, "scale")
		}
		if !slices.Contains(quantity.Directions, m.Better) {
			at(fmt.Sprintf("better is one of %v", quantity.Directions), "measures", i, "better")
		}
		if m.Resolution < 0 || m.Margin < 0 || m.Repeatability < 0 {
			at("resolution, margin and repeatability cannot be negative", "measures", i)
		}
	}
	return out
}

// Setup is a named set of conditions.
type Setup struct {
	Slug       string            `json:"slug"`
	Name       string            `json:"name"`
	Raised     bool              `json:"raised,omitempty" doc:"A mode beside the default one: shown beneath its variant, not ranked with the others"`
	Conditions map[string]string `json:"conditions"`
}

// AsDelivered is the setup that comparisons use unless told otherwise.
const AsDelivered = "as-delivered"

// ConditionKey is one entry of the vocabulary of conditions.
type ConditionKey struct {
	Key     string `json:"key"`
	Name    string `json:"name"`
	Meaning string `json:"meaning"`
}

// ConditionVocabulary lists every condition that setups, tests and observations may name.
var ConditionVocabulary = []ConditionKey{
	{"supply", "Supply", "mains or battery"},
	{"power.mode", "Power mode", "The maker's or system's performance mode; \"default\" as delivered"},
	{"power.governor", "Clock governor", "The system's clock policy, where it tells"},
	{"memory.profile", "Memory profile", "\"default\" as delivered, or the profile set in firmware"},
	{"graphics.chip", "Graphics chip", "Which graphics chip does the work"},
	{"display.resolution", "Resolution", "Width × height of the picture that is computed"},
	{"display.luminance", "Screen luminance", "Set luminance in cd/m²"},
	{"quality.preset", "Quality preset", "The preset's name"},
	{"upscaling", "Upscaling", "off, or from which size"},
	{"frame.generation", "Frame generation", "off or on"},
	{"ambient", "Ambient temperature", "Room temperature band"},
	{"runtime", "Runtime", "native or in browser, with what the kernels were built by"},
	{"system.name", "System", "Operating system and its version"},
	{"system.kernel", "Kernel", "Version of the system's kernel"},
	{"firmware", "Firmware", "Version of the firmware"},
	{"program.version", "Program version", "Version of the program that gave the figure"},
	{"content", "Content", "The file, map, level or page set that was worked on"},
	{"drive.cache", "Page cache", "\"passed\" where the drive itself was measured"},
	{"drive.filesystem", "File system", "File system under the test file"},
	{"load.background", "Background load", "Share of the processor that other work used just before the run"},
	{"network.link", "Network link", "Link used, with its rate"},
	{"timer", "Timer", "How a thread is put to sleep: by the system's call, or by the runtime's timers"},
}

// OptionCondition is the condition under which the effective value of a test's option is observed.
func OptionCondition(option string) string { return "option." + option }

// Condition finds an entry of the vocabulary. Options of tests are conditions too.
func Condition(key string) (ConditionKey, bool) {
	if o, ok := strings.CutPrefix(key, "option."); ok && o != "" {
		return ConditionKey{key, strings.ToUpper(o[:1]) + o[1:], "The test's option " + o}, true
	}
	i := slices.IndexFunc(ConditionVocabulary, func(c ConditionKey) bool { return c.Key == key })
	if i < 0 {
		return ConditionKey{}, false
	}
	return ConditionVocabulary[i], true
}

// Check returns everything that is wrong in a setup.
func (s Setup) Check() []catalog.Problem {
	var out []catalog.Problem
	if r := catalog.CheckSlug(s.Slug); r != "" {
		out = append(out, catalog.Problem{Path: []any{"slug"}, Reason: r})
	}
	for k := range s.Conditions {
		if _, known := Condition(k); !known {
			out = append(out, catalog.Problem{Path: []any{"conditions", k}, Reason: fmt.Sprintf("unknown condition %q", k)})
		}
	}
	return out
}

// Plan is tests × repeats under one setup for one unit.
type Plan struct {
	ID      string     `json:"id"`
	Unit    string     `json:"unit"`
	Host    string     `json:"host,omitempty" doc:"Unit or rig that the subject is measured in; empty when it is measured in itself"`
	Place   string     `json:"place,omitempty" doc:"Port, slot, screen or surface"`
	Setup   string     `json:"setup"`
	Name    string     `json:"name"`
	Steps   []PlanStep `json:"steps"`
	State   string     `json:"state" enum:"waiting,running,done,stopped"`
	Created string     `json:"created,omitempty"`
	Agent   string     `json:"agent,omitempty" doc:"Machine that joined for this plan"`
}

// PlanStep is one test of a plan with its repeats.
type PlanStep struct {
	Test    string            `json:"test"`
	Repeats int               `json:"repeats" minimum:"0" maximum:"100" doc:"0 asks for as many as the test usually has"`
	Options map[string]string `json:"options,omitempty" doc:"Options of the test that are not at their usual value"`
}

// Job is one execution that a plan asks for.
type Job struct {
	Step   int    `json:"step"`
	Repeat int    `json:"repeat"`
	Test   string `json:"test"`
}

// Jobs lists every execution of the plan in order: repeats are grouped by step.
func (p Plan) Jobs() []Job {
	var jobs []Job
	for i, s := range p.Steps {
		for r := range s.Repeats {
			jobs = append(jobs, Job{Step: i, Repeat: r, Test: s.Test})
		}
	}
	return jobs
}
