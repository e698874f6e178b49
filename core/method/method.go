// Package method holds what is measured and how, as data: test definitions with their measures, the
// conditions that must match, setups, plans. It computes nothing but checks and step lists.
package method

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/formula"
	"durvek/core/quantity"
	"durvek/core/say"
)

// Test defines what is measured and how.
type Test struct {
	Slug         string            `json:"slug"`
	Version      int               `json:"version" minimum:"1" doc:"Raised whenever figures of the old and new definition must not be compared"`
	Name         string            `json:"name"`
	About        string            `json:"about,omitempty" doc:"What it stands for in real use and what limits it"`
	Group        string            `json:"group" doc:"CPU, memory, storage, application, display, battery …"`
	Origin       string            `json:"origin" doc:"workload: Durvek's own, run by the agent; command: another program, run by the agent; own: a figure entered by the desk" enum:"workload,command,own"`
	Hands        string            `json:"hands,omitempty" doc:"How a person makes it: measured and written down; passed or not; graded by written levels; timed" enum:"form,check,grade,stopwatch"`
	Subjects     []catalog.Kind    `json:"subjects,omitempty" doc:"Kinds it is meant for; none means every kind"`
	MustMatch    []string          `json:"must_match,omitempty" doc:"Conditions that must be known and equal before two figures may be compared"`
	Needs        map[string]string `json:"needs,omitempty" doc:"Conditions that its setup must have: a run-down needs the battery"`
	Repeats      int               `json:"repeats,omitempty" doc:"Repeats of a usual plan"`
	Seconds      float64           `json:"seconds,omitempty" doc:"Usual duration of one run"`
	Writes       int64             `json:"writes,omitempty" doc:"Bytes that one run writes at most, with the options as they are"`
	Usual        bool              `json:"usual,omitempty" doc:"Part of a plan for which no tests were chosen"`
	Of           string            `json:"of,omitempty" doc:"Workload that this test measures in another way"`
	InBrowser    string            `json:"in_browser,omitempty" doc:"only: measured by the probe, in the device's own browser; too: by the agent, or there" enum:"only,too"`
	Page         string            `json:"page,omitempty" doc:"File of the probe's page that makes it there"`
	BrowserNeeds []BrowserNeed     `json:"browser_needs,omitempty" doc:"What it needs of a browser: a secure page, WebGPU, a screen that is looked at" enum:"secure,webgpu,screen"`
	Analysis     string            `json:"analysis,omitempty" doc:"How the desk makes figures of a run's raw series, where the run brings none: the name of an analysis"`
	StandsFor    string            `json:"stands_for,omitempty" doc:"What it means in real use"`
	LimitedBy    string            `json:"limited_by,omitempty" doc:"What holds a machine back in it"`
	Input        string            `json:"input,omitempty" doc:"What it works on, and from which seed"`
	Checked      string            `json:"checked,omitempty" doc:"How its output is checked"`
	Options      []Option          `json:"options,omitempty" doc:"What a plan may set"`
	Command      *Command          `json:"command,omitempty" doc:"Program to run, for tests of origin command"`
	Measures     []Measure         `json:"measures"`
	Aside        string            `json:"aside,omitempty" doc:"Why the desk shows its figures and does not count them" readOnly:"true"`
}

// Lasting tells whether the test runs until a battery is empty or full. Its run is made of heartbeats, so that it is
// known where the device goes off; what would spoil a short run is noted and borne.
func (t Test) Lasting() bool { return t.Analysis == "rundown" || t.Analysis == "charging" }

// BrowserNeed is something that not every browser, or not every connection, offers a test.
type BrowserNeed string

const (
	NeedsSecure BrowserNeed = "secure" // a secure page: over TLS, or on the machine itself
	NeedsWebGPU BrowserNeed = "webgpu"
	NeedsScreen BrowserNeed = "screen" // a page that is looked at
)

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
	Tolerance     float64            `json:"tolerance,omitempty" doc:"Tolerance for claims, relative to the claimed value; 0 means 1 % on ratio scales, the margin otherwise"`
	Words         string             `json:"words,omitempty" doc:"How more and less of it are called: rate, time, latency, level, run time …; its unit tells where this is left out"`
	Alone         bool               `json:"alone,omitempty" doc:"Its name says by itself what it is, so that charts and sentences leave the test's out"`
	Formula       string             `json:"formula,omitempty" doc:"How it is worked out from other figures, such as {{drive-sequential/read}} / {{price/EUR}}; it is measured where this is left out"`
	Levels        []Level            `json:"levels,omitempty" doc:"Rubric of a grade: what each mark means"`
	Over          Over               `json:"over,omitempty" doc:"What one figure is made over: the places of a unit; each is a row of its own where this is left out" enum:"place"`
	Take          Taking             `json:"take,omitempty" doc:"How that figure is made" enum:"worst,mean,best,sum"`
}

// Over says over what a measure's cells become one figure.
type Over string

// OverPlaces makes one figure of all places of a unit: zones of a screen, spots of a surface, ports.
const OverPlaces Over = "place"

// Taking says how cells become one figure.
type Taking string

const (
	Worst Taking = "worst"
	Mean  Taking = "mean"
	Best  Taking = "best"
	Sum   Taking = "sum"
)

// Derived tells whether all that a test yields is worked out from other figures, and nothing is run or entered for it.
func (t Test) Derived() bool {
	return len(t.Measures) > 0 && !slices.ContainsFunc(t.Measures, func(m Measure) bool { return m.Formula == "" })
}

// wrongFormula says what is wrong with how a measure is worked out, as far as its test alone tells; "" for nothing.
func (t Test) wrongFormula(m Measure) string {
	switch derived := t.Derived(); {
	case m.Formula == "":
		return ""
	case !derived:
		return "either all measures of a test are worked out by a formula, or none is; move it to a test of its own"
	case t.Command != nil || t.Hands != "" || t.Analysis != "" || len(t.MustMatch) > 0:
		return "a test whose figures are worked out is neither run nor entered, and what must match is what its inputs want"
	case m.Scale != quantity.Ratio && m.Scale != quantity.Share:
		return "what is worked out stands on a ratio scale or is a share"
	case m.Over != "" || m.Ceiling != nil || m.Limit != nil:
		return "what is worked out has neither places to be made over nor a ceiling or limit of its own"
	}
	if _, err := formula.Parse(m.Formula); err != nil {
		return err.Error()
	}
	return ""
}

// Pair is how more and less of the measure are called.
func (m Measure) Pair() say.Pair { return say.Of(m.Words, m.Unit, m.Scale, m.Better) }

// Apart is how a figure of the measure differs from another, with the ends of an interval: each a logarithm of their
// ratio on ratio scales, otherwise their difference. A figure of 0 is one that does not matter.
func (m Measure) Apart(figure, d, lo, hi float64) say.Difference {
	if m.Scale.Logarithmic() {
		d, lo, hi = 100*math.Expm1(d), 100*math.Expm1(lo), 100*math.Expm1(hi)
	}
	return m.Difference(figure, d, lo, hi)
}

// Difference is as Apart, of a difference in per cent on ratio scales.
func (m Measure) Difference(figure, d, lo, hi float64) say.Difference {
	x := say.Difference{Pair: m.Pair(), Unit: m.Unit, Value: d, Lo: lo, Hi: hi, Figure: figure}
	if m.Scale.Logarithmic() {
		x.Value, x.Lo, x.Hi, x.Ratio = 100+d, 100+lo, 100+hi, true
	}
	return x
}

// checkOver says what does not fit in how a measure's places become one figure.
func (m Measure) checkOver() string {
	switch {
	case (m.Over == "") != (m.Take == ""):
		return "over and take belong together: over: place, take: worst, mean, best or sum"
	case m.Over != "" && m.Over != OverPlaces:
		return "figures are made over place alone"
	case m.Take != "" && !slices.Contains([]Taking{Worst, Mean, Best, Sum}, m.Take):
		return fmt.Sprintf("%q is not a way to take them: worst, mean, best or sum", m.Take)
	case (m.Take == Worst || m.Take == Best) && m.Better == quantity.Target:
		return "where a target is best neither worst nor best is the lowest or the highest: take the mean"
	case (m.Take == Sum || m.Take == Mean) && (m.Scale == quantity.Grade || m.Scale == quantity.Pass):
		return "marks and checks have no sum and no mean: take worst or best"
	case m.Take == Sum && m.Scale != quantity.Ratio:
		return "only figures on a ratio scale have a sum"
	}
	return ""
}

// Level is one mark of a rubric.
type Level struct {
	Mark float64 `json:"mark"`
	Text string  `json:"text"`
}

// Say writes a reading of the measure for people; state is the reading's.
func (m Measure) Say(v float64, state string) string {
	switch {
	case state == "missing" && (m.Scale == quantity.Pass || m.Scale == quantity.Grade):
		return "not applicable"
	case state == "missing":
		return "missing"
	case m.Scale == quantity.Pass && v >= 0.5:
		return "pass"
	case m.Scale == quantity.Pass:
		return "fail"
	case m.Scale == quantity.Grade:
		for _, l := range m.Levels {
			if l.Mark == v {
				return fmt.Sprintf("%g: %s", v, l.Text)
			}
		}
		return fmt.Sprintf("%g", v)
	}
	return quantity.Format(v, m.Unit)
}

// HandsKinds are the ways in which a person makes a test.
var HandsKinds = []string{"form", "check", "grade", "stopwatch"}

// checkHands says what does not fit between the way a test is made and a measure.
func (t Test) checkHands(m Measure) string {
	switch {
	case m.Scale == quantity.Pass && t.Hands != "check":
		return "a measure of scale pass belongs to a test with hands: check"
	case m.Scale == quantity.Grade && t.Hands != "grade" && t.Analysis == "":
		return "a measure of scale grade belongs to a test with hands: grade, or with an analysis"
	case t.Hands == "check" && m.Scale != quantity.Pass:
		return "a check has measures of scale pass"
	case t.Hands == "grade" && (m.Scale != quantity.Grade || len(m.Levels) < 2):
		return "a grade has measures of scale grade with two levels or more"
	case t.Hands == "stopwatch" && (m.Unit != "s" || m.Scale != quantity.Ratio):
		return "a stopwatch measures one time, on a ratio scale in s"
	}
	for i, l := range m.Levels {
		if l.Text == "" || i > 0 && l.Mark <= m.Levels[i-1].Mark {
			return "levels have a text each and rise from mark to mark"
		}
	}
	return ""
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
		at(k.Check(), "subjects", i)
	}
	for i, c := range t.MustMatch {
		if _, known := Condition(c); !known {
			at(fmt.Sprintf("unknown condition %q; the vocabulary lists those that there are", c), "must_match", i)
		}
	}
	if t.Command != nil {
		for _, p := range t.Command.check(t) {
			out = append(out, catalog.Problem{Path: append([]any{"command"}, p.Path...), Reason: p.Reason})
		}
	}
	if t.Hands != "" && !slices.Contains(HandsKinds, t.Hands) {
		at(fmt.Sprintf("hands is one of %s", say.List(HandsKinds)), "hands")
	}
	if t.Hands == "stopwatch" && len(t.Measures) > 1 {
		at("a stopwatch measures one time", "measures")
	}
	for k := range t.Needs {
		if _, known := Condition(k); !known {
			at(fmt.Sprintf("unknown condition %q; the vocabulary lists those that there are", k), "needs", k)
		}
	}
	if len(t.Measures) == 0 {
		at("a test needs at least one measure", "measures")
	}
	seen := map[string]bool{}
	for i, m := range t.Measures {
		at(catalog.CheckSlug(m.Slug), "measures", i, "slug")
		at(m.checkOver(), "measures", i, "over")
		if seen[m.Slug] {
			at(fmt.Sprintf("measure %q stands twice", m.Slug), "measures", i, "slug")
		}
		seen[m.Slug] = true
		if _, err := quantity.LookUp(m.Unit); err != nil {
			at(err.Error(), "measures", i, "unit")
		}
		if !slices.Contains(quantity.Scales, m.Scale) {
			at(fmt.Sprintf("unknown scale %q; known: %s", m.Scale, say.List(quantity.Scales)), "measures", i, "scale")
		}
		if !slices.Contains(quantity.Directions, m.Better) {
			at(fmt.Sprintf("better is one of %s", say.List(quantity.Directions)), "measures", i, "better")
		}
		at(t.checkHands(m), "measures", i)
		at(t.wrongFormula(m), "measures", i, "formula")
		if _, known := say.Find(say.Quantity(m.Words)); m.Words != "" && !known {
			at(fmt.Sprintf("words is one of: %s", strings.Join(say.Quantities(), ", ")), "measures", i, "words")
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
	Hands      string            `json:"hands,omitempty" doc:"What a person does to bring a machine into this setup; made from the conditions if empty"`
}

// AsDelivered is the setup that comparisons use unless told otherwise.
const AsDelivered = "as-delivered"

// ConditionKey is one entry of the vocabulary of conditions.
type ConditionKey struct {
	Key     string `json:"key"`
	Name    string `json:"name"`
	Meaning string `json:"meaning"`
}

// ConditionVocabulary lists every condition that setups, tests and observations may name. A desk adds
// its own under keys that begin with "own.".
var ConditionVocabulary = []ConditionKey{
	{"supply", "Supply", "mains or battery"},
	{"power.mode", "Power mode", "The maker's or system's performance mode; \"default\" as delivered"},
	{"power.profile", "Power profile", "The profile that the system says is in force"},
	{"power.governor", "Clock governor", "The system's clock policy, where it tells"},
	{"battery.charge", "Battery charge", "Charge in per cent before the run"},
	{"memory.profile", "Memory profile", "\"default\" as delivered, or the profile set in firmware"},
	{"memory.speed", "Memory speed", "Transfers per second that the memory runs at"},
	{"graphics.chip", "Graphics chip", "Which graphics chip does the work"},
	{"graphics.renderer", "Renderer", "hardware, or software where the processor draws"},
	{"graphics.driver", "Graphics driver", "Driver of the graphics chip and its version"},
	{"display.resolution", "Resolution", "Width × height of the picture that is computed"},
	{"display.luminance", "Screen luminance", "Set luminance in cd/m²"},
	{"displays", "Displays", "Displays that are connected, by port"},
	{"quality.preset", "Quality preset", "The preset's name"},
	{"upscaling", "Upscaling", "off, or from which size"},
	{"frame.generation", "Frame generation", "off or on"},
	{"ambient", "Ambient temperature", "Room temperature, or its band"},
	{"room.noise", "Room noise", "Sound level of the room with the machine off"},
	{"runtime", "Runtime", "native, or in browser with the engine and its version, with what the kernels were built by"},
	{"system.name", "System", "Operating system and its version"},
	{"system.kernel", "Kernel", "Version of the system's kernel"},
	{"system.updates", "Updates", "Whether updates are running or held back"},
	{"firmware", "Firmware", "Version of the firmware"},
	{"program.version", "Program version", "Version of the program that gave the figure"},
	{"content", "Content", "The file, map, level or page set that was worked on"},
	{"drive.cache", "Page cache", "\"passed\" where the drive itself was measured"},
	{"drive.filesystem", "File system", "File system under the test file"},
	{"load.background", "Background load", "Share of the processor that other work used just before the run"},
	{"network.link", "Network link", "Link used, with its rate"},
	{"pace", "Pace", "held, or what was done of the work that was due: a load that runs a battery down notes it itself"},
	{"timer", "Timer", "How a thread is put to sleep: by the system's call, or by the runtime's timers"},
}

// IsVersion tells whether a condition holds a version, of a system or program: another one is mostly an oversight. Of
// other conditions, another value makes other work, as somebody meant it.
func IsVersion(key string) bool {
	return slices.Contains([]string{"runtime", "system.name", "system.kernel", "firmware", "graphics.driver"}, key) ||
		strings.HasSuffix(key, "version")
}

// NegotiatedVocabulary lists what a machine settles on with its parts and partners. It is told with every
// run; it is no condition that a person sets.
var NegotiatedVocabulary = []ConditionKey{
	{"link.drive", "Drive link", "Link of the measured drive, as it runs now"},
	{"link.drive.best", "Drive link at best", "What both ends of that link could do"},
	{"link.graphics", "Graphics link", "Link of the graphics chip, as it runs now"},
	{"link.usb", "USB link", "Rate at which the measured drive's USB device was taken in"},
	{"link.ethernet", "Ethernet link", "Rate of the wired link that is up"},
	{"link.wifi", "Wi-Fi link", "Rate of the radio link"},
	{"memory.channels", "Memory channels", "Channels that hold a memory module"},
	{"memory.speed", "Memory speed", "Transfers per second that the memory runs at"},
	{"drive.identity", "Drive", "What the measured drive says that it is"},
	{"drive.firmware", "Drive firmware", "Its firmware's version"},
	{"panel.identity", "Panel", "What the built-in display says that it is"},
	{"graphics.chip", "Graphics chip", "The chip that did the work"},
	{"graphics.chips", "Graphics chips", "All chips that the system knows"},
	{"limit.temperature", "Temperature limit", "Where the processor slows itself down"},
	{"limit.power.long", "Power limit, long", "Power that the processor may draw for long"},
	{"limit.power.short", "Power limit, short", "Power that it may draw for a short time"},
	{"throttled", "Slowed by heat", "How often the processor slowed itself for heat during the run"},
	{"clock.highest", "Highest clock", "Highest clock that the system allows"},
	{"battery.energy", "Battery energy", "Energy of the full battery"},
	{"battery.end", "End of the charge", "How a run-down ended: the device went off, it reached a charge level, it was " +
		"plugged in"},
	{"battery.extrapolated", "Continued", "The log ends early and was continued along its straight part"},
	{"battery.logged", "Charge seen", "From which to which charge level"},
	{"battery.nonsense", "Battery nonsense", "Why the charge level that the device told is not used"},
	{"luminance.measured", "Luminance as measured", "What the reviewer measured on the screen before it began"},
}

// OwnCondition begins the key of every condition that a desk adds itself.
const OwnCondition = "own."

// OptionCondition is the condition under which the effective value of a test's option is observed.
func OptionCondition(option string) string { return "option." + option }

// Condition finds an entry of the vocabulary. Options of tests and the desk's own keys are conditions too.
func Condition(key string) (ConditionKey, bool) {
	if o, ok := strings.CutPrefix(key, "option."); ok && o != "" {
		return ConditionKey{key, strings.ToUpper(o[:1]) + o[1:], "The test's option " + o}, true
	}
	if o, ok := strings.CutPrefix(key, OwnCondition); ok && o != "" {
		return ConditionKey{key, strings.ToUpper(o[:1]) + strings.ReplaceAll(o[1:], "-", " "),
			"A condition of the desk's own"}, true
	}
	i := slices.IndexFunc(ConditionVocabulary, func(c ConditionKey) bool { return c.Key == key })
	if i < 0 {
		return ConditionKey{}, false
	}
	return ConditionVocabulary[i], true
}

// modes are conditions that leave the work the same: the machine runs it otherwise.
var modes = []string{"supply", "power.mode", "power.profile", "power.governor"}

// IsMode tells whether a condition is a mode: the same work, run otherwise. Supply and power are always; memory, the
// graphics chip, firmware and a desk's own conditions are unless the test says that its figures depend on them
// (mustMatch). Everything else (resolution, preset, content, runtime) makes other work.
func IsMode(key string, mustMatch []string) bool {
	if slices.Contains(modes, key) {
		return true
	}
	switch {
	case key == "memory.profile", key == "memory.speed", key == "graphics.chip", key == "firmware",
		strings.HasPrefix(key, OwnCondition):
		return !slices.Contains(mustMatch, key)
	}
	return false
}

// Modes lists in which modes a setup differs from another, in order; none where it makes other work or is the same.
func (s Setup) Modes(from Setup, mustMatch []string) []string {
	var out []string
	for _, k := range sortedKeys(s.Conditions) {
		if s.Conditions[k] != from.Conditions[k] && IsMode(k, mustMatch) {
			out = append(out, k)
		}
	}
	return out
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
