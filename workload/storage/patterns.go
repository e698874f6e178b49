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
	depths = []int{1, 2, 4, 8, 16, 32, 64}
	sizes  = []int{4 << 10, 16 << 10, 64 << 10, 256 << 10, 1 << 20}
)

func init() {
	register(method.Test{
		Slug: "drive-depths", Name: "Random access by queue depth",
		About:     "4 KiB at random places, 1 to 64 accesses under way at once, reading and then writing: rates as curves over the depth.",
		StandsFor: "Servers, databases and starting many programs at once; the figure on a box is usually that of a deep queue.", LimitedBy: "At depth 1 the drive's latency, further on its channels, its controller and the link; at last the processor.",
		Input: "Places from a seed, incompressible data.", Checked: "Blocks are read back and compared.",
		MustMatch: mustMatch, Repeats: 3, Seconds: 10, Writes: fileSize + 7*partWrites, Options: []method.Option{FileOption},
		Measures: slices.Concat(measure("/s", quantity.Higher, 0.03, "read-1", "reads, depth 1", "read-32", "reads, depth 32"), measure("/s", quantity.Higher, 0.05, "write-1", "writes, depth 1", "write-32", "writes, depth 32"),
			measure("us", quantity.Lower, 0.1, "read-32-p99", "99 % read latency, depth 32")),
	}, runDepths)
	register(method.Test{
		Slug: "drive-blocks", Name: "Access in order by block size",
		About:     "Blocks from 4 KiB to 1 MiB in order, one at a time, and 1 MiB eight at a time, reading and writing: rates as curves over the block size.",
		StandsFor: "Programs that read and write in small pieces; the eight at a time are what large copies by good programs reach.", LimitedBy: "For small blocks the latency, for large ones the link and the drive.",
		Input: "Incompressible data.", Checked: "Blocks are read back and compared.",
		MustMatch: mustMatch, Repeats: 3, Seconds: 9, Writes: fileSize + 6*partWrites, Options: []method.Option{FileOption},
		Measures: append(measure("MBy/s", quantity.Higher, 0.03, "read-4k", "read, 4 KiB", "read-64k", "read, 64 KiB", "read-1m-8", "read, 1 MiB, 8 at a time"),
			measure("MBy/s", quantity.Higher, 0.05, "write-4k", "write, 4 KiB", "write-64k", "write, 64 KiB", "write-1m-8", "write, 1 MiB, 8 at a time")...),
	}, runBlocks)
	register(method.Test{
		Slug: "drive-mixed", Name: "Mixed access",
		About:     "4 KiB at random places, 70 % reads and 30 % writes in one stream, at queue depth 1 and 32.",
		StandsFor: "A system that works while it saves: databases, mail, several programs.", LimitedBy: "How well the drive serves reads while it writes.",
		Input: "Places and order from a seed, incompressible data.", Checked: "Blocks are read back and compared.",
		MustMatch: mustMatch, Repeats: 5, Seconds: 4, Writes: fileSize + 2*partWrites, Options: []method.Option{FileOption},
		Measures: slices.Concat(measure("/s", quantity.Higher, 0.05, "rate-1", "accesses, depth 1", "rate-32", "accesses, depth 32"), measure("us", quantity.Lower, 0.1, "read-1-p99", "99 % read latency, depth 1", "read-32-p99", "99 % read latency, depth 32")),
	}, runMixed)
	register(method.Test{
		Slug: "drive-flush", Name: "Flush latency", Usual: true,
		About:     "4 KiB are written at a random place and flushed, again and again: the time until the drive says that they are safe.",
		StandsFor: "Saving a document, committing a transaction, a logger that must not lose a line.", LimitedBy: "How the drive makes data safe: at once by stored energy, or by writing its cache out.",
		Input: "Places from a seed, incompressible data.", Checked: "Blocks are read back and compared.",
		MustMatch: mustMatch, Repeats: 5, Seconds: 2, Writes: fileSize + 64<<20, Options: []method.Option{FileOption},
		Measures: slices.Concat(measure("/s", quantity.Higher, 0.05, "rate", "rate"), measure("us", quantity.Lower, 0.05, "median", "median latency"), measure("us", quantity.Lower, 0.15, "p99", "99 % latency"), measure("us", quantity.Lower, 0.5, "worst", "worst latency")),
	}, runFlush)
}

// several does a list of accesses in turn. each is told how it went.
func several(ctx context.Context, env workload.Env, out *record.Outcome, list []Access, names []string, each func(i int, t Tally)) error {
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
	out.Series = []record.Series{workload.Curve("reads", "/s", "queue depth", "1"), workload.Curve("writes", "/s", "queue depth", "1"), workload.Curve("median read latency", "us", "queue depth", "1")}
	got := map[string]float64{}
	err = several(ctx, env, &out, list, names, func(i int, t Tally) {
		d, kind := float64(list[i].Depth), 0
		if list[i].Reads == 0 {
			kind = 1
			got[fmt.Sprintf("write-%g", d)] = t.Rate()
		} else {
			got[fmt.Sprintf("read-%g", d)], got[fmt.Sprintf("read-%g-p99", d)] = t.Rate(), micro(t.Reads, 99)
			out.Series[2].Times, out.Series[2].Values = append(out.Series[2].Times, d), append(out.Series[2].Values, micro(t.Reads, 50))
		}
		s := &out.Series[kind]
		s.Times, s.Values = append(s.Times, d), append(s.Values, t.Rate())
	})
	return fill(out, env, got, err)
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
			slugs, names = append(slugs, fmt.Sprintf("%s-%dk", verb, b>>10)), append(names, fmt.Sprintf("%s, %d KiB", verb, b>>10))
		}
		list = append(list, Access{Block: 1 << 20, Depth: 8, Reads: reads, Length: env.Duration() / 2})
		slugs, names = append(slugs, verb+"-1m-8"), append(names, verb+", 1 MiB, 8 at a time")
	}
	out.Series = []record.Series{workload.Curve("write", "MBy/s", "block size", "By"), workload.Curve("read", "MBy/s", "block size", "By")}
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
	list := []Access{{Block: RandomBlock, Depth: 1, Random: true, Reads: 70, Length: env.Duration()}, {Block: RandomBlock, Depth: 32, Random: true, Reads: 70, Length: env.Duration()}}
	err = several(ctx, env, &out, list, []string{"depth 1", "depth 32"}, func(i int, t Tally) {
		d := list[i].Depth
		got[fmt.Sprintf("rate-%d", d)], got[fmt.Sprintf("read-%d-p99", d)] = t.Rate(), micro(t.Reads, 99)
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
		if err := f.writeAt(f.data(place+otherContent, RandomBlock), place); err != nil {
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
	out, _ = fill(out, env, map[string]float64{"rate": float64(h.TotalCount()) / last.Sub(begin).Seconds(), "median": micro(h, 50), "p99": micro(h, 99), "worst": micro(h, 100)}, nil)
	return out, f.verify()
}
