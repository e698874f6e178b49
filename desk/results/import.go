package results

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/document"
)

var runsSchema = desk.Schema("runs")

// RunsFormat names the files of runs that machines make alone.
const RunsFormat = "durvek-runs/1"

// RunFile is such a file: what the machine says of itself, and its runs.
type RunFile struct {
	Format  string         `json:"format"`
	Machine record.Machine `json:"machine"`
	Runs    []record.Run   `json:"runs"`
}

// Target says what the runs of a file were made on.
type Target struct {
	Unit, Host, Place, Setup string
}

// Imported tells what a file of runs brought.
type Imported struct {
	Runs  int `json:"runs"`
	Known int `json:"known" doc:"Runs that were taken in before and stay as they are"`
}

// ImportRuns takes in a file of runs that a machine made alone: all of it, or nothing. Runs that are
// known already stay as they are.
func (d *Results) ImportRuns(ctx context.Context, data []byte, at Target, by string) (Imported, error) {
	var f RunFile
	var out Imported
	file, err := document.Read("file of runs", data)
	if err != nil {
		return out, err
	}
	if err := file.Decode(runsSchema, &f); err != nil {
		return out, err
	}
	return d.takeRuns(ctx, f, at, by)
}

// takeRuns takes in runs that a machine made alone: all of them, or nothing.
func (d *Results) takeRuns(ctx context.Context, f RunFile, at Target, by string) (out Imported, err error) {
	if at.Setup == "" {
		at.Setup = method.AsDelivered
	}
	kind, wrong, err := d.desk.CheckPlace(ctx, at.Unit, at.Host, at.Setup)
	if err != nil {
		return out, err
	}
	for i, r := range f.Runs {
		if _, err := uuid.Parse(r.ID); err != nil {
			wrong = append(wrong, fmt.Sprintf("run %d has the id %q, which is no UUID", i+1, r.ID))
		}
		t, err := d.desk.Store.Test(ctx, r.Test, r.TestVersion)
		if known, err := desk.Found(err); err != nil {
			return out, err
		} else if !known {
			wrong = append(wrong, fmt.Sprintf("no version %d of a test %q is known", r.TestVersion, r.Test))
		} else if kind != "" && !t.Fits(kind) {
			wrong = append(wrong, fmt.Sprintf("test %q is not meant for a %s", r.Test, kind))
		}
	}
	if len(wrong) > 0 {
		slices.Sort(wrong)
		return out, desk.Refuse(desk.Invalid, "file of runs refused: %s", strings.Join(slices.Compact(wrong), "; "))
	}
	var fresh []record.Run
	for _, r := range f.Runs {
		_, err := d.desk.Store.Run(ctx, r.ID)
		if known, err := desk.Found(err); err != nil {
			return out, err
		} else if known {
			out.Known++
			continue
		}
		r.Subject, r.Host, r.Place, r.Setup, r.Plan, r.Step = at.Unit, at.Host, at.Place, at.Setup, "", 0
		r.Source, r.By, r.Simulated = record.FromFile, by, f.Machine.Simulated
		fresh = append(fresh, r)
	}
	if len(fresh) == 0 {
		return out, nil
	}
	err = d.desk.Write(ctx, func(q *desk.Tx) error {
		s, err := q.PutSitting(ctx, record.Sitting{ID: desk.NewID(), Unit: at.Unit, Boot: f.Machine.Boot,
			Started: fresh[0].Started, Machine: f.Machine})
		for i := range fresh {
			fresh[i].Sitting = s.ID
		}
		return err
	})
	if err == nil {
		_, err = d.record(ctx, fresh)
	}
	if err == nil {
		out.Runs = len(fresh)
	}
	return out, err
}
