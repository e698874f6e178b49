package cli

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"durvek/core/say"
	"durvek/desk/backup"
	"durvek/internal/durable"
)

func (a *app) backupCmds() []*cobra.Command {
	var replace, dry bool
	keep := verb("backup FILE", "Write all of a desk into one archive, while it is at work",
		"durvek backup desk.tar.zst --data demo-data", 1, func(cmd *cobra.Command, args []string) error {
			if _, err := os.Stat(args[0]); err == nil {
				return usageError{fmt.Errorf("%s is there already; name a new file", args[0])}
			}
			files, err := 0, error(nil)
			if a.server == "" && a.data != "" {
				files, err = backup.File(cmd.Context(), a.data, args[0])
			} else {
				files, err = a.fetchBackup(cmd, args[0])
			}
			if err != nil {
				return err
			}
			i, err := os.Stat(args[0])
			if err != nil {
				return err
			}
			if a.json {
				return a.printJSON(map[string]any{"file": args[0], "files": files, "bytes": i.Size()})
			}
			a.say("%s holds the whole desk: %s, %s.", args[0], say.Things(files, "file"), bytesText(i.Size()))
			return nil
		})
	bring := verb("restore FILE", "Bring a desk back from an archive; all of it is checked first",
		"durvek restore desk.tar.zst --data restored-data", 1, func(cmd *cobra.Command, args []string) error {
			f, err := os.Open(args[0])
			if err != nil {
				return usageError{err}
			}
			defer f.Close()
			if dry {
				r, err := backup.Check(cmd.Context(), f, filepath.Dir(args[0]))
				if err == nil {
					err = a.tellReport("The archive is whole", r)
				}
				return err
			}
			dir := cmp.Or(a.data, defaultData())
			r, old, err := backup.Restore(cmd.Context(), f, dir, replace, time.Now())
			if err != nil {
				return err
			}
			if a.json {
				return a.printJSON(r)
			}
			a.say("%s holds the desk again: %s.", dir, counts(r))
			for _, s := range r.Wrong {
				a.say("It was lost before the backup was made: %s", s)
			}
			if old != "" {
				a.say("What was there before is kept in %s.", old)
			}
			return nil
		})
	bring.Flags().BoolVar(&replace, "replace", false, "take the place of the desk that is there, which is kept beside")
	bring.Flags().BoolVar(&dry, "dry-run", false, "check the archive and change nothing")
	look := verb("verify", "Look at everything in a data folder: database, photos, editions",
		"durvek verify --data demo-data",
		0, func(cmd *cobra.Command, _ []string) error {
			dir := cmp.Or(a.data, defaultData())
			r, err := backup.Verify(cmd.Context(), dir)
			if err == nil {
				err = a.tellReport(dir+" is whole", r)
			}
			return err
		})
	return []*cobra.Command{keep, bring, look}
}

// tellReport says what is there, or what is wrong.
func (a *app) tellReport(whole string, r backup.Report) error {
	if a.json {
		if err := a.printJSON(r); err != nil {
			return err
		}
	}
	if len(r.Wrong) > 0 {
		for _, s := range r.Wrong {
			if !a.json {
				a.say("%s", s)
			}
		}
		return fmt.Errorf("%s wrong; an older backup may have it whole", say.Things(len(r.Wrong), "thing"))
	}
	if !a.json {
		a.say("%s: %s.", whole, counts(r))
	}
	return nil
}

func counts(r backup.Report) string {
	return say.Things(r.Runs, "run") + ", " + say.Things(r.Photos, "photo") + ", " + say.Things(r.Editions, "edition")
}

// fetchBackup has the service write an archive and keeps it once it is known to be whole.
func (a *app) fetchBackup(cmd *cobra.Command, to string) (files int, err error) {
	c, err := a.client()
	if err != nil {
		return 0, err
	}
	f, err := os.CreateTemp(filepath.Dir(to), ".part-*")
	if err != nil {
		return 0, err
	}
	defer os.Remove(f.Name())
	err = c.Stream(cmd.Context(), "/api/backup", f)
	if err = errors.Join(err, f.Sync()); err != nil {
		return 0, errors.Join(err, f.Close())
	}
	if _, err = f.Seek(0, 0); err == nil {
		var r backup.Report
		r, err = backup.Check(cmd.Context(), f, filepath.Dir(to))
		files = 2 + r.Photos + r.Editions
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return 0, fmt.Errorf("what came is no whole backup: %w", err)
	}
	return files, durable.Rename(f.Name(), to)
}
