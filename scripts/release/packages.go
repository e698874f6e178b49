package main

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/goreleaser/nfpm/v2"
	"github.com/goreleaser/nfpm/v2/deb"
	"github.com/goreleaser/nfpm/v2/files"
	"github.com/goreleaser/nfpm/v2/rpm"
)

// packages writes a .deb and an .rpm: the program, its unit file with a user of its own, the manual, completions,
// notices.
func (r *release) packages(t target, program string, pages []file) error {
	tmp, err := os.MkdirTemp("", "durvek-package-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	list, err := r.installs(tmp, program, pages)
	if err != nil {
		return err
	}
	for kind, p := range map[string]nfpm.Packager{"deb": deb.Default, "rpm": rpm.DefaultRPM} {
		version, pre, _ := strings.Cut(r.version, "-")
		info := nfpm.WithDefaults(&nfpm.Info{
			Name: "durvek", Arch: t.processor, Platform: "linux", Version: version, Prerelease: pre, Section: "utils",
			Priority: "optional", Maintainer: "The Durvek team <root@localhost>", MTime: r.at, DisableGlobbing: true,
			Description: "Measure devices, compare them honestly, publish what you found",
			License:     "see /usr/share/doc/durvek/copyright",
			Overridables: nfpm.Overridables{
				Contents: list,
				Scripts:  nfpm.Scripts{PostInstall: "files/after-install.sh", PreRemove: "files/before-remove.sh"},
				RPM:      nfpm.RPM{BuildHost: "localhost", Summary: "Measure devices, compare them, publish what you found"},
			},
		})
		if err := nfpm.PrepareForPackager(info, kind); err != nil {
			return fmt.Errorf("the .%s: %w", kind, err)
		}
		var b bytes.Buffer
		if err := p.Package(info, &b); err != nil {
			return fmt.Errorf("the .%s: %w", kind, err)
		}
		if err := os.WriteFile(filepath.Join(r.out, p.ConventionalFileName(info)), b.Bytes(), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// installs are what a package brings, and where it goes.
func (r *release) installs(tmp, program string, pages []file) (list files.Contents, err error) {
	add := func(from, to string, mode os.FileMode) {
		list = append(list, &files.Content{Source: from, Destination: to,
			FileInfo: &files.ContentFileInfo{Mode: mode, MTime: r.at, Owner: "root", Group: "root"}})
	}
	add(program, "/usr/bin/durvek", 0o755)
	add("files/durvek.service", "/usr/lib/systemd/system/durvek.service", 0o644)
	add("files/durvek.sysusers", "/usr/lib/sysusers.d/durvek.conf", 0o644)
	add(filepath.Join(r.root, "cli/licenses.txt"), "/usr/share/doc/durvek/copyright", 0o644)
	for _, name := range []string{"README.md", "SECURITY.md", "docs/operations.md"} {
		add(filepath.Join(r.root, name), "/usr/share/doc/durvek/"+filepath.Base(name), 0o644)
	}
	write := func(name, to string, body []byte) {
		path := filepath.Join(tmp, filepath.Base(name))
		if err == nil {
			err = os.WriteFile(path, body, 0o644)
		}
		add(path, to, 0o644)
	}
	changes, err := os.ReadFile(filepath.Join(r.root, "CHANGELOG.md"))
	if err != nil {
		return nil, err
	}
	packed, err := smaller(changes)
	if err != nil {
		return nil, err
	}
	write("changelog.gz", "/usr/share/doc/durvek/changelog.gz", packed)
	for _, p := range pages {
		to, body := installed(p.name), p.body
		if strings.HasSuffix(to, ".gz") {
			if body, err = smaller(p.body); err != nil {
				return nil, err
			}
		}
		write(p.name, to, body)
	}
	return list, err
}

// smaller packs a file without a name and a time, so that its bytes follow from what it says.
func smaller(body []byte) ([]byte, error) {
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	if _, err := z.Write(body); err != nil {
		return nil, err
	}
	err = z.Close()
	return b.Bytes(), err
}
