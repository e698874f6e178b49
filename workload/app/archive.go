// Package app holds workloads of whole applications: what a person waits for.
package app

import (
	"archive/tar"
	"bufio"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"time"

	"github.com/klauspost/compress/gzip"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
	"durvek/workload/cpu"
	"durvek/workload/storage"
)

// The generated folder: a survey day's logs, notes and raw echo files.
const (
	folderFiles = 240
	folderSize  = 24 << 20
	folderSeed  = 9
)

func init() {
	workload.Register(workload.Workload{
		Test: method.Test{
			Slug: "archive", Version: 1, Name: "Survey day archive", Group: "application", Subjects: []catalog.Kind{"laptop", "desktop", "mini-pc", "tablet", "phone"},
			About:     "Packs a folder of 240 files (24 MiB: logs, notes, raw echoes) into a tar archive with gzip (RFC 1952, effort 6) and unpacks it again, through the file system as programs do, with a final flush. Limited by one core of the processor, then by the drive.",
			MustMatch: []string{"supply", "power.mode", "runtime"}, Repeats: 5, Seconds: 2.5, Writes: 3 * folderSize,
			Measures: []method.Measure{
				{Slug: "pack", Name: "packing", Unit: "s", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.02},
				{Slug: "unpack", Name: "unpacking", Unit: "s", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.03},
			},
		},
		Run: runArchive,
	})
}

// workPrefix begins the name of the folder that a run works in; its maker's process number follows.
const workPrefix = ".durvek-work-"

func runArchive(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	fs, err := storage.Check(env.Dir, 4*folderSize)
	if err != nil {
		return out, err
	}
	out.Observed = map[string]string{"drive.filesystem": fs}
	sweep(env.Dir)
	work, err := os.MkdirTemp(env.Dir, workPrefix+strconv.Itoa(os.Getpid())+"-")
	if err != nil {
		return out, fmt.Errorf("make a folder to work in: %w", err)
	}
	defer os.RemoveAll(work)
	source, packed, target := filepath.Join(work, "day"), filepath.Join(work, "day.tar.gz"), filepath.Join(work, "again")
	show := func(phase string, share float64) {
		if env.Report != nil {
			env.Report(record.Sample{Phase: phase, Share: share})
		}
	}
	show("making the folder", 0)
	if err := generate(source); err != nil {
		return out, err
	}
	want, err := digest(source)
	if err != nil {
		return out, err
	}
	show("packing", 0.3)
	begin := time.Now()
	if err := pack(ctx, source, packed); err != nil {
		return out, fmt.Errorf("pack: %w", err)
	}
	packing := time.Since(begin)
	show("unpacking", 0.8)
	begin = time.Now()
	if err := unpack(ctx, packed, target); err != nil {
		return out, fmt.Errorf("unpack: %w", err)
	}
	unpacking := time.Since(begin)
	got, err := digest(target)
	if err != nil {
		return out, err
	}
	if got != want {
		return out, fmt.Errorf("the unpacked folder differs from the packed one: %w", workload.ErrWrong)
	}
	out.Readings = []record.Reading{workload.Reading("pack", packing.Seconds()), workload.Reading("unpack", unpacking.Seconds())}
	return out, nil
}

// sweep removes working folders whose process is gone, as after a crash.
func sweep(dir string) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return
	}
	for _, e := range entries {
		rest, ours := strings.CutPrefix(e.Name(), workPrefix)
		if !ours {
			continue
		}
		pid, err := strconv.Atoi(strings.SplitN(rest, "-", 2)[0])
		if err == nil && !alive(pid) {
			os.RemoveAll(filepath.Join(dir, e.Name()))
		}
	}
}

// generate makes the folder: two thirds text, one third echoes that hardly pack.
func generate(dir string) error {
	rng := rand.New(rand.NewPCG(folderSeed, 24))
	log := cpu.SurveyLog(folderSeed, folderSize)
	noise := make([]byte, folderSize)
	rand.NewChaCha8([32]byte{folderSeed}).Read(noise)
	weights := make([]float64, folderFiles)
	sum := 0.0
	for i := range weights {
		x := rng.Float64()
		weights[i] = 0.05 + float64(x*x*x) // a few large files, many small; no fused arithmetic
		sum += weights[i]
	}
	at := 0
	for i, w := range weights {
		n := min(int(w/sum*folderSize), folderSize-at)
		sub := filepath.Join(dir, fmt.Sprintf("leg-%02d", i/20))
		if err := os.MkdirAll(sub, 0o755); err != nil {
			return err
		}
		name, data := fmt.Sprintf("track-%03d.csv", i), log[at:at+n]
		if i%3 == 0 {
			name, data = fmt.Sprintf("echo-%03d.raw", i), noise[at:at+n]
		}
		if err := os.WriteFile(filepath.Join(sub, name), data, 0o644); err != nil {
			return err
		}
		at += n
	}
	return nil
}

func walk(dir string, each func(path, name string, size int64) error) error {
	var names []string
	err := filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			names = append(names, path)
		}
		return err
	})
	if err != nil {
		return err
	}
	sort.Strings(names)
	for _, path := range names {
		info, err := os.Stat(path)
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(dir, path)
		if err != nil {
			return err
		}
		if err := each(path, filepath.ToSlash(rel), info.Size()); err != nil {
			return err
		}
	}
	return nil
}

func digest(dir string) (string, error) {
	h := sha256.New()
	err := walk(dir, func(path, name string, size int64) error {
		fmt.Fprintf(h, "%s %d\n", name, size)
		f, err := os.Open(path)
		if err != nil {
			return err
		}
		defer f.Close()
		_, err = io.Copy(h, f)
		return err
	})
	return hex.EncodeToString(h.Sum(nil)), err
}

func pack(ctx context.Context, dir, to string) error {
	f, err := os.Create(to)
	if err != nil {
		return err
	}
	defer f.Close()
	buffered := bufio.NewWriterSize(f, 1<<18)
	z, err := gzip.NewWriterLevel(buffered, 6)
	if err != nil {
		return err
	}
	t := tar.NewWriter(z)
	err = walk(dir, func(path, name string, size int64) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := t.WriteHeader(&tar.Header{Name: name, Size: size, Mode: 0o644, Typeflag: tar.TypeReg}); err != nil {
			return err
		}
		src, err := os.Open(path)
		if err != nil {
			return err
		}
		defer src.Close()
		_, err = io.Copy(t, src)
		return err
	})
	for _, end := range []func() error{t.Close, z.Close, buffered.Flush, f.Sync} {
		if err == nil {
			err = end()
		}
	}
	return err
}

func unpack(ctx context.Context, from, dir string) error {
	f, err := os.Open(from)
	if err != nil {
		return err
	}
	defer f.Close()
	z, err := gzip.NewReader(bufio.NewReaderSize(f, 1<<18))
	if err != nil {
		return err
	}
	t := tar.NewReader(z)
	var last *os.File
	for {
		h, err := t.Next()
		if err == io.EOF {
			break
		}
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return err
		}
		path := filepath.Join(dir, filepath.FromSlash(h.Name))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			return err
		}
		dst, err := os.Create(path)
		if err != nil {
			return err
		}
		if _, err := io.Copy(dst, t); err != nil {
			dst.Close()
			return err
		}
		if last != nil {
			last.Close()
		}
		last = dst
	}
	if last == nil {
		return nil
	}
	defer last.Close()
	return last.Sync()
}
