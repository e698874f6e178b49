// Package api holds all that may be asked of the service, each operation once: its words, its input and its output.
// The service answers operations, the client asks them, a command's flags and the API's description come from them.
package api

import (
	"durvek/desk/books"
	"durvek/document"
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
	Needs      books.Role     // the least that who asks must be; agents reach those of their own group alone
	Most       int64          // bytes of a body at most
	Made       func(O) string // the path of what it makes; nil where nothing new is made
}

// Making is the operation as one that makes something, of which it gives the path.
func (o Operation[I, O]) Making(path func(O) string) Operation[I, O] {
	o.Made = path
	return o
}

// at is a path with a name in it.
func at(path, name string) string { return path + "/" + url.PathEscape(name) }

// For is the operation for who is at least of a role; "" for anybody.
func (o Operation[I, O]) For(r books.Role) Operation[I, O] {
	o.Needs = r
	return o
}

// AtMost is the operation with bodies of so many bytes at most.
func (o Operation[I, O]) AtMost(n int64) Operation[I, O] {
	o.Most = n
	return o
}

// Bodies that operations take where they do not say how much: values, and files as people write them.
const (
	mostBody = 256 << 10
	mostFile = document.MaxSize
)

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
		CheckOnly bool   `query:"check_only" flag:"dry-run" doc:"Say what would happen and write nothing"`
		RawBody   []byte `contentType:"application/octet-stream"`
	}
)

// With is an input that is nothing but a value.
func With[T any](v T) Body[T] { return Body[T]{v} }

func operation[I, O any](verb, group, path, id, words, media string, needs books.Role) Operation[I, O] {
	o := Operation[I, O]{verb, path, id, group, words, media, needs, mostBody, nil}
	if f, ok := reflect.TypeFor[I]().FieldByName("RawBody"); ok && f.Type.Kind() == reflect.Slice {
		o.Most = mostFile
	}
	return o
}

func get[I, O any](group, path, id, words string) Operation[I, O] {
	return operation[I, O](http.MethodGet, group, path, id, words, "", books.Reader)
}

func post[I, O any](group, path, id, words string) Operation[I, O] {
	return operation[I, O](http.MethodPost, group, path, id, words, "", books.Editor)
}

func put[I, O any](group, path, id, words string) Operation[I, O] {
	return operation[I, O](http.MethodPut, group, path, id, words, "", books.Editor)
}

func patch[I, O any](group, path, id, words string) Operation[I, O] {
	return operation[I, O](http.MethodPatch, group, path, id, words, "", books.Editor)
}

func drop[I any](group, path, id, words string) Operation[I, None] {
	return operation[I, None](http.MethodDelete, group, path, id, words, "", books.Editor)
}

func file[I any](group, path, id, words, media string) Operation[I, []byte] {
	return operation[I, []byte](http.MethodGet, group, path, id, words, media, books.Reader)
}
