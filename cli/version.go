package cli

import (
	"cmp"
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"
)

// What a release is stamped with; a build from source says what its source was.
var (
	Tag    string
	Commit string
	Date   string
)

// Built says which program this is.
type Built struct {
	Version  string `json:"version"`
	Commit   string `json:"commit,omitempty"`
	Date     string `json:"date,omitempty"`
	Go       string `json:"go"`
	Platform string `json:"platform"`
}

func built() Built {
	b := Built{Version: cmp.Or(Tag, "from source"), Commit: Commit, Date: Date, Go: runtime.Version(),
		Platform: runtime.GOOS + "/" + runtime.GOARCH}
	if info, ok := debug.ReadBuildInfo(); ok {
		for _, s := range info.Settings {
			switch s.Key {
			case "vcs.revision":
				b.Commit = cmp.Or(b.Commit, s.Value)
			case "vcs.time":
				b.Date = cmp.Or(b.Date, s.Value)
			}
		}
	}
	return b
}

func (a *app) versionCmd() *cobra.Command {
	return verb("version", "Say which program this is", "durvek version", 0, func(*cobra.Command, []string) error {
		b := built()
		if a.json {
			return a.printJSON(b)
		}
		text := "durvek " + b.Version
		if b.Commit != "" {
			text += fmt.Sprintf(", commit %s of %s", b.Commit[:min(12, len(b.Commit))], cmp.Or(b.Date, "no date"))
		}
		a.say("%s, %s, %s", text, b.Go, b.Platform)
		return nil
	})
}
