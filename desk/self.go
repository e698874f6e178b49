package desk

import (
	"cmp"
	"context"
)

// Self is what a desk says of itself.
type Self struct {
	Name    string   `json:"name" maxLength:"80" doc:"As it stands on charts and in editions; Durvek where nobody named it"`
	Licence string   `json:"licence,omitempty" doc:"Of published data, an SPDX name such as CC-BY-4.0"`
	Imprint string   `json:"imprint,omitempty" maxLength:"400" doc:"Who answers for what is published, a line or two"`
	Named   bool     `json:"named,omitempty" readOnly:"true" doc:"Somebody gave it a name"`
	ID      string   `json:"id,omitempty" readOnly:"true" doc:"Tells desks of one name apart, in what they publish"`
	Fixed   []string `json:"fixed,omitempty" readOnly:"true" doc:"What the service was told at its start, and is changed there"`
}

// Keys of settings.
const (
	settingName    = "desk.name"
	settingLicence = "desk.licence"
	settingImprint = "desk.imprint"
	settingID      = "desk.id"
)

// Self is what the desk says of itself now.
func (d *Desk) Self() Self { return *d.self.Load() }

// Name is the desk's.
func (d *Desk) Name() string { return d.self.Load().Name }

// recall reads what the desk says of itself; what the service was told at its start stands.
func (d *Desk) recall(ctx context.Context) error {
	s := Self{}
	for _, x := range []struct {
		to        *string
		told, key string
		what      string
	}{{&s.Name, d.told.Name, settingName, "name"}, {&s.Licence, d.told.Licence, settingLicence, "licence"},
		{&s.Imprint, d.told.Imprint.Imprint, settingImprint, "imprint"}} {
		set, err := d.Store.Setting(ctx, x.key)
		if err != nil {
			return err
		}
		if *x.to = cmp.Or(x.told, set); x.told != "" {
			s.Fixed = append(s.Fixed, x.what)
		}
	}
	var err error
	if s.ID, err = d.Store.Setting(ctx, settingID); err != nil {
		return err
	}
	s.Named = s.Name != ""
	s.Name = cmp.Or(s.Name, "Durvek")
	d.self.Store(&s)
	return nil
}

// Describe sets what the desk says of itself. What the service was told at its start is refused where it differs.
func (d *Desk) Describe(ctx context.Context, s Self, by string) (Self, error) {
	now := d.Self()
	for _, x := range []struct{ is, was, told, flag string }{{s.Name, now.Name, d.told.Name, "--name"},
		{s.Licence, now.Licence, d.told.Licence, "--licence"}, {s.Imprint, now.Imprint, d.told.Imprint.Imprint,
			"--imprint"}} {
		if x.told != "" && x.is != x.was {
			return now, Refuse(Invalid, "the service was started with %s, which stands; change it there", x.flag)
		}
	}
	var recalled error
	err := d.Note(ctx, by, "describe desk", s.Name, "", func(q *Tx) error {
		q.After(func() { recalled = d.recall(ctx) })
		q.After(d.CatalogueChanged) // charts bear its name
		for key, v := range map[string]string{settingName: s.Name, settingLicence: s.Licence, settingImprint: s.Imprint} {
			if err := q.PutSetting(ctx, key, v); err != nil {
				return err
			}
		}
		return nil
	})
	return d.Self(), cmp.Or(err, recalled)
}

// Examples says which made-up rivals a desk holds.
type Examples struct {
	Units []string `json:"units" doc:"Units on the books that are examples"`
	Runs  int      `json:"runs,omitempty" doc:"Runs that were taken in"`
}
