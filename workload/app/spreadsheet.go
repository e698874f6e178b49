package app

import (
	"context"
	"errors"
	"fmt"
	"math"
	"strconv"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/workload"
)

// The sheet: rows of inputs and formulas.
const (
	sheetRows   = 6000
	sheetWide   = 10
	sheetDigest = 0x8cc08f3d41d2e8d5
)

func init() {
	register(method.Test{
		Slug: "spreadsheet", Name: "Spreadsheet", Repeats: 5, Seconds: 4,
		About: "A sheet of 60,000 cells is opened: its formulas (sums over ranges, arithmetic, conditions, a look-up) " +
			"are read and put in order of what needs what. Then every input changes and all of it is calculated anew, on one " +
			"thread.",
		StandsFor: "Waiting for a large sheet after changing one figure.", LimitedBy: "One core: branches, second-level " +
			"cache, floating point.",
		Input: "A sheet made by rule.", Checked: "Digest of all values, bit by bit.",
		Measures: seconds(0.015, "open", "opening", "calculate", "calculating"),
	}, func(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
		texts := newSheet()
		var s *sheet
		opening, a, err := timed(ctx, env.Part(0, 2), "open", 2, func() (err error) { s, err = open(texts); return err })
		out.Series = []record.Series{a}
		if err != nil {
			return out, err
		}
		round := 0
		calculating, b, err := timed(ctx, env.Part(1, 2), "calculate", 5, func() error {
			round++
			s.change(round % 2)
			s.calculate()
			return nil
		})
		out.Series = append(out.Series, b)
		if err == nil {
			s.change(0)
			s.calculate()
			err = right(fmt.Sprintf("%016x", s.digest()), fmt.Sprintf("%016x", uint64(sheetDigest)))
		}
		if err != nil {
			return out, err
		}
		out.Readings = []record.Reading{workload.Reading("open", opening), workload.Reading("calculate", calculating)}
		return out, nil
	})
}

// newSheet writes the cells' texts, row by row: numbers, and formulas that begin with =.
func newSheet() []string {
	texts := make([]string, 0, sheetRows*sheetWide)
	for r := 1; r <= sheetRows; r++ {
		up := max(r-1, 1)
		from := max(r-20, 1)
		texts = append(texts,
			strconv.Itoa(r%97),
			strconv.Itoa(r*7%1013),
			fmt.Sprintf("=A%d*0.25+B%d/(A%d+3)", r, r, r),
			fmt.Sprintf("=SUM(C%d:C%d)/20", from, r),
			fmt.Sprintf("=IF(D%d-C%d,C%d*2,D%d-1)", r, r, r, r),
			fmt.Sprintf("=E%d-(C%d+D%d)*0.5", r, up, r),
			fmt.Sprintf("=SUM(A%d:F%d)", r, r),
			fmt.Sprintf("=LOOK(A%d,B%d:B%d)", r, from, r),
			fmt.Sprintf("=(G%d+H%d)/(1+A%d*A%d)", r, r, r, r),
			fmt.Sprintf("=SUM(I%d:I%d)-H%d", from, r, up))
	}
	return texts
}

// op is one step of a formula in postfix order: a number, a cell, or an operation.
type op struct {
	kind     byte // n number, c cell, + - * /, i IF, s SUM over a range, l LOOK for a value in a range
	value    float64
	from, to int32 // cells
}

type sheet struct {
	code   [][]op
	order  []int32 // formulas, each behind what it needs
	inputs []int32
	base   []float64 // inputs as they are in the file
	values []float64
}

// parser reads one formula by recursive descent into postfix order.
type parser struct {
	text string
	at   int
	out  []op
}

var errFormula = errors.New("the formula cannot be read")

func open(texts []string) (*sheet, error) {
	s := &sheet{code: make([][]op, len(texts)), values: make([]float64, len(texts)), base: make([]float64, len(texts))}
	for i, t := range texts {
		if t[0] != '=' {
			v, err := strconv.ParseFloat(t, 64)
			if err != nil {
				return nil, err
			}
			s.base[i], s.inputs = v, append(s.inputs, int32(i))
			continue
		}
		p := parser{text: t, at: 1}
		if err := p.sum(); err != nil || p.at != len(t) {
			return nil, fmt.Errorf("%q: %w", t, errFormula)
		}
		s.code[i] = p.out
	}
	// Order by depth first; the sheet has no circle.
	state := make([]bool, len(texts))
	var visit func(i int32)
	visit = func(i int32) {
		if state[i] {
			return
		}
		state[i] = true
		for _, o := range s.code[i] {
			switch o.kind {
			case 'c':
				visit(o.from)
			case 's', 'l':
				each(o, visit)
			}
		}
		if s.code[i] != nil {
			s.order = append(s.order, i)
		}
	}
	for i := range texts {
		visit(int32(i))
	}
	return s, nil
}

// each visits the cells of a range, row by row.
func each(o op, do func(int32)) {
	wide := o.to%sheetWide - o.from%sheetWide
	for r := o.from; r <= o.to-wide; r += sheetWide {
		for c := r; c <= r+wide; c++ {
			do(c)
		}
	}
}

func (p *parser) peek() byte {
	if p.at < len(p.text) {
		return p.text[p.at]
	}
	return 0
}

func (p *parser) take(b byte) error {
	if p.peek() != b {
		return errFormula
	}
	p.at++
	return nil
}

func (p *parser) sum() error { return p.chain('+', '-', p.product) }

func (p *parser) product() error { return p.chain('*', '/', p.factor) }

func (p *parser) chain(a, b byte, next func() error) error {
	if err := next(); err != nil {
		return err
	}
	for p.peek() == a || p.peek() == b {
		sign := p.peek()
		p.at++
		if err := next(); err != nil {
			return err
		}
		p.out = append(p.out, op{kind: sign})
	}
	return nil
}

func (p *parser) factor() error {
	switch b := p.peek(); {
	case b == '(':
		p.at++
		if err := p.sum(); err != nil {
			return err
		}
		return p.take(')')
	case b >= '0' && b <= '9':
		from := p.at
		for b := p.peek(); b >= '0' && b <= '9' || b == '.'; b = p.peek() {
			p.at++
		}
		v, err := strconv.ParseFloat(p.text[from:p.at], 64)
		p.out = append(p.out, op{kind: 'n', value: v})
		return err
	case b >= 'A' && b <= 'Z':
		if p.at+1 < len(p.text) && p.text[p.at+1] >= 'A' {
			return p.call()
		}
		c, err := p.cell()
		p.out = append(p.out, op{kind: 'c', from: c})
		return err
	}
	return errFormula
}

func (p *parser) cell() (int32, error) {
	column := int32(p.peek()) - 'A'
	p.at++
	row := int32(0)
	for b := p.peek(); b >= '0' && b <= '9'; b = p.peek() {
		row = row*10 + int32(b-'0')
		p.at++
	}
	if row < 1 || row > sheetRows || column < 0 || column >= sheetWide {
		return 0, errFormula
	}
	return (row-1)*sheetWide + column, nil
}

func (p *parser) call() error {
	from := p.at
	for b := p.peek(); b >= 'A' && b <= 'Z'; b = p.peek() {
		p.at++
	}
	name := p.text[from:p.at]
	if err := p.take('('); err != nil {
		return err
	}
	kind := map[string]byte{"SUM": 's', "IF": 'i', "LOOK": 'l'}[name]
	switch kind {
	case 'i':
		for k := range 3 {
			if k > 0 && p.take(',') != nil {
				return errFormula
			}
			if err := p.sum(); err != nil {
				return err
			}
		}
		p.out = append(p.out, op{kind: 'i'})
		return p.take(')')
	case 'l':
		if err := p.sum(); err != nil || p.take(',') != nil {
			return errFormula
		}
	case 0:
		return errFormula
	}
	a, err := p.cell()
	if err != nil || p.take(':') != nil {
		return errFormula
	}
	b, err := p.cell()
	if err != nil {
		return err
	}
	p.out = append(p.out, op{kind: kind, from: a, to: b})
	return p.take(')')
}

// change sets the inputs to those of the file plus an amount.
func (s *sheet) change(by int) {
	for _, i := range s.inputs {
		s.values[i] = s.base[i] + float64(by)
	}
}

// calculate computes every formula. No operation is fused, so that all processors agree.
func (s *sheet) calculate() {
	var stack [16]float64
	for _, i := range s.order {
		n := 0
		for k := range s.code[i] {
			o := &s.code[i][k]
			switch o.kind {
			case 'n':
				stack[n] = o.value
				n++
			case 'c':
				stack[n] = s.values[o.from]
				n++
			case '+':
				n--
				stack[n-1] += stack[n]
			case '-':
				n--
				stack[n-1] -= stack[n]
			case '*':
				n--
				stack[n-1] = float64(stack[n-1] * stack[n])
			case '/':
				n--
				stack[n-1] /= stack[n]
			case 'i':
				n -= 2
				if stack[n-1] > 0 {
					stack[n-1] = stack[n]
				} else {
					stack[n-1] = stack[n+1]
				}
			case 's':
				sum := 0.0
				each(*o, func(c int32) { sum += s.values[c] })
				stack[n] = sum
				n++
			case 'l': // the largest value in the range that is not above the one sought
				best := 0.0
				each(*o, func(c int32) {
					if v := s.values[c]; v <= stack[n-1] && v > best {
						best = v
					}
				})
				stack[n-1] = best
			}
		}
		s.values[i] = stack[0]
	}
}

func (s *sheet) digest() uint64 {
	h := uint64(14695981039346656037)
	for _, v := range s.values {
		h = (h ^ math.Float64bits(v)) * 1099511628211
	}
	return h
}
