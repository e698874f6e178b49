package storage

import (
	"context"
	"fmt"
	"math/rand/v2"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"github.com/HdrHistogram/hdrhistogram-go"

	"durvek/workload/pages"
)

// Access says how a file is accessed: by so many threads at once (the queue depth), each with one
// access under way.
type Access struct {
	Block  int // bytes, a power of two from 4 KiB to 2 MiB
	Depth  int
	Random bool
	Reads  int           // share of reads in percent, the others write
	Length time.Duration // it ends after this time
	Most   int64         // or when so many accesses are done; 0 for no bound
	Every  time.Duration // between samples; 0 for none
}

// Tally is what an access gave.
type Tally struct {
	Done          int64
	Spent         time.Duration
	Reads, Writes *hdrhistogram.Histogram // latencies in ns
}

// Rate is accesses per second.
func (t Tally) Rate() float64 { return float64(t.Done) / t.Spent.Seconds() }

// count is what one thread has done, alone on its cache lines.
type count struct {
	done atomic.Int64
	_    [120]byte
}

func total(counts []count) int64 {
	n := int64(0)
	for i := range counts {
		n += counts[i].done.Load()
	}
	return n
}

// Access accesses the file. Every place keeps one of its two contents, so that verify holds afterwards.
// Each thread has a processor of Go's scheduler to itself: with fewer, a thread whose access is done waits for
// its turn, and rate and latency are the scheduler's.
func (f *File) Access(ctx context.Context, a Access, sample func(spent time.Duration, rate float64)) (Tally, error) {
	before := runtime.GOMAXPROCS(0)
	runtime.GOMAXPROCS(max(before, a.Depth+1))
	defer runtime.GOMAXPROCS(before)
	memory, free, err := pages.Take(a.Depth * a.Block)
	if err != nil {
		return Tally{}, err
	}
	defer free()
	out := Tally{Reads: Histogram(), Writes: Histogram()}
	places := f.size / int64(a.Block)
	var next atomic.Int64 // the next place, where places come in order
	counts := make([]count, a.Depth)
	var wg sync.WaitGroup
	var mu sync.Mutex
	var fault error
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	type thread struct {
		rng           *rand.Rand
		into          []byte
		reads, writes *hdrhistogram.Histogram
	}
	threads := make([]thread, a.Depth)
	for i := range threads {
		threads[i] = thread{rand.New(rand.NewPCG(4, uint64(4096+i))), memory[i*a.Block : (i+1)*a.Block], Histogram(),
			Histogram()}
	}
	var begin time.Time
	var ready sync.WaitGroup
	gate := make(chan struct{})
	ready.Add(a.Depth)
	for i, t := range threads {
		// Threads that read at random share nothing while they run.
		quota := int64(1 << 62)
		if a.Most > 0 {
			quota = a.Most / int64(a.Depth)
			if int64(i) < a.Most%int64(a.Depth) {
				quota++
			}
		}
		wg.Go(func() {
			runtime.LockOSThread()
			defer runtime.UnlockOSThread()
			rng, into, reads, writes := t.rng, t.into, t.reads, t.writes
			ready.Done()
			<-gate
			last := begin
			for n := int64(0); n < quota && last.Sub(begin) < a.Length && (n%32 > 0 || ctx.Err() == nil); n++ {
				var place, lap int64
				if a.Random {
					place = rng.Int64N(places)
				} else {
					k := next.Add(1) - 1
					place, lap = k%places, k/places
				}
				place *= int64(a.Block)
				reading := a.Reads == 100 || a.Reads > 0 && rng.IntN(100) < a.Reads
				var err error
				switch {
				case !reading:
					shift := int64(0)
					if (lap+rng.Int64N(2))%2 == 0 {
						shift = otherContent
					}
					err = f.writeAt(f.data(place+shift, a.Block), place)
				case a.Depth == 1 && a.Block <= 64<<10:
					err = f.readSmall(into, place)
				default:
					err = f.readAt(into, place)
				}
				now := time.Now()
				if err != nil {
					mu.Lock()
					if fault == nil {
						fault = err
					}
					mu.Unlock()
					stop()
					break
				}
				h := writes
				if reading {
					h = reads
				}
				h.RecordValue(int64(now.Sub(last)))
				last = now
				counts[i].done.Store(n + 1)
			}
			mu.Lock()
			out.Reads.Merge(reads)
			out.Writes.Merge(writes)
			out.Spent = max(out.Spent, last.Sub(begin))
			mu.Unlock()
		})
	}
	ready.Wait()
	begin = time.Now()
	close(gate)
	finished := make(chan struct{})
	go func() { wg.Wait(); close(finished) }()
	var tick <-chan time.Time
	if sample != nil && a.Every > 0 {
		t := time.NewTicker(a.Every)
		defer t.Stop()
		tick = t.C
	}
	var lastDone int64
	var lastAt time.Duration
	for running := true; running; {
		select {
		case <-finished:
			running = false
		case <-tick:
			spent, n := time.Since(begin), total(counts)
			rate := float64(n-lastDone) / (spent - lastAt).Seconds()
			lastDone, lastAt = n, spent
			sample(spent, rate)
		}
	}
	out.Done = total(counts)
	if fault != nil {
		return out, fault
	}
	if err := ctx.Err(); err != nil {
		return out, fmt.Errorf("stopped: %w", err)
	}
	if a.Reads < 100 {
		if err := f.flush(); err != nil {
			return out, err
		}
		if !a.Random { // a sequential write is done when it is flushed
			out.Spent = time.Since(begin)
		}
	}
	return out, nil
}
