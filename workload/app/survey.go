package app

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"math/rand/v2"
	"slices"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/workload"
)

// The survey: soundings over a square of cells; lengths in millimetres, depths in millimetres.
const (
	soundings    = 400_000
	areaSide     = 512
	cellSize     = 1000
	trackPoints  = 40_000
	trackSlack   = 800
	surveyDigest = "c0ba43a8"
)

func init() {
	register(method.Test{
		Slug: "survey-post", Name: "Survey post-processing", Repeats: 5, Seconds: 3,
		About: "400,000 soundings become a grid of 512 × 512 cells (the median of each cell, gaps closed from their " +
			"neighbours), the grid contour lines at every metre, and the boat's track of 40,000 points a track without " +
			"needless points; on one thread.",
		StandsFor: "The evening's work of a survey crew: from a day's points to a chart.",
		LimitedBy: "One core and its caches: sorting, scattered access, branches. Integers throughout.",
		Input:     "A sea bed with noise from seed 19.", Checked: "Digest of grid, lines and track.",
		Measures: seconds(0.015, "time", "time"),
	}, func(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
		points, track := newSurvey()
		p := newPost()
		mean, s, err := timed(ctx, env, "survey", 3, func() error { p.process(points, track); return nil })
		out.Series = []record.Series{s}
		if err == nil {
			err = right(p.digest(), surveyDigest)
		}
		if err != nil {
			return out, err
		}
		out.Readings = []record.Reading{workload.Reading("time", mean)}
		return out, nil
	})
}

// sounding is one measured depth at a place; point is a place.
type (
	sounding struct{ x, y, depth int32 }
	point    struct{ x, y int32 }
)

func newSurvey() (points []sounding, track []point) {
	rng := rand.New(rand.NewPCG(19, 19))
	const side = areaSide * cellSize
	for range soundings {
		x, y := rng.Int32N(side), rng.Int32N(side)
		// A bowl with a ridge, in integers.
		u, v := int64(x-side/2), int64(y-side/3)
		depth := 30000 - (u*u+v*v)/(side*8) + (u*v)/(side*16) + int64(rng.Int32N(300))
		points = append(points, sounding{x, y, int32(depth)})
	}
	x, y, dx, dy := int32(side/2), int32(side/2), int32(300), int32(0)
	for range trackPoints {
		if rng.IntN(60) == 0 {
			dx, dy = rng.Int32N(601)-300, rng.Int32N(601)-300
		}
		x, y = min(max(x+dx+rng.Int32N(101)-50, 0), side), min(max(y+dy+rng.Int32N(101)-50, 0), side)
		track = append(track, point{x, y})
	}
	return points, track
}

// post holds what post-processing makes.
type post struct {
	count, start []int32
	sorted       []int32
	grid         []int32
	lines        []point // ends of contour pieces, two by two
	kept         []point
	keep         []bool
}

func newPost() *post {
	n := areaSide * areaSide
	return &post{count: make([]int32, n), start: make([]int32, n+1), sorted: make([]int32, soundings), grid: make([]int32,
		n), keep: make([]bool, trackPoints)}
}

func (p *post) process(points []sounding, track []point) {
	p.gridding(points)
	p.lines = p.lines[:0]
	for level := int32(-40000); level <= 30000; level += 1000 {
		p.contour(level)
	}
	clear(p.keep)
	p.keep[0], p.keep[len(track)-1] = true, true
	p.thin(track, 0, len(track)-1)
	p.kept = p.kept[:0]
	for i, k := range p.keep {
		if k {
			p.kept = append(p.kept, track[i])
		}
	}
}

// gridding takes the median depth of each cell; a cell without soundings takes the mean of those neighbours
// that have a value already.
func (p *post) gridding(points []sounding) {
	cell := func(s sounding) int32 { return s.y/cellSize*areaSide + s.x/cellSize }
	clear(p.count)
	for _, s := range points {
		p.count[cell(s)]++
	}
	for i, n := range p.count {
		p.start[i+1] = p.start[i] + n
	}
	clear(p.count)
	for _, s := range points {
		c := cell(s)
		p.sorted[p.start[c]+p.count[c]] = s.depth
		p.count[c]++
	}
	const none = -1 << 31
	for i := range p.grid {
		own := p.sorted[p.start[i]:p.start[i+1]]
		p.grid[i] = none
		if len(own) > 0 {
			slices.Sort(own)
			p.grid[i] = own[len(own)/2]
		}
	}
	for gaps := true; gaps; {
		gaps = false
		for i, v := range p.grid {
			if v != none {
				continue
			}
			sum, n := int64(0), int64(0)
			x, y := i%areaSide, i/areaSide
			for _, k := range [4][2]int{{-1, 0}, {1, 0}, {0, -1}, {0, 1}} {
				if xx, yy := x+k[0], y+k[1]; xx >= 0 && yy >= 0 && xx < areaSide && yy < areaSide {
					if w := p.grid[yy*areaSide+xx]; w != none {
						sum, n = sum+int64(w), n+1
					}
				}
			}
			if n == 0 {
				gaps = true
			} else {
				p.grid[i] = int32(sum / n)
			}
		}
	}
}

// contour finds where a level crosses the squares between four cells (marching squares; Lorensen and
// Cline's method, SIGGRAPH 1987, in the plane).
func (p *post) contour(level int32) {
	cross := func(a, b int32) int32 { return int32(int64(level-a) * cellSize / int64(b-a)) }
	for y := range areaSide - 1 {
		for x := range areaSide - 1 {
			i := y*areaSide + x
			a, b, c, d := p.grid[i], p.grid[i+1], p.grid[i+areaSide+1], p.grid[i+areaSide]
			if (a >= level) == (b >= level) && (b >= level) == (c >= level) && (c >= level) == (d >= level) {
				continue
			}
			x0, y0 := int32(x)*cellSize, int32(y)*cellSize
			if (a >= level) != (b >= level) {
				p.lines = append(p.lines, point{x0 + cross(a, b), y0})
			}
			if (b >= level) != (c >= level) {
				p.lines = append(p.lines, point{x0 + cellSize, y0 + cross(b, c)})
			}
			if (d >= level) != (c >= level) {
				p.lines = append(p.lines, point{x0 + cross(d, c), y0 + cellSize})
			}
			if (a >= level) != (d >= level) {
				p.lines = append(p.lines, point{x0, y0 + cross(a, d)})
			}
		}
	}
}

// thin keeps the points of a track without which it would be off by more than the slack (Douglas and
// Peucker, Cartographica 10(2), 1973).
func (p *post) thin(track []point, from, to int) {
	if to-from < 2 {
		return
	}
	a, b := track[from], track[to]
	dx, dy := int64(b.x-a.x), int64(b.y-a.y)
	far, at := int64(-1), from
	for i := from + 1; i < to; i++ {
		u, v := int64(track[i].x-a.x), int64(track[i].y-a.y)
		d := dx*v - dy*u // twice the triangle's area
		if d < 0 {
			d = -d
		}
		if dx == 0 && dy == 0 {
			d = u*u + v*v
		}
		if d > far {
			far, at = d, i
		}
	}
	length := dx*dx + dy*dy
	// far ÷ length of the base > slack, squared and without roots; the sides fit into 128 bits as floats.
	if dx == 0 && dy == 0 && far > trackSlack*trackSlack || length > 0 &&
		float64(far)*float64(far) > float64(trackSlack*trackSlack)*float64(length) {
		p.keep[at] = true
		p.thin(track, from, at)
		p.thin(track, at, to)
	}
}

func (p *post) digest() string {
	h := sha256.New()
	binary.Write(h, binary.LittleEndian, p.grid)
	binary.Write(h, binary.LittleEndian, p.lines)
	binary.Write(h, binary.LittleEndian, p.kept)
	var d [32]byte
	h.Sum(d[:0])
	return sum([][32]byte{d})
}
