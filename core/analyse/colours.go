package analyse

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

// spaceOrder is that in which coverages are told.
var spaceOrder = []string{"srgb", "oprgb", "p3", "bt2020"}

var colours = Analysis{Name: "colour", Version: 1, Title: "Panel, colours", Group: "display",
	About: "Patches measured on a screen: luminance, contrast, white (CIE 15), coverage of colour spaces in the CIE " +
		"1931 " +
		"xy and the CIE 1976 u′v′ plane, differences from what the patches are meant to be (CIEDE2000, ISO/CIE 11664-6) " +
		"relative to the measured white's luminance, and the exponent of the tone response.",
	Roles: []Role{
		{Name: "Y", Unit: "cd/m2", Words: "luminance Y", Need: true, Called: []string{"xyz_y", "luminance", "lum", "lv",
			"cie y", "y (cd/m2)"}},
		{Name: "X", Unit: "cd/m2", Words: "tristimulus X", Called: []string{"xyz_x", "cie x"}},
		{Name: "Z", Unit: "cd/m2", Words: "tristimulus Z", Called: []string{"xyz_z", "cie z"}},
		{Name: "x", Unit: "1", Words: "chromaticity x", Called: []string{"xyy_x", "chromaticity x", "cx"}},
		{Name: "y", Unit: "1", Words: "chromaticity y", Called: []string{"xyy_y", "chromaticity y", "cy"}},
		{Name: "R", Unit: "1", Words: "signal R", Need: true, Called: []string{"rgb_r", "r", "red"}},
		{Name: "G", Unit: "1", Words: "signal G", Need: true, Called: []string{"rgb_g", "g", "green"}},
		{Name: "B", Unit: "1", Words: "signal B", Need: true, Called: []string{"rgb_b", "b", "blue"}},
		{Name: "patch", Words: "name of the patch", Text: true, Called: []string{"sample_id", "sample_name", "patch", "name",
			"id"}},
	},
	Options: []method.Option{
		{Slug: "space", Meaning: "Space that the patches are meant to be in", Default: "srgb", Choices: spaceOrder,
			Match: true},
		{Slug: "white", Meaning: "White that differences are told beside: that of the space, or the measured one, to which " +
			"an eye adapts (Bradford)", Default: "space", Choices: []string{"space", "measured"}, Match: true},
		{Slug: "full", Meaning: "Signal of full drive; found from the file where left out", Unit: "1", Least: 1},
		{Slug: "ambient", Meaning: "Light on the screen, for contrast in it", Unit: "lx"},
		{Slug: "reflectance", Meaning: "Share of light that the screen throws back, for contrast in it", Unit: "%",
			Most: 100},
	}}

func init() {
	m := func(slug, name, unit string, better quantity.Direction, rep float64) method.Measure {
		return method.Measure{Slug: slug, Name: name, Unit: unit, Scale: quantity.Ratio, Better: better, Repeatability: rep}
	}
	colours.Measures = []method.Measure{m("white", "white luminance", "cd/m2", quantity.Higher, 0.01),
		m("black", "black luminance", "cd/m2", quantity.Lower, 0.03), m("contrast", "contrast", "1", quantity.Higher, 0.03),
		m("contrast-ambient", "contrast in ambient light", "1", quantity.Higher, 0.02)}
	for _, s := range spaceOrder {
		name := Spaces[s].Name
		colours.Measures = append(colours.Measures,
			method.Measure{Slug: "coverage-" + s, Name: "coverage of " + name + " in xy", Unit: "%", Words: "coverage",
				Scale: quantity.Share, Better: quantity.Higher, Margin: 1, Repeatability: 0.3},
			method.Measure{Slug: "coverage-uv-" + s, Name: "coverage of " + name + " in u′v′", Unit: "%", Words: "coverage",
				Scale: quantity.Share, Better: quantity.Higher, Margin: 1, Repeatability: 0.3})
	}
	colours.Measures = append(colours.Measures, m("delta-e", "mean colour difference ΔE2000", "1", quantity.Lower, 0.05),
		m("delta-e-worst", "largest colour difference ΔE2000", "1", quantity.Lower, 0.05),
		method.Measure{Slug: "white-temperature", Name: "colour temperature of white", Unit: "K", Scale: quantity.Interval,
			Better: quantity.Target, Target: 6504, Margin: 150, Repeatability: 30},
		method.Measure{Slug: "white-duv", Name: "distance of white from a black body, Duv", Unit: "1",
			Scale: quantity.Interval, Better: quantity.Target,
			Target: 0.0032, Margin: 0.002, Repeatability: 0.0004},
		method.Measure{Slug: "tone", Name: "tone response exponent", Unit: "1", Scale: quantity.Ratio,
			Better: quantity.Target, Target: 2.2, Repeatability: 0.01})
	words := map[string]string{"black": "black", "delta-e": "error", "delta-e-worst": "error",
		"white-temperature": "colour temperature"}
	for i, x := range colours.Measures {
		colours.Measures[i].Words, colours.Measures[i].Alone = cmp.Or(x.Words, words[x.Slug]), true
	}
	colours.make = makeColours
	Register(colours)
}

// patch is a measured patch with the signals it was shown with, 0 to 1.
type patch struct {
	name    string
	rgb     [3]float64
	seen    XYZ
	chroma  bool // whether its chromaticity is known
	neutral bool
}

// patches reads them.
func patches(raw Raw) ([]patch, error) {
	c := raw.Columns
	tri, xy := raw.Has("X") && raw.Has("Z"), raw.Has("x") && raw.Has("y")
	if !tri && !xy {
		return nil, unfit("patches have X, Y and Z, or x, y and Y")
	}
	full := colours.option(raw, "full")
	if math.IsNaN(full) {
		top := max(slices.Max(c["R"]), slices.Max(c["G"]), slices.Max(c["B"]))
		for _, full = range []float64{1, 100, 255, 1023, 4095, 65535} {
			if top <= full {
				break
			}
		}
	}
	out := make([]patch, len(c["Y"]))
	for i := range out {
		p := &out[i]
		p.name = fmt.Sprintf("patch %g %g %g", c["R"][i], c["G"][i], c["B"][i])
		if w := raw.Words["patch"]; w != nil && w[i] != "" {
			p.name = "patch " + w[i]
		}
		for k, role := range []string{"R", "G", "B"} {
			v := c[role][i] / full
			if !(v >= 0 && v <= 1) {
				return nil, unfit("row %d: signal %s is %g, which is not between 0 and %g", i+1, role, c[role][i], full)
			}
			p.rgb[k] = v
		}
		p.neutral = p.rgb[0] == p.rgb[1] && p.rgb[1] == p.rgb[2]
		if y := c["Y"][i]; !(y >= 0) {
			return nil, unfit("row %d: a luminance of %g cd/m² cannot be", i+1, y)
		}
		if tri {
			p.seen = XYZ{c["X"][i], c["Y"][i], c["Z"][i]}
			p.chroma = p.seen.X+p.seen.Y+p.seen.Z > 0
		} else {
			x := Chroma{c["x"][i], c["y"][i]}
			if p.chroma = x.X > 0 && x.Y > 0 && x.X+x.Y <= 1; p.chroma {
				p.seen = x.At(c["Y"][i])
			} else {
				p.seen = XYZ{0, c["Y"][i], 0}
			}
		}
	}
	return out, nil
}

// shown is the mean of the patches that were shown with some signals; false where none was.
func shown(ps []patch, r, g, b float64) (XYZ, bool) {
	var sum XYZ
	n := 0.0
	for _, p := range ps {
		if p.rgb == [3]float64{r, g, b} {
			sum.X, sum.Y, sum.Z, n = sum.X+p.seen.X, sum.Y+p.seen.Y, sum.Z+p.seen.Z, n+1
		}
	}
	return XYZ{sum.X / n, sum.Y / n, sum.Z / n}, n > 0
}

func makeColours(raw Raw) (Made, error) {
	ps, err := patches(raw)
	if err != nil {
		return Made{}, err
	}
	var out Made
	white, ok := shown(ps, 1, 1, 1)
	if !ok || white.Y <= 0 {
		return out, unfit("no patch is full white; without it nothing else has a measure")
	}
	add := func(r ...record.Reading) { out.Readings = append(out.Readings, r...) }
	add(found("white", white.Y))
	black, dark := shown(ps, 0, 0, 0)
	switch {
	case !dark:
		add(lacking("black", "no patch is black"), lacking("contrast", "no patch is black"))
	case black.Y <= 0:
		const why = "black is darker than the meter shows"
		add(lacking("black", why), lacking("contrast", why))
	default:
		add(found("black", black.Y), found("contrast", white.Y/black.Y))
	}
	if lx, back := colours.option(raw, "ambient"), colours.option(raw, "reflectance"); dark && lx > 0 && back > 0 {
		veil := back / 100 * lx / math.Pi
		add(found("contrast-ambient", (white.Y+veil)/(black.Y+veil)))
	} else {
		out.absent("contrast-ambient", "the light on the screen or its reflectance was not given, or no black was measured")
	}
	r, okR := shown(ps, 1, 0, 0)
	g, okG := shown(ps, 0, 1, 0)
	b, okB := shown(ps, 0, 0, 1)
	for _, s := range spaceOrder {
		if !okR || !okG || !okB {
			add(lacking("coverage-"+s, "a full primary is missing"), lacking("coverage-uv-"+s, "a full primary is missing"))
			continue
		}
		same := func(c Chroma) Chroma { return c }
		add(found("coverage-"+s, 100*Coverage(r.XY(), g.XY(), b.XY(), Spaces[s], same)),
			found("coverage-uv-"+s, 100*Coverage(r.XY(), g.XY(), b.XY(), Spaces[s], Chroma.UV)))
	}
	if cct, duv, ok := Temperature(white.XY()); ok {
		add(found("white-temperature", cct), found("white-duv", math.Round(duv*1e4)/1e4))
	} else {
		add(lacking("white-temperature", "its white is too far from any black body"), found("white-duv", duv))
	}
	add(differences(raw, ps, white, &out)...)
	add(tone(ps, white.Y, black.Y))
	if okR && okG && okB {
		out.Picture = gamut(r.XY(), g.XY(), b.XY(), white.XY())
	}
	return out, nil
}

// differences are those of the patches from what they are meant to be.
func differences(raw Raw, ps []patch, white XYZ, out *Made) []record.Reading {
	name := raw.Options["space"]
	if name == "" {
		name = "srgb"
	}
	space := Spaces[name]
	meant := space.White.At(white.Y)
	sum, worst, which, n := 0.0, -1.0, "", 0.0
	for _, p := range ps {
		if p.rgb == [3]float64{} || !p.chroma && p.seen.Y > 0 {
			continue // black tells of the meter's floor
		}
		c := space.Colour(p.rgb[0], p.rgb[1], p.rgb[2])
		want := XYZ{c.X * white.Y, c.Y * white.Y, c.Z * white.Y}
		seen := p.seen
		if raw.Options["white"] == "measured" {
			seen = adapted(seen, white, meant)
		}
		d := DeltaE2000(seen.Lab(meant), want.Lab(meant))
		if sum, n = sum+d, n+1; d > worst {
			worst, which = d, p.name
		}
	}
	if n < 3 {
		const why = "fewer than three patches with a chromaticity"
		return []record.Reading{lacking("delta-e", why), lacking("delta-e-worst", why)}
	}
	out.Said = map[string]string{"colour.worst": which, "colour.patches": fmt.Sprint(n), "colour.space": space.Name}
	if sum <= 0 { // what was made up, or copied
		const why = "no patch differs at all from what it is meant to be"
		return []record.Reading{lacking("delta-e", why), lacking("delta-e-worst", why)}
	}
	out.Notes = append(out.Notes, fmt.Sprintf("Colour differences by CIEDE2000 over %g patches against %s, relative to "+
		"the "+
		"luminance of the measured white; the largest is at %s.", n, space.Name, which))
	return []record.Reading{found("delta-e", sum/n), found("delta-e-worst", worst)}
}

// tone is the exponent of the tone response: least squares through the origin of the logarithms of luminance above
// black and signal, over greys of 5 to 95 %.
func tone(ps []patch, white, black float64) record.Reading {
	var xy, xx float64
	n := 0
	for _, p := range ps {
		rel := (p.seen.Y - black) / (white - black)
		if s := p.rgb[0]; p.neutral && s >= 0.05 && s <= 0.95 && rel > 0 {
			xy, xx = xy+math.Log(s)*math.Log(rel), xx+math.Log(s)*math.Log(s)
			n++
		}
	}
	if n < 3 {
		return lacking("tone", fmt.Sprintf("it needs three greys from 5 to 95 %% at least; there are %d", n))
	}
	return found("tone", xy/xx)
}

// gamut draws the measured triangle with those of the spaces.
func gamut(r, g, b, white Chroma) Picture {
	p := Picture{Kind: Plane, Title: "Primaries and white in CIE 1931 xy", X: "x", Y: "y"}
	triangle := func(name string, cs ...Chroma) {
		c := Curve{Name: name}
		for _, q := range append(cs, cs[0]) {
			c.X, c.Y = append(c.X, q.X), append(c.Y, q.Y)
		}
		p.Curves = append(p.Curves, c)
	}
	triangle("measured", r, g, b)
	for _, s := range spaceOrder {
		triangle(Spaces[s].Name, Spaces[s].R, Spaces[s].G, Spaces[s].B)
	}
	p.Curves = append(p.Curves, Curve{Name: "measured white", X: []float64{white.X}, Y: []float64{white.Y}, Dots: true},
		Curve{Name: "D65", X: []float64{D65.X}, Y: []float64{D65.Y}, Dots: true})
	return p
}

var uniformity = Analysis{Name: "uniformity", Version: 1, Title: "Panel, evenness", Group: "display",
	About: "White measured at places of a screen: the darkest beside the brightest, and the largest difference in " +
		"colour " +
		"from the middle (CIEDE2000).",
	Roles: []Role{
		{Name: "place", Words: "place on the screen", Need: true, Text: true, Called: []string{"place", "zone", "position",
			"patch", "name"}},
		{Name: "Y", Unit: "cd/m2", Words: "luminance Y", Need: true, Called: []string{"luminance", "lum", "lv", "xyz_y"}},
		{Name: "x", Unit: "1", Words: "chromaticity x"}, {Name: "y", Unit: "1", Words: "chromaticity y"},
	},
	Measures: []method.Measure{
		{Slug: "evenness", Name: "evenness, darkest ÷ brightest", Unit: "%", Scale: quantity.Share, Better: quantity.Higher,
			Repeatability: 0.7},
		{Slug: "colour-shift", Name: "largest difference from the middle ΔE2000", Unit: "1", Scale: quantity.Ratio,
			Better: quantity.Lower, Repeatability: 0.1}},
	make: func(raw Raw) (Made, error) {
		ys, places := raw.Columns["Y"], raw.Words["place"]
		if err := whole(ys, "luminance"); err != nil {
			return Made{}, err
		}
		if slices.Min(ys) <= 0 || len(ys) < 3 {
			return Made{}, unfit("evenness needs three places at least, each with a luminance above zero")
		}
		lo, hi := slices.Min(ys), slices.Max(ys)
		out := Made{Readings: []record.Reading{found("evenness", 100*lo/hi)},
			Said: map[string]string{"screen.darkest": places[slices.Index(ys, lo)],
				"screen.brightest": places[slices.Index(ys, hi)]},
			Picture: listed(Picture{Kind: Field, Title: "Luminance by place", Unit: "cd/m²"}, places, ys)}
		middle := slices.IndexFunc(places, func(p string) bool {
			return slices.Contains([]string{"middle", "centre", "center", "c"}, strings.ToLower(strings.TrimSpace(p)))
		})
		xs, yy := raw.Columns["x"], raw.Columns["y"]
		if middle < 0 || xs == nil || yy == nil {
			out.Readings = append(out.Readings, lacking("colour-shift",
				"no place is called middle, or there is no chromaticity"))
			return out, nil
		}
		white := Chroma{xs[middle], yy[middle]}.At(ys[middle])
		worst := 0.0
		for i := range ys {
			// at one luminance: how dark a corner is stands in the evenness
			worst = max(worst, DeltaE2000(Chroma{xs[i], yy[i]}.At(ys[middle]).Lab(white), white.Lab(white)))
		}
		if worst > 0 {
			out.Readings = append(out.Readings, found("colour-shift", worst))
		}
		return out, nil
	}}

func init() { Register(uniformity) }
