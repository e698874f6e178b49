package catalog

import (
	"fmt"
	"math"
	"strings"

	"durvek/core/quantity"
)

// SpecKey is one entry of the spec vocabulary.
type SpecKey struct {
	Key     string `json:"key"`
	Name    string `json:"name"`
	Type    string `json:"type" enum:"text,count,quantity,flag"`
	Unit    string `json:"unit,omitempty" doc:"UCUM code that quantities are shown in; any unit of its dimension may be written"`
	Meaning string `json:"meaning"`
}

// Vocabulary is the spec vocabulary: every key that a spec sheet may hold.
var Vocabulary = []SpecKey{
	{"cpu.name", "Processor", "text", "", "Name of the processor as the maker gives it"},
	{"cpu.cores", "Cores", "count", "", "Physical cores, all kinds together"},
	{"cpu.threads", "Threads", "count", "", "Hardware threads"},
	{"cpu.base_clock", "Base clock", "quantity", "GHz", "Guaranteed clock"},
	{"cpu.boost_clock", "Boost clock", "quantity", "GHz", "Highest clock of one core"},
	{"cpu.power_limit", "Power limit", "quantity", "W", "Sustained package power limit"},
	{"graphics.name", "Graphics", "text", "", "Name of the graphics chip"},
	{"graphics.units", "Graphics units", "count", "", "Shader units, each with its arithmetic lanes"},
	{"graphics.clock", "Graphics clock", "quantity", "MHz", "Highest clock of the graphics chip"},
	{"graphics.power_limit", "Graphics power", "quantity", "W", "Graphics power limit"},
	{"memory.size", "Memory", "quantity", "GiBy", "Installed memory"},
	{"memory.channels", "Memory channels", "count", "", "Populated memory channels of 64 bits"},
	{"memory.speed", "Memory speed", "quantity", "{transfer}/us", "Transfers per second"},
	{"memory.type", "Memory type", "text", "", "Generation, soldered or socketed"},
	{"drive.name", "Drive", "text", "", "Name of the drive"},
	{"drive.size", "Drive size", "quantity", "GBy", "Capacity of the drive"},
	{"drive.link", "Drive link", "text", "", "Interface and its rate"},
	{"drive.sequential_read", "Rated read", "quantity", "MBy/s", "Sequential read on the spec sheet"},
	{"drive.sequential_write", "Rated write", "quantity", "MBy/s", "Sequential write on the spec sheet"},
	{"drive.endurance", "Rated endurance", "quantity", "TBy", "Data that may be written in the warranty"},
	{"display.size", "Screen", "quantity", "[in_i]", "Screen diagonal"},
	{"display.resolution", "Resolution", "text", "", "Width × height in pixels"},
	{"display.refresh", "Refresh rate", "quantity", "Hz", "Highest refresh rate"},
	{"display.luminance", "Rated luminance", "quantity", "cd/m2", "Luminance on the spec sheet"},
	{"display.surface", "Screen surface", "text", "", "Matt or glossy"},
	{"battery.energy", "Battery", "quantity", "W.h", "Rated battery energy"},
	{"battery.voltage", "Battery voltage", "quantity", "V", "Nominal voltage, to turn mAh into Wh"},
	{"body.weight", "Weight", "quantity", "kg", "Weight on the spec sheet"},
	{"body.width", "Width", "quantity", "mm", "Width"},
	{"body.depth", "Depth", "quantity", "mm", "Depth"},
	{"body.height", "Height", "quantity", "mm", "Height"},
	{"cooling.fans", "Fans", "count", "", "Number of fans; 0 is silent"},
	{"supply.power", "Supply", "quantity", "W", "Rated power of the supply in the box"},
	{"ports", "Ports", "text", "", "Ports in words"},
	{"link.rate", "Link", "quantity", "Gbit/s", "Nominal rate of the fastest port or link"},
	{"wireless", "Wireless", "text", "", "Radio standards"},
	{"system.name", "System", "text", "", "Operating system as delivered"},
}

var vocabulary = func() map[string]SpecKey {
	m := map[string]SpecKey{}
	for _, k := range Vocabulary {
		m[k.Key] = k
	}
	return m
}()

// Own is what keys of a desk's own begin with: they hold text, numbers or true and false, and are shown as written.
const Own = "own."

// CheckSpec says what is wrong with one entry of a spec sheet, or returns "".
func CheckSpec(key string, value any) string {
	if name, own := strings.CutPrefix(key, Own); own {
		if why := CheckSlug(name); why != "" {
			return fmt.Sprintf("%s: %s", key, why)
		}
		if s, text := value.(string); text && strings.TrimSpace(s) == "" {
			return key + " is empty"
		}
		return ""
	}
	k, ok := vocabulary[key]
	if !ok {
		var near []string
		group, _, _ := strings.Cut(key, ".")
		last := key[strings.LastIndex(key, ".")+1:]
		for _, v := range Vocabulary {
			if strings.HasPrefix(v.Key, group+".") || strings.HasSuffix(v.Key, "."+last) {
				near = append(near, v.Key)
			}
		}
		if len(near) > 0 {
			return fmt.Sprintf("unknown spec key %q; known near it: %s; keys of your own begin with %s", key, strings.Join(near,
				", "), Own)
		}
		return fmt.Sprintf("unknown spec key %q; the vocabulary lists those that there are, and keys of your own begin "+
			"with %s", key, Own)
	}
	switch k.Type {
	case "text":
		if s, ok := value.(string); !ok || strings.TrimSpace(s) == "" {
			return fmt.Sprintf("%s must be a text", key)
		}
	case "flag":
		if _, ok := value.(bool); !ok {
			return fmt.Sprintf("%s must be true or false", key)
		}
	case "count":
		f, ok := number(value)
		if !ok || f < 0 || f != math.Trunc(f) {
			return fmt.Sprintf("%s must be a whole number", key)
		}
	case "quantity":
		if _, ok := number(value); ok {
			return fmt.Sprintf("%s needs a unit, such as %q", key, "16 "+quantity.Symbol(k.Unit))
		}
		s, ok := value.(string)
		if !ok {
			return fmt.Sprintf("%s must be a quantity, such as %q", key, "16 "+quantity.Symbol(k.Unit))
		}
		q, err := quantity.Parse(s)
		if err != nil {
			return fmt.Sprintf("%s: %v", key, err)
		}
		if _, err := q.In(k.Unit); err != nil {
			return fmt.Sprintf("%s: %v", key, err)
		}
	}
	return ""
}

func number(v any) (float64, bool) {
	switch n := v.(type) {
	case float64:
		return n, true
	case int:
		return float64(n), true
	case int64:
		return float64(n), true
	case uint64:
		return float64(n), true
	}
	return 0, false
}

// SpecNumber returns a spec entry as a number: counts as they are, quantities in the key's unit.
func SpecNumber(spec map[string]any, key string) (float64, bool) {
	v, ok := spec[key]
	if !ok {
		return 0, false
	}
	if f, ok := number(v); ok {
		return f, true
	}
	s, ok := v.(string)
	if !ok {
		return 0, false
	}
	q, err := quantity.Parse(s)
	if err != nil {
		return 0, false
	}
	f, err := q.In(vocabulary[key].Unit)
	return f, err == nil
}

// SpecText returns a spec entry as text, or "".
func SpecText(spec map[string]any, key string) string {
	s, _ := spec[key].(string)
	return s
}

// SpecRow is one line of a spec sheet made readable.
type SpecRow struct {
	Key   string `json:"key"`
	Name  string `json:"name"`
	Value string `json:"value"`
}

// SpecSheet lists a spec in the vocabulary's order.
func SpecSheet(spec map[string]any) []SpecRow {
	rows := []SpecRow{}
	for _, k := range Vocabulary {
		v, ok := spec[k.Key]
		if !ok {
			continue
		}
		text := fmt.Sprint(v)
		if f, isNumber := number(v); isNumber {
			text = quantity.Plain(f, "1")
		}
		rows = append(rows, SpecRow{k.Key, k.Name, text})
	}
	for _, key := range sortedKeys(spec) { // those of the desk's own stand behind
		if k, ok := ownKey(key); ok {
			rows = append(rows, SpecRow{key, k.Name, fmt.Sprint(spec[key])})
		}
	}
	return rows
}

// SpecKeyOf finds an entry of the spec vocabulary.
func SpecKeyOf(key string) (SpecKey, bool) {
	if k, ok := ownKey(key); ok {
		return k, true
	}
	k, ok := vocabulary[key]
	return k, ok
}

// ownKey is an entry of the desk's own, called by what follows "own.".
func ownKey(key string) (SpecKey, bool) {
	name, ok := strings.CutPrefix(key, Own)
	if !ok || name == "" {
		return SpecKey{}, false
	}
	name = strings.ReplaceAll(name, "-", " ")
	return SpecKey{Key: key, Name: strings.ToUpper(name[:1]) + name[1:], Type: "text",
		Meaning: "An entry of the desk's own"}, true
}

// better says of which numbers of a spec sheet less is better; of the others more is.
var lessIsBetter = map[string]bool{"body.weight": true, "body.width": true, "body.depth": true, "body.height": true,
	"cooling.fans": true}

// Better is the direction in which a number of the spec sheet is better.
func (k SpecKey) Better() quantity.Direction {
	if lessIsBetter[k.Key] {
		return quantity.Lower
	}
	return quantity.Higher
}
