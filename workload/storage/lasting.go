package storage

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

// writesOption bounds what a test writes. Where the bound is reached, figures depend on it, so it must match.
func writesOption(usual string) method.Option {
	return method.Option{Slug: "writes", Meaning: "how much is written at most", Default: usual, Unit: "By", Least: 1e9,
		Most: 1e14, Match: true}
}

// lasting are the accesses that are looped for long.
var lasting = []struct {
	slug, name string
	access     Access
	unit       string
	scale      float64 // from accesses per second to the unit
	floor      string
}{
	{"read", "Sequential read", Access{Block: SequentialBlock, Depth: 1, Reads: 100}, "MBy/s", SequentialBlock / 1e6,
		"100 MB/s"},
	{"write", "Sequential write", Access{Block: SequentialBlock, Depth: 1}, "MBy/s", SequentialBlock / 1e6, "100 MB/s"},
	{"random-read", "Random read", Access{Block: RandomBlock, Depth: Deep, Random: true, Reads: 100}, "/s", 1, "1000 /s"},
	{"random-write", "Random write", Access{Block: RandomBlock, Depth: Deep, Random: true}, "/s", 1, "1000 /s"},
}

func init() {
	for _, l := range lasting {
		writing := l.access.Reads < 100
		t := method.Test{
			Slug: "drive-" + l.slug + "-sustained", Version: 2, Name: l.name + ", sustained", Of: "drive-sequential",
			About: "The access is repeated over the test file for ten minutes, a sample each second: the level at the " +
				"beginning, the level that is held, when it first falls, the rate that 95 % of the seconds exceed, and how long " +
				"it lay below a floor. The drive's temperature stands beside it where the system tells it.",
			StandsFor: "Backups, long recordings, copies of whole drives.", LimitedBy: "The drive's write cache, its heat, " +
				"and its flash behind the cache.",
			Input: "Incompressible data; places from a seed.", Checked: "Blocks are read back and compared.",
			MustMatch: append(slices.Clone(mustMatch), method.OptionCondition("duration"), method.OptionCondition("floor")),
			Repeats:   1, Seconds: 603, Writes: fileSize,
			Options: []method.Option{workload.DurationOption, FileOption,
				{Slug: "floor", Meaning: "rate below which seconds are counted", Default: l.floor, Unit: l.unit, Match: true}},
		}
		if l.access.Random {
			t.Of = "drive-random"
			t.About = "Tiles of 16 KiB, 24 under way. " + t.About
		}
		if writing {
			t.Options = append(t.Options, writesOption("200 GB"))
			t.MustMatch = append(t.MustMatch, method.OptionCondition("writes"))
			t.About += " It ends early when the bound on what is written is reached, and says so."
		}
		t.Measures = slices.Concat(workload.SustainedMeasures(l.unit, 0.04), measure(l.unit, quantity.Higher, 0.05,
			"exceeded-95", "rate exceeded 95 % of the time"),
			[]method.Measure{{Slug: "below", Name: "seconds below the floor", Unit: "s", Scale: quantity.Interval,
				Better: quantity.Lower, Margin: 1, Repeatability: 1}})
		register(t, func(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
			f, err := prepare(ctx, env.Part(0, 10), &out)
			if err != nil {
				return out, err
			}
			defer f.Close()
			length := env.Length()
			a := l.access
			a.Length, a.Every = length, workload.SampleEvery(length)
			if writing {
				a.Most = (int64(env.Number("writes")) - f.size) / int64(a.Block)
			}
			temperature := driveTemperature(env.Dir)
			heat := record.Series{Channel: "drive temperature", Unit: "Cel"}
			s := record.Series{Channel: "rate", Unit: l.unit}
			tally, err := f.Access(ctx, a, func(spent time.Duration, rate float64) {
				s.Times, s.Values = append(s.Times, spent.Seconds()), append(s.Values, rate*l.scale)
				if v, ok := temperature(); ok {
					heat.Times, heat.Values = append(heat.Times, spent.Seconds()), append(heat.Values, v)
				}
				if env.Report != nil {
					env.Report(record.Sample{Phase: "rate", Share: min(1, 0.1+0.9*spent.Seconds()/length.Seconds()), Channel: "rate",
						Unit: l.unit, Value: rate * l.scale})
				}
			})
			out.Series = []record.Series{s}
			if len(heat.Times) > 0 {
				out.Series = append(out.Series, heat)
			}
			if err != nil {
				return out, err
			}
			if writing && tally.Done >= a.Most {
				out.Negotiated["ended.early"] = fmt.Sprintf("after %.0f s: the bound of %s written was reached",
					tally.Spent.Seconds(), env.Text("writes"))
			}
			readings, said := analyse.SustainedReadings(s, tally.Spent.Seconds())
			p5, below := workload.Consistency(s, env.Number("floor"))
			out.Readings = readings
			if math.IsNaN(p5) {
				return out, fmt.Errorf("the bound of %s written was reached within two samples; raise the option writes",
					env.Text("writes"))
			}
			out.Readings = append(out.Readings, workload.Reading("exceeded-95", p5), workload.Reading("below", below))
			for k, v := range said {
				out.Negotiated[k] = v
			}
			return out, f.verify()
		})
	}

	register(method.Test{
		Slug: "drive-fill", Version: 2, Name: "Filling the drive",
		About: "A share of the free space is written once, in order, past the page cache: the rate over what is " +
			"written, where the write cache ends, and the rate behind it.",
		StandsFor: "The first large copy onto a drive: a season's survey, a film, a backup.",
		LimitedBy: "The write cache of fast cells, then the slow cells behind it.",
		Input:     "Incompressible data.", Checked: "Blocks are read back and compared.",
		MustMatch: []string{"supply", "drive.cache", method.OptionCondition("share"), method.OptionCondition("writes")},
		Repeats:   1, Seconds: 120,
		Options: []method.Option{{Slug: "share", Meaning: "share of the free space that is written", Default: "20 %",
			Unit: "%", Least: 0.1, Most: 95, Match: true}, writesOption("100 GB")},
		Measures: append(measure("MBy/s", quantity.Higher, 0.05, "before", "rate in the cache", "after",
			"rate behind the cache", "whole", "rate over all"),
			measure("GBy", quantity.Higher, 0.05, "cache", "write cache")...),
	}, runFill)
	register(method.Test{
		Slug: "drive-recovery", Version: 2, Name: "Recovery of the write cache",
		About: "The drive is written to until its write cache is full, left idle for 5, 15, 30 and 60 seconds, and " +
			"written to again each time: how much of the cache has come back.",
		StandsFor: "A recorder that writes in bursts: will the next burst be fast again?",
		LimitedBy: "How fast the drive empties its cache when nobody asks anything of it.",
		Input:     "Incompressible data.", Checked: "Blocks are read back and compared.",
		MustMatch: append(slices.Clone(mustMatch), method.OptionCondition("writes")), Repeats: 1, Seconds: 240,
		Options: []method.Option{FileOption, writesOption("100 GB")},
		Measures: append(measure("GBy", quantity.Higher, 0.05, "cache", "write cache when rested"),
			method.Measure{Slug: "recovered", Name: "recovered after 60 s", Unit: "%", Scale: quantity.Share,
				Better: quantity.Higher, Repeatability: 5}),
	}, runRecovery)
	register(method.Test{
		Slug: "drive-steady", Version: 3, Name: "Steady state",
		About: "Tiles of 16 KiB at random places are written, 24 under way, in rounds of a minute, until the rate is " +
			"steady: five rounds in a row within 20 %, their trend at most 10 % (SNIA Solid State Storage Performance Test " +
			"Specification), and within 3 % of the five before; 25 rounds at most. A test file cannot be preconditioned as " +
			"that specification asks, so the figure is called “after the SNIA criterion, without preconditioning”.",
		StandsFor: "A drive under a database that never rests.", LimitedBy: "Moving data within the drive to make room, " +
			"which begins when the fresh space is used up.",
		Input:     "Places from a seed, incompressible data; the file is written twice over beforehand.",
		Checked:   "Blocks are read back and compared.",
		MustMatch: append(slices.Clone(mustMatch), method.OptionCondition("round")), Repeats: 1, Seconds: 600,
		Options: []method.Option{FileOption, {Slug: "round", Meaning: "length of a round", Default: "60 s", Unit: "s",
			Least: 0.05, Most: 3600, Match: true}, writesOption("500 GB")},
		Measures: append(measure("/s", quantity.Higher, 0.05, "rate", "writes when steady"), measure("{round}",
			quantity.Lower, 0.2, "rounds", "rounds until steady")...),
	}, runSteady)
}

func runFill(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	fs, free, err := examine(env.Dir)
	if err != nil {
		return out, err
	}
	size := int64(min(float64(free+spare)*env.Number("share")/100, env.Number("writes"),
		float64(free))) / SequentialBlock * SequentialBlock
	if size < leastFile {
		return out, workload.NotRun("%s of the free space of %s is %d MiB, the test needs %d MiB: %w", env.Text("share"),
			env.Dir, size>>20, leastFile>>20, ErrSpace)
	}
	out.Observed = map[string]string{"drive.cache": "passed", "drive.filesystem": fs}
	f, err := Open(env.Dir, size)
	if err != nil {
		return out, err
	}
	defer f.Close()
	s := workload.Curve("rate", "MBy/s", "bytes written", "GBy")
	blocks := size / SequentialBlock
	step := max(blocks/200, 1)
	var lastAt time.Duration
	_, spent, err := f.Pass(ctx, true, blocks, 1<<62, func(done int64, spent time.Duration) {
		if done%step > 0 {
			return
		}
		rate := float64(step) * SequentialBlock / 1e6 / (spent - lastAt).Seconds()
		lastAt = spent
		s.Times, s.Values = append(s.Times, float64(done)*SequentialBlock/1e9), append(s.Values, rate)
		if env.Report != nil {
			env.Report(record.Sample{Phase: "writing", Share: float64(done) / float64(blocks), Channel: "rate", Unit: "MBy/s",
				Value: rate})
		}
	})
	out.Series = []record.Series{s}
	if err != nil {
		return out, err
	}
	a, ok := analyse.WriteCache(s.Times, s.Values)
	if !ok {
		return out, fmt.Errorf("%d samples are too few to find the end of the cache", len(s.Values))
	}
	cache, after := workload.Reading("cache", a.Cache), workload.Reading("after", a.After)
	switch {
	case a.AtMost:
		cache.State = record.AtFloor
	case a.After == 0:
		after = record.Reading{Measure: "after", State: record.Missing, Reason: "no level was reached behind the cache"}
	}
	if a.Cache == 0 { // it never fell
		cache = record.Reading{Measure: "cache", State: record.BeyondLimit, Value: float64(size) / 1e9}
		after = record.Reading{Measure: "after", State: record.Missing, Reason: "the rate never fell"}
	}
	out.Readings = []record.Reading{workload.Reading("before", a.Before), after, workload.Reading("whole",
		float64(size)/1e6/spent.Seconds()), cache}
	return out, f.verify()
}

// rests are the pauses of the recovery test.
var rests = []time.Duration{5 * time.Second, 15 * time.Second, 30 * time.Second, 60 * time.Second}

func runRecovery(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	f, err := prepare(ctx, env.Part(0, 2*len(rests)+2), &out)
	if err != nil {
		return out, err
	}
	defer f.Close()
	each := (int64(env.Number("writes")) - f.size) / int64(len(rests)+1) / SequentialBlock
	// burst writes as much as the whole cache may hold, and says how much of it was fast.
	burst := func(part workload.Env, most int64, name string) (analyse.Fill, error) {
		var at, rates []float64
		var last time.Duration
		step := max(most/100, 1)
		_, _, err := f.Pass(ctx, true, most, 1<<62, func(done int64, spent time.Duration) {
			if done%step > 0 {
				return
			}
			at, rates = append(at, float64(done)*SequentialBlock/1e9),
				append(rates, float64(step)*SequentialBlock/1e6/(spent-last).Seconds())
			last = spent
			part.Show(name, float64(done)/float64(most))
		})
		if err != nil {
			return analyse.Fill{}, err
		}
		out.Series = append(out.Series, record.Series{Channel: name, Unit: "MBy/s", Axis: "bytes written", Along: "GBy",
			Times: at, Values: rates})
		a, ok := analyse.WriteCache(at, rates)
		if !ok {
			err = fmt.Errorf("%d samples are too few to find the end of the cache", len(rates))
		}
		return a, err
	}
	fresh, err := burst(env.Part(1, 2*len(rests)+2), each, "filling")
	if err != nil {
		return out, err
	}
	if fresh.Cache == 0 {
		why := fmt.Sprintf("the rate never fell within %.0f GB; raise the option writes", float64(each)*SequentialBlock/1e9)
		out.Readings = []record.Reading{{Measure: "cache", State: record.BeyondLimit,
			Value: float64(each) * SequentialBlock / 1e9}, {Measure: "recovered", State: record.Missing, Reason: why}}
		return out, f.verify()
	}
	curve := workload.Curve("recovered", "%", "idle", "s")
	for i, rest := range rests {
		env.Part(2*i+2, 2*len(rests)+2).Show(fmt.Sprintf("idle for %.0f s", rest.Seconds()), 0)
		select {
		case <-ctx.Done():
			return out, fmt.Errorf("stopped: %w", ctx.Err())
		case <-time.After(rest):
		}
		again, err := burst(env.Part(2*i+3, 2*len(rests)+2), each, fmt.Sprintf("after %.0f s idle", rest.Seconds()))
		if err != nil {
			return out, err
		}
		share := 0.0
		if again.Before > (fresh.Before+fresh.After)/2 { // it began fast again
			share = 100 * min(1, again.Cache/fresh.Cache)
			if again.Cache == 0 {
				share = 100
			}
		}
		curve.Times, curve.Values = append(curve.Times, rest.Seconds()), append(curve.Values, share)
	}
	out.Series = append(out.Series, curve)
	out.Readings = []record.Reading{workload.Reading("cache", fresh.Cache), workload.Reading("recovered",
		curve.Values[len(curve.Values)-1])}
	return out, f.verify()
}

func runSteady(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	const parts = analyse.SteadyRounds + 2
	f, err := prepare(ctx, env.Part(0, parts), &out)
	if err != nil {
		return out, err
	}
	defer f.Close()
	if err := f.Fill(ctx, nil); err != nil {
		return out, err
	}
	curve := workload.Curve("writes", "/s", "round", "{round}")
	left := (int64(env.Number("writes")) - 2*f.size) / RandomBlock
	var steady analyse.Steady
	for round := 1; round <= analyse.SteadyRounds && left > 0 && steady.Round == 0; round++ {
		t, err := f.Access(ctx, Access{Block: RandomBlock, Depth: 32, Random: true,
			Length: time.Duration(env.Number("round") * float64(time.Second)), Most: left}, nil)
		out.Series = []record.Series{curve}
		if err != nil {
			return out, err
		}
		left -= t.Done
		curve.Times, curve.Values = append(curve.Times, float64(round)), append(curve.Values, t.Rate())
		if env.Report != nil {
			env.Report(record.Sample{Phase: fmt.Sprintf("round %d", round), Share: float64(round+1) / parts, Channel: "writes",
				Unit: "/s", Value: t.Rate()})
		}
		steady = analyse.SteadyState(curve.Values)
	}
	out.Series = []record.Series{curve}
	out.Negotiated["criterion"] = "after the SNIA criterion, without preconditioning"
	switch {
	case steady.Round == 0:
		why := fmt.Sprintf("not steady after %d rounds", len(curve.Values))
		if left <= 0 {
			why += ": the bound on what is written was reached"
		}
		out.Readings = []record.Reading{{Measure: "rate", State: record.Missing, Reason: why}, {Measure: "rounds",
			State: record.Missing, Reason: why}}
	default:
		if steady.Falling {
			out.Negotiated["criterion"] += "; it fell by more than a tenth before it was steady"
		}
		out.Readings = []record.Reading{workload.Reading("rate", steady.Mean), workload.Reading("rounds",
			float64(steady.Round))}
	}
	return out, f.verify()
}
