package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
)

// parts are the kinds that are measured in a host, never by themselves.
var parts = []catalog.Kind{"drive", "processor", "board", "memory", "graphics-card", "enclosure", "hub", "dock"}

// CheckPlace says what is wrong with a subject, host and setup, all at once, and of which kind the subject is ("" where
// it is not known). The error is one of reading alone.
func (d *Desk) CheckPlace(ctx context.Context, unit, host, setup string) (kind catalog.Kind, wrong []string,
	err error) {
	if kind, err = d.KindOf(ctx, unit); Refused(err, NotFound) {
		wrong, err = append(wrong, fmt.Sprintf("no unit %q is known", unit)), nil
	} else if err != nil {
		return "", nil, err
	}
	if host != "" {
		known, err := d.KnownHost(ctx, host)
		if err != nil {
			return "", nil, err
		}
		if !known {
			wrong = append(wrong, fmt.Sprintf("no unit or rig %q is known to be the host", host))
		}
	} else if NeedsHost(kind) {
		wrong = append(wrong, fmt.Sprintf("a %s is measured in a host: name the unit or rig it sat in", kind))
	}
	_, err = d.Store.Setup(ctx, setup)
	known, err := Found(err)
	if err != nil {
		return "", nil, err
	}
	if !known {
		wrong = append(wrong, fmt.Sprintf("no setup %q is known", setup))
	}
	return kind, wrong, nil
}

// NeedsHost tells whether a kind is measured in a host.
func NeedsHost(k catalog.Kind) bool { return slices.Contains(parts, k) }

// KindOf tells of which kind a unit is.
func (d *Desk) KindOf(ctx context.Context, unit string) (catalog.Kind, error) {
	u, err := d.Store.Unit(ctx, unit)
	if err != nil {
		return "", Missing(err, "unit", unit)
	}
	v, err := d.Store.Variant(ctx, u.Variant)
	if err != nil {
		return "", err
	}
	m, err := d.Store.Model(ctx, v.Model)
	return m.Kind, err
}

// KnownHost tells whether a unit or a rig bears the name.
func (d *Desk) KnownHost(ctx context.Context, host string) (bool, error) {
	_, err := d.Store.Unit(ctx, host)
	if known, err := Found(err); known || err != nil {
		return known, err
	}
	return d.Store.HasRig(ctx, host)
}

// KnownOwn refuses a condition of the desk's own that nobody has added.
func (d *Desk) KnownOwn(ctx context.Context, key string) error {
	if !strings.HasPrefix(key, method.OwnCondition) {
		return nil
	}
	own, err := d.Store.Conditions(ctx)
	if err != nil || slices.ContainsFunc(own, func(c method.ConditionKey) bool { return c.Key == key }) {
		return err
	}
	return Refuse(Invalid, "no condition %q is known; add it to the desk's own conditions first", key)
}
