package demo

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"durvek/api"
	"durvek/client"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
)

// Check makes sure that a filled demo shows what was planted in it.
func Check(ctx context.Context, c *client.Client) error {
	judged, err := client.Ask(ctx, c, api.CheckClaims, api.ClaimsIn{})
	if err != nil {
		return err
	}
	seen := map[claims.Outcome]int{}
	for _, j := range judged {
		seen[j.Verdict.Outcome]++
	}
	for _, o := range []claims.Outcome{claims.Held, claims.Beyond, claims.Short, claims.Open, claims.Impossible,
		claims.Untested} {
		if seen[o] == 0 {
			return fmt.Errorf("no claim is %s: %v", o, seen)
		}
	}
	rank := func(measure, field string) (compare.Comparison, error) {
		return client.Ask(ctx, c, api.Rank, api.Asked{Measure: measure, Field: field})
	}
	all, err := rank("hashing/all", "machines")
	if err != nil {
		return err
	}
	if err := measuredHere(ctx, c, all); err != nil {
		return err
	}
	if len(all.Rows) < 10 {
		return fmt.Errorf("only %d machines are ranked", len(all.Rows))
	}
	if err := rowsStand(rank); err != nil {
		return err
	}
	drives, err := rank("drive-sequential/read", "survey-drives")
	if err != nil {
		return err
	}
	if len(drives.Rows) < 2 {
		return fmt.Errorf("only %d drives are ranked", len(drives.Rows))
	}
	memory, err := rank("memory-bandwidth/read", "foredeck")
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(memory.LeftOut, func(l compare.LeftOut) bool { return l.Kind == compare.Failed }) {
		return fmt.Errorf("no machine failed a test")
	}
	export, err := rank("survey-export/time", "machines")
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(export.Rows, func(r compare.Row) bool { return r.Estimate.Bound == "more than" }) {
		return fmt.Errorf("no job was stopped at its time limit")
	}
	if !slices.ContainsFunc(export.LeftOut, func(l compare.LeftOut) bool { return l.Kind == compare.NotComparable }) {
		return fmt.Errorf("no figure is left out as not comparable")
	}
	rates, err := client.Ask(ctx, c, api.IncidentRates, api.OfUnit{Unit: "narrows-hub-a"})
	if err != nil {
		return err
	}
	if len(rates) == 0 || rates[0].Times != 3 || rates[0].Tries != 11 {
		return fmt.Errorf("the hub does not wake on a slower link in 3 of 11 plug-ins: %+v", rates)
	}
	incidents, err := client.Ask(ctx, c, api.Incidents, api.IncidentsIn{})
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(incidents.Incidents, func(x record.Incident) bool {
		return x.Kind == record.Crash &&
			len(x.Last) > 0
	}) {
		return fmt.Errorf("no crash is kept with its last sensor values")
	}
	plans, err := client.Ask(ctx, c, api.Bench, api.AtMost20{Limit: 200})
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(plans, func(b record.BenchPlan) bool { return b.Marked > 0 }) {
		return fmt.Errorf("no run departed from its plan")
	}
	pairs, err := client.Ask(ctx, c, api.Partners, api.OfPart{})
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(pairs, func(p compare.Pair) bool { return p.Outcome == "fails" }) ||
		!slices.ContainsFunc(pairs, func(p compare.Pair) bool { return p.Works > 10 }) {
		return fmt.Errorf("the matrix of what works with what is not filled")
	}
	for measure, least := range map[string]int{"graphics-arithmetic/f32": 12, "graphics-scene/low": 12,
		"harbour-flight/low": 4} {
		drawn, err := rank(measure, "machines")
		if err != nil {
			return err
		}
		if len(drawn.Rows) < least {
			return fmt.Errorf("only %d machines are ranked by %s", len(drawn.Rows), measure)
		}
	}
	if soft, err := rank("graphics-arithmetic/f32", "machines"); err != nil || !slices.ContainsFunc(soft.LeftOut,
		func(l compare.LeftOut) bool { return strings.Contains(l.Reason, "renderer software") }) {
		return fmt.Errorf("no machine that draws in software is left out (%v)", err)
	}
	if scene, err := rank("graphics-scene/mean", "machines"); err != nil || !slices.ContainsFunc(scene.Rows,
		func(r compare.Row) bool { return r.Estimate.Bound == "at least" }) {
		return fmt.Errorf("no screen limits its graphics chip (%v)", err)
	}
	for rule, about := range map[string]struct {
		unit  string
		state trust.DoubtState
	}{"departure": {"relay-15-16-512-a", trust.Upheld}, "unit-slip": {"relay-desk-32-1000-a", trust.Open},
		"ambient": {"petrel-8-256-a", trust.Open}, "continued": {"kittiwake-8-128-a", trust.Open},
		"versions-mixed": {"sound-12-16-512-a", trust.Open}, "ceiling": {"fen-14-16-512-a", trust.Dismissed}} {
		l, err := client.Ask(ctx, c, api.Doubts, api.DoubtsIn{Rule: rule, Subject: about.unit, State: about.state})
		if err != nil {
			return err
		}
		if len(l.Doubts) == 0 {
			return fmt.Errorf("no doubt of the rule %s about %s is %s", rule, about.unit, about.state)
		}
	}
	history, err := client.Ask(ctx, c, api.History, api.HistoryOf{Unit: "relay-15-16-512-a",
		Measure: "small-files/create"})
	if err != nil {
		return err
	}
	if len(history.Lines[0].Shifts) != 1 {
		return fmt.Errorf("the firmware changes nothing: %s", history.Lines[0].Sentence)
	}
	if err := checkComparisons(ctx, c); err != nil {
		return err
	}
	r, err := client.Ask(ctx, c, api.Review, api.Slugged{Slug: "fen-14"})
	if err != nil {
		return err
	}
	if len(r.Editions) == 0 {
		return fmt.Errorf("the review has no edition")
	}
	return nil
}

// checkComparisons makes sure that every way of comparing has something true to show.
func checkComparisons(ctx context.Context, c *client.Client) error {
	siblings, err := client.Ask(ctx, c, api.Heads, api.HeadAsked{Variants: "fen-14-16-512,fen-14-32-1000"})
	if err != nil {
		return err
	}
	if x := siblings.Exchanges[0]; len(x.Gains) > 0 || !slices.ContainsFunc(x.GivesUp,
		func(s string) bool { return strings.HasPrefix(s, "Battery life") }) {
		return fmt.Errorf("the dearer Fen 14 does not tie on mains and lose on battery: %s", x.Sentence)
	}
	older, err := client.Ask(ctx, c, api.Heads, api.HeadAsked{Variants: "sound-14-16-512,sound-16-32-1000"})
	if err != nil {
		return err
	}
	if !strings.HasPrefix(older.Exchanges[0].Advice, "Worth it") {
		return fmt.Errorf("the Sound 16 is not worth it for an owner of the Sound 14: %s", older.Exchanges[0].Advice)
	}
	derived, err := client.Ask(ctx, c, api.Rank, api.Asked{Measure: "for-the-money/exports", Field: "laptops"})
	if err != nil {
		return err
	}
	if len(derived.Rows) < 8 || derived.Rows[0].Estimate.Hi <= derived.Rows[0].Estimate.Lo {
		return fmt.Errorf("%d laptops are ranked by exports for the money", len(derived.Rows))
	}
	index, err := client.Ask(ctx, c, api.Index, api.Weighed{Field: "machines", Use: "chart-room"})
	if err != nil {
		return err
	}
	if len(index.Rows) < 20 || index.Rows[len(index.Rows)-1].Ranked || index.Firm < 0.5 {
		return fmt.Errorf("the index has %d rows, none too incomplete, or no firm order (%.2f)", len(index.Rows), index.Firm)
	}
	value, err := client.Ask(ctx, c, api.Value, api.ValueAsked{Weighed: api.Weighed{Field: "laptops"},
		Measure: "compression/pack-all"})
	if err != nil {
		return err
	}
	if p := value.Prices["fen-14-16-512"]; len(value.Climb) < 2 || p.Offer.Voucher == nil || len(value.Spans) < 3 {
		return fmt.Errorf("value has no frontier, voucher or spans: %v", value.Sentence)
	}
	modes, err := client.Ask(ctx, c, api.Modes, api.ModesAsked{Measure: "compression/pack-all"})
	if err != nil {
		return err
	}
	if len(modes.Chart.Points) < 3 {
		return fmt.Errorf("only %d raised modes have a gain and a cost", len(modes.Chart.Points))
	}
	next, err := client.Ask(ctx, c, api.Suggest, api.SuggestAsked{Field: "laptops"})
	if err != nil {
		return err
	}
	if len(next) == 0 || next[0].Unit == "" {
		return fmt.Errorf("nothing is worth testing next")
	}
	cost, err := client.Ask(ctx, c, api.RigCost, api.CostAsked{Slugged: api.Slugged{Slug: "own-build"}})
	if err != nil {
		return err
	}
	if len(cost.Parts) != 5 || len(cost.Missing) > 0 {
		return fmt.Errorf("the rig's cost lacks %v", cost.Missing)
	}
	return nil
}

// rowsStand makes sure that ports are rows, and that zones and spots are one figure each.
func rowsStand(rank func(measure, field string) (compare.Comparison, error)) error {
	for measure, rows := range map[string]int{"port-copy/rate": 8, "screen-zones/dimmest": 4, "surface-heat/hottest": 4} {
		c, err := rank(measure, "everything")
		if err != nil {
			return err
		}
		if len(c.Rows) != rows {
			return fmt.Errorf("%s has %d rows, not %d", measure, len(c.Rows), rows)
		}
	}
	return nil
}

// measuredHere makes sure that this machine, really measured, is ranked, or rightly not, and spoils nobody's figure.
func measuredHere(ctx context.Context, c *client.Client, all compare.Comparison) error {
	for _, x := range [][2]string{{"hashing", "all"}, {"hashing", "single"}, {"compression", "pack-single"},
		{"memory-bandwidth", "read"}, {"drive-random", "rate"}} {
		if err := notWidened(ctx, c, x[0], x[1]); err != nil {
			return err
		}
	}
	i := slices.IndexFunc(all.Rows, func(r compare.Row) bool { return r.Variant == ThisMachine })
	unlike := slices.ContainsFunc(all.LeftOut, func(l compare.LeftOut) bool {
		return l.Variant == ThisMachine &&
			l.Kind == compare.NotComparable // an unplugged laptop, say: measured, and rightly not ranked
	})
	if !unlike && (i < 0 || all.Rows[i].Simulated) {
		return fmt.Errorf("this machine, really measured, is not ranked among %d machines", len(all.Rows))
	}
	return nil
}

// notWidened makes sure that this machine, really measured and loaded or not, widens nobody's interval by more than a
// sixth: the readings of a measure are estimated with it and without it.
func notWidened(ctx context.Context, c *client.Client, test, measure string) error {
	list, err := client.Ask(ctx, c, api.Runs, api.RunsIn{RunsAsked: api.RunsAsked{Test: test}, Page: api.Page{Limit: 500}})
	if err != nil {
		return err
	}
	values := map[string][]stats.Value{}
	for _, r := range list.Runs {
		for _, x := range r.Readings {
			if x.Measure == measure && x.State == record.OK && r.Setup == method.AsDelivered {
				values[r.Subject] = append(values[r.Subject], stats.Value{X: x.Value, Sitting: r.Sitting})
			}
		}
	}
	var all, others []stats.Cell
	for unit, vs := range values {
		all = append(all, stats.NewCell(vs, true))
		if unit != ThisMachine+"-a" {
			others = append(others, all[len(all)-1])
		}
	}
	with, without := stats.NewPool(all, 0, 0), stats.NewPool(others, 0, 0)
	for _, x := range others {
		if a, b := with.Estimate(x, true), without.Estimate(x, true); b.SE > 0 && a.SE > 7.0/6*b.SE {
			return fmt.Errorf("this machine widens an interval in %s, %s, by %.0f %%", test, measure, 100*(a.SE/b.SE-1))
		}
	}
	return nil
}
