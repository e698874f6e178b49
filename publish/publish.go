// Package publish writes an edition of a review: one folder with a page, charts as SVG and PNG, and
// every figure as open data. The folder opens from disk without a service or any network and is
// never changed once it is written.
package publish

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/stats"
	"durvek/core/verdict"
	"durvek/exchange"
	"durvek/internal/durable"
)

// Content is all that an edition shows.
type Content struct {
	Desk    string
	DeskID  string
	Rivals  []exchange.Rival // what this desk measured, the subject among them
	Review  verdict.Review
	Edition verdict.Edition
	Model   catalog.Model
	Variant catalog.Variant
	Field   string
	Sheet   []catalog.SpecRow
	Offers  []catalog.Offer
	Claims  []claims.Judged
	Figures []Figure
	Tests   []method.Test
	Facts   verdict.Facts     // of the figures that it shows
	Texts   map[string]string // figures that the reviewer's texts refer to, in words
	Samples []catalog.Unit    // that were measured
	Photos  []Photo
	Shown   []Shown  // curves and fields beside the ranked charts
	Changed []Change // since the edition before
	Licence string   // of the data: an SPDX name
}

// Shown is a picture of an area that is no ranking: a curve over time, a wave, a surface.
type Shown struct {
	Area, Name string
	Picture    chart.Picture
}

// Photo is a picture that an edition shows.
type Photo struct {
	Caption string
	Data    []byte // JPEG
}

// Change is a figure of the subject that differs from the one in the edition before.
type Change struct {
	Name string `json:"name"`
	Was  string `json:"was"`
	Now  string `json:"now"`
}

// Figure is one ranked comparison with the repeatability behind it.
type Figure struct {
	compare.Comparison
	Pool stats.Pool
}

// Prepare writes all of an edition into a folder of its own beside those of the review's other editions, on the disk
// when it returns, and gives the digest over its file list. It becomes the edition by Place.
func Prepare(dir string, c Content) (digest string, err error) {
	files, err := Files(c)
	if err != nil {
		return "", err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", err
	}
	tmp, err := os.MkdirTemp(dir, unfinished)
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(tmp)
	var list strings.Builder
	var g errgroup.Group
	g.SetLimit(16) // a disk takes several at once, and each waits for it
	for _, name := range slices.Sorted(maps.Keys(files)) {
		sum := sha256.Sum256(files[name])
		fmt.Fprintf(&list, "%s  %s\n", hex.EncodeToString(sum[:]), name)
		g.Go(func() error { return writeFile(tmp, name, files[name]) })
	}
	if err := g.Wait(); err != nil {
		return "", err
	}
	if err := writeFile(tmp, sums, []byte(list.String())); err != nil {
		return "", err
	}
	for _, sub := range []string{"cards", "charts", "data", "fonts", "photos", "."} {
		durable.SyncDir(filepath.Join(tmp, sub))
	}
	if err := os.Chmod(tmp, 0o755); err != nil {
		return "", err
	}
	sum := sha256.Sum256([]byte(list.String()))
	digest = hex.EncodeToString(sum[:])
	to := prepared(dir, digest)
	if _, err := os.Stat(to); err == nil { // the same once more
		return digest, nil
	}
	return digest, durable.Rename(tmp, to)
}

// sums is the list of an edition's files, each with its digest (SHA-256).
const sums = "SHA256SUMS"

// Folders beside a review's editions begin so: one that is being written, one that is written and not yet an edition,
// one that is none.
const (
	unfinished = ".unfinished-"
	waiting    = ".prepared-"
	aside      = ".put-away-"
)

func prepared(dir, digest string) string { return filepath.Join(dir, waiting+digest) }

// Place makes what was prepared the edition of a number. It may be asked again.
func Place(dir string, number int, digest string) error {
	to := filepath.Join(dir, strconv.Itoa(number))
	err := durable.Rename(prepared(dir, digest), to)
	if err != nil && Check(to, digest) == nil {
		return nil // it stands there
	}
	return err
}

// Check tells what of an edition's folder is not as it was published; nil where all is.
func Check(dir, digest string) error {
	list, err := os.ReadFile(filepath.Join(dir, sums))
	if err != nil {
		return err
	}
	if sum := sha256.Sum256(list); hex.EncodeToString(sum[:]) != digest {
		return fmt.Errorf("%s: its list of files is not the one that was published", dir)
	}
	for _, line := range strings.Split(strings.TrimSuffix(string(list), "\n"), "\n") {
		want, name, _ := strings.Cut(line, "  ")
		b, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(name)))
		if err != nil {
			return err
		}
		if sum := sha256.Sum256(b); hex.EncodeToString(sum[:]) != want {
			return fmt.Errorf("%s: %s was changed since it was published", dir, name)
		}
	}
	return nil
}

// Tidy brings a review's folder to what was published: editions holds the digest of each number. What was prepared and
// published is put in its place; what was never published is removed, or put away where it bears an edition's number.
// It says what it did and what is missing.
func Tidy(dir string, editions map[int]string, now time.Time) (did []string, err error) {
	for number, digest := range editions {
		if _, err := os.Stat(filepath.Join(dir, strconv.Itoa(number))); err == nil {
			continue
		}
		if err := Place(dir, number, digest); err != nil {
			did = append(did, fmt.Sprintf("the folder of edition %d is gone from %s; restore it from a backup", number, dir))
		} else {
			did = append(did, fmt.Sprintf("edition %d was put in its place in %s", number, dir))
		}
	}
	list, err := os.ReadDir(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return did, nil
	}
	for _, e := range list {
		name := e.Name()
		if strings.HasPrefix(name, unfinished) || strings.HasPrefix(name, waiting) || strings.HasPrefix(name, ".edition-") {
			err = errors.Join(err, os.RemoveAll(filepath.Join(dir, name)))
			continue
		}
		number, not := strconv.Atoi(name)
		if _, published := editions[number]; not != nil || published {
			continue
		}
		to := filepath.Join(dir, fmt.Sprintf("%s%d-%s", aside, number, now.UTC().Format("20060102T150405Z")))
		err = errors.Join(err, durable.Rename(filepath.Join(dir, name), to))
		did = append(did, fmt.Sprintf("%s was never published and is put away as %s", filepath.Join(dir, name), to))
	}
	return did, err
}

// writeFile writes a file of an edition, with its folders, onto the disk.
func writeFile(dir, name string, data []byte) error {
	path := filepath.Join(dir, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o444)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Sync(), f.Close())
}
