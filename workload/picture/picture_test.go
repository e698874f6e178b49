package picture

import (
	"encoding/base64"
	"math"
	"os"
	"testing"

	"durvek/internal/golden"
)

func painted(paths int) []float32 {
	s := Harbour()
	sums := make([]float32, 3*Width*Height)
	for which := range uint32(paths) {
		for tile := range uint32(Columns * Rows) {
			s.Tile(tile, which, sums)
		}
	}
	return sums
}

// The picture is the known one, and the page's description is that of this scene.
func TestTheHarbourIsPaintedAsItIsKnown(t *testing.T) {
	got := Coarse(painted(64), 64)
	want := Known()
	if len(want) != len(got) {
		t.Fatalf("%s", base64.StdEncoding.EncodeToString(Coarse(painted(KnownPaths), KnownPaths)))
	}
	for i, v := range got {
		if math.Abs(float64(v)-float64(want[i])) > 3 {
			t.Errorf("field %d, colour %d: %d, known as %d", i/3, i%3, v, want[i])
		}
	}
	const page = "../../probe/page/harbour.ts"
	if golden.Writing() {
		if err := os.WriteFile(page, []byte(Page()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if b, err := os.ReadFile(page); err != nil || string(b) != Page() {
		t.Errorf("%s is not this scene (%v); `go test ./workload/picture -golden` writes it", page, err)
	}
}

// Light is neither made nor lost where the answer is known without following it.
func TestLightIsWhatItMustBe(t *testing.T) {
	s := Harbour()
	up := vec{0, 1, 0}
	if _, _, _, ok := s.hit(vec{0, 50, 0}, up); ok {
		t.Error("the sky is solid")
	}
	// Straight down from the height there is water, 50 m below; above the quay its roof comes first.
	for _, c := range []struct {
		x, z, want float32
		material   int32
	}{{0, -12, 50, 0}, {-13.5, 8.5, 49.3, 1}} {
		at, n, m, ok := s.hit(vec{c.x, 50, c.z}, vec{0, -1, 0})
		if !ok || math.Abs(float64(at-c.want)) > 1e-3 || n != up || m != c.material {
			t.Errorf("from above %g, %g: %g, %v, material %d", c.x, c.z, at, n, m)
		}
	}
	// The tower's lamp, looked at from its side, is what it gives.
	d := unit(vec{7.75, 7 - 7, 6.6 + 13})
	at, n, m, ok := s.hit(vec{0, 7, -13}, d)
	if !ok || s.Materials[m].Kind != Lamp || math.Abs(float64(root(dot(n, n))-1)) > 1e-4 ||
		math.Abs(float64(at)-(math.Hypot(7.75, 19.6)-0.48)) > 1e-3 {
		t.Errorf("the lamp: %g, %v, %d", at, n, m)
	}
	// From inside a box one does not see its walls, as from behind them one does.
	if at, _, _, _ := s.hit(vec{-10, 0.2, 10}, up); at < 0 {
		t.Errorf("a surface behind the eye: %g", at)
	}
	if in, out := mirrored(vec{0.6, -0.8, 0}, up), (vec{0.6, 0.8, 0}); math.Abs(float64(in.x-out.x)) > 1e-6 ||
		math.Abs(float64(in.y-out.y)) > 1e-6 {
		t.Errorf("mirrored to %v", in)
	}
	// Directions from the ball lie evenly: their mean is nothing, their length one.
	d0, sum := draw(7), vec{}
	for range 20000 {
		v := d0.ball()
		if l := dot(v, v); math.Abs(float64(l)-1) > 1e-5 {
			t.Fatalf("a direction of length %g", l)
		}
		sum = vec{sum.x + v.x, sum.y + v.y, sum.z + v.z}
	}
	if dot(sum, sum) > 4*20000 {
		t.Errorf("directions lean to %v", sum)
	}
}

func TestWhatAScreenShows(t *testing.T) {
	for _, c := range []struct {
		sum   float32
		paths int
		want  uint8
	}{{0, 1, 0}, {1e9, 1, 255}, {4, 4, 202}, {1, 1, 202}, {0.1, 1, 86}} {
		if got := Shown(c.sum, c.paths); got != c.want {
			t.Errorf("%g of %d paths is shown as %d, want %d", c.sum, c.paths, got, c.want)
		}
	}
}

func BenchmarkPaths(b *testing.B) {
	s := Harbour()
	sums := make([]float32, 3*Width*Height)
	for i := range b.N {
		s.Tile(uint32(i%(Columns*Rows)), uint32(i), sums)
	}
	b.ReportMetric(float64(b.N)*TileEdge*TileEdge/b.Elapsed().Seconds()/1e6, "Msamples/s")
}
