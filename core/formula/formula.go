// Package formula reads and works out formulas over figures: what a desk derives of what it measured, of spec sheets
// and of prices. A formula is text such as "{{drive-sequential/read}} / {{price/EUR}}". In go the text and the units of
// what it refers to; out come its value, how much it moves with each of them, and the unit that it has. It never asks
// where figures come from.
package formula

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"durvek/core/quantity"
)

// Most are the longest text, the deepest nesting and the largest power that a formula may have.
const (
	mostText  = 500
	mostDepth = 30
	mostPower = 4
)

// Formula is one that was read. Refs are what it refers to, each once, in the order of the text. It may be used by many
// at once.
type Formula struct {
	Refs []string
	root node
}

// node is one step: a number, a reference, or an operation on one or two others.
type node struct {
	op    rune // 'n' number, 'r' reference, '+', '-', '*', '/', '^', 'm' minus sign, 's' square root
	value float64
	ref   int
	of    []node
}

// Parse reads a formula: numbers, references in double braces, + − × ÷ (or - * /), brackets, whole powers (^2) and
// sqrt(…). It must refer to something. The error says what is wrong and where, counted in characters from 1.
func Parse(text string) (Formula, error) {
	if len(text) > mostText {
		return Formula{}, fmt.Errorf("a formula has %d characters at most", mostText)
	}
	p := parser{rest: []rune(text)}
	p.all = len(p.rest)
	root, err := p.sum(0)
	if err == nil && p.peek() != 0 {
		err = p.wrong("an operator, or the end")
	}
	if err == nil && len(p.refs) == 0 {
		err = errors.New("it refers to no figure; write one as {{test/measure}}, {{spec/KEY}} or {{price/EUR}}")
	}
	if err != nil {
		return Formula{}, err
	}
	return Formula{p.refs, root}, nil
}

type parser struct {
	rest []rune
	all  int
	refs []string
}

// peek gives the next character that is no space; 0 at the end.
func (p *parser) peek() rune {
	for len(p.rest) > 0 && p.rest[0] == ' ' {
		p.rest = p.rest[1:]
	}
	if len(p.rest) == 0 {
		return 0
	}
	switch r := p.rest[0]; r {
	case '×', '·':
		return '*'
	case '÷', ':':
		return '/'
	case '−', '–':
		return '-'
	default:
		return r
	}
}

func (p *parser) wrong(want string) error {
	at := p.all - len(p.rest) + 1
	if len(p.rest) == 0 {
		return fmt.Errorf("it ends where %s should stand", want)
	}
	return fmt.Errorf("at character %d stands %q where %s should stand", at, string(p.rest[0]), want)
}

func (p *parser) sum(depth int) (node, error) {
	return p.chain(depth, "+-", p.product)
}

func (p *parser) product(depth int) (node, error) {
	return p.chain(depth, "*/", p.power)
}

// chain reads operands that stand between operators of one rank, from the left.
func (p *parser) chain(depth int, operators string, next func(int) (node, error)) (node, error) {
	left, err := next(depth)
	for err == nil {
		op := p.peek()
		if op == 0 || !strings.ContainsRune(operators, op) {
			return left, nil
		}
		p.rest = p.rest[1:]
		var right node
		if right, err = next(depth); err == nil {
			left = node{op: op, of: []node{left, right}}
		}
	}
	return left, err
}

func (p *parser) power(depth int) (node, error) {
	x, err := p.operand(depth)
	if err != nil || p.peek() != '^' {
		return x, err
	}
	p.rest = p.rest[1:]
	n, err := p.number()
	if err != nil {
		return x, err
	}
	if n.value != math.Trunc(n.value) || n.value < 1 || n.value > mostPower {
		return x, fmt.Errorf("a power is a whole number from 1 to %d", mostPower)
	}
	return node{op: '^', value: n.value, of: []node{x}}, nil
}

func (p *parser) operand(depth int) (node, error) {
	if depth > mostDepth {
		return node{}, fmt.Errorf("its brackets are nested more than %d deep", mostDepth)
	}
	switch r := p.peek(); {
	case r == '-':
		p.rest = p.rest[1:]
		x, err := p.operand(depth + 1)
		return node{op: 'm', of: []node{x}}, err
	case r == '(':
		return p.bracket(depth)
	case r == '{':
		return p.reference()
	case strings.HasPrefix(string(p.rest), "sqrt"):
		p.rest = p.rest[len("sqrt"):]
		if p.peek() != '(' {
			return node{}, p.wrong("a bracket")
		}
		x, err := p.bracket(depth)
		return node{op: 's', of: []node{x}}, err
	case r >= '0' && r <= '9' || r == '.':
		return p.number()
	}
	return node{}, p.wrong("a number, a figure or a bracket")
}

func (p *parser) bracket(depth int) (node, error) {
	p.rest = p.rest[1:]
	x, err := p.sum(depth + 1)
	if err != nil {
		return x, err
	}
	if p.peek() != ')' {
		return x, p.wrong("a closing bracket")
	}
	p.rest = p.rest[1:]
	return x, nil
}

func (p *parser) reference() (node, error) {
	inside, ok := strings.CutPrefix(string(p.rest), "{{")
	name, _, closed := strings.Cut(inside, "}}")
	if !ok || !closed || strings.TrimSpace(name) == "" {
		return node{}, errors.New("a figure is written as {{test/measure}}, in double braces")
	}
	p.rest = p.rest[len([]rune(name))+len("{{}}"):]
	name = strings.TrimSpace(name)
	i := slices.Index(p.refs, name)
	if i < 0 {
		i, p.refs = len(p.refs), append(p.refs, name)
	}
	return node{op: 'r', ref: i}, nil
}

func (p *parser) number() (node, error) {
	p.peek()
	n := 0
	for n < len(p.rest) && (p.rest[n] >= '0' && p.rest[n] <= '9' || p.rest[n] == '.') {
		n++
	}
	v, err := strconv.ParseFloat(string(p.rest[:n]), 64)
	if err != nil || !quantity.Sound(v) {
		return node{}, p.wrong("a number")
	}
	p.rest = p.rest[n:]
	return node{op: 'n', value: v}, nil
}

// Dims gives the powers of base units that a formula's value has, if each reference has those of units, in the order of
// Refs. What cannot be added is an error.
func (f Formula) Dims(units []quantity.Exponents) (quantity.Exponents, error) {
	return f.root.dims(units)
}

func (n node) dims(units []quantity.Exponents) (quantity.Exponents, error) {
	var of []quantity.Exponents
	for _, x := range n.of {
		d, err := x.dims(units)
		if err != nil {
			return nil, err
		}
		of = append(of, d)
	}
	switch n.op {
	case 'n':
		return quantity.Exponents{}, nil
	case 'r':
		return units[n.ref], nil
	case '*':
		return of[0].Times(of[1], 1), nil
	case '/':
		return of[0].Times(of[1], -1), nil
	case '^':
		return of[0].Power(int(n.value)), nil
	case 's':
		out := quantity.Exponents{}
		for k, p := range of[0] {
			if p%2 != 0 {
				return nil, fmt.Errorf("of %s there is no square root", of[0])
			}
			out[k] = p / 2
		}
		return out, nil
	case '+', '-':
		if of[0].String() != of[1].String() {
			return nil, fmt.Errorf("%s and %s cannot be added", of[0], of[1])
		}
	}
	return of[0], nil
}

// At works a formula out: values are those of Refs, in base units. slopes tell how much it moves with each. Where it
// has no value (a division by zero, a root of less than zero) it is NaN.
func (f Formula) At(values []float64) (value float64, slopes []float64) {
	value, slopes = f.root.at(values)
	if math.IsInf(value, 0) || math.IsNaN(value) {
		return math.NaN(), slopes
	}
	return value, slopes
}

func (n node) at(values []float64) (float64, []float64) {
	slopes := make([]float64, len(values))
	switch n.op {
	case 'n':
		return n.value, slopes
	case 'r':
		slopes[n.ref] = 1
		return values[n.ref], slopes
	}
	a, da := n.of[0].at(values)
	b, db := 0.0, slopes
	if len(n.of) > 1 {
		b, db = n.of[1].at(values)
	}
	v, byA, byB := 0.0, 0.0, 0.0 // the value, and how much it moves with a and with b
	switch n.op {
	case '+':
		v, byA, byB = a+b, 1, 1
	case '-':
		v, byA, byB = a-b, 1, -1
	case '*':
		v, byA, byB = a*b, b, a
	case '/':
		v, byA, byB = a/b, 1/b, -a/(b*b)
	case '^':
		v, byA = math.Pow(a, n.value), n.value*math.Pow(a, n.value-1)
	case 's':
		v = math.Sqrt(a)
		byA = 1 / (2 * v)
	case 'm':
		v, byA = -a, -1
	}
	out := make([]float64, len(values))
	for i := range out {
		out[i] = byA*da[i] + byB*db[i]
	}
	return v, out
}
