package main

import (
	"bytes"
	"debug/buildinfo"
	"fmt"
	"maps"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	cdx "github.com/CycloneDX/cyclonedx-go"
	"github.com/google/uuid"

	"durvek/internal/lockfile"
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
	pages, err := lockfile.Packages(filepath.Join(r.root, "web/package-lock.json"))
	if err != nil {
		return err
	}
	for _, p := range pages {
		add("console", p.Name, p.Version, "pkg:npm/"+strings.ReplaceAll(p.Name, "@", "%40")+"@"+p.Version, p.License)
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
