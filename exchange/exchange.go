// Package exchange reads the open data of an edition that another desk published, to have its figures as rivals of
// one's own. It says what is in it and what of it may stand beside one's own figures; it knows nothing of where that is
// kept.
package exchange

import (
	"math"
	"time"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
	"durvek/core/trust"
)

// Profile names the form of the data package that is read here and that an edition is published with.
const Profile = "durvek-edition/2"

// Edition is what another desk published about a device and its rivals, as far as it measured them itself.
type Edition struct {
	Desk      string    `json:"desk" doc:"Name of the desk that published it"`
	DeskID    string    `json:"desk_id" doc:"Tells desks of one name apart"`
	Review    string    `json:"review"`
	Number    int       `json:"number" doc:"Which edition of the review"`
	Title     string    `json:"title"`
	Published time.Time `json:"published"`
	Licence   string    `json:"licence,omitempty" doc:"SPDX name of the licence that its data are given away under"`
	Digest    string    `json:"digest" doc:"SHA-256 of its data package, which names those of its tables"`
	Rivals    []Rival   `json:"rivals"`
	Tests     []Test    `json:"tests"`
	Figures   []Figure  `json:"figures"`
}

// Rival is a device that the other desk measured.
type Rival struct {
	Variant       string         `json:"variant"`
	Model         string         `json:"model"`
	Maker         string         `json:"maker"`
	Name          string         `json:"name"`
	Configuration string         `json:"configuration"`
	Kind          catalog.Kind   `json:"kind"`
	Released      string         `json:"released,omitempty"`
	Spec          map[string]any `json:"spec,omitempty"`
}

// Test is a test as the other desk has it.
type Test struct {
	Slug        string `json:"slug"`
	Version     int    `json:"version"`
	Name        string `json:"name"`
	Fingerprint string `json:"fingerprint" doc:"What it measures and what must match in it, in short"`
}

// Figure is one of the other desk's, with its interval as that desk found it: its repeats are counted nowhere else.
type Figure struct {
	Measure    string            `json:"measure"`
	Unit       string            `json:"unit" doc:"UCUM code"`
	Version    int               `json:"version" doc:"Of the test"`
	Variant    string            `json:"variant"`
	Sample     string            `json:"sample,omitempty"`
	Host       string            `json:"host,omitempty" doc:"What it was measured in, as that desk calls it"`
	Place      string            `json:"place,omitempty"`
	Setup      string            `json:"setup"`
	Conditions map[string]string `json:"conditions,omitempty" doc:"Those that must match"`
	Bound      string            `json:"bound,omitempty"`
	Centre     float64           `json:"centre"`
	Lo         float64           `json:"lo"`
	Hi         float64           `json:"hi"`
	Median     float64           `json:"median"`
	SE         float64           `json:"se,omitempty" doc:"Standard error on the working scale: relative on ratio scales"`
	DF         float64           `json:"df,omitempty" doc:"Degrees of freedom behind it"`
	Unknown    bool              `json:"unknown,omitempty" doc:"How much it scatters is not known"`
	N          int               `json:"n"`
	Sittings   int               `json:"sittings"`
	Simulated  bool              `json:"simulated,omitempty"`
	Caveat     string            `json:"caveat,omitempty"`
}

// Slug names a variant, or a model, of another desk here.
func Slug(origin, theirs string) string { return theirs + "-of-" + origin }

// Cell is the figure as comparisons take it, of a variant and under the basis of a test of one's own.
func (f Figure) Cell(variant, desk string, t method.Test, scale quantity.Scale) compare.Cell {
	e := stats.Estimate{Centre: f.Centre, Lo: f.Lo, Hi: f.Hi, Median: f.Median, Mean: f.Centre, N: f.N,
		Sittings: f.Sittings,
		SE:       f.SE, DF: f.DF, Bound: f.Bound, Unknown: f.Unknown, Exact: f.Lo == f.Hi && !f.Unknown}
	e.HalfWidth = (f.Hi - f.Lo) / 2
	if scale.Logarithmic() {
		e.Mean, e.HalfWidth = math.Log(f.Centre), math.Log(f.Hi/f.Lo)/2
	}
	basis := trust.Basis{TestVersion: f.Version, Conditions: f.Conditions}
	host := f.Host
	if host != "" {
		host += " of " + desk // no unit of one's own, whatever it is called
	}
	return compare.Cell{Variant: variant, Unit: f.Sample + " of " + desk, Host: host, HostName: f.Host, Place: f.Place,
		Setup: f.Setup, Estimate: e, Basis: basis, Best: [2]float64{f.Lo, f.Hi}, Simulated: f.Simulated,
		Key: trust.BasisKey(method.Test{Version: f.Version, MustMatch: t.MustMatch}, f.Conditions)}
}

// Standing says whether and why figures of a test cannot stand beside those of one's own of the same name.
type Standing string

const (
	Alike   Standing = "alike"
	Unknown Standing = "unknown"       // one has no such test
	Version Standing = "other version" // one has another version of it
	Other   Standing = "other test"    // it bears the name and version, and measures something else
)

// Stands tells how another desk's test stands to those of one's own, by slug.
func (t Test) Stands(mine map[string]method.Test) Standing {
	own, ok := mine[t.Slug]
	switch {
	case !ok:
		return Unknown
	case own.Version != t.Version:
		return Version
	case own.Fingerprint() != t.Fingerprint:
		return Other
	}
	return Alike
}

// Usable tells whether a figure is one that a measure of one's own can stand beside: of the same unit, and positive
// where relations are worked out.
func (f Figure) Usable(m compare.Measure) bool {
	return f.Unit == m.Unit && (!m.Scale.Logarithmic() || f.Lo > 0 || f.Unknown && f.Centre > 0)
}
