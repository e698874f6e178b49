// Package picture is a harbour in the evening sun that is made in code and painted by following light (path tracing
// after Kajiya, The Rendering Equation, SIGGRAPH 1986, with the sun sampled at every matt surface). The processor
// runs it natively and as WebAssembly; the graphics chip runs the same scene and the same paths from the table that
// Table gives. Arithmetic is in 32-bit floating point without sines or powers, written so that no operation is fused:
// every processor paints the same picture, bit by bit.
package picture

import (
	"math"
)

// Width and Height are the whole picture's, in pixels; Bounces bounds a path.
const (
	Width   = 320
	Height  = 180
	Bounces = 6
)

// What a surface does with light.
const (
	Matt   = 0
	Water  = 1 // mirrors the more the flatter it is looked at, else it shows the colour of the depth
	Mirror = 2 // brass, glass
	Lamp   = 3
)

// Material is a surface: its colour, 0 to 1 (of a lamp above that), and what it does.
type Material struct {
	R, G, B float32
	Kind    int32
}

// Sphere and Box are the scene's bodies; a box lies along the axes.
type (
	Sphere struct {
		X, Y, Z, Radius float32
		Material        int32
	}
	Box struct {
		Low, High [3]float32
		Material  int32
	}
)

// Scene is the harbour: y is up, the water lies at y = 0.
type Scene struct {
	Materials []Material
	Spheres   []Sphere
	Boxes     []Box
}

// sun is where the light comes from, of length one; eye is where one stands.
var (
	sun      = [3]float32{-0.48, 0.36, 0.8}
	sunlight = [3]float32{3.1, 2.5, 1.8}
	eye      = [3]float32{0.4, 2.6, -13}
)

// stir is a generator of numbers for the scene's places: the same hash that paths draw from.
type stir uint32

func (s *stir) unit() float32 {
	*s++
	return float32(mix(uint32(*s))>>8) / (1 << 24)
}

// between gives a number between two.
func (s *stir) between(a, b float32) float32 { return a + float32((b-a)*s.unit()) }

// Harbour makes the scene from its seed: a quay with sheds, a light tower, boats at their moorings, buoys.
func Harbour() *Scene {
	rng := stir(29)
	s := &Scene{Materials: []Material{{0.03, 0.16, 0.19, Water}, {0.46, 0.43, 0.4, Matt}, {0.62, 0.2, 0.16, Matt},
		{0.85, 0.83, 0.78, Matt}, {0.2, 0.32, 0.45, Matt}, {0.86, 0.68, 0.36, Mirror}, {6, 4.6, 2.6, Lamp},
		{0.35, 0.24, 0.15, Matt}, {0.66, 0.12, 0.42, Matt}}}
	box := func(x, y, z, w, h, d float32, m int32) {
		s.Boxes = append(s.Boxes, Box{[3]float32{x, y, z}, [3]float32{x + w, y + h, z + d}, m})
	}
	ball := func(x, y, z, r float32, m int32) { s.Spheres = append(s.Spheres, Sphere{x, y, z, r, m}) }
	box(-14, -1, 8, 24, 1.7, 5, 1)    // the quay
	box(6.5, -1, -2, 2.5, 1.5, 12, 1) // the pier
	for i := range 5 {                // sheds on the quay
		x := -12.5 + 3.6*float32(i)
		box(x, 0.7, 9.6, 2.6, rng.between(1.2, 2.6), 2.4, []int32{2, 3, 4, 3, 2}[i])
	}
	for i := range 4 { // the light tower, from wide to narrow
		w := 1.5 - 0.25*float32(i)
		box(7.75-w/2, 0.5+1.5*float32(i), 6.6-w/2, w, 1.5, w, []int32{3, 2, 3, 2}[i])
	}
	ball(7.75, 7, 6.6, 0.48, 6)
	for i := range 6 { // boats
		x, z := -9+3.1*float32(i)+rng.between(-0.5, 0.5), 1.5+rng.between(-2, 3.4)
		hull := []int32{3, 4, 2, 7, 4, 3}[i]
		box(x, -0.15, z, 1.9, 0.6, 0.8, hull)
		box(x+0.3, 0.45, z+0.15, 0.7, 0.5, 0.5, 3)
		box(x+1.2, 0.45, z+0.37, 0.06, rng.between(1.4, 2.4), 0.06, 7)
		ball(x+1.75, 0.5, z+0.4, 0.16, 5)
	}
	for range 9 { // buoys
		ball(rng.between(-8, 5), 0.08, rng.between(-8, 0), rng.between(0.14, 0.3), 8)
	}
	for i := range 5 { // lamps along the pier
		ball(6.7, 1.1, -1.5+2.3*float32(i), 0.11, 6)
	}
	return s
}

// mix is a hash of 32 bits (PCG output function; O'Neill, HMC-CS-2014-0905).
func mix(v uint32) uint32 {
	v = v*747796405 + 2891336453
	v = ((v >> ((v >> 28) + 4)) ^ v) * 277803737
	return v>>22 ^ v
}

// draw is a path's numbers, each from the hash of the one before.
type draw uint32

func (d *draw) unit() float32 {
	*d = draw(mix(uint32(*d)))
	return float32(uint32(*d)>>8) / (1 << 24)
}

type vec struct{ x, y, z float32 }

func dot(a, b vec) float32 { return float32(a.x*b.x) + float32(a.y*b.y) + float32(a.z*b.z) }
func along(o vec, t float32, d vec) vec {
	return vec{o.x + float32(t*d.x), o.y + float32(t*d.y), o.z + float32(t*d.z)}
}
func root(x float32) float32 { return float32(math.Sqrt(float64(x))) }
func unit(v vec) vec {
	s := 1 / root(dot(v, v))
	return vec{v.x * s, v.y * s, v.z * s}
}

// wave is a triangle wave of period one, between -1 and 1.
func wave(x float32) float32 {
	x -= float32(math.Floor(float64(x)))
	if x > 0.5 {
		x = 1 - x
	}
	return float32(4*x) - 1
}

const (
	far  = float32(400) // what lies farther is sky: from there a ball's place is no longer told exactly
	near = float32(1e-3)
)

// hit finds the nearest surface along a ray: how far, which normal, which material; false for the sky.
func (s *Scene) hit(o, d vec) (t float32, n vec, material int32, ok bool) {
	t = far
	if d.y < 0 {
		if at := -o.y / d.y; at > near && at < far {
			t, n, material = at, vec{0, 1, 0}, 0
		}
	}
	for i := range s.Spheres {
		b := &s.Spheres[i]
		c := vec{o.x - b.X, o.y - b.Y, o.z - b.Z}
		h := dot(c, d)
		q := float32(h*h) - dot(c, c) + float32(b.Radius*b.Radius)
		if q <= 0 {
			continue
		}
		if at := -h - root(q); at > near && at < t {
			t, n, material = at, unit(along(c, at, d)), b.Material
		}
	}
	ix, iy, iz := 1/d.x, 1/d.y, 1/d.z
	for i := range s.Boxes {
		b := &s.Boxes[i]
		x0, x1 := (b.Low[0]-o.x)*ix, (b.High[0]-o.x)*ix
		if x0 > x1 {
			x0, x1 = x1, x0
		}
		y0, y1 := (b.Low[1]-o.y)*iy, (b.High[1]-o.y)*iy
		if y0 > y1 {
			y0, y1 = y1, y0
		}
		z0, z1 := (b.Low[2]-o.z)*iz, (b.High[2]-o.z)*iz
		if z0 > z1 {
			z0, z1 = z1, z0
		}
		in, out, axis := x0, x1, 0
		if y0 > in {
			in, axis = y0, 1
		}
		if z0 > in {
			in, axis = z0, 2
		}
		if y1 < out {
			out = y1
		}
		if z1 < out {
			out = z1
		}
		if !(in <= out && in > near && in < t) { // also where a ray along a face gives no number
			continue
		}
		t, material, n = in, b.Material, vec{}
		switch axis {
		case 0:
			n.x = side(d.x)
		case 1:
			n.y = side(d.y)
		default:
			n.z = side(d.z)
		}
	}
	return t, n, material, t < far
}

func side(d float32) float32 {
	if d > 0 {
		return -1
	}
	return 1
}

// sky is the light of the evening from a direction.
func sky(d vec) vec {
	h := root(max(d.y, 0))
	c := vec{1.15 - float32(0.87*h), 0.84 - float32(0.42*h), 0.66 + float32(0.02*h)}
	if g := dot(d, vec{sun[0], sun[1], sun[2]}); g > 0.9 {
		w := float32((g-0.9)*(g-0.9)) * 60
		c.x, c.y, c.z = c.x+w, c.y+float32(0.7*w), c.z+float32(0.35*w)
	}
	return c
}

// ball draws a direction evenly from the unit sphere.
func (d *draw) ball() vec {
	for {
		v := vec{float32(2*d.unit()) - 1, float32(2*d.unit()) - 1, float32(2*d.unit()) - 1}
		if l := dot(v, v); l <= 1 && l > 1e-4 {
			s := 1 / root(l)
			return vec{v.x * s, v.y * s, v.z * s}
		}
	}
}

func mirrored(d, n vec) vec { return along(d, -2*dot(d, n), n) }

// Sample follows one path through a pixel of the picture; which says the how manieth of that pixel it is. It returns
// the light that comes along it, without bound.
func (s *Scene) Sample(x, y, which uint32) (r, g, b float32) {
	rng := draw(mix(which*Width*Height + y*Width + x))
	px := (float32(x)+rng.unit())/Width - 0.5
	py := 0.5 - (float32(y)+rng.unit())/Height
	o := vec{eye[0], eye[1], eye[2]}
	d := unit(vec{1.5 * px, float32(0.84375*py) - 0.03, 1})
	w := vec{1, 1, 1} // what the path's light is worth
	towards := vec{sun[0], sun[1], sun[2]}
	for range Bounces {
		t, n, m, ok := s.hit(o, d)
		if !ok {
			c := sky(d)
			return r + float32(w.x*c.x), g + float32(w.y*c.y), b + float32(w.z*c.z)
		}
		o = along(o, t, d)
		c := &s.Materials[m]
		switch c.Kind {
		case Lamp:
			return r + float32(w.x*c.R), g + float32(w.y*c.G), b + float32(w.z*c.B)
		case Water:
			n = unit(vec{0.035 * (wave(float32(0.9*o.x)+float32(0.37*o.z)) + wave(float32(0.31*o.x)-float32(1.3*o.z))), 1,
				0.05 * (wave(float32(0.45*o.x)+float32(1.7*o.z)) + wave(float32(2.3*o.z)-float32(0.6*o.x)))})
			f := 1 + dot(d, n)
			f *= float32(f*f) * float32(f*f) // after Schlick, 1994
			if rng.unit() < 0.04+float32(0.96*f) {
				d = mirrored(d, n)
				if d.y < 1e-3 {
					d.y = 1e-3
				}
				continue
			}
		case Mirror:
			d = mirrored(d, n)
			w = vec{w.x * c.R, w.y * c.G, w.z * c.B}
			o = along(o, near, n)
			continue
		}
		w = vec{w.x * c.R, w.y * c.G, w.z * c.B}
		o = along(o, near, n)
		if l := dot(n, towards); l > 0 {
			if _, _, _, shaded := s.hit(o, towards); !shaded {
				r += float32(w.x * float32(l*sunlight[0]))
				g += float32(w.y * float32(l*sunlight[1]))
				b += float32(w.z * float32(l*sunlight[2]))
			}
		}
		v := rng.ball()
		d = unit(vec{n.x + float32(0.999*v.x), n.y + float32(0.999*v.y), n.z + float32(0.999*v.z)})
	}
	return r, g, b
}

// Tiles are the pieces in which the picture is painted: columns and rows of them, and their edge in pixels.
const (
	TileEdge = 20
	Columns  = Width / TileEdge
	Rows     = Height / TileEdge
)

// Tile adds one path of each pixel of a tile to a picture of sums, three for each pixel.
func (s *Scene) Tile(tile, which uint32, sums []float32) {
	x0, y0 := tile%Columns*TileEdge, tile/Columns*TileEdge
	for y := y0; y < y0+TileEdge; y++ {
		for x := x0; x < x0+TileEdge; x++ {
			r, g, b := s.Sample(x, y, which)
			i := 3 * (y*Width + x)
			sums[i], sums[i+1], sums[i+2] = sums[i]+r, sums[i+1]+g, sums[i+2]+b
		}
	}
}

// Clear takes what was painted off a tile.
func (s *Scene) Clear(tile uint32, sums []float32) {
	x0, y0 := tile%Columns*TileEdge, tile/Columns*TileEdge
	for y := y0; y < y0+TileEdge; y++ {
		clear(sums[3*(y*Width+x0) : 3*(y*Width+x0+TileEdge)])
	}
}

// Shown is a sum of so many paths as a screen shows it: 0 to 255, highlights bent (Reinhard, 2002), gamma two.
func Shown(sum float32, paths int) uint8 {
	v := sum / float32(paths)
	v = v / (1 + v)
	return uint8(math.Min(255, math.Round(float64(255*root(v*1.25)))))
}
