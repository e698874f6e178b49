package backup

import (
	"archive/tar"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/klauspost/compress/zstd"

	"durvek/desk"
	"durvek/internal/durable"
	"durvek/publish"
	"durvek/store"
)

// Report says what is in a data folder and what is wrong with it.
type Report struct {
	Photos   int      `json:"photos"`
	Editions int      `json:"editions"`
	Runs     int      `json:"runs"`
	Wrong    []string `json:"wrong"`
	Damaged  bool     `json:"damaged,omitempty" doc:"The database itself is damaged"`
}

// Verify looks at everything in a data folder: whether the database is whole, and every photo and edition is as it was
// taken in or published. The desk may be at work.
func Verify(ctx context.Context, dir string) (r Report, err error) {
	r.Wrong = []string{}
	s, err := store.Peek(ctx, filepath.Join(dir, database))
	if err != nil {
		return r, err
	}
	defer s.Close()
	if r.Wrong, err = s.Damage(ctx); err != nil {
		return r, err
	}
	if r.Damaged = len(r.Wrong) > 0; r.Damaged { // what it speaks of says nothing then
		return r, nil
	}
	if r.Runs, err = s.CountRuns(ctx); err != nil {
		return r, err
	}
	h, err := heldBy(ctx, filepath.Join(dir, database))
	if err != nil {
		return r, err
	}
	for _, digest := range h.photos {
		r.Photos++
		if got, err := digestOf(photoPath(dir, digest)); err != nil {
			r.Wrong = append(r.Wrong, fmt.Sprintf("photo %s is gone or cannot be read: %v", digest, err))
		} else if got != digest {
			r.Wrong = append(r.Wrong, fmt.Sprintf("photo %s is not as it was taken in", digest))
		}
	}
	for _, e := range h.editions {
		r.Editions++
		if err := publish.Check(filepath.Join(dir, editions, e.Review, fmt.Sprint(e.Number)), e.Digest); err != nil {
			r.Wrong = append(r.Wrong, fmt.Sprintf("edition %d of %s: %v", e.Number, e.Review, err))
		}
	}
	return r, ctx.Err()
}

func digestOf(path string) (string, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	h := sha256.New()
	_, err = io.Copy(h, f)
	return hex.EncodeToString(h.Sum(nil)), err
}

// Restore brings an archive back into a data folder. All of it is checked before anything there changes; a service that
// runs on the folder is never written over. A desk that is there stays unless replace says otherwise, and is kept then
// in a folder beside. It returns what was restored, and where the old desk lies now, "" where there was none.
func Restore(ctx context.Context, archive io.Reader, dir string, replace bool, now time.Time) (r Report, old string,
	err error) {
	lock, err := desk.Take(dir)
	if err != nil {
		return r, "", err
	}
	defer lock.Unlock()
	_, there := os.Stat(filepath.Join(dir, database))
	if there == nil && !replace {
		return r, "", desk.Refuse(desk.Conflict, "there is a desk in %s; restore into an empty folder, or say --replace: "+
			"what "+
			"is there is then kept beside", dir)
	}
	cut, err := filepath.Glob(filepath.Join(dir, desk.Restoring+"*")) // by a kill, an earlier time
	for _, c := range cut {
		err = errors.Join(err, os.RemoveAll(c))
	}
	if err != nil {
		return r, "", err
	}
	tmp, err := os.MkdirTemp(dir, desk.Restoring+"*")
	if err != nil {
		return r, "", err
	}
	defer os.RemoveAll(tmp)
	if r, err = check(ctx, archive, tmp); err != nil {
		return r, "", fmt.Errorf("this archive cannot be restored, and nothing was changed: %w", err)
	}
	if there == nil {
		old = filepath.Join(dir, "before-restore-"+now.UTC().Format("20060102T150405Z"))
		if err := os.Mkdir(old, 0o700); err != nil {
			return r, "", err
		}
	}
	// The database goes first and comes last: a folder where this was cut has none, and no desk opens there.
	all := append([]string{database, database + "-wal", database + "-shm", attachments, editions}, also...)
	for _, name := range all {
		if old != "" {
			if err := move(filepath.Join(dir, name), filepath.Join(old, name)); err != nil {
				return r, old, err
			}
		}
	}
	for i := range all {
		name := all[len(all)-1-i]
		if err := move(filepath.Join(tmp, name), filepath.Join(dir, name)); err != nil {
			return r, old, err
		}
	}
	return r, old, nil
}

// check unpacks an archive into a folder and looks at everything in it. What the desk had lost when the archive was
// made is reported and no reason to refuse the rest; a damaged database is.
func check(ctx context.Context, archive io.Reader, into string) (Report, error) {
	if err := unpack(ctx, archive, into); err != nil {
		return Report{}, err
	}
	r, err := Verify(ctx, into)
	if err == nil && r.Damaged {
		err = errors.New(strings.Join(r.Wrong, "; "))
	}
	return r, err
}

// Check looks at everything in an archive; near is a folder with room to unpack it in, which is left as it was.
func Check(ctx context.Context, archive io.Reader, near string) (Report, error) {
	tmp, err := os.MkdirTemp(near, ".check-*")
	if err != nil {
		return Report{}, err
	}
	defer os.RemoveAll(tmp)
	return check(ctx, archive, tmp)
}

// move gives something another place, if it is there.
func move(from, to string) error {
	err := durable.Rename(from, to)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// unpack writes an archive's files into a folder and holds them against the digests that stand at its end.
func unpack(ctx context.Context, archive io.Reader, dir string) error {
	z, err := zstd.NewReader(archive, zstd.WithDecoderConcurrency(1))
	if err != nil {
		return err
	}
	defer z.Close()
	got := map[string]string{}
	list := ""
	for t := tar.NewReader(z); ; {
		if err := ctx.Err(); err != nil {
			return err
		}
		head, err := t.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return fmt.Errorf("it is no backup, or cut: %w", err)
		}
		if list != "" || head.Typeflag != tar.TypeReg || !filepath.IsLocal(filepath.FromSlash(head.Name)) {
			return fmt.Errorf("it holds %q, which no backup does", head.Name)
		}
		if head.Name == sums {
			b, err := io.ReadAll(io.LimitReader(t, 64<<20))
			if err != nil {
				return fmt.Errorf("it is cut: %w", err)
			}
			list = string(b) + " "
			continue
		}
		if got[head.Name], err = keep(filepath.Join(dir, filepath.FromSlash(head.Name)), t); err != nil {
			return fmt.Errorf("it is cut within %s: %w", head.Name, err)
		}
	}
	if list == "" {
		return errors.New("it is cut: the list of its files is missing")
	}
	for _, line := range strings.Split(strings.TrimSpace(list), "\n") {
		want, name, _ := strings.Cut(line, "  ")
		if got[name] != want {
			return fmt.Errorf("%s is damaged or missing in it", name)
		}
		delete(got, name)
	}
	for name := range got {
		return fmt.Errorf("it holds %q, which is not in its list of files", name)
	}
	return nil
}

func keep(path string, from io.Reader) (digest string, err error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return "", err
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return "", err
	}
	h := sha256.New()
	_, err = io.Copy(io.MultiWriter(f, h), from)
	return hex.EncodeToString(h.Sum(nil)), errors.Join(err, f.Sync(), f.Close())
}
