package books

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/verdict"
	"durvek/desk"
)

// Remarks lists what is said of a variant, or of all, without a figure.
func (d *Books) Remarks(ctx context.Context, variant string, withdrawn bool) ([]record.Remark, error) {
	return d.desk.Store.Remarks(ctx, variant, withdrawn)
}

// AddRemark notes an impression of the desk's own, or what others report.
func (d *Books) AddRemark(ctx context.Context, x record.Remark, by string) (record.Remark, error) {
	x.Kind = cmp.Or(x.Kind, record.Impression)
	x.Text, x.Who, x.Source = strings.TrimSpace(x.Text), strings.TrimSpace(x.Who), strings.TrimSpace(x.Source)
	if _, err := d.desk.Store.Variant(ctx, x.Variant); err != nil {
		return x, desk.Missing(err, "variant", x.Variant)
	}
	today := d.desk.Now().UTC().Format(time.DateOnly)
	day, err := time.Parse(time.DateOnly, x.Dated)
	switch {
	case x.Text == "":
		return x, desk.Refuse(desk.Invalid, "say in a sentence what is remarked")
	case x.Area != "" && !slices.Contains(verdict.Areas, x.Area):
		return x, desk.Refuse(desk.Invalid, "unknown area %q; it is one of: %s", x.Area, strings.Join(verdict.Areas, ", "))
	case x.Area != "" && x.Measure != "":
		return x, desk.Refuse(desk.Invalid, "a remark is about an area or a measure, not both")
	case x.Kind == record.Impression && x.Who+x.Dated+x.Source != "":
		return x, desk.Refuse(desk.Invalid, "what others say is a report; a remark is the desk's own")
	case x.Kind == record.Report && (x.Who == "" || x.Dated == "" || x.Source == ""):
		return x, desk.Refuse(desk.Invalid, "a report says who says it, on which day, and where it was read")
	case x.Dated != "" && err != nil:
		return x, desk.Refuse(desk.Invalid, "%q is no day; write it as 2026-10-02", x.Dated)
	case x.Dated != "" && day.Format(time.DateOnly) > today:
		return x, desk.Refuse(desk.Invalid, "%s lies in the future", x.Dated)
	}
	if x.Measure != "" {
		test, slug := method.Split(x.Measure)
		t, err := d.desk.Store.Test(ctx, test, 0)
		if err != nil {
			return x, desk.Missing(err, "test", test)
		}
		if _, ok := t.Measure(slug); !ok {
			return x, desk.Refuse(desk.NotFound, "the test %q has no measure %q", test, slug)
		}
	}
	x.ID, x.Added, x.By = desk.NewID(), d.desk.Now(), by
	return x, d.desk.Note(ctx, by, "note "+string(x.Kind), x.Variant, x.ID, func(q *desk.Tx) error {
		return q.PutRemark(ctx, x)
	})
}

// WithdrawRemark has a remark or report no longer said; it is kept, with the reason.
func (d *Books) WithdrawRemark(ctx context.Context, id, reason, by string) (record.Remark, error) {
	x, err := d.desk.Store.Remark(ctx, id)
	if err != nil {
		return x, desk.Missing(err, "remark", id)
	}
	if x.Withdrawn != nil {
		return x, desk.Refuse(desk.Conflict, "it was withdrawn already, on %s", x.Withdrawn.Format(time.DateOnly))
	}
	if x.Reason = strings.TrimSpace(reason); x.Reason == "" {
		return x, desk.Refuse(desk.Invalid, "say why it is withdrawn")
	}
	at := d.desk.Now()
	x.Withdrawn = &at
	return x, d.desk.Note(ctx, by, "withdraw "+string(x.Kind), x.Variant, id, func(q *desk.Tx) error {
		return q.PutRemark(ctx, x)
	})
}
