package value

import (
	"cmp"
	"math"
	"slices"
)

// Priced is one competitor with its price and what it is worth: a figure or an index, with its interval, in which
// higher or lower is better.
type Priced struct {
	ID       string
	Model    string // siblings share it
	Price    float64
	Worth    float64
	Lo, Hi   float64
	LowerIs  bool // lower is better
	Unsure   bool // nothing is known of its noise, or of that of a part of it
	Unranked bool // listed, not compared: a bound, or too incomplete
}

// Value is what one gets for the price.
type Value struct {
	ID       string  `json:"id"`
	Price    float64 `json:"price"`
	Worth    float64 `json:"worth"`
	Per      float64 `json:"per" doc:"Performance per price relative to the field's best, which is 100"`
	Place    int     `json:"place" doc:"By performance per price"`
	Frontier bool    `json:"frontier" doc:"Nothing else is as cheap and as good"`
	BeatenBy string  `json:"beaten_by,omitempty" doc:"The cheapest that is cheaper or as dear and better; none on the frontier"`
	SureBeat bool    `json:"surely_beaten,omitempty" doc:"By one whose interval lies wholly above"`
	BestAt   float64 `json:"best_at,omitempty" doc:"Price at which it would be the best by performance per price"`
	FrontAt  float64 `json:"frontier_at,omitempty" doc:"Price below which it would be on the frontier"`
	Unranked bool    `json:"unranked,omitempty"`
	perValue float64
}

// merit is performance as a number that grows with what is better; the inverse where lower is.
func (p Priced) merit() (v, lo, hi float64) {
	if p.LowerIs {
		return 1 / p.Worth, 1 / p.Hi, 1 / p.Lo
	}
	return p.Worth, p.Lo, p.Hi
}

// Of puts competitors in order of performance per price (of ratio scales alone: twice as fast at twice the price is as
// good a value), finds the efficient frontier, and says at which price each would be the best buy.
func Of(field []Priced) []Value {
	out := make([]Value, len(field))
	best, second := 0.0, 0.0
	for i, p := range field {
		m, _, _ := p.merit()
		out[i] = Value{ID: p.ID, Price: p.Price, Worth: p.Worth, Unranked: p.Unranked, perValue: m / p.Price}
		if p.Unranked {
			continue
		}
		if out[i].perValue > best {
			best, second = out[i].perValue, best
		} else {
			second = math.Max(second, out[i].perValue)
		}
	}
	for i, p := range field {
		v := &out[i]
		if best > 0 {
			v.Per = 100 * v.perValue / best
		}
		if p.Unranked {
			continue
		}
		m, _, hi := p.merit()
		rival := best
		if v.perValue == best {
			rival = second
		}
		if rival > 0 {
			v.BestAt = m / rival
		}
		v.Frontier = true
		var beater *Priced
		for k := range field {
			o := &field[k]
			om, olo, _ := o.merit()
			if k == i || o.Unranked || om < m || om == m && o.Price >= p.Price {
				continue
			}
			if v.FrontAt == 0 || o.Price < v.FrontAt {
				v.FrontAt = o.Price
			}
			if o.Price <= p.Price {
				v.Frontier = false
				v.SureBeat = v.SureBeat || olo > hi && !o.Unsure && !p.Unsure
				if beater == nil || o.Price < beater.Price {
					beater = o
				}
			}
		}
		if beater != nil {
			v.BeatenBy = beater.ID
		}
	}
	slices.SortStableFunc(out, func(a, b Value) int {
		if a.Unranked != b.Unranked {
			if a.Unranked {
				return 1
			}
			return -1
		}
		return cmp.Or(cmp.Compare(b.perValue, a.perValue), cmp.Compare(a.ID, b.ID))
	})
	for i := range out {
		if !out[i].Unranked {
			out[i].Place = i + 1
		}
	}
	return out
}

// Step is the way from one competitor to the next dearer one: of a model's configurations, or along the frontier.
type Step struct {
	From  string  `json:"from"`
	To    string  `json:"to"`
	Costs float64 `json:"costs"`
	More  float64 `json:"more" doc:"How much better in per cent"`
	Lo    float64 `json:"lo"`
	Hi    float64 `json:"hi"`
	Sure  bool    `json:"sure"`
	Says  string  `json:"says,omitempty" doc:"The step in words: what it brings, for how much"`
	Per   float64 `json:"per,omitempty" doc:"What one per cent more costs; none where nothing is gained"`
}

// Steps lists the steps up within each model, from each configuration to the next dearer one. The interval takes both
// figures as independent.
func Steps(field []Priced) []Step {
	byModel := map[string][]Priced{}
	var order []string
	for _, p := range field {
		if p.Unranked {
			continue
		}
		if byModel[p.Model] == nil {
			order = append(order, p.Model)
		}
		byModel[p.Model] = append(byModel[p.Model], p)
	}
	out := []Step{}
	for _, m := range order {
		list := byModel[m]
		slices.SortStableFunc(list, func(a, b Priced) int { return cmp.Compare(a.Price, b.Price) })
		for i := 1; i < len(list); i++ {
			out = append(out, step(list[i-1], list[i]))
		}
	}
	return out
}

// Climb lists the steps along the frontier.
func Climb(field []Priced) []Step {
	var front []Priced
	for _, v := range Of(field) {
		if v.Frontier && !v.Unranked {
			front = append(front, field[slices.IndexFunc(field, func(p Priced) bool { return p.ID == v.ID })])
		}
	}
	slices.SortStableFunc(front, func(a, b Priced) int { return cmp.Compare(a.Price, b.Price) })
	out := []Step{}
	for i := 1; i < len(front); i++ {
		out = append(out, step(front[i-1], front[i]))
	}
	return out
}

func step(a, b Priced) Step {
	am, alo, ahi := a.merit()
	bm, blo, bhi := b.merit()
	d := math.Log(bm / am)
	half := math.Hypot(math.Log(ahi/alo)/2, math.Log(bhi/blo)/2)
	s := Step{From: a.ID, To: b.ID, Costs: b.Price - a.Price, More: 100 * math.Expm1(d), Lo: 100 * math.Expm1(d-half),
		Hi: 100 * math.Expm1(d+half), Sure: math.Abs(d) > half && !a.Unsure && !b.Unsure}
	if s.More > 0 {
		s.Per = s.Costs / s.More
	}
	return s
}
