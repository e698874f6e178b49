package demo

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/core/value"
	"durvek/core/verdict"
)

// Check makes sure that a filled demo shows what was planted in it.
func Check(ctx context.Context, c *client.Client) error {
	judged, err := client.Get[[]claims.Judged](ctx, c, "/api/claims", nil)
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
		return client.Get[compare.Comparison](ctx, c, "/api/ranking", client.Query("measure", measure, "field", field))
	}
	all, err := rank("hashing/all", "machines")
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all.Rows, func(r compare.Row) bool { return r.Variant == ThisMachine })
	unlike := slices.ContainsFunc(all.LeftOut, func(l compare.LeftOut) bool {
		return l.Variant == ThisMachine &&
			l.Kind == compare.NotComparable // an unplugged laptop, say: measured, and rightly not ranked
	})
	if !unlike && (i < 0 || all.Rows[i].Simulated) {
		return fmt.Errorf("this machine, really measured, is not ranked among %d machines", len(all.Rows))
	}
	if len(all.Rows) < 10 {
		return fmt.Errorf("only %d machines are ranked", len(all.Rows))
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
	rates, err := client.Get[[]record.IncidentRate](ctx, c, "/api/incident-rates", client.Query("unit", "narrows-hub-a"))
	if err != nil {
		return err
	}
	if len(rates) == 0 || rates[0].Times != 3 || rates[0].Tries != 11 {
		return fmt.Errorf("the hub does not wake on a slower link in 3 of 11 plug-ins: %+v", rates)
	}
	incidents, err := client.Get[struct{ Incidents []record.Incident }](ctx, c, "/api/incidents", nil)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(incidents.Incidents, func(x record.Incident) bool {
		return x.Kind == record.Crash &&
			len(x.Last) > 0
	}) {
		return fmt.Errorf("no crash is kept with its last sensor values")
	}
	plans, err := client.Get[[]record.BenchPlan](ctx, c, "/api/bench", client.Query("limit", "200"))
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(plans, func(b record.BenchPlan) bool { return b.Marked > 0 }) {
		return fmt.Errorf("no run departed from its plan")
	}
	pairs, err := client.Get[[]compare.Pair](ctx, c, "/api/partners", nil)
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
		"ambient":        {"petrel-8-256-a", trust.Open},
		"versions-mixed": {"sound-12-16-512-a", trust.Open}, "ceiling": {"fen-14-16-512-a", trust.Dismissed}} {
		l, err := client.Get[struct{ Doubts []trust.Doubt }](ctx, c, "/api/doubts", client.Query("rule", rule, "subject",
			about.unit, "state", string(about.state)))
		if err != nil {
			return err
		}
		if len(l.Doubts) == 0 {
			return fmt.Errorf("no doubt of the rule %s about %s is %s", rule, about.unit, about.state)
		}
	}
	history, err := client.Get[trust.History](ctx, c, "/api/histories", client.Query("unit", "relay-15-16-512-a",
		"measure", "small-files/create"))
	if err != nil {
		return err
	}
	if len(history.Shifts) != 1 {
		return fmt.Errorf("the firmware changes nothing: %s", history.Sentence)
	}
	if err := checkComparisons(ctx, c); err != nil {
		return err
	}
	r, err := client.Get[verdict.Review](ctx, c, "/api/reviews/fen-14", nil)
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
	siblings, err := client.Get[compare.Head](ctx, c, "/api/heads", client.Query("variants",
		"fen-14-16-512,fen-14-32-1000"))
	if err != nil {
		return err
	}
	if x := siblings.Exchanges[0]; len(x.Gains) > 0 || !slices.ContainsFunc(x.GivesUp,
		func(s string) bool { return strings.HasPrefix(s, "Battery life") }) {
		return fmt.Errorf("the dearer Fen 14 does not tie on mains and lose on battery: %s", x.Sentence)
	}
	older, err := client.Get[compare.Head](ctx, c, "/api/heads", client.Query("variants",
		"sound-14-16-512,sound-16-32-1000"))
	if err != nil {
		return err
	}
	if !strings.HasPrefix(older.Exchanges[0].Advice, "Worth it") {
		return fmt.Errorf("the Sound 16 is not worth it for an owner of the Sound 14: %s", older.Exchanges[0].Advice)
	}
	index, err := client.Get[struct {
		Rows []ranking.IndexRow
		Firm float64
	}](ctx, c, "/api/index", client.Query("field", "machines", "use", "chart-room"))
	if err != nil {
		return err
	}
	if len(index.Rows) < 20 || index.Rows[len(index.Rows)-1].Ranked || index.Firm < 0.5 {
		return fmt.Errorf("the index has %d rows, none too incomplete, or no firm order (%.2f)", len(index.Rows), index.Firm)
	}
	value, err := client.Get[struct {
		Prices    map[string]catalog.Price
		Climb     []value.Step
		Spans     map[string]catalog.Span
		Sentences []string
	}](ctx, c, "/api/value", client.Query("field", "laptops", "measure", "compression/pack-all"))
	if err != nil {
		return err
	}
	if p := value.Prices["fen-14-16-512"]; len(value.Climb) < 2 || p.Offer.Voucher == nil || len(value.Spans) < 3 {
		return fmt.Errorf("value has no frontier, voucher or spans: %v", value.Sentences)
	}
	modes, err := client.Get[compare.Modes](ctx, c, "/api/modes", client.Query("measure", "compression/pack-all"))
	if err != nil {
		return err
	}
	if len(modes.Chart.Points) < 3 {
		return fmt.Errorf("only %d raised modes have a gain and a cost", len(modes.Chart.Points))
	}
	next, err := client.Get[[]ranking.Suggestion](ctx, c, "/api/suggestions", client.Query("field", "laptops"))
	if err != nil {
		return err
	}
	if len(next) == 0 || next[0].Unit == "" {
		return fmt.Errorf("nothing is worth testing next")
	}
	cost, err := client.Get[struct {
		Parts   []struct{ Role string }
		Missing []string
	}](ctx, c, "/api/rigs/own-build/cost", nil)
	if err != nil {
		return err
	}
	if len(cost.Parts) != 5 || len(cost.Missing) > 0 {
		return fmt.Errorf("the rig's cost lacks %v", cost.Missing)
	}
	return nil
}
