package storage

import (
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

	"durvek/workload/cpu"
)

// workPrefix begins the name of the folder that a run works in; its maker's process number follows.
const workPrefix = ".durvek-work-"

// WorkFolder makes a folder to work in, inside dir, after removing those of processes that are gone, as
// after a crash. done removes it.
func WorkFolder(dir string) (work string, done func(), err error) {
	sweep(dir)
	work, err = os.MkdirTemp(dir, workPrefix+strconv.Itoa(os.Getpid())+"-")
	if err != nil {
		return "", nil, fmt.Errorf("make a folder to work in: %w", err)
	}
	return work, func() { os.RemoveAll(work) }, nil
}

// sweep removes working folders whose process is gone.
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

// MakeDay makes a survey day's folder of so many files and bytes from a seed: two thirds text, one
// third echoes that hardly pack. The same seed gives the same bytes on every system.
func MakeDay(dir string, seed uint64, files, size int) error {
	rng := rand.New(rand.NewPCG(seed, 24))
	log := cpu.SurveyLog(seed, size)
	noise := make([]byte, size)
	rand.NewChaCha8([32]byte{byte(seed)}).Read(noise)
	weights := make([]float64, files)
	sum := 0.0
	for i := range weights {
		x := rng.Float64()
		weights[i] = 0.05 + float64(x*x*x) // a few large files, many small; no fused arithmetic
		sum += weights[i]
	}
	at := 0
	for i, w := range weights {
		n := min(int(w/sum*float64(size)), size-at)
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

// Walk visits a folder's regular files in order of their names; name is the path within it, with slashes.
func Walk(dir string, each func(path, name string, size int64) error) error {
	var names []string
	err := filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
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

// Digest is the SHA-256 of a folder's names, sizes and contents.
func Digest(dir string) (string, error) {
	h := sha256.New()
	err := Walk(dir, func(path, name string, size int64) error {
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
