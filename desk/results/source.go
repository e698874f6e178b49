package results

import (
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"os"

	"durvek/core/analyse"
	"durvek/core/chart"
	"durvek/core/verdict"
	"durvek/desk"
	"durvek/publish"
	"durvek/rawfile"
	"durvek/store"
)

// RawSource is the file that a run's figures were made of.
type RawSource struct {
	Name     string          `json:"name"`
	Size     int64           `json:"size"`
	Digest   string          `json:"digest" doc:"SHA-256 of the file"`
	Mapping  rawfile.Mapping `json:"mapping"`
	Version  int             `json:"version" doc:"Version of the analysis that made the figures"`
	Added    string          `json:"added"`
	By       string          `json:"by"`
	Analysis string          `json:"analysis"`
	Picture  analyse.Picture `json:"-"`
	Notes    []string        `json:"notes,omitempty"`
}

// rawBytes reads the file that a run was made of.
func (d *Results) rawBytes(s store.Source) ([]byte, error) {
	data, err := os.ReadFile(d.attachmentPath(s.Digest))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, desk.Refuse(desk.NotFound, "the file %q of run %s is gone from the data folder", s.Name, s.Run)
	}
	return data, err
}

// again makes the figures of a run's file once more.
func (d *Results) again(ctx context.Context, s store.Source) (m rawfile.Mapping, made analyse.Made, err error) {
	if err := json.Unmarshal([]byte(s.Mapping), &m); err != nil {
		return m, made, err
	}
	r, err := d.desk.Store.Run(ctx, s.Run)
	if err != nil {
		return m, made, err
	}
	done, err := d.turn(ctx)
	if err != nil {
		return m, made, err
	}
	defer done()
	data, err := d.rawBytes(s)
	if err != nil {
		return m, made, err
	}
	sheet, err := rawfile.Read(data)
	if err == nil {
		made, _, err = figured(sheet, m, r.Options)
	}
	if err != nil {
		err = desk.Refuse(desk.Invalid, "file %q of run %s: %s", s.Name, s.Run, plainly(err))
	}
	return m, made, err
}

// RunSource tells which file a run's figures were made of, and draws it.
func (d *Results) RunSource(ctx context.Context, run string) (RawSource, error) {
	s, err := d.desk.Store.Source(ctx, run)
	if err != nil {
		return RawSource{}, desk.Missing(err, "file of run", run)
	}
	m, made, err := d.again(ctx, s)
	return RawSource{Name: s.Name, Size: s.Size, Digest: s.Digest, Mapping: m, Version: s.Version, Analysis: m.Analysis,
		Added: s.Added.Format("2006-01-02 15:04"), By: s.By, Picture: made.Picture, Notes: made.Notes}, err
}

// Pictures draws the newest file of each analysis that a unit was measured with, for a page. A file that can be read no
// more is left out: its figures stand by themselves.
func (d *Results) Pictures(ctx context.Context, units []string) (out []publish.Shown, err error) {
	for _, u := range units {
		list, err := d.desk.Store.SourcesOf(ctx, u)
		if err != nil {
			return nil, err
		}
		had := map[string]bool{}
		for _, s := range list {
			r, err := d.desk.Store.Run(ctx, s.Run)
			if err != nil {
				return nil, err
			}
			if had[r.Test] {
				continue
			}
			had[r.Test] = true
			m, made, err := d.again(ctx, s)
			var refusal *desk.Error
			if errors.As(err, &refusal) {
				continue
			}
			if err != nil {
				return nil, err
			}
			a, _ := analyse.Named(m.Analysis)
			if p := chart.OfRaw(made.Picture, a.Title, d.desk.Name(), made.Notes); p != nil {
				out = append(out, publish.Shown{Area: verdict.AreaOf(a.Group), Name: a.Name, Picture: p})
			}
		}
	}
	return out, nil
}

// RunFile gives the file that a run's figures were made of, as it came.
func (d *Results) RunFile(ctx context.Context, run string) (name string, data []byte, err error) {
	s, err := d.desk.Store.Source(ctx, run)
	if err != nil {
		return "", nil, desk.Missing(err, "file of run", run)
	}
	data, err = d.rawBytes(s)
	return s.Name, data, err
}
