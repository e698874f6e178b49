package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"durvek/api"
	"durvek/client"
	"durvek/desk"
)

// list is so many words or more that go into one part, with commas between.
type list struct {
	to    *string
	least int
}

// own is a part that the command itself fills, so that there is no flag for it.
type own struct{ to any }

// parts are the two of a word with a slash between.
type parts struct{ before, after *string }

// asking is the command of an operation. Its words fill the parts of the input that are listed: a *string takes the
// word, a *[]byte the bytes of the file that it names. Flags fill the rest of the input. show prints the answer.
func asking[I, O any](a *app, use, short, example string, op api.Operation[I, O], in *I, words []any,
	show func(O)) *cobra.Command {
	c := verb(use, short, example, wordsOf(words), func(cmd *cobra.Command, args []string) error {
		if err := a.take(words, args); err != nil {
			return err
		}
		return ask(a, cmd, op, *in, show)
	})
	flagsOf(c, in, words...)
	c.Args = within(c, in, c.Args)
	return c
}

// within refuses a number that is given below its least; none would be sent at all, and another taken in its place.
func within(c *cobra.Command, in any, words cobra.PositionalArgs) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) (err error) {
		if err := words(cmd, args); err != nil {
			return err
		}
		eachPart(reflect.ValueOf(in).Elem(), func(name string, t reflect.StructField, v reflect.Value) {
			least := t.Tag.Get("minimum")
			if v.Kind() == reflect.Int && least > "0" && v.Int() < 1 && c.Flags().Changed(name) {
				err = usageError{fmt.Errorf("--%s is %s or more, not %d", name, least, v.Int())}
			}
			if at, e := strconv.ParseFloat(least, 64); e == nil && v.Kind() == reflect.Float64 && v.Float() < at &&
				c.Flags().Changed(name) {
				err = usageError{fmt.Errorf("--%s is %s or more, not %g", name, least, v.Float())}
			}
		})
		return err
	}
}

// all asks for what there is, one for what its word names.
func all[O any](a *app, use, short, example string, op api.Operation[api.None, O], show func(O)) *cobra.Command {
	return asking(a, use, short, example, op, &api.None{}, nil, show)
}

func one[O any](a *app, use, short, example string, op api.Operation[api.Slugged, O], show func(O)) *cobra.Command {
	in := &api.Slugged{}
	return asking(a, use, short, example, op, in, []any{&in.Slug}, show)
}

// drawing is asking with a chart, which -o draws into a file.
func drawing[I, P, O any](a *app, use, short, example string, op api.Operation[I, O], chart api.Chart[I, P], in *I,
	words []any, show func(O)) *cobra.Command {
	c := asking(a, use, short, example, op, in, words, show)
	plain := c.RunE
	var output string
	var d api.Drawn
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if output == "" {
			return plain(cmd, args)
		}
		if err := a.take(words, args); err != nil {
			return err
		}
		d.Type = strings.TrimPrefix(strings.ToLower(filepath.Ext(output)), ".")
		if !slices.Contains([]string{"svg", "png", "csv"}, d.Type) {
			return usageError{fmt.Errorf("-o takes a name that ends in .svg or .png for a picture, or .csv for its figures, "+
				"got %q", output)}
		}
		return a.save(cmd, output, chart.Request(chart.Of(*in, d)))
	}
	c.Flags().StringVarP(&output, "output", "o", "", "file to draw the chart into, .svg or .png; .csv takes its figures")
	flagsOf(c, &d)
	return c
}

// saving is the command of an operation that answers with bytes: they go into the file named by -o.
func saving[I any](a *app, use, short, example, output string, op api.Operation[I, []byte], in *I,
	words []any) *cobra.Command {
	c := verb(use, short, example, wordsOf(words), func(cmd *cobra.Command, args []string) error {
		if err := a.take(words, args); err != nil {
			return err
		}
		return a.save(cmd, output, op.Request(*in))
	})
	c.Flags().StringVarP(&output, "output", "o", output, "file to write; standard output if left out")
	return c
}

// schema is the command that prints the JSON Schema of a file format.
func (a *app) schema(format, what string) *cobra.Command {
	return verb("schema", "Print the JSON Schema of "+what, "durvek "+format+" schema", 0, func(*cobra.Command,
		[]string) error {
		b, err := desk.SchemaSource(format)
		if err != nil {
			return err
		}
		return a.writeOut("", b)
	})
}

func (a *app) save(cmd *cobra.Command, output string, r api.Request) error {
	b, err := a.raw(cmd, r)
	if err != nil {
		return err
	}
	return a.writeOut(output, b)
}

func (a *app) raw(cmd *cobra.Command, r api.Request) (b []byte, err error) {
	c, err := a.client()
	if err == nil {
		err = c.Do(cmd.Context(), r.Verb, r.Path, r.Query, r.Body, &b)
	}
	return b, err
}

// ask asks an operation and prints the answer: as JSON when wanted, else through show.
func ask[I, O any](a *app, cmd *cobra.Command, op api.Operation[I, O], in I, show func(O)) error {
	b, err := a.raw(cmd, op.Request(in))
	if err != nil {
		return err
	}
	if a.json {
		a.say("%s", strings.TrimSpace(string(b)))
		return nil
	}
	var v O
	if err := json.Unmarshal(b, &v); err != nil {
		return fmt.Errorf("the answer of %s could not be read: %w", op.Path, err)
	}
	show(v)
	return nil
}

// answer asks an operation for a command that goes on with the answer.
func answer[I, O any](a *app, cmd *cobra.Command, op api.Operation[I, O], in I) (out O, err error) {
	c, err := a.client()
	if err == nil {
		out, err = client.Ask(cmd.Context(), c, op, in)
	}
	return out, err
}

// wordsOf is how many words a command takes, as verb counts them.
func wordsOf(into []any) (n int) {
	for _, to := range into {
		switch to := to.(type) {
		case *string, *[]byte, parts:
			n++
		case list:
			return -n - to.least
		}
	}
	return n
}

// take puts a command's words where they belong.
func (a *app) take(into []any, args []string) (err error) {
	if slices.Contains(args, "") {
		return usageError{errors.New("one of the words is empty; it would stand for everything")}
	}
	for _, to := range into {
		switch to := to.(type) {
		case *string:
			*to, args = args[0], args[1:]
		case parts:
			var whole bool
			if *to.before, *to.after, whole = strings.Cut(args[0], "/"); !whole || *to.before == "" || *to.after == "" {
				return usageError{fmt.Errorf("a measure is written as test/measure, not %q", args[0])}
			}
			args = args[1:]
		case list:
			*to.to = strings.Join(args, ",")
		case *[]byte:
			if *to, err = a.readFile(args[0]); err != nil {
				return err
			}
			args = args[1:]
		}
	}
	return nil
}

func slugged(slug string) api.Slugged { return api.Slugged{Slug: slug} }

// flagsOf makes a command's flags from the parts of an input's query, and from the parts of its body that say in words
// what they are, but for those that the command's words fill. What stands there already is the default.
func flagsOf(c *cobra.Command, in any, words ...any) {
	f := c.Flags()
	eachPart(reflect.ValueOf(in).Elem(), func(name string, t reflect.StructField, v reflect.Value) {
		to := v.Addr().Interface()
		if slices.ContainsFunc(words, func(w any) bool {
			switch x := w.(type) {
			case list:
				w = x.to
			case own:
				w = x.to
			}
			return w == to
		}) {
			return
		}
		usage := strings.ReplaceAll(t.Tag.Get("doc"), "if empty", "if left out")
		if usage == "" {
			usage = name
		} else if len(usage) > 1 && strings.ToUpper(usage[1:2]) != usage[1:2] {
			usage = strings.ToLower(usage[:1]) + usage[1:]
		}
		if d := t.Tag.Get("default"); d != "" && v.IsZero() {
			fmt.Sscan(d, to)
		}
		switch to := to.(type) {
		case *string:
			if t.Tag.Get("enum") != "" {
				f.Var(word{v, t.Tag.Get("enum")}, name, usage)
			} else {
				f.StringVar(to, name, *to, usage)
			}
		case *bool:
			f.BoolVar(to, name, *to, usage)
		case *int:
			f.IntVar(to, name, *to, usage)
		case *float64:
			f.Float64Var(to, name, *to, usage)
		case *[]string:
			if strings.HasSuffix(t.Tag.Get("query"), ",explode") {
				f.StringArrayVar(to, name, nil, usage)
			} else {
				f.StringSliceVar(to, name, nil, usage)
			}
		default:
			if v.Kind() != reflect.String {
				return
			}
			f.Var(word{v, t.Tag.Get("enum")}, name, usage)
		}
		if t.Tag.Get("required") == "true" {
			c.MarkFlagRequired(name)
		}
	})
}

func eachPart(v reflect.Value, do func(name string, t reflect.StructField, v reflect.Value)) {
	for i := range v.NumField() {
		t, x := v.Type().Field(i), v.Field(i)
		query, _, _ := strings.Cut(t.Tag.Get("query"), ",")
		body, _, _ := strings.Cut(t.Tag.Get("json"), ",")
		switch {
		case query != "":
			name := query
			if said := t.Tag.Get("flag"); said != "" {
				name = said
			}
			do(strings.ReplaceAll(name, "_", "-"), t, x)
		case t.Anonymous || t.Name == "Body" && x.Kind() == reflect.Struct:
			eachPart(x, do)
		case body != "" && t.Tag.Get("doc") != "":
			do(strings.ReplaceAll(body, "_", "-"), t, x)
		}
	}
}

// word is a flag of one word, one of those that are allowed where any are named.
type word struct {
	to      reflect.Value
	allowed string
}

var _ pflag.Value = word{}

func (w word) String() string {
	if !w.to.IsValid() {
		return ""
	}
	return w.to.String()
}

func (w word) Type() string { return "string" }

// Set takes a word that is allowed.
func (w word) Set(s string) error {
	if words := strings.Split(w.allowed, ","); w.allowed != "" && !slices.Contains(words, s) {
		return fmt.Errorf("it is one of %s", strings.TrimPrefix(strings.Join(words, ", "), ", "))
	}
	w.to.SetString(s)
	return nil
}
