// Package storage holds the workloads of drives. They measure the drive itself, past the page cache,
// in a test file of their own that has no name as soon as it is open, so nothing is left behind
// whatever happens. They never touch a byte that they did not write.
package storage

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"time"

	"github.com/HdrHistogram/hdrhistogram-go"
	"github.com/shirou/gopsutil/v4/disk"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
	"durvek/workload/pages"
)

// What the survey station's work asks of a drive: its recorder writes the sonar's log in buffers of 2 MiB; its chart
// program reads tiles of 16 KiB from all over the chart; a day's export works with six programs that each keep four
// reads under way. docs/decisions/023 says more.
const (
	SequentialBlock = 2 << 20
	RandomBlock     = 16 << 10
	Deep            = 24       // accesses under way at once
	content         = 16 << 20 // the data of a test file repeats after this
	grain           = 4 << 10  // the least piece that is written whole
	fileSize        = 512 << 20
	leastFile       = 64 << 20
	spare           = 256 << 20 // must stay free beside the test file
)

// Errors that say why a place cannot be measured.
var (
	ErrNoDrive = errors.New("no drive to measure")
	ErrSpace   = errors.New("too little free space")
	ErrDirect  = errors.New("no way past the page cache")
)

// Check refuses, with ErrNotRun and before anything is written, a folder that cannot be measured: one that is missing,
// kept in memory, read-only, or too full. It returns the file system's type.
func Check(dir string, need uint64) (fileSystem string, err error) {
	fileSystem, free, err := examine(dir)
	if err == nil && free < need {
		err = workload.NotRun("%s has %d MiB free, the test needs %d MiB: %w", dir, (free+spare)>>20, (need+spare)>>20,
			ErrSpace)
	}
	return fileSystem, err
}

// examine looks at a folder and tells its file system and how many bytes a test may write there.
func examine(dir string) (fileSystem string, free uint64, err error) {
	fail := func(format string, args ...any) (string, uint64, error) {
		return fileSystem, 0, workload.NotRun(format, args...)
	}
	info, err := os.Stat(dir)
	if err != nil || !info.IsDir() {
		return fail("%s is no folder: %w; name one on the drive with --path", dir, ErrNoDrive)
	}
	fileSystem, inMemory, err := fileSystemOf(dir)
	if err != nil {
		return fail("ask for the file system of %s: %w", dir, err)
	}
	if inMemory {
		return fail("%s is kept in memory (%s), so a figure would say nothing of a drive: %w; name a folder on the drive "+
			"with --path", dir, fileSystem, ErrNoDrive)
	}
	u, err := disk.Usage(dir)
	if err != nil {
		return fail("ask for the free space of %s: %w", dir, err)
	}
	f, err := os.CreateTemp(dir, ".durvek-probe-*")
	if err != nil {
		return fail("%s cannot be written to: %w", dir, err)
	}
	name := f.Name()
	f.Close()
	if err := os.Remove(name); err != nil {
		return fail("%s cannot be written to: %w", dir, err)
	}
	return fileSystem, max(u.Free, spare) - spare, nil
}

// File is an open test file without a name.
type File struct {
	file
	size   int64
	blocks []byte // incompressible data, page-aligned
	into   []byte // what is read lands here
	free   func()
}

// Open makes the test file in a folder. Nothing is written yet.
func Open(dir string, size int64) (*File, error) {
	f, err := openDirect(filepath.Join(dir, fmt.Sprintf(".durvek-test-%d-%d", os.Getpid(), time.Now().UnixNano())))
	if err != nil {
		return nil, err
	}
	memory, free, err := pages.Take(content + 2*SequentialBlock)
	if err != nil {
		f.Close()
		return nil, err
	}
	blocks, into := memory[:content], memory[content:content+SequentialBlock]
	rng := rand.NewChaCha8([32]byte{'d', 'u', 'r', 'v', 'e', 'k'})
	rng.Read(blocks)
	return &File{f, size, blocks, into, free}, nil
}

// Close gives file and buffers back.
func (f *File) Close() error {
	f.free()
	return f.file.Close()
}

// block is the data of the i-th block; neighbours differ.
func (f *File) block(i int64) []byte { return f.data(i*SequentialBlock, SequentialBlock) }

// data is what belongs at a place of the file, aligned to size: it repeats after 16 MiB. So much
// further lies the other content, which a second write leaves there.
func (f *File) data(place int64, size int) []byte {
	place %= int64(len(f.blocks))
	return f.blocks[place : place+int64(size)]
}

// other is the other content that may stand at a place.
func (f *File) other(place int64, size int) []byte { return f.data(place+otherContent, size) }

const otherContent = 3 * SequentialBlock

// Fill writes the whole file once and flushes it.
func (f *File) Fill(ctx context.Context, show func(share float64)) error {
	n := f.size / SequentialBlock
	for i := range n {
		if err := ctx.Err(); err != nil {
			return fmt.Errorf("stopped: %w", err)
		}
		if err := f.writeAt(f.block(i), i*SequentialBlock); err != nil {
			return err
		}
		if show != nil && i%8 == 0 {
			show(float64(i) / float64(n))
		}
	}
	return f.flush()
}

// Pass goes through the file in order until limit blocks are done or the time is up, and returns how
// many blocks it did and how long it took. after is called behind each block.
func (f *File) Pass(ctx context.Context, write bool, limit int64, length time.Duration, after func(done int64,
	spent time.Duration)) (int64, time.Duration, error) {
	n := f.size / SequentialBlock
	into := f.into
	begin := time.Now()
	var spent time.Duration
	var i int64
	for ; i < limit && spent < length; i++ {
		var err error
		if write {
			err = f.writeAt(f.other((i%n)*SequentialBlock, SequentialBlock), (i%n)*SequentialBlock)
		} else {
			err = f.readAt(into, (i%n)*SequentialBlock)
		}
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return i, spent, err
		}
		spent = time.Since(begin)
		if after != nil {
			after(i+1, spent)
		}
	}
	if write {
		if err := f.flush(); err != nil {
			return i, spent, err
		}
		spent = time.Since(begin)
	}
	return i, spent, nil
}

// RandomReads reads tiles at random places, one at a time, and records each one's latency in
// nanoseconds. It returns the count and the time taken.
func (f *File) RandomReads(ctx context.Context, limit int64, length time.Duration, latency *hdrhistogram.Histogram,
	after func(done int64, spent time.Duration)) (int64, time.Duration, error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	rng := rand.New(rand.NewPCG(4, 4096))
	into := f.into[:RandomBlock]
	places := f.size / RandomBlock
	begin := time.Now()
	last := begin
	var i int64
	for ; i < limit; i++ {
		if err := f.readSmall(into, rng.Int64N(places)*RandomBlock); err != nil {
			return i, last.Sub(begin), err
		}
		now := time.Now()
		if latency != nil {
			latency.RecordValue(int64(now.Sub(last)))
		}
		last = now
		if i%64 == 0 && after != nil {
			after(i+1, now.Sub(begin))
		}
		if now.Sub(begin) >= length || ctx.Err() != nil {
			i++
			break
		}
	}
	return i, last.Sub(begin), ctx.Err()
}

// FileOption is the size of the test file.
var FileOption = method.Option{Slug: "file", Meaning: "size of the test file", Default: "512 MiB", Unit: "MiBy",
	Least: 64, Most: 1 << 20, Match: true}

// mustMatch are the conditions under which figures of a drive are compared.
var mustMatch = []string{"supply", "drive.cache", method.OptionCondition("file")}

// register adds a drive test, in the group and with the words and options that all share.
func register(t method.Test, run func(context.Context, workload.Env) (record.Outcome, error)) {
	t.Version, t.Group = cmp.Or(t.Version, 1), "storage"
	workload.Register(workload.Workload{Test: t, Run: func(ctx context.Context, env workload.Env) (record.Outcome, error) {
		out, err := run(ctx, env)
		return out, plainly(err, env.Dir)
	}})
}

// measure makes measures on the ratio scale that differ in slug and name only.
func measure(unit string, better quantity.Direction, repeatability float64, slugsAndNames ...string) []method.Measure {
	return workload.Rows(method.Measure{Unit: unit, Scale: quantity.Ratio, Better: better, Repeatability: repeatability},
		slugsAndNames...)
}

func init() {
	register(method.Test{
		Slug: "drive-sequential", Version: 2, Name: "Sequential access", Usual: true,
		About: "2 MiB blocks in order, one at a time, past the page cache, incompressible data, in a file of 512 MiB " +
			"that was written once before; writing includes the final flush.",
		StandsFor: "Copying large files one after another.", LimitedBy: "The drive and its link; a short run mostly meets " +
			"the write cache.",
		Input: "Incompressible data from a seed.", Checked: "Blocks are read back and compared.",
		MustMatch: mustMatch, Repeats: 5, Seconds: 4, Writes: 2 * fileSize, Options: []method.Option{FileOption},
		Measures: append(measure("MBy/s", quantity.Higher, 0.02, "read", "read"), measure("MBy/s", quantity.Higher, 0.03,
			"write", "write")...),
	}, runSequential)
	register(method.Test{
		Slug: "drive-random", Version: 2, Name: "Random access", Usual: true,
		About:     "Tiles of 16 KiB at random places of a file of 512 MiB, one at a time, past the page cache.",
		StandsFor: "Moving about in a chart, opening programs, working with many small files.",
		LimitedBy: "The drive's latency.",
		Input:     "Places from a seed.", Checked: "What was read last is compared with what was written.",
		MustMatch: mustMatch, Repeats: 5, Seconds: 3, Writes: fileSize, Options: []method.Option{FileOption},
		Measures: slices.Concat(measure("/s", quantity.Higher, 0.03, "rate", "reads per second"),
			measure("us", quantity.Lower, 0.03, "median", "median latency"), measure("us", quantity.Lower, 0.1, "latency-99",
				"99 % latency")),
	}, runRandom)
}

// prepare examines the place, opens the file, scaled down where space is short, and fills it. out takes
// down what was found.
func prepare(ctx context.Context, env workload.Env, out *record.Outcome) (*File, error) {
	fs, free, err := examine(env.Dir)
	if err != nil {
		return nil, err
	}
	size, note, ok := workload.Fit(uint64(env.Number("file"))*workload.MiB, leastFile, free)
	if !ok {
		return nil, workload.NotRun("%s has %d MiB free, the test needs %d MiB: %w", env.Dir, (free+spare)>>20,
			(leastFile+spare)>>20, ErrSpace)
	}
	size -= size % SequentialBlock
	if _, bounded := env.Test.Option("writes"); bounded && env.Number("writes") < 3*float64(size) {
		return nil, workload.NotRun("a test file of %d MiB needs more room than the bound of %s written leaves; raise the "+
			"option writes", size>>20, env.Text("writes"))
	}
	out.Observed = map[string]string{"drive.cache": "passed", "drive.filesystem": fs,
		method.OptionCondition("file"): fmt.Sprintf("%d MiB", size>>20)}
	out.Negotiated = map[string]string{}
	if note != "" {
		out.Negotiated["scaled.down"] = "a file of " + note
	}
	f, err := Open(env.Dir, int64(size))
	if err != nil {
		return nil, err
	}
	err = f.Fill(ctx, func(share float64) { env.Show("writing the test file", share) })
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

// watch gathers a series of the rate, ten samples over the part, from a running count.
func watch(env workload.Env, channel, unit string, scale float64, s *record.Series) func(int64, time.Duration) {
	s.Channel, s.Unit = channel, unit
	step := env.Duration() / 10
	var lastDone int64
	var lastAt time.Duration
	return func(done int64, spent time.Duration) {
		if spent-lastAt < step {
			return
		}
		v := float64(done-lastDone) * scale / (spent - lastAt).Seconds()
		s.Times, s.Values = append(s.Times, spent.Seconds()), append(s.Values, v)
		lastDone, lastAt = done, spent
		if env.Report != nil {
			env.Report(record.Sample{Phase: channel, Share: min(1, spent.Seconds()/env.Duration().Seconds()), Channel: channel,
				Unit: unit, Value: v})
		}
	}
}

func runSequential(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	f, err := prepare(ctx, env.Part(0, 3), &out)
	if err != nil {
		return out, err
	}
	defer f.Close()
	for i, part := range []struct {
		measure string
		write   bool
		limit   int64
	}{{"write", true, f.size / SequentialBlock}, {"read", false, 1 << 40}} {
		var s record.Series
		n, spent, err := f.Pass(ctx, part.write, part.limit, env.Duration(), watch(env.Part(i+1, 3), part.measure, "MBy/s",
			SequentialBlock/1e6, &s))
		out.Series = append(out.Series, s)
		if err != nil {
			return out, err
		}
		out.Readings = append(out.Readings, workload.Reading(part.measure, float64(n)*SequentialBlock/1e6/spent.Seconds()))
	}
	return out, f.verify()
}

// verify reads some blocks back and compares each piece with the contents that may stand there: what
// Fill wrote, or the other content.
func (f *File) verify() error {
	for place := int64(SequentialBlock); place < f.size; place += 31 * SequentialBlock {
		if err := f.readAt(f.into, place); err != nil {
			return err
		}
		for at := 0; at < len(f.into); at += grain {
			got := f.into[at : at+grain]
			if here := place + int64(at); !bytes.Equal(got, f.data(here, grain)) && !bytes.Equal(got, f.other(here, grain)) {
				return fmt.Errorf("byte %d of the test file came back changed: %w", here, workload.ErrWrong)
			}
		}
	}
	return nil
}

// Histogram is an empty one for latencies in nanoseconds, from 100 ns to a minute.
func Histogram() *hdrhistogram.Histogram { return hdrhistogram.New(100, 60_000_000_000, 3) }

// micro is a quantile of a histogram in microseconds; q is in percent.
func micro(h *hdrhistogram.Histogram, q float64) float64 { return float64(h.ValueAtQuantile(q)) / 1e3 }

func runRandom(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	f, err := prepare(ctx, env.Part(0, 2), &out)
	if err != nil {
		return out, err
	}
	defer f.Close()
	latency := Histogram()
	var s record.Series
	n, spent, err := f.RandomReads(ctx, 1<<40, env.Duration(), latency, watch(env.Part(1, 2), "rate", "/s", 1, &s))
	out.Series = []record.Series{s}
	if err != nil {
		return out, err
	}
	out.Readings = []record.Reading{
		workload.Reading("rate", float64(n)/spent.Seconds()),
		workload.Reading("median", micro(latency, 50)),
		workload.Reading("latency-99", micro(latency, 99)),
	}
	return out, f.verify()
}
