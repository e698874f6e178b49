// Package api holds all that may be asked of the service, each operation once: its words, its input and its output.
// The service answers operations, the client asks them, a command's flags and the API's description come from them.
package api

import (
	"fmt"
	"net/http"
	"net/url"
	"reflect"
	"strings"
)

// Operation is one thing that may be asked. Its input I is a struct: a field tagged path fills the part of the path of
// that name, one tagged query the query, Body is sent as JSON and RawBody as it is. Its output O is sent as JSON, or as
// bytes where Media says which.
type Operation[I, O any] struct {
	Verb, Path string
	ID         string // as the API's description calls it
	Group      string // its tag there
	Words      string
	Media      string
}

// Request is an operation asked with an input.
type Request struct {
	Verb, Path string
	Query      url.Values
	Body       any // nil, []byte, or what is sent as JSON
}

// Request puts an input where it belongs. Empty parts of the query are left out.
func (o Operation[I, O]) Request(in I) Request {
	r := Request{Verb: o.Verb, Path: o.Path, Query: url.Values{}}
	r.fill(reflect.ValueOf(in))
	return r
}

func (r *Request) fill(v reflect.Value) {
	for i := range v.NumField() {
		f, x := v.Type().Field(i), v.Field(i)
		switch {
		case f.Tag.Get("path") != "":
			r.Path = strings.ReplaceAll(r.Path, "{"+f.Tag.Get("path")+"}", url.PathEscape(fmt.Sprint(x.Interface())))
		case f.Tag.Get("query") != "" && !x.IsZero():
			name, how, _ := strings.Cut(f.Tag.Get("query"), ",")
			list, ok := x.Interface().([]string)
			switch {
			case how == "explode":
				r.Query[name] = list
			case ok:
				r.Query.Set(name, strings.Join(list, ","))
			default:
				r.Query.Set(name, fmt.Sprint(x.Interface()))
			}
		case f.Name == "Body":
			r.Body = x.Interface()
		case f.Name == "RawBody" && x.Len() > 0:
			r.Body = x.Bytes()
		case f.Anonymous:
			r.fill(x)
		}
	}
}

// Inputs that many operations share.
type (
	// None is an input, or an output, of nothing.
	None struct{}
	// Slugged names one thing in the path.
	Slugged struct {
		Slug string `path:"slug"`
	}
	// Body is an input that is nothing but a value.
	Body[T any] struct{ Body T }
	// File is a file as a person wrote it.
	File struct {
		CheckOnly bool   `query:"check_only" doc:"Say what would happen and write nothing"`
		RawBody   []byte `contentType:"application/octet-stream"`
	}
)

// With is an input that is nothing but a value.
func With[T any](v T) Body[T] { return Body[T]{v} }

func get[I, O any](group, path, id, words string) Operation[I, O] {
	return Operation[I, O]{http.MethodGet, path, id, group, words, ""}
}

func post[I, O any](group, path, id, words string) Operation[I, O] {
	return Operation[I, O]{http.MethodPost, path, id, group, words, ""}
}

func put[I, O any](group, path, id, words string) Operation[I, O] {
	return Operation[I, O]{http.MethodPut, path, id, group, words, ""}
}

func drop[I any](group, path, id, words string) Operation[I, None] {
	return Operation[I, None]{http.MethodDelete, path, id, group, words, ""}
}

func file[I any](group, path, id, words, media string) Operation[I, []byte] {
	return Operation[I, []byte]{http.MethodGet, path, id, group, words, media}
}
