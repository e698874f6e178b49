package cpu

import (
	"math/rand/v2"

	"durvek/workload"
)

// The sea that routes are sought over: side² places, each with up to eight neighbours.
const (
	seaSide     = 1024
	routeCases  = 64
	routeReach  = 50 // places between the ends of a route
	routeDigest = 0x6694834cc57f4aab
)

func init() {
	register(Kernel{
		Slug: "route-search", Name: "Route search", Unit: "{node}/s",
		About: "Cheapest routes over a sea of a million places with up to eight neighbours each, by Dijkstra's " +
			"algorithm with a binary heap. The places lie in memory in no order, as in a graph that grew. Counted are places " +
			"settled.",
		StandsFor: "Route planning, dependencies between tasks, games' path finding: pointer-like access to far more data " +
			"than the caches hold.",
		LimitedBy: "Memory latency and the larger caches, then branches. All threads share the graph, so memory channels " +
			"count.",
		Input: "A graph of 48 MiB from seed 7, and 64 pairs of ends.", Checked: "Digest of the costs of all 64 routes " +
			"beforehand, and of each thread's last.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			g := newSea()
			return cases(routeCases, routeDigest, func() solver { return newSearch(g) })()
		}}},
	})
}

// sea is a graph: eight neighbours and their costs for each place; a neighbour of -1 is none.
type sea struct {
	to   []int32
	cost []uint16
	ends [routeCases][2]int32
}

func newSea() *sea {
	rng := rand.New(rand.NewPCG(7, 7))
	n := seaSide * seaSide
	order := make([]int32, n) // where in memory each place lies
	for i := range order {
		order[i] = int32(i)
	}
	rng.Shuffle(n, func(i, j int) { order[i], order[j] = order[j], order[i] })
	rough := make([]uint8, n)
	for i := range rough {
		rough[i] = uint8(10 + rng.IntN(90))
	}
	g := &sea{to: make([]int32, 8*n), cost: make([]uint16, 8*n)}
	for y := range seaSide {
		for x := range seaSide {
			from := y*seaSide + x
			k := 8 * int(order[from])
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					if dx == 0 && dy == 0 {
						continue
					}
					g.to[k] = -1
					if xx, yy := x+dx, y+dy; xx >= 0 && yy >= 0 && xx < seaSide && yy < seaSide {
						step := uint16(5)
						if dx != 0 && dy != 0 {
							step = 7
						}
						g.to[k], g.cost[k] = order[yy*seaSide+xx], step*(uint16(rough[from])+uint16(rough[yy*seaSide+xx]))
					}
					k++
				}
			}
		}
	}
	for i := range g.ends {
		x, y := 100+rng.IntN(seaSide-200), 100+rng.IntN(seaSide-200)
		g.ends[i] = [2]int32{order[y*seaSide+x], order[(y+routeReach-rng.IntN(2*routeReach))*seaSide+x+routeReach]}
	}
	return g
}

// reached is the cheapest cost known to a place; it holds for the search whose number it bears.
type reached struct{ search, cost uint32 }

func newSearch(g *sea) solver {
	best := make([]reached, seaSide*seaSide)
	heap := make([]uint64, 0, 1<<17) // cost in the upper half, place in the lower
	var search, answer uint32
	return solver{
		do: func(i int) float64 {
			search++
			heap = append(heap[:0], uint64(g.ends[i][0]))
			goal, settled := uint32(g.ends[i][1]), 0
			best[g.ends[i][0]] = reached{search, 0}
			for len(heap) > 0 {
				top := heap[0]
				last := heap[len(heap)-1]
				heap = heap[:len(heap)-1]
				if n := len(heap); n > 0 { // sift down
					at := 0
					for {
						c := 2*at + 1
						if c >= n {
							break
						}
						if c+1 < n && heap[c+1] < heap[c] {
							c++
						}
						if heap[c] >= last {
							break
						}
						heap[at] = heap[c]
						at = c
					}
					heap[at] = last
				}
				cost, place := uint32(top>>32), uint32(top)
				if best[place].cost != cost {
					continue // a cheaper way was found meanwhile
				}
				settled++
				if place == goal {
					answer = cost
					break
				}
				for k := 8 * place; k < 8*place+8; k++ {
					to := g.to[k]
					if to < 0 {
						continue
					}
					c := cost + uint32(g.cost[k])
					if b := &best[to]; b.search != search || c < b.cost {
						*b = reached{search, c}
						heap = append(heap, uint64(c)<<32|uint64(to))
						at := len(heap) - 1
						for at > 0 { // sift up
							up := (at - 1) / 2
							if heap[up] <= heap[at] {
								break
							}
							heap[up], heap[at] = heap[at], heap[up]
							at = up
						}
					}
				}
			}
			return float64(settled)
		},
		answer: func() uint64 { return uint64(answer) },
	}
}
