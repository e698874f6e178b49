package service

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"durvek/core/quantity"
)

// sound refuses what came in if a number in it is beyond what can be worked with, and says where.
func sound(in any) error {
	if at, v := wild(reflect.ValueOf(in), ""); at != "" {
		return huma.NewError(http.StatusUnprocessableEntity, "a number is beyond what can be worked with",
			&huma.ErrorDetail{Location: strings.TrimPrefix(at, "."), Value: v,
				Message: fmt.Sprintf("%g is a number beyond all measure; at most %g is worked with", v,
					float64(quantity.Largest))})
	}
	return nil
}

// wild finds the first number that is none that can be worked with, and where it stands; "" if there is none.
func wild(v reflect.Value, at string) (string, float64) {
	switch v.Kind() {
	case reflect.Float64, reflect.Float32:
		if !quantity.Sound(v.Float()) {
			return at, v.Float()
		}
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			return wild(v.Elem(), at)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			f := v.Type().Field(i)
			if !f.IsExported() {
				continue
			}
			name := at
			if !f.Anonymous {
				name = at + "." + fieldName(f)
			}
			if where, x := wild(v.Field(i), name); where != "" {
				return where, x
			}
		}
	case reflect.Slice, reflect.Array:
		if k := v.Type().Elem().Kind(); k == reflect.Uint8 || k == reflect.String || k == reflect.Bool || k == reflect.Int {
			break
		}
		for i := range v.Len() {
			if where, x := wild(v.Index(i), fmt.Sprintf("%s[%d]", at, i)); where != "" {
				return where, x
			}
		}
	case reflect.Map:
		for _, k := range v.MapKeys() {
			if where, x := wild(v.MapIndex(k), fmt.Sprintf("%s.%v", at, k)); where != "" {
				return where, x
			}
		}
	}
	return "", 0
}

func fieldName(f reflect.StructField) string {
	if f.Name == "Body" {
		return "body"
	}
	for _, tag := range []string{"json", "query", "path"} {
		for i, r := range f.Tag.Get(tag) + "," {
			if r == ',' && i > 0 {
				return f.Tag.Get(tag)[:i]
			}
		}
	}
	return f.Name
}

// asJSON writes an answer. A number that JSON cannot hold comes as null: what stands in the database from before such
// numbers were refused spoils one figure, not the page.
func asJSON(w io.Writer, v any) error {
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	err := e.Encode(v)
	var none *json.UnsupportedValueError
	if errors.As(err, &none) { // and nothing was written
		err = e.Encode(finite(reflect.ValueOf(v)))
	}
	return err
}

// finite is a value as JSON would have it, with null for every number that is none.
func finite(v reflect.Value) any {
	if !v.IsValid() {
		return nil
	}
	if m, ok := v.Interface().(json.Marshaler); ok {
		if b, err := m.MarshalJSON(); err == nil {
			return json.RawMessage(b)
		}
		return nil
	}
	switch v.Kind() {
	case reflect.Float64, reflect.Float32:
		if f := v.Float(); math.IsNaN(f) || math.IsInf(f, 0) {
			return nil
		}
	case reflect.Pointer, reflect.Interface:
		return finite(v.Elem())
	case reflect.Slice, reflect.Array:
		if v.Kind() == reflect.Slice && (v.IsNil() || v.Type().Elem().Kind() == reflect.Uint8) {
			break
		}
		out := make([]any, v.Len())
		for i := range out {
			out[i] = finite(v.Index(i))
		}
		return out
	case reflect.Map:
		out := map[string]any{}
		for _, k := range v.MapKeys() {
			out[fmt.Sprint(k)] = finite(v.MapIndex(k))
		}
		return out
	case reflect.Struct:
		// by the names that JSON gives its fields, left out where it leaves them out
		out := map[string]any{}
		for _, f := range reflect.VisibleFields(v.Type()) {
			x, err := v.FieldByIndexErr(f.Index)
			tag := f.Tag.Get("json")
			if err != nil || !f.IsExported() || tag == "-" || f.Anonymous && tag == "" || empty(x, tag) {
				continue
			}
			out[fieldName(f)] = finite(x)
		}
		return out
	}
	return v.Interface()
}

// empty tells whether JSON leaves a field out.
func empty(v reflect.Value, tag string) bool {
	switch {
	case strings.Contains(tag, ",omitzero"):
		return v.IsZero()
	case !strings.Contains(tag, ",omitempty"):
		return false
	case v.Kind() == reflect.Slice || v.Kind() == reflect.Map || v.Kind() == reflect.String:
		return v.Len() == 0
	}
	return v.Kind() != reflect.Struct && v.IsZero()
}
