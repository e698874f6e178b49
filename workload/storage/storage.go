// Package storage holds the workloads of drives. They measure the drive itself, past the page cache,
// in a test file of their own that has no name as soon as it is open, so nothing is left behind
// whatever happens. They never touch a byte that they did not write.
package storage

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"github.com/HdrHistogram/hdrhistogram-go"
	"github.com/shirou/gopsutil/v4/disk"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

// Block sizes, and how much a run writes.
const (
	SequentialBlock = 1 << 20
	RandomBlock     = 4 << 10
	fileSize        = 512 << 20
	spare           = 256 << 20 // must stay free beside the test file
)

// Errors that say why a place cannot be measured.
var (
	ErrNoDrive = errors.New("no drive to measure")
	ErrSpace   = errors.New("too little free space")
	ErrDirect  = errors.New("no way past the page cache")
)

// Check refuses, before anything is written, a folder that cannot be measured: one that is missing,
// kept in memory, read-only, or too full. It returns the file system's type.
func Check(dir string, need uint64) (fileSystem string, err error) {
	info, err := os.Stat(dir)
	if err != nil || !info.IsDir() {
		return "", fmt.Errorf("%s is no folder: %w; name one on the drive with --path", dir, ErrNoDrive)
	}
	fs, inMemory, err := fileSystemOf(dir)
	if err != nil {
		return "", fmt.Errorf("ask for the file system of %s: %w", dir, err)
	}
	if inMemory {
		return fs, fmt.Errorf("%s is kept in memory (%s), so a figure would say nothing of a drive: %w; name a folder on the drive with --path", dir, fs, ErrNoDrive)
	}
	u, err := disk.Usage(dir)
	if err != nil {
		return fs, fmt.Errorf("ask for the free space of %s: %w", dir, err)
	}
	if u.Free < need+spare {
		return fs, fmt.Errorf("%s has %d MiB free, the test needs %d MiB: %w", dir, u.Free>>20, (need+spare)>>20, ErrSpace)
	}
	f, err := os.CreateTemp(dir, ".durvek-probe-*")
	if err != nil {
		return fs, fmt.Errorf("%s cannot be written to: %w", dir, err)
	}
	name := f.Name()
	f.Close()
	return fs, os.Remove(name)
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
	memory, free, err := aligned(18 * SequentialBlock)
	if err != nil {
		f.Close()
		return nil, err
	}
	blocks, into := memory[:16*SequentialBlock], memory[16*SequentialBlock:17*SequentialBlock]
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
func (f *File) block(i int64) []byte {
	at := (i % 16) * SequentialBlock
	return f.blocks[at : at+SequentialBlock]
}

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
		if show != nil && i%16 == 0 {
			show(float64(i) / float64(n))
		}
	}
	return f.flush()
}

// Pass goes through the file in order until limit blocks are done or the time is up, and returns how
// many blocks it did and how long it took. after is called behind each block.
func (f *File) Pass(ctx context.Context, write bool, limit int64, length time.Duration, after func(done int64, spent time.Duration)) (int64, time.Duration, error) {
	n := f.size / SequentialBlock
	into := f.into
	begin := time.Now()
	var spent time.Duration
	var i int64
	for ; i < limit && spent < length; i++ {
		var err error
		if write {
			err = f.writeAt(f.block(i+7), (i%n)*SequentialBlock)
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

// RandomReads reads 4 KiB at random places, one at a time, and records each one's latency in
// nanoseconds. It returns the count and the time taken.
func (f *File) RandomReads(ctx context.Context, limit int64, length time.Duration, latency *hdrhistogram.Histogram, after func(done int64, spent time.Duration)) (int64, time.Duration, error) {
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

func init() {
	workload.Register(workload.Workload{
		Test: method.Test{
			Slug: "drive-sequential", Version: 1, Name: "Sequential access", Group: "storage",
			About:     "1 MiB blocks in order, one at a time, past the page cache, incompressible data, in a 512 MiB file that was written once before; writing includes the final flush. Limited by the drive and its link; a short run mostly meets the write cache.",
			MustMatch: []string{"supply", "drive.cache"}, Repeats: 5, Seconds: 4, Writes: 2 * fileSize,
			Measures: []method.Measure{
				{Slug: "read", Name: "read", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.02},
				{Slug: "write", Name: "write", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.03},
			},
		},
		Run: runSequential,
	})
	workload.Register(workload.Workload{
		Test: method.Test{
			Slug: "drive-random", Version: 1, Name: "Random access", Group: "storage",
			About:     "4 KiB at random places of a 512 MiB file, one at a time (queue depth 1), past the page cache: what opening programs and many small files waits for. Limited by the drive's latency.",
			MustMatch: []string{"supply", "drive.cache"}, Repeats: 5, Seconds: 3, Writes: fileSize,
			Measures: []method.Measure{
				{Slug: "rate", Name: "reads per second", Unit: "/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.03},
				{Slug: "median", Name: "median latency", Unit: "us", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.03},
				{Slug: "p99", Name: "99 % latency", Unit: "us", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.1},
			},
		},
		Run: runRandom,
	})
}

// prepare checks the place, opens the file and fills it.
func prepare(ctx context.Context, env workload.Env) (*File, map[string]string, error) {
	fs, err := Check(env.Dir, fileSize)
	if err != nil {
		return nil, nil, err
	}
	f, err := Open(env.Dir, fileSize)
	if err != nil {
		return nil, nil, err
	}
	err = f.Fill(ctx, func(share float64) {
		if env.Report != nil {
			env.Report(record.Sample{Phase: "writing the test file", Share: share})
		}
	})
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return f, map[string]string{"drive.cache": "passed", "drive.filesystem": fs}, nil
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
			env.Report(record.Sample{Phase: channel, Share: min(1, spent.Seconds()/env.Duration().Seconds()), Channel: channel, Unit: unit, Value: v})
		}
	}
}

func runSequential(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	f, seen, err := prepare(ctx, env.Part(0, 3))
	if err != nil {
		return out, err
	}
	defer f.Close()
	out.Observed = seen
	for i, part := range []struct {
		measure string
		write   bool
		limit   int64
	}{{"write", true, fileSize / SequentialBlock}, {"read", false, 1 << 40}} {
		var s record.Series
		n, spent, err := f.Pass(ctx, part.write, part.limit, env.Duration(), watch(env.Part(i+1, 3), part.measure, "MBy/s", SequentialBlock/1e6, &s))
		if err != nil {
			return out, fmt.Errorf("drive, %s: %w", part.measure, err)
		}
		out.Readings = append(out.Readings, workload.Reading(part.measure, float64(n)*SequentialBlock/1e6/spent.Seconds()))
		out.Series = append(out.Series, s)
	}
	return out, f.verify()
}

// verify reads some blocks back and compares them with what was written last.
func (f *File) verify() error {
	n := f.size / SequentialBlock
	for i := int64(1); i < n; i += 61 {
		if err := f.readAt(f.into, i*SequentialBlock); err != nil {
			return err
		}
		// Each block was last written by Fill (block i) or by a timed pass (block i+7).
		if a, b := f.block(i), f.block(i+7); !bytes.Equal(f.into, a) && !bytes.Equal(f.into, b) {
			return fmt.Errorf("block %d of the test file came back changed: %w", i, workload.ErrWrong)
		}
	}
	return nil
}

func runRandom(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	f, seen, err := prepare(ctx, env.Part(0, 2))
	if err != nil {
		return out, err
	}
	defer f.Close()
	out.Observed = seen
	latency := hdrhistogram.New(100, 60_000_000_000, 3)
	var s record.Series
	n, spent, err := f.RandomReads(ctx, 1<<40, env.Duration(), latency, watch(env.Part(1, 2), "rate", "/s", 1, &s))
	if err != nil {
		return out, fmt.Errorf("drive, random read: %w", err)
	}
	out.Readings = []record.Reading{
		workload.Reading("rate", float64(n)/spent.Seconds()),
		workload.Reading("median", float64(latency.ValueAtQuantile(50))/1e3),
		workload.Reading("p99", float64(latency.ValueAtQuantile(99))/1e3),
	}
	out.Series = []record.Series{s}
	return out, nil
}
