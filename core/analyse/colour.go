package analyse

import (
	"math"
)

// XYZ is a colour by its tristimulus values for the CIE 1931 2° observer; Y in cd/m², or relative.
type XYZ struct{ X, Y, Z float64 }

// Lab is a colour in CIE 1976 L*a*b* (ISO/CIE 11664-4).
type Lab struct{ L, A, B float64 }

// Chroma is a point of a chromaticity diagram: CIE 1931 xy, or CIE 1976 u′v′ (ISO/CIE 11664-5).
type Chroma struct{ X, Y float64 }

// XY gives the chromaticity of a colour in CIE 1931.
func (c XYZ) XY() Chroma {
	s := c.X + c.Y + c.Z
	return Chroma{c.X / s, c.Y / s}
}

// UV gives the chromaticity of a colour in CIE 1976 u′v′.
func (c XYZ) UV() Chroma { return c.XY().UV() }

// UV turns xy into u′v′.
func (c Chroma) UV() Chroma {
	d := -2*c.X + 12*c.Y + 3
	return Chroma{4 * c.X / d, 9 * c.Y / d}
}

// At is the colour of a chromaticity in xy at a luminance.
func (c Chroma) At(y float64) XYZ { return XYZ{y * c.X / c.Y, y, y * (1 - c.X - c.Y) / c.Y} }

// D65 is the white that the spaces here are made for (their standards give it so).
var D65 = Chroma{0.3127, 0.3290}

// Space is a colour space of three primaries.
type Space struct {
	Name     string
	R, G, B  Chroma
	White    Chroma
	Decode   func(float64) float64 // from a signal of 0 to 1 to linear light
	Standard string
}

// Spaces are those that coverage is given of, with the standards that define them.
var Spaces = map[string]Space{
	"srgb": {"sRGB", Chroma{0.64, 0.33}, Chroma{0.30, 0.60}, Chroma{0.15, 0.06}, D65, srgbDecode, "IEC 61966-2-1"},
	"oprgb": {"opRGB", Chroma{0.64, 0.33}, Chroma{0.21, 0.71}, Chroma{0.15, 0.06}, D65,
		func(v float64) float64 { return math.Pow(v, 563.0/256) }, "IEC 61966-2-5"},
	"p3": {"P3-D65", Chroma{0.680, 0.320}, Chroma{0.265, 0.690}, Chroma{0.150, 0.060}, D65, srgbDecode, "SMPTE EG 432-1"},
	"bt2020": {"BT.2020", Chroma{0.708, 0.292}, Chroma{0.170, 0.797}, Chroma{0.131, 0.046}, D65,
		func(v float64) float64 { return math.Pow(v, 2.4) }, "ITU-R BT.2020, BT.1886"},
}

func srgbDecode(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

type matrix [3][3]float64

func (m matrix) times(c XYZ) XYZ {
	return XYZ{m[0][0]*c.X + m[0][1]*c.Y + m[0][2]*c.Z, m[1][0]*c.X + m[1][1]*c.Y + m[1][2]*c.Z,
		m[2][0]*c.X + m[2][1]*c.Y + m[2][2]*c.Z}
}

func (m matrix) inverse() matrix {
	minor := func(a, b, c, d int) float64 { return m[a][c]*m[b][d] - m[a][d]*m[b][c] }
	det := m[0][0]*minor(1, 2, 1, 2) - m[0][1]*minor(1, 2, 0, 2) + m[0][2]*minor(1, 2, 0, 1)
	return matrix{{minor(1, 2, 1, 2) / det, -minor(0, 2, 1, 2) / det, minor(0, 1, 1, 2) / det},
		{-minor(1, 2, 0, 2) / det, minor(0, 2, 0, 2) / det, -minor(0, 1, 0, 2) / det},
		{minor(1, 2, 0, 1) / det, -minor(0, 2, 0, 1) / det, minor(0, 1, 0, 1) / det}}
}

// linear is the matrix from linear light of the three primaries, 0 to 1, to XYZ with Y of the white at 1.
func (s Space) linear() matrix {
	r, g, b := s.R.At(1), s.G.At(1), s.B.At(1)
	m := matrix{{r.X, g.X, b.X}, {r.Y, g.Y, b.Y}, {r.Z, g.Z, b.Z}}
	k := m.inverse().times(s.White.At(1))
	for i := range m {
		m[i][0], m[i][1], m[i][2] = m[i][0]*k.X, m[i][1]*k.Y, m[i][2]*k.Z
	}
	return m
}

// Colour is what signals of 0 to 1 are meant to look like in the space, with Y of the white at 1.
func (s Space) Colour(r, g, b float64) XYZ {
	return s.linear().times(XYZ{s.Decode(r), s.Decode(g), s.Decode(b)})
}

// bradford is the matrix of the chromatic adaptation of that name (ISO 15076-1, annex E).
var bradford = matrix{{0.8951, 0.2664, -0.1614}, {-0.7502, 1.7135, 0.0367}, {0.0389, -0.0685, 1.0296}}

// adapted is a colour as it looks to who is used to another white (Bradford).
func adapted(c, from, to XYZ) XYZ {
	f, t, x := bradford.times(from), bradford.times(to), bradford.times(c)
	return bradford.inverse().times(XYZ{x.X * t.X / f.X, x.Y * t.Y / f.Y, x.Z * t.Z / f.Z})
}

// Lab gives a colour beside a white in CIE 1976 L*a*b*.
func (c XYZ) Lab(white XYZ) Lab {
	f := func(t float64) float64 {
		if t > 216.0/24389 {
			return math.Cbrt(t)
		}
		return (24389.0/27*t + 16) / 116
	}
	x, y, z := f(c.X/white.X), f(c.Y/white.Y), f(c.Z/white.Z)
	return Lab{116*y - 16, 500 * (x - y), 200 * (y - z)}
}

// DeltaE2000 is the difference of two colours by CIEDE2000 with all weights at 1 (ISO/CIE 11664-6), as Sharma, Wu and
// Dalal (2005) write it out.
func DeltaE2000(p, q Lab) float64 {
	degrees := func(b, a float64) float64 {
		if a == 0 && b == 0 {
			return 0
		}
		return math.Mod(math.Atan2(b, a)*180/math.Pi+360, 360)
	}
	cos := func(d float64) float64 { return math.Cos(d * math.Pi / 180) }
	pow7 := func(x float64) float64 { return math.Pow(x, 7) }
	const k = 6103515625 // 25⁷
	c := (math.Hypot(p.A, p.B) + math.Hypot(q.A, q.B)) / 2
	g := 1 + 0.5*(1-math.Sqrt(pow7(c)/(pow7(c)+k)))
	c1, c2 := math.Hypot(g*p.A, p.B), math.Hypot(g*q.A, q.B)
	h1, h2 := degrees(p.B, g*p.A), degrees(q.B, g*q.A)
	dh, h := h2-h1, h1+h2
	switch {
	case c1*c2 == 0:
		dh = 0
	case math.Abs(h1-h2) <= 180:
		h /= 2
	case h < 360:
		h = (h + 360) / 2
	default:
		h = (h - 360) / 2
	}
	if dh > 180 {
		dh -= 360
	} else if dh < -180 {
		dh += 360
	}
	dl, dc := q.L-p.L, c2-c1
	dH := 2 * math.Sqrt(c1*c2) * math.Sin(dh/2*math.Pi/180)
	l, cm := (p.L+q.L)/2, (c1+c2)/2
	t := 1 - 0.17*cos(h-30) + 0.24*cos(2*h) + 0.32*cos(3*h+6) - 0.20*cos(4*h-63)
	sl := 1 + 0.015*(l-50)*(l-50)/math.Sqrt(20+(l-50)*(l-50))
	sc, sh := 1+0.045*cm, 1+0.015*cm*t
	turn := 30 * math.Exp(-math.Pow((h-275)/25, 2))
	rt := -math.Sin(2*turn*math.Pi/180) * 2 * math.Sqrt(pow7(cm)/(pow7(cm)+k))
	return math.Sqrt(math.Pow(dl/sl, 2) + math.Pow(dc/sc, 2) + math.Pow(dH/sh, 2) + rt*(dc/sc)*(dH/sh))
}

// area is that of a polygon, by the order of its corners.
func area(p []Chroma) float64 {
	a := 0.0
	for i, c := range p {
		n := p[(i+1)%len(p)]
		a += c.X*n.Y - n.X*c.Y
	}
	return a / 2
}

// clipped is the part of a polygon inside a convex one whose corners run against the clock (Sutherland and Hodgman
// 1974).
func clipped(subject, by []Chroma) []Chroma {
	out := subject
	for i, a := range by {
		b := by[(i+1)%len(by)]
		side := func(p Chroma) float64 { return (b.X-a.X)*(p.Y-a.Y) - (b.Y-a.Y)*(p.X-a.X) }
		in := out
		out = nil
		for j, p := range in {
			q := in[(j+1)%len(in)]
			sp, sq := side(p), side(q)
			if sp >= 0 {
				out = append(out, p)
			}
			if (sp >= 0) != (sq >= 0) {
				f := sp / (sp - sq)
				out = append(out, Chroma{p.X + f*(q.X-p.X), p.Y + f*(q.Y-p.Y)})
			}
		}
	}
	return out
}

// Coverage is the share of a space's triangle that measured primaries cover, in the plane that a function turns xy
// into.
func Coverage(r, g, b Chroma, of Space, plane func(Chroma) Chroma) float64 {
	against := func(p ...Chroma) []Chroma { // against the clock
		for i := range p {
			p[i] = plane(p[i])
		}
		if area(p) < 0 {
			p[1], p[2] = p[2], p[1]
		}
		return p
	}
	target := against(of.R, of.G, of.B)
	common := clipped(against(r, g, b), target)
	if len(common) < 3 {
		return 0
	}
	return area(common) / area(target)
}

// Temperature of a white: its correlated colour temperature in K, and how far it lies from black bodies in the CIE 1960
// u v plane, above zero where it is greener. ok is false where it is no white to which a temperature belongs.
//
// The locus is Krystek's approximation (Color Research & Application 1985), which is within 0.0001 of it from 1,000 to
// 15,000 K; a temperature is given to |Duv| ≤ 0.05, as CIE 15 allows.
func Temperature(c Chroma) (cct, duv float64, ok bool) {
	uv := c.UV()
	u, v := uv.X, uv.Y*2/3
	locus := func(t float64) (float64, float64) {
		return (0.860117757 + 1.54118254e-4*t + 1.28641212e-7*t*t) / (1 + 8.42420235e-4*t + 7.08145163e-7*t*t),
			(0.317398726 + 4.22806245e-5*t + 4.20481691e-8*t*t) / (1 - 2.89741816e-5*t + 1.61456053e-7*t*t)
	}
	away := func(mired float64) float64 {
		x, y := locus(1e6 / mired)
		return math.Hypot(u-x, v-y)
	}
	const from, to = 1e6 / 15000, 1e6 / 1000 // in mired, along which the locus runs evenly
	best := from
	for m := from; m <= to; m += 2 {
		if away(m) < away(best) {
			best = m
		}
	}
	lo, hi := max(from, best-2), min(to, best+2)
	for range 60 {
		a, b := lo+(hi-lo)/3, hi-(hi-lo)/3
		if away(a) < away(b) {
			hi = b
		} else {
			lo = a
		}
	}
	m := (lo + hi) / 2
	_, y := locus(1e6 / m)
	duv = math.Copysign(away(m), v-y)
	return 1e6 / m, duv, math.Abs(duv) <= 0.05 && m > from+0.01 && m < to-0.01
}
