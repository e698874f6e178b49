package rawfile

import (
	"regexp"
	"slices"
	"strings"

	"durvek/core/quantity"
)

var (
	bracketed = regexp.MustCompile(`^(.*?)\s*(?:\[([^\]]*)\]|\(((?:[^()]|\([^()]*\))*)\))\s*$`)
	apart     = regexp.MustCompile(`^(.+?)(\s+in\s+|\s*/\s*|_|,\s*|\s+)([^\s_/,]+(?:/[^\s_/,]+)?)$`)
)

// customary are units as headers write them and the vocabulary does not know them.
var customary = map[string]string{"sec": "s", "secs": "s", "second": "s", "seconds": "s", "msec": "ms", "millis": "ms",
	"milliseconds": "ms", "usec": "us", "microseconds": "us", "nanoseconds": "ns", "minutes": "min", "minute": "min",
	"mins": "min", "hours": "h", "hour": "h", "hrs": "h", "watt": "W", "watts": "W", "milliwatts": "mW", "volt": "V",
	"volts": "V", "amp": "A", "amps": "A", "celsius": "Cel", "°c": "Cel", "c": "Cel", "degc": "Cel", "°f": "[degF]",
	"percent": "%", "pct": "%", "mb/s": "MBy/s", "mbps": "Mbit/s", "gb/s": "GBy/s", "kb/s": "kBy/s", "mib/s": "MiBy/s",
	"db": "dB", "dba": "dB[A]", "db(a)": "dB[A]", "dbspl": "dB[A]", "meters": "m", "metres": "m", "fps": "{frame}/s",
	"bytes": "By", "byte": "By", "cd/m^2": "cd/m2", "cdm2": "cd/m2", "nits": "cd/m2", "mwh": "mW.h", "hz": "Hz",
	"wh": "W.h", "mah": "mA.h"}

// unitOf finds the unit that a word stands for.
func unitOf(word string) (string, bool) {
	word = strings.TrimSpace(word)
	if word == "" {
		return "", false
	}
	if u, err := quantity.LookUp(word); err == nil {
		return u.Code, true
	}
	code, ok := customary[strings.ToLower(word)]
	if !ok {
		return "", false
	}
	if _, err := quantity.LookUp(code); err != nil {
		return "", false
	}
	return code, true
}

// alone are units that name a column by themselves: they are no letter that stands for something else.
var alone = []string{"s", "ms", "us", "h", "min", "W", "mW", "V", "%", "Cel", "dB[A]", "MBy/s", "Mbit/s", "{frame}/s",
	"cd/m2"}

// titled parts a header into a name and a unit: "time [s]", "Power (W)", "level in %", "latency_ms", "LAeq dB(A)". One
// that is a unit alone names itself: "s".
func titled(text string) (name, unit string) {
	text = strings.TrimSpace(strings.Trim(text, `"`))
	if u, ok := unitOf(text); ok && slices.Contains(alone, u) && text != "C" && text != "c" { // a column of a grid
		return text, u
	}
	// a unit may hold brackets of its own
	if i := strings.LastIndexAny(text, " _"); i > 0 && !strings.HasPrefix(text[i+1:], "(") && strings.Contains(text[i:],
		"(") {
		if u, ok := unitOf(text[i+1:]); ok {
			return strings.TrimRight(text[:i], " _"), u
		}
	}
	if m := bracketed.FindStringSubmatch(text); m != nil && m[1] != "" {
		if name, ok := strings.CutSuffix(m[1], "dB"); ok { // weighted: "LAeq dB (A)"
			if u, ok := unitOf("dB(" + m[2] + m[3] + ")"); ok {
				return strings.TrimRight(name, " _"), u
			}
		}
		if u, ok := unitOf(m[2] + m[3]); ok {
			return m[1], u
		}
		return text, ""
	}
	if m := apart.FindStringSubmatch(text); m != nil {
		// "channel A" is no channel in amperes, and RGB_B none in bytes
		blank := strings.TrimSpace(m[2])
		letter := len(m[3]) == 1 && m[3] != "%" && (blank == "" || blank == "_" && (m[3] == "A" || m[3] == "B"))
		if u, ok := unitOf(m[3]); ok && u != "1" && !letter {
			return m[1], u
		}
	}
	return text, ""
}
