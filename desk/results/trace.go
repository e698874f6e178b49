package results

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"durvek/core/analyse"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/desk"
	"durvek/internal/sheet"
	"durvek/rawfile"
	"durvek/store"
)

// TraceView is what sensors told, one series per channel on the run's clock, thinned for display.
type TraceView struct {
	Run     string          `json:"run"`
	Series  []record.Series `json:"series"`
	Phases  []record.Phase  `json:"phases"`
	Samples int             `json:"samples" doc:"Before thinning, in the stretch asked for"`
	From    float64         `json:"from"`
	To      float64         `json:"to"`
}

// RunTrace gives the trace of a run, or of one that was broken off, between two moments in seconds (to 0
// means the end), with at most points samples per channel; peaks are never thinned away. Logs of outside
// sensors stand beside the run's own channels.
func (d *Results) RunTrace(ctx context.Context, run string, from, to float64, points int) (TraceView, error) {
	v := TraceView{Run: run, Series: []record.Series{}, Phases: []record.Phase{}}
	r, err := d.desk.Store.Run(ctx, run)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return v, err
	}
	known := err == nil
	t, err := d.desk.Store.Trace(ctx, run, from, to)
	if err != nil {
		return v, err
	}
	if !known && len(t.Times) == 0 {
		return v, desk.Refuse(desk.NotFound, "no run %q is known here", run)
	}
	v.Phases = append(v.Phases, r.Course.Phases...)
	series := t.Series()
	logs, err := d.desk.Store.Outsides(ctx, run)
	if err != nil {
		return v, err
	}
	for _, o := range logs {
		for _, s := range o.Trace.Series() {
			for i := range s.Times {
				s.Times[i] += o.Shift
			}
			series = append(series, s)
		}
	}
	for _, s := range series {
		s = analyse.Between(s, from, to)
		v.Samples += len(s.Times)
		if n := len(s.Times); n > 0 {
			if len(v.Series) == 0 || s.Times[0] < v.From {
				v.From = s.Times[0]
			}
			v.To = math.Max(v.To, s.Times[n-1])
			v.Series = append(v.Series, analyse.Thin(s, points))
		}
	}
	return v, nil
}

// TraceTable gives a run's whole trace as CSV (RFC 4180): seconds, then a column per channel.
func (d *Results) TraceTable(ctx context.Context, run string) ([]byte, error) {
	t, err := d.desk.Store.Trace(ctx, run, 0, 0)
	if err != nil {
		return nil, err
	}
	if len(t.Times) == 0 {
		return nil, desk.Refuse(desk.NotFound, "run %q has no trace", run)
	}
	var b strings.Builder
	w := sheet.NewWriter(&b)
	row := []string{"seconds"}
	for _, c := range t.Channels {
		row = append(row, fmt.Sprintf("%s [%s]", c.Name, c.Unit))
	}
	w.Write(row)
	for i, at := range t.Times {
		row = append(row[:0], strconv.FormatFloat(at, 'f', 3, 64))
		for k, c := range t.Channels {
			cell := ""
			if v := t.Values[k][i]; !math.IsNaN(v) {
				cell = strconv.FormatFloat(v, 'f', c.Decimals, 64)
			}
			row = append(row, cell)
		}
		w.Write(row)
	}
	w.Flush()
	return []byte(b.String()), w.Error()
}

// OutsideLog is a log of an outside sensor beside a run.
type OutsideLog struct {
	ID          string           `json:"id"`
	Name        string           `json:"name"`
	Channels    []record.Channel `json:"channels"`
	Samples     int              `json:"samples"`
	Shift       float64          `json:"shift" doc:"Seconds added to the log's times to get the run's"`
	Found       *float64         `json:"found,omitempty" doc:"The shift that correlation found"`
	Correlation *float64         `json:"correlation,omitempty" doc:"How alike the two are there: 1 is alike"`
	Note        string           `json:"note,omitempty"`
}

func outsideLog(o store.Outside) OutsideLog {
	x := OutsideLog{ID: o.ID, Name: o.Name, Channels: o.Trace.Channels, Samples: len(o.Trace.Times), Shift: o.Shift,
		Found: o.Found, Correlation: o.Correlation}
	if o.Found == nil {
		x.Note = "nothing in common with the run was found; set the shift by hand"
	}
	return x
}

// readLog reads the log of an outside sensor: by the reader that knows it, else as a table in any dialect whose first
// column is a time.
func readLog(data []byte, started time.Time) (record.Trace, error) {
	log, strict := analyse.ReadLog(data, started)
	if strict == nil || errors.Is(strict, analyse.ErrOrder) {
		return log, strict
	}
	s, err := rawfile.Read(data)
	if err != nil || s.Bad > 0 || len(s.Columns) < 2 {
		return log, strict
	}
	first := s.Columns[0]
	seconds := first.Unit == "s" || first.Unit == "" && slices.Contains([]string{"time", "seconds", "t"},
		strings.ToLower(first.Name))
	if unit, err := quantity.Convert(1, first.Unit, "s"); !seconds && (err != nil || unit <= 0) || first.Text() {
		return log, strict
	} else if !seconds {
		for i := range first.Values {
			first.Values[i] *= unit
		}
	}
	offset := 0.0
	if first.From > 0 {
		offset = first.From - float64(started.UnixNano())/1e9
	}
	var out record.Trace
	units := map[string]string{}
	for _, c := range s.Columns[1:] {
		units[c.Name] = c.Unit
	}
	for i, at := range first.Values {
		if math.IsNaN(at) || i > 0 && at <= first.Values[i-1] {
			return log, fmt.Errorf("row %d: times rise from row to row", i+1)
		}
		values := map[string]float64{}
		for _, c := range s.Columns[1:] {
			if !c.Text() && !math.IsNaN(c.Values[i]) {
				values[c.Name] = c.Values[i]
			}
		}
		out.Add(at+offset, values, units)
	}
	if len(out.Times) < 2 {
		return log, strict
	}
	return out, nil
}

// LayLog lays an outside sensor's log beside a run: CSV with a column "seconds" or "time" (RFC 3339), then
// columns named "CHANNEL [UNIT]". The offset of its clock is found by correlating every channel of
// the log with every channel of the run's trace; shift sets it by hand instead.
func (d *Results) LayLog(ctx context.Context, run, name string, data []byte, shift *float64, by string) (OutsideLog,
	error) {
	var none OutsideLog
	r, err := d.desk.Store.Run(ctx, run)
	if err != nil {
		return none, desk.Missing(err, "run", run)
	}
	log, err := readLog(data, r.Started)
	if err != nil {
		return none, desk.Refuse(desk.Invalid, "%v", err)
	}
	own, err := d.desk.Store.Trace(ctx, run, 0, 0)
	if err != nil {
		return none, err
	}
	o := store.Outside{ID: desk.NewID(), Run: run, Name: name, By: by, Added: d.desk.Now(), Trace: log}
	best := analyse.Alignment{}
	for _, a := range log.Series() {
		for _, b := range own.Series() {
			if found, err := analyse.Align(a.Times, a.Values, b.Times, b.Values); err == nil &&
				found.Correlation > best.Correlation {
				best = found
			}
		}
	}
	doubtful := ""
	if best.Correlation > 0 {
		o.Found, o.Correlation, o.Shift = &best.Offset, &best.Correlation, best.Offset
		if best.Rival > 0.9*best.Correlation {
			doubtful = "another offset fits nearly as well; look at both curves and set the shift by hand if need be"
		}
	}
	if shift != nil {
		o.Shift = *shift
	}
	if err := d.desk.Write(ctx, func(q *desk.Tx) error {
		if err := q.PutOutside(ctx, o); err != nil {
			return err
		}
		return q.Note(ctx, d.desk.Now(), by, "lay log beside run", run, name)
	}); err != nil {
		return none, err
	}
	out := outsideLog(o)
	if doubtful != "" {
		out.Note = doubtful
	}
	return out, nil
}

// ShiftLog sets by hand how many seconds a log's clock is off.
func (d *Results) ShiftLog(ctx context.Context, run, id string, shift float64, by string) (OutsideLog, error) {
	if math.IsNaN(shift) || math.Abs(shift) > 366*86400 {
		return OutsideLog{}, desk.Refuse(desk.Invalid, "a shift of %g seconds cannot be", shift)
	}
	logs, err := d.desk.Store.Outsides(ctx, run)
	if err != nil {
		return OutsideLog{}, err
	}
	for _, o := range logs {
		if o.ID == id {
			o.Shift = shift
			return outsideLog(o), d.desk.Note(ctx, by, "shift log", run, "", func(q *desk.Tx) error {
				return q.PutOutside(ctx,
					o)
			})
		}
	}
	return OutsideLog{}, desk.Refuse(desk.NotFound, "run %q has no log %q beside it", run, id)
}

// DropLog takes a log away from a run.
func (d *Results) DropLog(ctx context.Context, run, id, by string) error {
	return d.desk.Note(ctx, by, "drop log", run, "", func(q *desk.Tx) error {
		dropped, err := q.DropOutside(ctx, run, id)
		if err == nil && !dropped {
			err = desk.Refuse(desk.NotFound, "run %q has no log %q beside it", run, id)
		}
		return err
	})
}
