package storage

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"time"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

// Small files, and the lines that a logger appends.
const (
	smallFile   = 16 << 10
	smallFolder = 100 // files in one folder
	mostFiles   = 20000
	appendLine  = 256
	appendMost  = 1 << 16
	copyFiles   = 240
	copySize    = 96 << 20
)

func init() {
	register(method.Test{
		Slug: "small-files", Name: "Small files", Usual: true,
		About: "2000 files of 16 KiB in folders of a hundred are created and made safe, listed with their sizes, read " +
			"and deleted, through the file system as programs do.",
		StandsFor: "Unpacking a program, copying a photo library, checking out a source tree.",
		LimitedBy: "The file system and the system's checks on each file (as by a virus scanner), then the drive's latency.",
		Input:     "Incompressible data from a seed.", Checked: "Every file read is compared with what was written.",
		MustMatch: []string{"supply", "drive.filesystem", method.OptionCondition("files")}, Repeats: 5, Seconds: 3,
		Writes: mostFiles * smallFile,
		Options: []method.Option{{Slug: "files", Meaning: "number of files", Default: "2000", Unit: "1", Least: 100,
			Most: mostFiles, Match: true}},
		Measures: measure("{file}/s", quantity.Higher, 0.06, "create", "created", "list", "listed", "read", "read", "delete",
			"deleted"),
	}, runSmallFiles)
	register(method.Test{
		Slug: "drive-appends", Version: 2, Name: "Small flushed appends", Usual: true,
		About:     "Lines of 256 bytes are appended to a file and each is flushed before the next, through the file system.",
		StandsFor: "A logger that must not lose a line when the power fails.",
		LimitedBy: "How the drive makes data safe, and the file system's own bookkeeping at each append.",
		Input:     "Incompressible lines from a seed.", Checked: "The file is read back and compared.",
		MustMatch: []string{"supply", "drive.filesystem"}, Repeats: 5, Seconds: 2, Writes: appendMost * 4096,
		Measures: slices.Concat(measure("/s", quantity.Higher, 0.05, "rate", "rate"), measure("us", quantity.Lower, 0.05,
			"median", "median latency"), measure("us", quantity.Lower, 0.15, "latency-99", "99 % latency"),
			measure("us", quantity.Lower, 0.5, "worst", "worst latency")),
	}, runAppends)
	register(method.Test{
		Slug: "folder-copy", Name: "Folder copy", Usual: true,
		About: "A folder is copied as a good program does: one end reads while the other writes, with a final flush. " +
			"While it copies, each end notes for how long it was busy; the end that hardly waited limited the copy.",
		StandsFor: "Copying a survey day to another drive, through the port in question.",
		LimitedBy: "The slower of the two ends, and the number of files.",
		Input:     "A folder of 240 files and 96 MiB made from a seed, or the folder that is named. It is only read.",
		Checked:   "The copy is compared with its source.",
		MustMatch: []string{"supply", "drive.filesystem", method.OptionCondition("from")}, Repeats: 5, Seconds: 4,
		Options: []method.Option{{Slug: "from", Meaning: "folder to copy; one made from a seed if left out",
			Default: "made from a seed", Match: true}, {Slug: "source", Meaning: "folder on the drive that is read from, " +
			"where the folder is made from a seed; the drive under test if left out"},
			func() method.Option { o := writesOption("1 GB"); o.Least, o.Match = 4*copySize, false; return o }()},
		Measures: append(measure("MBy/s", quantity.Higher, 0.04, "rate", "rate"),
			method.Measure{Slug: "reading-busy", Name: "reading end busy", Unit: "%", Scale: quantity.Share,
				Better: quantity.Lower, Repeatability: 5},
			method.Measure{Slug: "writing-busy", Name: "writing end busy", Unit: "%", Scale: quantity.Share,
				Better: quantity.Lower, Repeatability: 5}),
	}, runCopy)
}

// FolderFor examines the drive and makes a folder on it to work in, for a test that needs so many bytes; out
// takes down what was found, done removes the folder.
func FolderFor(env workload.Env, need uint64, out *record.Outcome) (work string, done func(), err error) {
	fs, err := Check(env.Dir, need)
	if err != nil {
		return "", nil, err
	}
	out.Observed, out.Negotiated = map[string]string{"drive.filesystem": fs}, map[string]string{}
	return WorkFolder(env.Dir)
}

func runSmallFiles(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	n := int(env.Number("files"))
	work, done, err := FolderFor(env, uint64(n)*2*smallFile, &out)
	if err != nil {
		return out, err
	}
	defer done()
	content := make([]byte, smallFile+n)
	fillRandom(content)
	name := func(i int) string {
		return filepath.Join(work, fmt.Sprintf("leg-%03d", i/smallFolder), fmt.Sprintf("note-%05d", i))
	}
	for i := 0; i < n; i += smallFolder {
		if err := os.Mkdir(filepath.Dir(name(i)), 0o755); err != nil {
			return out, err
		}
	}
	into := make([]byte, smallFile)
	phases := []struct {
		slug   string
		each   func(i int) error
		finish func() error
	}{
		{"create", func(i int) error { return os.WriteFile(name(i), content[i:i+smallFile], 0o644) },
			func() error { return settle(work) }},
		{"list", nil, nil},
		{"read", func(i int) error {
			f, err := os.Open(name(i))
			if err != nil {
				return err
			}
			defer f.Close()
			if _, err := io.ReadFull(f, into); err != nil {
				return err
			}
			if !bytes.Equal(into, content[i:i+smallFile]) {
				return fmt.Errorf("%s came back changed: %w", filepath.Base(name(i)), workload.ErrWrong)
			}
			return nil
		}, nil},
		{"delete", func(i int) error { return os.Remove(name(i)) }, func() error { return settle(work) }},
	}
	for k, p := range phases {
		part := env.Part(k, len(phases))
		if p.slug == "read" {
			for i := range n {
				forget(name(i))
			}
		}
		begin := time.Now()
		if p.each == nil {
			seen := 0
			if err := Walk(work, func(_, _ string, size int64) error { seen++; return nil }); err != nil {
				return out, err
			}
			if seen != n {
				return out, fmt.Errorf("%d of %d files are listed: %w", seen, n, workload.ErrWrong)
			}
		} else {
			for i := range n {
				if i%50 == 0 {
					if err := ctx.Err(); err != nil {
						return out, fmt.Errorf("stopped: %w", err)
					}
					part.Show(p.slug, float64(i)/float64(n))
				}
				if err := p.each(i); err != nil {
					return out, err
				}
			}
		}
		if p.finish != nil {
			if err := p.finish(); err != nil {
				return out, err
			}
		}
		out.Readings = append(out.Readings, workload.Reading(p.slug, float64(n)/time.Since(begin).Seconds()))
	}
	return out, nil
}

func runAppends(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	work, done, err := FolderFor(env, 64<<20, &out)
	if err != nil {
		return out, err
	}
	defer done()
	path := filepath.Join(work, "log")
	f, err := os.OpenFile(path, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return out, err
	}
	defer f.Close()
	content := make([]byte, 1<<20)
	fillRandom(content)
	h := Histogram()
	s := record.Series{Channel: "latency", Unit: "us"}
	length := 2 * env.Duration()
	begin := time.Now()
	last, n := begin, 0
	for ; last.Sub(begin) < length && n < appendMost; n++ {
		at := n * appendLine % len(content)
		if _, err = f.Write(content[at : at+appendLine]); err == nil {
			err = flushData(f)
		}
		if err == nil && ctx.Err() != nil {
			err = fmt.Errorf("stopped: %w", ctx.Err())
		}
		if err != nil {
			out.Series = []record.Series{s}
			return out, err
		}
		now := time.Now()
		h.RecordValue(int64(now.Sub(last)))
		s.Times, s.Values = append(s.Times, now.Sub(begin).Seconds()), append(s.Values, float64(now.Sub(last))/1e3)
		last = now
		if n%64 == 0 {
			env.Show("appending", min(1, last.Sub(begin).Seconds()/length.Seconds()))
		}
	}
	out.Series = []record.Series{s}
	got, err := os.ReadFile(path)
	if err != nil {
		return out, err
	}
	for i := range n {
		at := i * appendLine % len(content)
		if len(got) != n*appendLine || !bytes.Equal(got[i*appendLine:(i+1)*appendLine], content[at:at+appendLine]) {
			return out, fmt.Errorf("the log came back changed: %w", workload.ErrWrong)
		}
	}
	return fill(out, env, map[string]float64{"rate": float64(n) / last.Sub(begin).Seconds(), "median": micro(h, 50),
		"latency-99": micro(h, 99), "worst": micro(h, 100)}, nil)
}

func runCopy(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	from := env.Text("from")
	own := env.Options["from"] == ""
	size := int64(copySize)
	if !own {
		size = 0
		if from, err = env.Folder(from); err != nil {
			return out, err
		}
		if info, err := os.Stat(from); err != nil || !info.IsDir() {
			return out, workload.NotRun("%s is no folder that could be copied", from)
		}
		if err := Walk(from, func(_, _ string, n int64) error { size += n; return nil }); err != nil {
			return out, workload.NotRun("%s cannot be read: %w", from, err)
		}
		if size == 0 {
			return out, workload.NotRun("%s holds no files to copy", from)
		}
		if float64(size) > env.Number("writes") {
			return out, workload.NotRun("%s holds %d MB, and the run may write %s; raise the option writes", from, size/1e6,
				env.Text("writes"))
		}
	}
	work, done, err := FolderFor(env, uint64(2*size), &out)
	if err != nil {
		return out, err
	}
	defer done()
	if own {
		at := work
		if other := env.Options["source"]; other != "" {
			if other, err = env.Folder(other); err != nil {
				return out, err
			}
			if _, err := Check(other, copySize); err != nil {
				return out, err
			}
			var clear func()
			if at, clear, err = WorkFolder(other); err != nil {
				return out, err
			}
			defer clear()
		}
		from = filepath.Join(at, "day")
		env.Part(0, 3).Show("making the folder", 0)
		if err := MakeDay(from, 15, copyFiles, copySize); err != nil {
			return out, err
		}
		if err := settle(from); err != nil {
			return out, err
		}
		if err := Walk(from, func(path, _ string, _ int64) error { forget(path); return nil }); err != nil {
			return out, err
		}
	}
	to := filepath.Join(work, "copy")
	c, err := copyFolder(ctx, from, to, func(bytes int64) { env.Part(1, 3).Show("copying", float64(bytes)/float64(size)) })
	if err != nil {
		return out, err
	}
	env.Part(2, 3).Show("comparing", 0)
	want, err := Digest(from)
	if err != nil {
		return out, err
	}
	if got, err := Digest(to); err != nil || got != want {
		return out, errors.Join(err, fmt.Errorf("the copy differs from its source: %w", workload.ErrWrong))
	}
	reading, writing := 100*c.reading.Seconds()/c.spent.Seconds(), 100*c.writing.Seconds()/c.spent.Seconds()
	out.Negotiated["limiter"] = limitingEnd(reading, writing)
	return fill(out, env, map[string]float64{"rate": float64(c.bytes) / 1e6 / c.spent.Seconds(), "reading-busy": reading,
		"writing-busy": writing}, nil)
}

// limitingEnd says in words which end of a copy was busy, given in percent, for clearly longer.
func limitingEnd(reading, writing float64) string {
	figures := fmt.Sprintf("reading busy %.0f %% of the time, writing %.0f %%", reading, writing)
	switch {
	case writing > 1.25*reading:
		return "the end written to (" + figures + ")"
	case reading > 1.25*writing:
		return "the end read from (" + figures + ")"
	}
	return "neither end clearly (" + figures + ")"
}

// copied tells how a copy went.
type copied struct {
	bytes                   int64
	spent, reading, writing time.Duration // as a whole, and for how long each end was busy
}

// portion is a piece of a file on its way: open begins a file of that name, data belongs to the file begun last.
type portion struct {
	open string
	data []byte
}

// copyFolder copies a folder's files. Four pieces of 1 MiB at most are under way between the two ends,
// so the faster end waits for the slower.
func copyFolder(ctx context.Context, from, to string, show func(bytes int64)) (c copied, err error) {
	const under = 4
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	full, empty := make(chan portion, under), make(chan []byte, under)
	for range under {
		empty <- make([]byte, SequentialBlock)
	}
	read := make(chan error, 1)
	begin := time.Now()
	go func() {
		defer close(full)
		send := func(p portion) error {
			select {
			case full <- p:
				return nil
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		var busy time.Duration
		last := time.Now()
		err := Walk(from, func(path, name string, _ int64) error {
			f, err := os.Open(path)
			if err != nil {
				return err
			}
			defer f.Close()
			busy += time.Since(last)
			if err := send(portion{open: name}); err != nil {
				return err
			}
			for {
				var b []byte
				select {
				case b = <-empty:
				case <-ctx.Done():
					return ctx.Err()
				}
				last = time.Now()
				n, err := io.ReadFull(f, b)
				if n > 0 {
					busy += time.Since(last)
					if err := send(portion{data: b[:n]}); err != nil {
						return err
					}
				} else {
					empty <- b
				}
				last = time.Now()
				if err == io.EOF || err == io.ErrUnexpectedEOF {
					return nil
				}
				if err != nil {
					return err
				}
			}
		})
		c.reading = busy + time.Since(last)
		read <- err
	}()
	var f *os.File
	defer func() {
		if f != nil {
			f.Close()
		}
	}()
	write := func(p portion) error {
		if p.open != "" {
			if f != nil {
				if err := f.Close(); err != nil {
					return err
				}
			}
			path := filepath.Join(to, filepath.FromSlash(p.open))
			if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
				return err
			}
			f, err = os.Create(path)
			return err
		}
		_, err := f.Write(p.data)
		c.bytes += int64(len(p.data))
		return err
	}
	for p := range full {
		at := time.Now()
		if err := write(p); err != nil {
			stop()
			for range full {
			}
			<-read
			return c, err
		}
		c.writing += time.Since(at)
		if p.data != nil {
			empty <- p.data[:cap(p.data)]
			show(c.bytes)
		}
	}
	if err := <-read; err != nil {
		if errors.Is(err, context.Canceled) {
			err = fmt.Errorf("stopped: %w", err)
		}
		return c, err
	}
	at := time.Now()
	if err := settle(to); err != nil {
		return c, err
	}
	c.writing += time.Since(at)
	c.spent = time.Since(begin)
	return c, nil
}

// fillRandom fills a buffer with incompressible bytes, the same each time.
func fillRandom(b []byte) { rand.NewChaCha8([32]byte{'f', 'i', 'l', 'e', 's'}).Read(b) }
