package cpu

import (
	"fmt"
	"math/rand/v2"
	"strconv"

	"durvek/workload"
)

const (
	messageCases  = 8
	messagesEach  = 256
	messageDigest = 0xc093032824ae1d1d
)

func init() {
	register(Kernel{
		Slug: "message-parsing", Name: "Message parsing", Unit: "{message}/s",
		About: "Messages of a survey fleet, about 200 bytes of JSON (RFC 8259) each, are parsed into records and " +
			"written out again with their fields in another order, numbers as fixed-point integers, and a check sum.",
		StandsFor: "What programs do when they talk to each other: web services, telemetry, settings files.",
		LimitedBy: "Byte-by-byte decisions: branches and the first-level cache.",
		Input:     "8 pieces of 256 messages, seed 5.", Checked: "Digest of the text written.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			pieces := make([][]byte, messageCases)
			rng := rand.New(rand.NewPCG(5, 5))
			for i := range pieces {
				pieces[i] = messages(rng, messagesEach)
			}
			return cases(messageCases, messageDigest, func() solver { return newParser(pieces) })()
		}}},
	})
}

// messages writes n messages as JSON, one per line.
func messages(rng *rand.Rand, n int) []byte {
	vessels := []string{"Sula", "Fulmar", "Kittiwake", "Dunlin"}
	remarks := []string{"", "kelp \\\"on\\\" line", "pot buoy\\tto port", "swell", "gain \\\\ lowered"}
	var out []byte
	for i := range n {
		out = fmt.Appendf(out, `{"vessel": "%s", "number": %d, "time": %d, "position": [%d.%06d, -%d.%06d], "depth": %d.%02d, "fix": %v, "echo": [`,
			vessels[rng.IntN(4)], i, 1772337600000+rng.Int64N(1e9), 50+rng.IntN(9), rng.IntN(1e6), rng.IntN(6), rng.IntN(1e6),
			rng.IntN(80), rng.IntN(100), rng.IntN(9) > 0)
		for k := range 6 {
			if k > 0 {
				out = append(out, ", "...)
			}
			out = strconv.AppendInt(out, rng.Int64N(4096), 10)
		}
		out = fmt.Appendf(out, `], "remark": "%s"}`+"\n", remarks[rng.IntN(len(remarks))])
	}
	return out
}

// message is one parsed message; fractions are in millionths.
type message struct {
	vessel, remark []byte
	number, time   int64
	position       [2]int64
	depth          int64
	fix            bool
	echo           [8]int64
	echoes         int
}

// parser reads JSON of the messages' kind from text at a place.
type parser struct {
	text []byte
	at   int
	bad  bool
}

func (p *parser) space() {
	for p.at < len(p.text) && (p.text[p.at] == ' ' || p.text[p.at] == '\n') {
		p.at++
	}
}

// take consumes one byte after white space if it is the one wanted.
func (p *parser) take(b byte) bool {
	p.space()
	if p.at < len(p.text) && p.text[p.at] == b {
		p.at++
		return true
	}
	return false
}

func (p *parser) want(b byte) { p.bad = !p.take(b) || p.bad }

// quoted reads a string into buf, escapes resolved.
func (p *parser) quoted(buf []byte) []byte {
	p.want('"')
	for p.at < len(p.text) {
		b := p.text[p.at]
		p.at++
		switch {
		case b == '"':
			return buf
		case b == '\\' && p.at < len(p.text):
			b = p.text[p.at]
			p.at++
			switch b {
			case 't':
				b = '\t'
			case 'n':
				b = '\n'
			}
		}
		buf = append(buf, b)
	}
	p.bad = true
	return buf
}

// number reads a number in millionths, or whole if it has no fraction and scaled is false.
func (p *parser) number(scaled bool) int64 {
	minus := p.take('-')
	var v int64
	digits, left := 0, 6
	for point := false; p.at < len(p.text); p.at++ {
		b := p.text[p.at]
		if b == '.' && !point {
			point = true
			continue
		}
		if b < '0' || b > '9' {
			break
		}
		if point {
			if left == 0 {
				continue
			}
			left--
		}
		v = v*10 + int64(b-'0')
		digits++
	}
	p.bad = p.bad || digits == 0
	if scaled {
		for ; left > 0; left-- {
			v *= 10
		}
	}
	if minus {
		return -v
	}
	return v
}

func (p *parser) message(m *message, key []byte) {
	m.echoes = 0
	p.want('{')
	for !p.bad {
		key = p.quoted(key[:0])
		p.want(':')
		switch string(key) {
		case "vessel":
			m.vessel = p.quoted(m.vessel[:0])
		case "remark":
			m.remark = p.quoted(m.remark[:0])
		case "number":
			m.number = p.number(false)
		case "time":
			m.time = p.number(false)
		case "depth":
			m.depth = p.number(true)
		case "position":
			p.want('[')
			m.position[0] = p.number(true)
			p.want(',')
			m.position[1] = p.number(true)
			p.want(']')
		case "echo":
			p.want('[')
			for m.echoes < len(m.echo) {
				m.echo[m.echoes] = p.number(false)
				m.echoes++
				if !p.take(',') {
					break
				}
			}
			p.want(']')
		case "fix":
			m.fix = p.take('t')
			for p.at < len(p.text) && p.text[p.at] >= 'a' && p.text[p.at] <= 'z' {
				p.at++
			}
		default:
			p.bad = true
		}
		if !p.take(',') {
			break
		}
	}
	p.want('}')
}

// write appends a message in its other form, with the exclusive or of its bytes as check sum.
func (m *message) write(out []byte) []byte {
	from := len(out)
	out = append(out, `{"t":`...)
	out = strconv.AppendInt(out, m.time, 10)
	out = append(out, `,"n":`...)
	out = strconv.AppendInt(out, m.number, 10)
	out = append(out, `,"at":[`...)
	out = strconv.AppendInt(out, m.position[0], 10)
	out = append(out, ',')
	out = strconv.AppendInt(out, m.position[1], 10)
	out = append(out, `],"deep":`...)
	out = strconv.AppendInt(out, m.depth, 10)
	out = append(out, `,"good":`...)
	out = strconv.AppendBool(out, m.fix)
	for _, e := range m.echo[:m.echoes] {
		out = append(out, ',')
		out = strconv.AppendInt(out, e, 16)
	}
	for _, s := range [2][]byte{m.vessel, m.remark} {
		out = append(out, `,"`...)
		for _, b := range s {
			switch b {
			case '"', '\\':
				out = append(out, '\\', b)
			case '\t':
				out = append(out, `\t`...)
			default:
				out = append(out, b)
			}
		}
		out = append(out, '"')
	}
	var sum byte
	for _, b := range out[from:] {
		sum ^= b
	}
	out = append(out, '*')
	out = strconv.AppendUint(out, uint64(sum), 16)
	return append(out, "}\n"...)
}

func newParser(pieces [][]byte) solver {
	var m message
	out, key := make([]byte, 0, 1<<16), make([]byte, 0, 32)
	return solver{
		do: func(i int) float64 {
			out = out[:0]
			p := parser{text: pieces[i]}
			for p.space(); p.at < len(p.text) && !p.bad; p.space() {
				p.message(&m, key)
				out = m.write(out)
			}
			return messagesEach
		},
		answer: func() uint64 {
			f := newFingerprint()
			for _, b := range out {
				f.add(uint64(b))
			}
			return uint64(f)
		},
	}
}
