package cli

import (
	"fmt"
	"io"
	"log/slog"
	"strings"

	"github.com/spf13/pflag"
)

// logging says what a service writes to its log, and how.
type logging struct {
	level, format string
	requests      bool
}

func (l *logging) flags(f *pflag.FlagSet) {
	f.StringVar(&l.level, "log-level", "info", "least that is logged: debug, info, warn or error")
	f.StringVar(&l.format, "log-format", "text", "text, or json for one object a line")
	f.BoolVar(&l.requests, "log-requests", false, "log every request: verb, route, status, time taken, who asked")
}

// begin makes it the log of the process.
func (l *logging) begin(to io.Writer) error {
	var level slog.Level
	if err := level.UnmarshalText([]byte(l.level)); l.level != "" && (err != nil || strings.ContainsAny(l.level, "+-")) {
		return usageError{fmt.Errorf("--log-level is debug, info, warn or error, not %q", l.level)}
	}
	o := &slog.HandlerOptions{Level: level}
	switch l.format {
	case "json":
		slog.SetDefault(slog.New(slog.NewJSONHandler(to, o)))
	case "text":
		slog.SetDefault(slog.New(slog.NewTextHandler(to, o)))
	case "": // the demo's: only what somebody must know
		o.Level = slog.LevelWarn
		slog.SetDefault(slog.New(slog.NewTextHandler(to, o)))
	default:
		return usageError{fmt.Errorf("--log-format is text or json, not %q", l.format)}
	}
	return nil
}
