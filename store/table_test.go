package store

import (
	"database/sql/driver"
	"fmt"
	"reflect"
	"slices"
	"testing"
	"time"
)

// filled gives every part of a value something of its own, n telling two fillings apart.
func filled(v reflect.Value, n *int) {
	*n++
	switch v.Kind() {
	case reflect.String:
		v.SetString(fmt.Sprintf("text %d", *n))
	case reflect.Bool:
		v.SetBool(*n%2 == 0)
	case reflect.Int, reflect.Int64:
		v.SetInt(int64(*n))
	case reflect.Float64:
		v.SetFloat(float64(*n) + 0.5)
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		filled(v.Elem(), n)
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 2, 2))
		filled(v.Index(0), n)
		filled(v.Index(1), n)
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		key, value := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
		filled(key, n)
		filled(value, n)
		v.SetMapIndex(key, value)
	case reflect.Interface:
		v.Set(reflect.ValueOf(fmt.Sprintf("any %d", *n)))
	case reflect.Struct:
		if v.Type() == reflect.TypeFor[time.Time]() {
			v.Set(reflect.ValueOf(time.Date(2026, 11, 1, 0, 0, *n, 7e6, time.UTC)))
			return
		}
		for i := range v.NumField() {
			if v.Field(i).CanSet() {
				filled(v.Field(i), n)
			}
		}
	}
}

// kept is what a database holds of a part.
func kept(t *testing.T, p part) driver.Value {
	t.Helper()
	if x, ok := p.at.(driver.Valuer); ok {
		v, err := x.Value()
		if err != nil {
			t.Fatal(p.column, err)
		}
		return v
	}
	v, err := driver.DefaultParameterConverter.ConvertValue(p.at)
	if err != nil {
		t.Fatal(p.column, err)
	}
	return v
}

// mapped holds that a table gives back what was put, that putting again replaces all but what is kept, and that an
// empty value comes back empty.
func mapped[T any](t *testing.T, tb table[T], more ...part) {
	t.Helper()
	tb.read = nil
	s := open(t)
	if _, err := s.write.ExecContext(ctx, "pragma foreign_keys = 0"); err != nil {
		t.Fatal(err)
	}
	n := 0
	var first, second, empty T
	filled(reflect.ValueOf(&first).Elem(), &n)
	filled(reflect.ValueOf(&second).Elem(), &n)
	for i, p := range tb.parts(&second) { // the same thing again
		if slices.Contains(tb.key, p.column) {
			reflect.ValueOf(p.at).Elem().Set(reflect.ValueOf(tb.parts(&first)[i].at).Elem())
		}
	}
	holds := func(want T, stays *T) {
		t.Helper()
		got, err := tb.list(ctx, s.Queries, "")
		if err != nil || len(got) != 1 {
			t.Fatalf("%s: %d rows, %v", tb.name, len(got), err)
		}
		for i, p := range tb.parts(&got[0]) {
			should := kept(t, tb.parts(&want)[i])
			if stays != nil && slices.Contains(tb.kept, p.column) {
				should = kept(t, tb.parts(stays)[i])
			}
			if have := kept(t, p); !reflect.DeepEqual(have, should) {
				t.Errorf("%s.%s is %v, want %v", tb.name, p.column, have, should)
			}
		}
	}
	write(t, s, func(q Queries) error { return tb.insert(ctx, q, &first, more...) })
	holds(first, nil)
	if len(tb.key) > 0 {
		write(t, s, func(q Queries) error { return tb.put(ctx, q, &second, more...) })
		holds(second, &first)
		write(t, s, func(q Queries) error {
			fresh, err := tb.add(ctx, q, &first, more...)
			if fresh {
				t.Errorf("%s: the same was added twice", tb.name)
			}
			return err
		})
	}
	if tb.name == outsides.name {
		return // a log is never empty
	}
	write(t, s, func(q Queries) error { return q.exec(ctx, "delete from "+tb.name) })
	write(t, s, func(q Queries) error { return tb.insert(ctx, q, &empty, more...) })
	holds(empty, nil)
}

func TestWhatIsPutIsWhatIsRead(t *testing.T) {
	position, run := part{"position", 3}, part{"run", "r"}
	mapped(t, models)
	mapped(t, variants, position)
	mapped(t, units, position)
	mapped(t, rigs)
	mapped(t, rigParts, part{"rig", "g"}, position)
	mapped(t, claims, position)
	mapped(t, offers, position)
	mapped(t, rates, part{"by_whom", "Ines"})
	mapped(t, setups)
	mapped(t, plans)
	mapped(t, sittings)
	mapped(t, runs, part{"basis", "b"}, part{"examined", 0})
	mapped(t, readings, run)
	mapped(t, standing, run, part{"extreme", true})
	mapped(t, estimates)
	mapped(t, changes, part{"value", 1.5})
	mapped(t, doubtActs, part{"doubt", "d"})
	mapped(t, tunings)
	mapped(t, incidents)
	mapped(t, conditions)
	mapped(t, outsides)
	mapped(t, attachments)
	mapped(t, pairings)
	mapped(t, editions)
	mapped(t, tokens)
	mapped(t, remarks)
	mapped(t, archived)
	mapped(t, ownKinds)
	mapped(t, hooks)
	mapped(t, messages)
	mapped(t, exchanged)
}
