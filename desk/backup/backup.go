// Package backup keeps all of a desk in one archive, while it is at work, and brings it back: the database, photos,
// editions and the keys of its certificates, each with its digest. An archive is tar (POSIX.1-2001), compressed with
// Zstandard (RFC 8878). It needs a data folder and no open desk.
package backup

import (
	"archive/tar"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"github.com/klauspost/compress/zstd"

	"durvek/store"
)

// Names within an archive, as within a data folder.
const (
	database    = "durvek.db"
	attachments = "attachments"
	editions    = "editions"
	sums        = "SHA256SUMS" // the last entry: the digest of every other, as sha256sum writes them
)

// also are what a backup takes with it where it is there.
var also = []string{"tls", "durvek.yaml"}

// Write writes an archive of the data folder to w. The desk may be at work: the database is copied as it stands at one
// moment, and everything that it speaks of was on the disk before. It returns how many files are in it.
func Write(ctx context.Context, dir string, w io.Writer) (files int, err error) {
	tmp, err := os.MkdirTemp(dir, ".backup-*")
	if err != nil {
		return 0, fmt.Errorf("make a folder for the copy: %w", err)
	}
	defer os.RemoveAll(tmp)
	s, err := store.Peek(ctx, filepath.Join(dir, database))
	if err != nil {
		return 0, err
	}
	copied := filepath.Join(tmp, database)
	err = errors.Join(s.Copy(ctx, copied), s.Close())
	if err != nil {
		return 0, fmt.Errorf("copy the database: %w", err)
	}
	held, err := heldBy(ctx, copied)
	if err != nil {
		return 0, err
	}
	// One block after the other, and not far back: the service goes on meanwhile, and its memory is planned.
	z, err := zstd.NewWriter(w, zstd.WithEncoderConcurrency(1), zstd.WithWindowSize(1<<20),
		zstd.WithLowerEncoderMem(true))
	if err != nil {
		return 0, err
	}
	p := &packer{ctx: ctx, tar: tar.NewWriter(z)}
	p.file(copied, database)
	for _, digest := range held.photos {
		p.file(photoPath(dir, digest), path.Join(attachments, digest[:2], digest[2:]))
	}
	for _, e := range held.editions {
		p.edition(dir, e)
	}
	for _, name := range also {
		p.folder(filepath.Join(dir, name), name)
	}
	p.bytes(sums, []byte(p.list.String()))
	return p.files, errors.Join(p.err, p.tar.Close(), z.Close())
}

func photoPath(dir, digest string) string {
	return filepath.Join(dir, attachments, digest[:2], digest[2:])
}

// holding is what a database speaks of beside itself.
type holding struct {
	photos   []string
	editions []store.Published
}

func heldBy(ctx context.Context, database string) (h holding, err error) {
	s, err := store.Peek(ctx, database)
	if err != nil {
		return h, err
	}
	defer s.Close()
	if h.photos, err = s.AttachmentDigests(ctx); err == nil {
		h.editions, err = s.AllEditions(ctx)
	}
	return h, err
}

// packer adds files to an archive until one fails.
type packer struct {
	ctx   context.Context
	tar   *tar.Writer
	list  strings.Builder
	files int
	err   error
}

// file adds a file; one that is gone is left out, and a restore says so.
func (p *packer) file(from, name string) {
	if p.err == nil {
		p.err = p.ctx.Err()
	}
	if p.err != nil {
		return
	}
	f, err := os.Open(from)
	if errors.Is(err, fs.ErrNotExist) {
		return
	}
	if err != nil {
		p.err = err
		return
	}
	defer f.Close()
	i, err := f.Stat()
	if err == nil {
		err = p.tar.WriteHeader(&tar.Header{Typeflag: tar.TypeReg, Name: name, Size: i.Size(), Mode: 0o600,
			ModTime: i.ModTime()})
	}
	h := sha256.New()
	if err == nil {
		_, err = io.CopyN(io.MultiWriter(p.tar, h), f, i.Size())
	}
	if err != nil {
		p.err = fmt.Errorf("add %s: %w", name, err)
		return
	}
	p.files++
	fmt.Fprintf(&p.list, "%s  %s\n", hex.EncodeToString(h.Sum(nil)), name)
}

func (p *packer) bytes(name string, b []byte) {
	if p.err == nil {
		p.err = p.tar.WriteHeader(&tar.Header{Typeflag: tar.TypeReg, Name: name, Size: int64(len(b)), Mode: 0o600,
			ModTime: time.Now()})
	}
	if p.err == nil {
		_, p.err = io.Copy(p.tar, bytes.NewReader(b))
	}
}

// folder adds a file or all files below a folder.
func (p *packer) folder(from, name string) {
	if p.err != nil {
		return
	}
	err := filepath.WalkDir(from, func(at string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() {
			return err
		}
		rel, err := filepath.Rel(from, at)
		if err == nil {
			p.file(at, path.Join(name, filepath.ToSlash(rel)))
		}
		return err
	})
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		p.err = errors.Join(p.err, err)
	}
}

// edition adds an edition's folder. Between its row and its place it stands under another name for a moment.
func (p *packer) edition(dir string, e store.Published) {
	name := path.Join(editions, e.Review, fmt.Sprint(e.Number))
	at := filepath.Join(dir, filepath.FromSlash(name))
	for range 20 {
		if _, err := os.Stat(at); err == nil {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	p.folder(at, name)
}
