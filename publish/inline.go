package publish

import (
	"fmt"
	"html/template"
	"regexp"
	"strconv"
	"strings"
)

// themed are a chart's colours by the names that a page's style gives them, so that it follows a dark page.
var themed = map[string]string{"#f6f8f9": "ground", "#12232e": "ink", "#4f6470": "soft", "#c9d4da": "line",
	"#9db2bd": "bar", "#c6d3da": "raised", "#0b6e7f": "subject", "#a81e6b": "caution", "#f6ebcb": "tie"}

var (
	desc     = regexp.MustCompile(`(?s)<desc>.*?</desc>\n?`)
	headline = regexp.MustCompile(`(?s)<title>.*?</title>`)
	fixed    = regexp.MustCompile(` width="[0-9.]+" height="[0-9.]+"`)
	groups   = regexp.MustCompile(`</?g[^>]*>\n?|<rect [^>]*pointer-events[^>]*/>\n?`)
	fraction = regexp.MustCompile(`[0-9]+\.[0-9]+`)
	drawing  = regexp.MustCompile(`<path d="([^"]*)"([^>]*)/>\n?`)
	writing  = regexp.MustCompile(`\n?<text x="([^"]*)" y="([^"]*)"([^>]*)>`)
	property = regexp.MustCompile(` ([a-z-]+)="([^"]*)"`)
)

// looks are the styles of a page's charts: what many lines and letters have in common is said once.
type looks struct {
	names map[string]string
	order []string
}

// name gives a style its class.
func (l *looks) name(style string) string {
	if l.names == nil {
		l.names = map[string]string{}
	}
	n, ok := l.names[style]
	if !ok {
		n = "k" + strconv.FormatInt(int64(len(l.order)), 36)
		l.names[style] = n
		l.order = append(l.order, style)
	}
	return n
}

func (l *looks) css() string {
	var b strings.Builder
	for _, style := range l.order {
		fmt.Fprintf(&b, ".%s{%s}\n", l.names[style], style)
	}
	return b.String()
}

// style turns attributes into a style, in the page's colours and faces.
func style(attributes string) string {
	var out []string
	for _, m := range property.FindAllStringSubmatch(attributes, -1) {
		value := m[2]
		switch name := themed[value]; {
		case name != "":
			value = "var(--" + name + ")"
		case m[1] == "font-size":
			value += "px"
		case m[1] == "font-family" && !strings.Contains(value, "Condensed"):
			continue // the page's own
		case m[1] == "font-family":
			value = `"IBM Plex Sans Condensed","Arial Narrow",Helvetica,Arial,sans-serif`
		}
		out = append(out, m[1]+":"+value)
	}
	return strings.Join(out, ";")
}

// inline makes a chart part of a page: in the page's colours and faces. The table behind it says the same as its long
// description; the narrow one is the wide one once more.
func (l *looks) inline(svg []byte, again bool) template.HTML {
	s := desc.ReplaceAllString(string(svg), "")
	s = groups.ReplaceAllString(fixed.ReplaceAllString(s, ""), "")
	if again {
		s = headline.ReplaceAllString(s, "")
		s = strings.Replace(s, `role="img"`, `aria-hidden="true"`, 1)
	}
	s = writing.ReplaceAllStringFunc(s, func(m string) string {
		x := writing.FindStringSubmatch(m)
		return fmt.Sprintf(`<text x="%s" y="%s" class="%s">`, short(x[1]), short(x[2]), l.name(style(x[3])))
	})
	var b strings.Builder
	at, last := 0, ""
	for _, m := range drawing.FindAllStringSubmatchIndex(s, -1) {
		way, look := straight(short(s[m[2]:m[3]])), s[m[4]:m[5]]
		// Strokes of one look that follow each other are one; areas are not, where they overlap they would cancel out.
		if m[0] == at && look == last && strings.Contains(look, `fill="none"`) {
			b.WriteString(way)
		} else {
			if last != "" {
				b.WriteString(`"/>`)
			}
			b.WriteString(s[at:m[0]])
			fmt.Fprintf(&b, `<path class="%s" d="%s`, l.name(style(look)), way)
		}
		if at, last = m[1], look; last == "" {
			last = " "
		}
	}
	if last != "" {
		b.WriteString(`"/>`)
	}
	b.WriteString(s[at:])
	return template.HTML(b.String())
}

var step = regexp.MustCompile(`([MLCZ])([^MLCZ]*)`)

// straight writes level and upright lines by the one coordinate that they change.
func straight(way string) string {
	var b strings.Builder
	x, y := "", ""
	for _, m := range step.FindAllStringSubmatch(way, -1) {
		at := strings.Fields(m[2])
		switch n := len(at); {
		case m[1] == "L" && n == 2 && at[1] == y:
			b.WriteString("H" + at[0])
		case m[1] == "L" && n == 2 && at[0] == x:
			b.WriteString("V" + at[1])
		default:
			b.WriteString(m[1] + strings.Join(at, " "))
		}
		if n := len(at); n >= 2 {
			x, y = at[n-2], at[n-1]
		}
	}
	return b.String()
}

// short writes coordinates to a tenth of a pixel.
func short(s string) string {
	return fraction.ReplaceAllStringFunc(s, func(m string) string {
		v, _ := strconv.ParseFloat(m, 64) // it is one by the pattern
		return strings.TrimSuffix(strconv.FormatFloat(v, 'f', 1, 64), ".0")
	})
}
