package service

import (
	"cmp"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"durvek/api"
)

// mostListed is how many entries of a list are given at most where somebody asks for parts of it.
const mostListed = 500

// listParams are what every list takes whose answer is nothing but its entries.
var listParams = []*huma.Param{
	{Name: "filter", In: "query", Description: "Only entries of which this is true, as FIELD=VALUE; also !=, <, <=, " +
		">, >= and ~ (has the text in it). A field within a field is written with a point. Repeatable: all must be true",
		Example: []string{"kind=laptop"}, Schema: &huma.Schema{Type: "array", Items: &huma.Schema{Type: "string"}}},
	{Name: "sort", In: "query", Description: "Order by these fields, with a - before one for its largest first. " +
		"Entries without the field come last", Example: "-released,name", Schema: &huma.Schema{Type: "string"}},
	{Name: "limit", In: "query", Description: "How many entries at most. Where there are more, the header Link names " +
		"the next part", Schema: &huma.Schema{Type: "integer", Minimum: new(1.0), Maximum: new(float64(mostListed))}},
	{Name: "after", In: "query", Description: "Where to go on, as the Link of the part before says",
		Schema: &huma.Schema{Type: "string"}},
}

// listed is what somebody wants of a list.
type listed struct {
	filter []string
	sort   string
	limit  int // 0 for all
	after  string
	url    url.URL
}

type listedKey struct{}

type ofRequest = huma.Context

// asList is an operation's context without what its list is asked for: the operation itself knows nothing of it.
type asList struct {
	ofRequest
	url url.URL
}

func (a asList) URL() url.URL             { return a.url }
func (a asList) Query(name string) string { return a.url.Query().Get(name) }
func (a asList) Unwrap() huma.Context     { return a.ofRequest }

// listing tells whether an operation gives a list that can be filtered, ordered and read in parts, and has no way of
// its own for that.
func listing[I, O any](o api.Operation[I, O]) bool {
	out, in := reflect.TypeFor[O](), reflect.TypeFor[I]()
	own := slices.ContainsFunc(reflect.VisibleFields(in), func(f reflect.StructField) bool {
		return f.Tag.Get("query") == "limit"
	})
	return o.Verb == http.MethodGet && out.Kind() == reflect.Slice && out.Elem().Kind() == reflect.Struct && !own
}

// lists makes an operation that gives a list take filters, an order and parts.
func (s *Service) lists(op *huma.Operation) {
	for _, p := range listParams {
		op.Parameters = append(op.Parameters, &huma.Param{Ref: "#/components/parameters/" + p.Name})
	}
	op.Middlewares = append(op.Middlewares, func(ctx huma.Context, next func(huma.Context)) {
		full := ctx.URL()
		q := full.Query()
		l := listed{filter: q["filter"], sort: q.Get("sort"), after: q.Get("after"), url: full}
		if text := q.Get("limit"); text != "" {
			n, err := strconv.Atoi(text)
			if err != nil || n < 1 || n > mostListed {
				huma.WriteErr(s.api, ctx, http.StatusUnprocessableEntity, fmt.Sprintf("limit is %q and must be a whole number "+
					"from 1 to %d", text, mostListed))
				return
			}
			l.limit = n
		}
		for _, p := range listParams {
			q.Del(p.Name)
		}
		rest := full
		rest.RawQuery = q.Encode()
		next(asList{huma.WithValue(ctx, listedKey{}, l), rest})
	})
}

// entry is one of a list, as its reader sees it.
type entry struct {
	at   int // in the list
	sees any
	text []byte
}

// part gives the entries of a list that somebody asked for, in the order they asked for, and the path of the next part;
// "" where there is none.
func part[T any](ctx context.Context, list T) (T, string, error) {
	l, _ := ctx.Value(listedKey{}).(listed)
	v := reflect.ValueOf(list)
	if len(l.filter) == 0 && l.sort == "" && l.limit == 0 && l.after == "" {
		return list, "", nil
	}
	entries := make([]entry, v.Len())
	for i := range entries {
		text, err := json.Marshal(v.Index(i).Interface())
		if err != nil {
			return list, "", err
		}
		entries[i] = entry{at: i, text: text}
		if err := json.Unmarshal(text, &entries[i].sees); err != nil {
			return list, "", err
		}
	}
	kind := v.Type().Elem()
	for _, f := range l.filter {
		c, err := condition(f, kind)
		if err != nil {
			return list, "", err
		}
		entries = slices.DeleteFunc(entries, func(e entry) bool { return !c(e) })
	}
	if err := order(entries, l.sort, kind); err != nil {
		return list, "", err
	}
	from, err := l.from(entries)
	if err != nil {
		return list, "", err
	}
	to, next := len(entries), ""
	if l.limit > 0 && from+l.limit < to {
		to = from + l.limit
		q := l.url.Query()
		q.Set("after", cursor(entries[to-1], to))
		l.url.RawQuery = q.Encode()
		next = l.url.RequestURI()
	}
	out := reflect.MakeSlice(v.Type(), 0, to-from)
	for _, e := range entries[from:to] {
		out = reflect.Append(out, v.Index(e.at))
	}
	return out.Interface().(T), next, nil
}

// cursor names the last entry of a part, and how many came before the next: where the entry is gone by then, the list
// goes on at that place.
func cursor(e entry, n int) string {
	return base64.RawURLEncoding.EncodeToString(fmt.Appendf(nil, "%d %s", n, named(e)))
}

// named is what an entry is known by: its id or the like, else all of it.
func named(e entry) string {
	if m, ok := e.sees.(map[string]any); ok {
		for _, k := range []string{"id", "slug", "key", "name"} {
			if s, ok := m[k].(string); ok && s != "" {
				return k + " " + s
			}
		}
	}
	return etag(e.text)
}

// from is where the wanted part begins.
func (l listed) from(entries []entry) (int, error) {
	if l.after == "" {
		return 0, nil
	}
	text, err := base64.RawURLEncoding.DecodeString(l.after)
	at, name, ok := strings.Cut(string(text), " ")
	n, bad := strconv.Atoi(at)
	if err != nil || bad != nil || !ok || n < 0 {
		return 0, huma.Error422UnprocessableEntity("after is not what a Link of this list gave; leave it out to begin anew")
	}
	if i := slices.IndexFunc(entries, func(e entry) bool { return named(e) == name }); i >= 0 {
		return i + 1, nil
	}
	return min(n, len(entries)), nil
}

// value finds a field in an entry; nil where it has none.
func (e entry) value(field string) any {
	v := e.sees
	for _, k := range strings.Split(field, ".") {
		m, ok := v.(map[string]any)
		if !ok {
			return nil
		}
		v = m[k]
	}
	return v
}

// order sorts entries by fields, each of them after the one before it.
func order(entries []entry, by string, kind reflect.Type) error {
	if by == "" {
		return nil
	}
	keys := strings.Split(by, ",")
	for _, k := range keys {
		if err := known(strings.TrimPrefix(k, "-"), "sort", kind); err != nil {
			return err
		}
	}
	slices.SortStableFunc(entries, func(a, b entry) int {
		for _, k := range keys {
			field, down := strings.CutPrefix(k, "-")
			x, y := a.value(field), b.value(field)
			switch {
			case x == nil && y == nil:
				continue
			case x == nil:
				return 1
			case y == nil:
				return -1
			}
			if c := against(x, y); c != 0 {
				if down {
					return -c
				}
				return c
			}
		}
		return 0
	})
	return nil
}

// against compares two values of a field: numbers by size, everything else by its letters.
func against(a, b any) int {
	x, ok := a.(float64)
	y, too := b.(float64)
	if ok && too {
		return cmp.Compare(x, y)
	}
	return cmp.Compare(strings.ToLower(fmt.Sprint(a)), strings.ToLower(fmt.Sprint(b)))
}

// comparators are what may stand between a field and a value, the longer ones first.
var comparators = []struct {
	sign string
	true func(c int) bool
}{
	{"!=", func(c int) bool { return c != 0 }}, {"<=", func(c int) bool { return c <= 0 }},
	{">=", func(c int) bool { return c >= 0 }}, {"=", func(c int) bool { return c == 0 }},
	{"<", func(c int) bool { return c < 0 }}, {">", func(c int) bool { return c > 0 }}, {"~", nil},
}

// condition reads a filter. An entry without the field fulfils none but "is not".
func condition(text string, kind reflect.Type) (func(entry) bool, error) {
	at := strings.IndexAny(text, "!<>=~")
	if at < 0 {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("filter %q compares nothing: write FIELD=VALUE, or !=, "+
			"<, <=, >, >=, ~ between the two", text))
	}
	field := text[:at]
	if err := known(field, "filter", kind); err != nil {
		return nil, err
	}
	for _, c := range comparators {
		wanted, ok := strings.CutPrefix(text[at:], c.sign)
		if !ok {
			continue
		}
		return func(e entry) bool {
			v := e.value(field)
			switch {
			case v == nil:
				return c.sign == "!=" && wanted != "" || c.sign == "=" && wanted == ""
			case c.true == nil:
				return strings.Contains(strings.ToLower(fmt.Sprint(v)), strings.ToLower(wanted))
			}
			if list, ok := v.([]any); ok { // a list is what is in it
				return slices.ContainsFunc(list, func(x any) bool { return c.true(against(x, wanted)) })
			}
			if n, err := strconv.ParseFloat(wanted, 64); err == nil {
				return c.true(against(v, n))
			}
			return c.true(against(v, wanted))
		}, nil
	}
	return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("filter %q: %q compares nothing", text, text[at:]))
}

// known refuses a field that entries of the list can not have.
func known(field, where string, kind reflect.Type) error {
	var names []string
	t := kind
	for i, name := range strings.Split(field, ".") {
		for t.Kind() == reflect.Pointer {
			t = t.Elem()
		}
		if i > 0 && (t.Kind() != reflect.Struct || t.Implements(reflect.TypeFor[json.Marshaler]())) {
			return nil // what is in a map, or writes itself, is known from the entries alone
		}
		found := false
		for _, f := range reflect.VisibleFields(t) {
			if f.Anonymous || !f.IsExported() || f.Tag.Get("json") == "-" {
				continue
			}
			if i == 0 {
				names = append(names, fieldName(f))
			}
			if !found && fieldName(f) == name {
				t, found = f.Type, true
			}
		}
		if !found {
			slices.Sort(names)
			return huma.Error422UnprocessableEntity(fmt.Sprintf("%s: entries of this list have no field %q; they have %s",
				where, field, strings.Join(names, ", ")))
		}
	}
	return nil
}
