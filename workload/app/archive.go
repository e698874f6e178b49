package app

import (
	"archive/tar"
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"github.com/klauspost/compress/gzip"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/workload"
	"durvek/workload/storage"
)

// The generated folder: a survey day's logs, notes and raw echo files.
const (
	folderFiles = 240
	folderSize  = 24 << 20
	folderSeed  = 9
)

func init() {
	register(method.Test{
		Slug: "archive", Name: "Survey day archive", Repeats: 5, Seconds: 2.5, Writes: 3 * folderSize,
		About: "A folder of 240 files (24 MiB: logs, notes, raw echoes) is packed into a tar archive with gzip (RFC " +
			"1952, effort 6) and unpacked again, through the file system as programs do, with a final flush.",
		StandsFor: "Closing a day's work: packing a folder to send or keep it.",
		LimitedBy: "One core of the processor, then the drive.",
		Input:     "A folder from seed 9.", Checked: "The digest of the unpacked folder is that of the packed one.",
		Measures: append(seconds(0.02, "pack", "packing"), seconds(0.03, "unpack", "unpacking")...),
	}, runArchive)
}

func runArchive(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	work, done, err := storage.FolderFor(env, 4*folderSize, &out)
	if err != nil {
		return out, err
	}
	defer done()
	source, packed, target := filepath.Join(work, "day"), filepath.Join(work, "day.tar.gz"), filepath.Join(work, "again")
	env.Show("making the folder", 0)
	if err := storage.MakeDay(source, folderSeed, folderFiles, folderSize); err != nil {
		return out, err
	}
	want, err := storage.Digest(source)
	if err != nil {
		return out, err
	}
	env.Show("packing", 0.3)
	begin := time.Now()
	if err := pack(ctx, source, packed); err != nil {
		return out, fmt.Errorf("pack: %w", err)
	}
	packing := time.Since(begin)
	env.Show("unpacking", 0.8)
	begin = time.Now()
	if err := unpack(ctx, packed, target); err != nil {
		return out, fmt.Errorf("unpack: %w", err)
	}
	unpacking := time.Since(begin)
	got, err := storage.Digest(target)
	if err != nil {
		return out, err
	}
	if got != want {
		return out, fmt.Errorf("the unpacked folder differs from the packed one: %w", workload.ErrWrong)
	}
	out.Readings = []record.Reading{workload.Reading("pack", packing.Seconds()), workload.Reading("unpack",
		unpacking.Seconds())}
	return out, nil
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
	err = storage.Walk(dir, func(path, name string, size int64) error {
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
