package storage

import (
	"context"
	"fmt"
	"slices"
	"time"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

// partWrites is how much one part of the tests below writes at most.
const partWrites = 256 << 20

// depths are the queue depths, and sizes the block sizes, that curves go over.
var (
	depths = []int{1, 3, 6, 12, Deep, 48}
	sizes  = []int{8 << 10, 32 << 10, 128 << 10, 512 << 10, SequentialBlock}
	small  = 8 << 10   // a page of the log's index
	middle = 128 << 10 // one ping of the sonar
)

func init() {
	register(method.Test{
		Slug: "drive-depths", Version: 2, Name: "Random access by queue depth",
		About: "Tiles of 16 KiB at random places, 1 to 48 accesses under way at once, reading and then writing: rates " +
			"as curves over the depth.",
		StandsFor: "Servers, databases and starting many programs at once; the figure on a box is usually that of a deep " +
			"queue.", LimitedBy: "One at a time the drive's latency, further on its channels, its controller and the link; " +
			"at last the processor.",
		Input: "Places from a seed, incompressible data.", Checked: "Blocks are read back and compared.",
		MustMatch: mustMatch, Repeats: 3, Seconds: 10, Writes: fileSize + 6*partWrites, Options: []method.Option{FileOption},
		Measures: slices.Concat(measure("/s", quantity.Higher, 0.03, "read-single", "reads, one at a time", "read-deep",
			"reads, 24 under way"), measure("/s", quantity.Higher, 0.05, "write-single", "writes, one at a time", "write-deep",
			"writes, 24 under way"),
			measure("us", quantity.Lower, 0.1, "read-deep-latency-99", "99 % read latency, 24 under way")),
	}, runDepths)
	register(method.Test{
		Slug: "drive-blocks", Version: 2, Name: "Access in order by block size",
		About: "Blocks from 8 KiB to 2 MiB in order, one at a time, and 2 MiB three at a time, reading and writing: " +
			"rates as curves over the block size.",
		StandsFor: "Programs that read and write in small pieces; three at a time are the recorder with the sonar and two " +
			"cameras.", LimitedBy: "For small blocks the latency, for large ones the link and the drive.",
		Input: "Incompressible data.", Checked: "Blocks are read back and compared.",
		MustMatch: mustMatch, Repeats: 3, Seconds: 9, Writes: fileSize + 6*partWrites, Options: []method.Option{FileOption},
		Measures: append(measure("MBy/s", quantity.Higher, 0.03, "read-small", "read, 8 KiB", "read-middle", "read, 128 KiB",
			"read-parallel", "read, 2 MiB, three at a time"),
			measure("MBy/s", quantity.Higher, 0.05, "write-small", "write, 8 KiB", "write-middle", "write, 128 KiB",
				"write-parallel", "write, 2 MiB, three at a time")...),
	}, runBlocks)
	register(method.Test{
		Slug: "drive-mixed", Version: 2, Name: "Mixed access",
		About: "Tiles of 16 KiB at random places, three reads to each write in one stream, one at a time and 24 under " +
			"way.",
		StandsFor: "A system that works while it saves: databases, mail, several programs.",
		LimitedBy: "How well the drive serves reads while it writes.",
		Input:     "Places and order from a seed, incompressible data.", Checked: "Blocks are read back and compared.",
		MustMatch: mustMatch, Repeats: 5, Seconds: 4, Writes: fileSize + 2*partWrites, Options: []method.Option{FileOption},
		Measures: slices.Concat(measure("/s", quantity.Higher, 0.05, "rate-single", "accesses, one at a time", "rate-deep",
			"accesses, 24 under way"), measure("us", quantity.Lower, 0.1, "read-single-latency-99",
			"99 % read latency, one at a time", "read-deep-latency-99", "99 % read latency, 24 under way")),
	}, runMixed)
	register(method.Test{
		Slug: "drive-flush", Version: 2, Name: "Flush latency", Usual: true,
		About: "A tile of 16 KiB is written at a random place and flushed, again and again: the time until the drive " +
			"says that they are safe.",
		StandsFor: "Saving a document, committing a transaction, a logger that must not lose a line.",
		LimitedBy: "How the drive makes data safe: at once by stored energy, or by writing its cache out.",
		Input:     "Places from a seed, incompressible data.", Checked: "Blocks are read back and compared.",
		MustMatch: mustMatch, Repeats: 5, Seconds: 2, Writes: fileSize + 64<<20, Options: []method.Option{FileOption},
		Measures: slices.Concat(measure("/s", quantity.Higher, 0.05, "rate", "rate"), measure("us", quantity.Lower, 0.05,
			"median", "median latency"), measure("us", quantity.Lower, 0.15, "latency-99", "99 % latency"),
			measure("us", quantity.Lower, 0.5, "worst", "worst latency")),
	}, runFlush)
}

// several does a list of accesses in turn. each is told how it went.
func several(ctx context.Context, env workload.Env, out *record.Outcome, list []Access, names []string, each func(i int,
	t Tally)) error {
	f, err := prepare(ctx, env.Part(0, len(list)+1), out)
	if err != nil {
		return err
	}
	defer f.Close()
	for i, a := range list {
		part := env.Part(i+1, len(list)+1)
		part.Show(names[i], 0)
		a.Most = 1 << 40
		if a.Reads < 100 {
			a.Most = partWrites / int64(a.Block)
		}
		t, err := f.Access(ctx, a, nil)
		if err != nil {
			return err
		}
		if env.Report != nil {
			part.Report(record.Sample{Phase: names[i], Share: 1, Channel: names[i], Unit: "/s", Value: t.Rate()})
		}
		each(i, t)
	}
	return f.verify()
}

func runDepths(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	var list []Access
	var names []string
	for _, reads := range []int{100, 0} {
		for _, d := range depths {
			list = append(list, Access{Block: RandomBlock, Depth: d, Random: true, Reads: reads, Length: env.Duration() / 2})
			names = append(names, fmt.Sprintf("%s, depth %d", []string{"writing", "reading"}[reads/100], d))
		}
	}
	out.Series = []record.Series{workload.Curve("reads", "/s", "queue depth", "1"), workload.Curve("writes", "/s",
		"queue depth", "1"), workload.Curve("median read latency", "us", "queue depth", "1")}
	got := map[string]float64{}
	err = several(ctx, env, &out, list, names, func(i int, t Tally) {
		d, kind := float64(list[i].Depth), 0
		if list[i].Reads == 0 {
			kind = 1
			got["write-"+depthName(list[i].Depth)] = t.Rate()
		} else {
			read := "read-" + depthName(list[i].Depth)
			got[read], got[read+"-latency-99"] = t.Rate(), micro(t.Reads, 99)
			out.Series[2].Times, out.Series[2].Values = append(out.Series[2].Times, d), append(out.Series[2].Values,
				micro(t.Reads, 50))
		}
		s := &out.Series[kind]
		s.Times, s.Values = append(s.Times, d), append(s.Values, t.Rate())
	})
	return fill(out, env, got, err)
}

// depthName is how measures call a depth; of those that no measure is about it is never looked at.
func depthName(depth int) string {
	switch depth {
	case 1:
		return "single"
	case Deep:
		return "deep"
	}
	return fmt.Sprint(depth)
}

// fill makes the readings of a test's measures from what was gathered by slug.
func fill(out record.Outcome, env workload.Env, got map[string]float64, err error) (record.Outcome, error) {
	if err != nil {
		return out, err
	}
	for _, m := range env.Test.Measures {
		out.Readings = append(out.Readings, workload.Reading(m.Slug, got[m.Slug]))
	}
	return out, nil
}

func runBlocks(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	var list []Access
	var names, slugs []string
	for _, reads := range []int{100, 0} {
		verb := []string{"write", "read"}[reads/100]
		for _, b := range sizes {
			list = append(list, Access{Block: b, Depth: 1, Reads: reads, Length: env.Duration() / 2})
			slugs, names = append(slugs, verb+"-"+map[int]string{small: "small", middle: "middle"}[b]),
				append(names, fmt.Sprintf("%s, %d KiB", verb, b>>10))
		}
		list = append(list, Access{Block: SequentialBlock, Depth: 3, Reads: reads, Length: env.Duration() / 2})
		slugs, names = append(slugs, verb+"-parallel"), append(names, verb+", 2 MiB, three at a time")
	}
	out.Series = []record.Series{workload.Curve("write", "MBy/s", "block size", "By"), workload.Curve("read", "MBy/s",
		"block size", "By")}
	got := map[string]float64{}
	err = several(ctx, env, &out, list, names, func(i int, t Tally) {
		v := t.Rate() * float64(list[i].Block) / 1e6
		got[slugs[i]] = v
		if list[i].Depth == 1 {
			s := &out.Series[list[i].Reads/100]
			s.Times, s.Values = append(s.Times, float64(list[i].Block)), append(s.Values, v)
		}
	})
	return fill(out, env, got, err)
}

func runMixed(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	got := map[string]float64{}
	list := []Access{{Block: RandomBlock, Depth: 1, Random: true, Reads: 75, Length: env.Duration()}, {Block: RandomBlock,
		Depth: Deep, Random: true, Reads: 75, Length: env.Duration()}}
	err = several(ctx, env, &out, list, []string{"one at a time", "24 under way"}, func(i int, t Tally) {
		d := depthName(list[i].Depth)
		got["rate-"+d], got["read-"+d+"-latency-99"] = t.Rate(), micro(t.Reads, 99)
	})
	return fill(out, env, got, err)
}

func runFlush(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	f, err := prepare(ctx, env.Part(0, 2), &out)
	if err != nil {
		return out, err
	}
	defer f.Close()
	h := Histogram()
	begin := time.Now()
	last := begin
	s := record.Series{Channel: "latency", Unit: "us"}
	length := 2 * env.Duration()
	for n := int64(0); last.Sub(begin) < length && n < 16384; n++ {
		place := (n * 7919 * RandomBlock) % f.size
		if err := f.writeAt(f.other(place, RandomBlock), place); err != nil {
			return out, err
		}
		if err := f.flush(); err != nil {
			return out, err
		}
		now := time.Now()
		h.RecordValue(int64(now.Sub(last)))
		s.Times, s.Values = append(s.Times, now.Sub(begin).Seconds()), append(s.Values, float64(now.Sub(last))/1e3)
		last = now
		if err := ctx.Err(); err != nil {
			out.Series = []record.Series{s}
			return out, fmt.Errorf("stopped: %w", err)
		}
		if n%64 == 0 {
			env.Part(1, 2).Show("writing and flushing", min(1, last.Sub(begin).Seconds()/length.Seconds()))
		}
	}
	out.Series = []record.Series{s}
	out, _ = fill(out, env, map[string]float64{"rate": float64(h.TotalCount()) / last.Sub(begin).Seconds(),
		"median": micro(h, 50), "latency-99": micro(h, 99), "worst": micro(h, 100)}, nil)
	return out, f.verify()
}
