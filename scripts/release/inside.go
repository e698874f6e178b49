package main

import (
	"bytes"
	"debug/buildinfo"
	"encoding/json"
	"fmt"
	"maps"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	cdx "github.com/CycloneDX/cyclonedx-go"
	"github.com/google/uuid"
)

// inside writes the list of what the programs are built of: Go's modules, as the programs themselves say, and the
// packages of the console and the probe, as their lock file says.
func (r *release) inside(programs []string) error {
	parts := map[string]cdx.Component{}
	add := func(kind, name, version, purl, licence string) {
		c := cdx.Component{Type: cdx.ComponentTypeLibrary, BOMRef: purl, Name: name, Version: version, PackageURL: purl}
		if licence != "" {
			c.Licenses = &cdx.Licenses{{Expression: licence}}
		}
		c.Properties = &[]cdx.Property{{Name: "durvek:part", Value: kind}}
		parts[purl] = c
	}
	for _, p := range programs {
		info, err := buildinfo.ReadFile(p)
		if err != nil {
			return fmt.Errorf("what is in %s: %w", filepath.Base(p), err)
		}
		goes := strings.TrimPrefix(info.GoVersion, "go")
		add("program", "std", goes, "pkg:golang/std@"+goes, "")
		for _, m := range info.Deps {
			if m.Replace != nil {
				m = m.Replace
			}
			add("program", m.Path, m.Version, "pkg:golang/"+m.Path+"@"+url.PathEscape(m.Version), "")
		}
	}
	pages, err := shipped(filepath.Join(r.root, "web/package-lock.json"))
	if err != nil {
		return err
	}
	for _, p := range pages {
		add("console", p.name, p.version, "pkg:npm/"+strings.ReplaceAll(p.name, "@", "%40")+"@"+p.version, p.licence)
	}
	list := slices.Collect(maps.Values(parts))
	slices.SortFunc(list, func(a, b cdx.Component) int { return strings.Compare(a.BOMRef, b.BOMRef) })
	self := "pkg:generic/durvek@" + r.version
	bom := cdx.NewBOM()
	bom.SerialNumber = "urn:uuid:" + uuid.NewSHA1(uuid.NameSpaceURL, []byte(self+"#"+r.commit)).String()
	bom.Metadata = &cdx.Metadata{Timestamp: r.at.Format("2006-01-02T15:04:05Z"), Component: &cdx.Component{
		Type: cdx.ComponentTypeApplication, BOMRef: self, Name: "durvek", Version: r.version, PackageURL: self}}
	bom.Components = &list
	refs := make([]string, len(list))
	for i, c := range list {
		refs[i] = c.BOMRef
	}
	bom.Dependencies = &[]cdx.Dependency{{Ref: self, Dependencies: &refs}}
	var b bytes.Buffer
	if err := cdx.NewBOMEncoder(&b, cdx.BOMFileFormatJSON).SetPretty(true).Encode(bom); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(r.out, "durvek-"+r.version+".cdx.json"), b.Bytes(), 0o644)
}

// page is a package that the console or the probe is built of.
type page struct{ name, version, licence string }

// shipped lists the packages of a lock file that are no mere tools of the build.
func shipped(lock string) (out []page, err error) {
	b, err := os.ReadFile(lock)
	if err != nil {
		return nil, err
	}
	var l struct {
		Packages map[string]struct {
			Version, License           string
			Dev, Optional, DevOptional bool
		}
	}
	if err := json.Unmarshal(b, &l); err != nil {
		return nil, fmt.Errorf("%s: %w", lock, err)
	}
	for at, p := range l.Packages {
		if i := strings.LastIndex(at, "node_modules/"); i >= 0 && !p.Dev && !p.Optional && !p.DevOptional {
			out = append(out, page{at[i+len("node_modules/"):], p.Version, p.License})
		}
	}
	return out, nil
}
