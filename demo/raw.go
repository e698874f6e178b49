package demo

import (
	"context"
	"fmt"
	"io/fs"
	"path"
	"strings"

	"durvek/api"
	"durvek/client"
	"durvek/desk/results"
)

// read says how files of a name are read where that cannot be found out, and what was given with them.
var read = map[string]results.RawOf{
	"flicker":  {Analysis: "flicker", Options: "luminance=200 cd/m²"},
	"response": {Analysis: "pixel-response", Options: "refresh=60 Hz"},
	"noise":    {Options: "background=19 dB(A)"},
	"surface":  {Options: "ambient=21 °C"},
}

// Raw takes in the files that the desk's meters wrote: of each unit a folder.
func Raw(ctx context.Context, c *client.Client) error {
	names, err := fs.Glob(files, "raw/*/*")
	if err != nil {
		return err
	}
	for _, name := range names {
		file := path.Base(name)
		in := api.RawIn{RawOf: read[strings.TrimSuffix(file, path.Ext(file))]}
		in.Name, in.Subject, in.Date = file, path.Base(path.Dir(name)), "2026-11-13"
		if in.RawBody, err = files.ReadFile(name); err != nil {
			return err
		}
		if _, err := client.Ask(ctx, c, api.TakeRaw, in); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
	}
	return nil
}
