package rawfile

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"

	"durvek/core/say"
)

// Encodings of samples in a WAVE file.
const (
	wavePCM        = 1
	waveFloat      = 3
	waveExtensible = 0xfffe
)

// readWave reads the samples of a recording (RIFF/WAVE, as IEC 61606 and others use it; whole numbers of 8 to 32 bits
// or floating point), full scale at 1. Each channel is a column.
func readWave(data []byte) (Sheet, error) {
	if len(data) < 12 || !bytes.Equal(data[8:12], []byte("WAVE")) {
		return Sheet{}, refuse("it begins as a recording and is none of the kind WAVE")
	}
	var format, channels, bits int
	var rate uint32
	le := binary.LittleEndian
	for at := 12; at+8 <= len(data); {
		id, size := string(data[at:at+4]), int64(le.Uint32(data[at+4:]))
		body := data[at+8:]
		switch id {
		case "fmt ":
			if size < 16 || len(body) < 16 {
				return Sheet{}, refuse("its format is cut off")
			}
			format, channels = int(le.Uint16(body)), int(le.Uint16(body[2:]))
			rate, bits = le.Uint32(body[4:]), int(le.Uint16(body[14:]))
			if format == waveExtensible && size >= 26 && len(body) >= 26 {
				format = int(le.Uint16(body[24:]))
			}
		case "data":
			if channels == 0 {
				return Sheet{}, refuse("it has samples before it says their format")
			}
			cut := int64(len(body)) < size && size != math.MaxUint32
			s, err := samples(body[:min(int64(len(body)), size)], format, channels, bits)
			if err != nil {
				return s, err
			}
			if rate < 1000 || rate > 10_000_000 {
				return s, refuse("%d samples a second cannot be", rate)
			}
			s.Options = map[string]string{"rate": fmt.Sprintf("%d Hz", rate)}
			s.Found = []string{fmt.Sprintf("%d samples a second, %s, %d bits, %.3g s", rate, say.Things(channels, "channel"),
				bits, float64(s.Rows)/float64(rate))}
			if cut {
				return s, refuse("it is cut off: it says %d bytes of samples and holds %d", size, len(body))
			}
			return s, nil
		}
		at += 8 + int(min(size+size%2, int64(len(data))))
	}
	return Sheet{}, refuse("there are no samples in it")
}

func samples(body []byte, format, channels, bits int) (Sheet, error) {
	var one func([]byte) float64
	le := binary.LittleEndian
	switch {
	case format == wavePCM && bits == 8:
		one = func(b []byte) float64 { return (float64(b[0]) - 128) / 128 }
	case format == wavePCM && bits == 16:
		one = func(b []byte) float64 { return float64(int16(le.Uint16(b))) / (1 << 15) }
	case format == wavePCM && bits == 24:
		one = func(b []byte) float64 {
			return float64(int32(uint32(b[0])<<8|uint32(b[1])<<16|uint32(b[2])<<24)) / (1 << 31)
		}
	case format == wavePCM && bits == 32:
		one = func(b []byte) float64 { return float64(int32(le.Uint32(b))) / (1 << 31) }
	case format == waveFloat && bits == 32:
		one = func(b []byte) float64 { return float64(math.Float32frombits(le.Uint32(b))) }
	case format == waveFloat && bits == 64:
		one = func(b []byte) float64 { return math.Float64frombits(le.Uint64(b)) }
	default:
		return Sheet{}, refuse("its samples are of format %d with %d bits; whole numbers of 8, 16, 24 and 32 bits and "+
			"floating point of 32 and 64 are read", format, bits)
	}
	if channels > 32 {
		return Sheet{}, refuse("it has %d channels; at most 32 are read", channels)
	}
	size := bits / 8
	n := len(body) / size / channels
	if n == 0 || n*channels > 2*MostRows {
		return Sheet{}, refuse("%d samples cannot be read: at least one, at most %d", n*channels, 2*MostRows)
	}
	s := Sheet{Kind: "recording", Rows: n}
	for c := range channels {
		col := Column{Name: "signal", Values: make([]float64, n)}
		if c > 0 {
			col.Name = fmt.Sprintf("channel %d", c+1)
		}
		for i := range n {
			v := one(body[(i*channels+c)*size:])
			if math.IsNaN(v) || math.Abs(v) > 1e6 {
				return s, refuse("sample %d is no number", i+1)
			}
			col.Values[i] = v
		}
		s.Columns = append(s.Columns, col)
	}
	return s, nil
}
