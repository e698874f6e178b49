package cli

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"durvek/document"
)

// configName is the file of settings in a data folder.
const configName = "durvek.yaml"

// variable is the variable of the environment that stands for a flag.
func variable(flag string) string {
	return "DURVEK_" + strings.ToUpper(strings.ReplaceAll(flag, "-", "_"))
}

// settle fills the flags that were not given: from the environment, else from the file of settings. It says where each
// value comes from.
func settle(f *pflag.FlagSet, file string) (from map[string]string, err error) {
	said, err := readConfig(f, file)
	if err != nil {
		return nil, err
	}
	from = map[string]string{}
	f.VisitAll(func(x *pflag.Flag) {
		name := variable(x.Name)
		env, there := os.LookupEnv(name)
		values, filed := said[x.Name]
		switch {
		case x.Changed:
			from[x.Name] = "flag"
		case there:
			from[x.Name], values = name, []string{env}
		case filed:
			from[x.Name] = file
		default:
			from[x.Name] = "default"
		}
		if x.Changed || !there && !filed {
			return
		}
		for _, v := range values {
			if e := f.Set(x.Name, v); e != nil && err == nil {
				err = usageError{fmt.Errorf("%s of %s: %w", x.Name, from[x.Name], e)}
			}
		}
	})
	return from, err
}

// readConfig reads a file of settings: one entry for each flag, a list where a flag may be given again.
func readConfig(f *pflag.FlagSet, file string) (map[string][]string, error) {
	data, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) || len(strings.TrimSpace(string(data))) == 0 {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	known := map[string]any{}
	f.VisitAll(func(x *pflag.Flag) {
		one := map[string]any{"type": []string{"string", "number", "boolean"}}
		if strings.HasSuffix(x.Value.Type(), "Array") {
			one = map[string]any{"type": "array", "items": map[string]any{"type": "string"}}
		}
		known[x.Name] = one
	})
	schema, err := json.Marshal(map[string]any{"type": "object", "properties": known, "additionalProperties": false})
	if err != nil {
		return nil, err
	}
	doc, err := document.Read(file, data)
	var said map[string]any
	if err == nil {
		err = doc.Decode(document.MustSchema("config", schema), &said)
	}
	if err != nil {
		return nil, usageError{err}
	}
	out := map[string][]string{}
	for k, v := range said {
		list, many := v.([]any)
		if !many {
			list = []any{v}
		}
		for _, x := range list {
			out[k] = append(out[k], fmt.Sprint(x))
		}
	}
	return out, nil
}

func (a *app) configCmd() *cobra.Command {
	var h hosting
	var file string
	c := verb("show", "Say which settings a service would run with, and where each comes from",
		"durvek config show --data demo-data", 0, func(cmd *cobra.Command, _ []string) error {
			from, err := settle(cmd.LocalNonPersistentFlags(), configFile(file, cmp.Or(a.data, defaultData())))
			if err != nil {
				return err
			}
			delete(from, "config")
			delete(from, "help")
			var rows [][]any
			out := map[string]map[string]string{}
			for _, name := range slices.Sorted(maps.Keys(from)) {
				v := strings.Trim(cmd.Flags().Lookup(name).Value.String(), "[]")
				rows = append(rows, []any{name, v, from[name]})
				out[name] = map[string]string{"value": v, "from": from[name]}
			}
			if a.json {
				return a.printJSON(out)
			}
			a.print([]string{"Setting", "Value", "From"}, rows)
			return nil
		})
	h.flags(c.Flags())
	c.Flags().StringVar(&file, "config", "", "file of settings; durvek.yaml in the data folder if left out")
	return noun("config", "Settings of the service", c)
}

func configFile(named, dir string) string { return cmp.Or(named, filepath.Join(dir, configName)) }
