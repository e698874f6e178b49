// Package trace packs what sensors said: columns of times and values as differences of whole numbers at
// each channel's decimal scale, compressed with Zstandard (RFC 8878). A packed trace takes a byte or two
// per value. It knows nothing of where traces come from or are kept.
package trace

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"

	"github.com/klauspost/compress/zstd"

	"durvek/core/record"
)

// Format names the packed form, which docs/files.md describes.
const Format = "durvek-trace/1"

// MostSamples bounds what Unpack believes a header: ten days at ten samples a second.
const MostSamples = 10 * 86400 * 10

// MostValues bounds the values of all channels of one trace: a day of ten channels at ten samples a second.
const MostValues = 10 * 86400 * 10

// mostUnpacked bounds the bytes that a packed trace stands for.
const mostUnpacked = 32 << 20

// ErrDamaged marks bytes that are no packed trace.
var ErrDamaged = errors.New("the packed trace is damaged")

var (
	encoder, _ = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1))
	decoder, _ = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(mostUnpacked))
)

type header struct {
	Format   string           `json:"format"`
	Samples  int              `json:"samples"`
	Channels []record.Channel `json:"channels"`
}

// Pack packs a trace. Times are kept to the millisecond, values to each channel's decimal places.
func Pack(t record.Trace) []byte {
	if len(t.Times) == 0 {
		return nil
	}
	channels := make([]record.Channel, len(t.Channels))
	for i, c := range t.Channels {
		c.Meaning = ""
		channels[i] = c
	}
	head, err := json.Marshal(header{Format, len(t.Times), channels})
	if err != nil {
		panic(err) // strings and whole numbers alone
	}
	raw := binary.AppendUvarint(nil, uint64(len(head)))
	raw = append(raw, head...)
	var last, step int64
	for _, at := range t.Times {
		ms := int64(math.Round(at * 1000))
		raw = binary.AppendVarint(raw, ms-last-step)
		last, step = ms, ms-last
	}
	for i, c := range t.Channels {
		scale, last := math.Pow10(c.Decimals), int64(0)
		for _, v := range t.Values[i] {
			x := math.Round(v * scale)
			if !(math.Abs(x) < 1<<52) { // not a number, or beyond what the scale holds
				raw = append(raw, 0)
				continue
			}
			d := int64(x) - last
			raw = binary.AppendUvarint(raw, 1+(uint64(d)<<1^uint64(d>>63)))
			last = int64(x)
		}
	}
	return encoder.EncodeAll(raw, nil)
}

// strange tells whether a channel keeps decimals that no sensor has.
func strange(c record.Channel) bool { return c.Decimals < 0 || c.Decimals > 100 }

// Unpack gives back what Pack packed; no bytes are an empty trace.
func Unpack(data []byte) (record.Trace, error) {
	var t record.Trace
	if len(data) == 0 {
		return t, nil
	}
	raw, err := decoder.DecodeAll(data, nil)
	if err != nil {
		return t, fmt.Errorf("%w: %w", ErrDamaged, err)
	}
	n, k := binary.Uvarint(raw)
	if k <= 0 || n > uint64(len(raw)-k) {
		return t, ErrDamaged
	}
	var h header
	if json.Unmarshal(raw[k:k+int(n)], &h) != nil || h.Format != Format || h.Samples < 0 || h.Samples > MostSamples ||
		len(h.Channels) > 200 || h.Samples*len(h.Channels) > MostValues || slices.ContainsFunc(h.Channels, strange) {
		return t, ErrDamaged
	}
	raw = raw[k+int(n):]
	if h.Samples*(1+len(h.Channels)) > len(raw) { // every value takes a byte at least
		return t, ErrDamaged
	}
	t.Channels, t.Times = h.Channels, make([]float64, h.Samples)
	var last, step int64
	for i := range t.Times {
		d, k := binary.Varint(raw)
		if k <= 0 {
			return record.Trace{}, ErrDamaged
		}
		raw = raw[k:]
		step += d
		last += step
		t.Times[i] = float64(last) / 1000
	}
	for _, c := range h.Channels {
		column, scale, last := make([]float64, h.Samples), math.Pow10(c.Decimals), int64(0)
		for i := range column {
			u, k := binary.Uvarint(raw)
			if k <= 0 {
				return record.Trace{}, ErrDamaged
			}
			raw = raw[k:]
			if u == 0 {
				column[i] = math.NaN()
				continue
			}
			u--
			last += int64(u>>1) ^ -int64(u&1)
			column[i] = float64(last) / scale
		}
		t.Values = append(t.Values, column)
	}
	return t, nil
}
