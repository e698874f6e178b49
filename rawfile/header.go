package rawfile

import (
	"regexp"
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

// titled parts a header into a name and a unit: "time [s]", "Power (W)", "level in %", "latency_ms".
func titled(text string) (name, unit string) {
	text = strings.TrimSpace(strings.Trim(text, `"`))
	if m := bracketed.FindStringSubmatch(text); m != nil && m[1] != "" {
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
