package main

import (
	"archive/tar"
	"archive/zip"
	"compress/gzip"
	"io"
	"strings"
	"time"
)

// tarball writes files under a folder, owned by root, all of one time.
func tarball(w io.Writer, under string, files []file, at time.Time) error {
	z, err := gzip.NewWriterLevel(w, gzip.BestCompression)
	if err != nil {
		return err
	}
	t := tar.NewWriter(z)
	for _, f := range files {
		h := &tar.Header{Name: under + f.name, Mode: int64(f.mode), Size: int64(len(f.body)), ModTime: at,
			Format: tar.FormatPAX, Typeflag: tar.TypeReg}
		if strings.HasSuffix(f.name, "/") {
			h.Typeflag = tar.TypeDir
		}
		if err := t.WriteHeader(h); err != nil {
			return err
		}
		if _, err := t.Write(f.body); err != nil {
			return err
		}
	}
	if err := t.Close(); err != nil {
		return err
	}
	return z.Close()
}

func zipped(w io.Writer, under string, files []file, at time.Time) error {
	z := zip.NewWriter(w)
	for _, f := range files {
		h := &zip.FileHeader{Name: under + f.name, Method: zip.Deflate, Modified: at}
		h.SetMode(f.mode)
		b, err := z.CreateHeader(h)
		if err != nil {
			return err
		}
		if _, err := b.Write(f.body); err != nil {
			return err
		}
	}
	return z.Close()
}
