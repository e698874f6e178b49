package service

import (
	"cmp"
	"context"
	"crypto/rand"
	"fmt"
	"math/big"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"

	"github.com/gofiber/fiber/v2"
	"github.com/google/uuid"

	"durvek/api"
	"durvek/desk"
	"durvek/desk/books"
)

// How long somebody may wait to be let in, and how many at once: in all, and from one address.
const (
	entryLife = 15 * time.Minute
	mostWait  = 20
	mostFrom  = 3
)

// petition is somebody who asks, by the hash of the secret that they hold.
type petition struct {
	api.Entry
	secret string
	state  api.EntryState
	code   string // given once
}

// entries are those who ask to be let in. They are held in memory alone: who asked before a restart asks again.
type entries struct {
	mu   sync.Mutex
	list []*petition
	now  func() time.Time
}

type fromKey struct{}

// fromWhere keeps the address of who asks, for those who are not signed in.
func fromWhere(c *fiber.Ctx) error {
	c.SetUserContext(context.WithValue(c.UserContext(), fromKey{}, asker(c)))
	return c.Next()
}

// expire forgets those whose time is over; mu is held.
func (e *entries) expire() {
	e.list = slices.DeleteFunc(e.list, func(x *petition) bool { return e.now().Sub(x.At) >= entryLife })
}

// ask notes somebody who asks.
func (e *entries) ask(name, from string) (api.EntryAsked, error) {
	name = strings.TrimSpace(name)
	if name == "" || strings.ContainsFunc(name, unicode.IsControl) {
		return api.EntryAsked{}, desk.Refuse(desk.Invalid, "say your name, so that an owner knows who asks")
	}
	n, err := rand.Int(rand.Reader, big.NewInt(10_000))
	if err != nil {
		return api.EntryAsked{}, err
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	e.expire()
	here := 0
	for _, x := range e.list {
		if x.From == from {
			here++
		}
	}
	if len(e.list) >= mostWait || here >= mostFrom {
		return api.EntryAsked{}, desk.Refuse(desk.Conflict,
			"%d ask to be let in already; wait until an owner has answered, or "+
				"some minutes", max(here, len(e.list)))
	}
	asked := api.EntryAsked{Secret: desk.RandomToken(), Number: fmt.Sprintf("%04d", n)}
	e.list = append(e.list, &petition{Entry: api.Entry{ID: uuid.NewString(), Name: name, Number: asked.Number, From: from,
		At: e.now()}, secret: desk.Hash(asked.Secret), state: api.EntryWaits})
	return asked, nil
}

// answer says what became of it. Who was let in or turned away is told once.
func (e *entries) answer(secret string) (api.EntryAnswered, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.expire()
	i := slices.IndexFunc(e.list, func(x *petition) bool { return x.secret == desk.Hash(secret) })
	if i < 0 {
		return api.EntryAnswered{}, desk.Refuse(desk.Denied, "nobody waits with this any more; ask again")
	}
	x := e.list[i]
	if x.state != api.EntryWaits {
		e.list = slices.Delete(e.list, i, i+1)
	}
	return api.EntryAnswered{State: x.state, Code: x.code}, nil
}

// waiting lists those who wait, the first to come first.
func (e *entries) waiting() []api.Entry {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.expire()
	out := []api.Entry{}
	for _, x := range e.list {
		if x.state == api.EntryWaits {
			out = append(out, x.Entry)
		}
	}
	return out
}

// settle answers one who waits, by the id or the number; make gives the code where they are let in.
func (e *entries) settle(id string, to api.EntryState, make func(api.Entry) (string, error)) (api.Entry, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.expire()
	i := slices.IndexFunc(e.list, func(x *petition) bool {
		return x.state == api.EntryWaits && (x.ID == id || x.Number == id)
	})
	if i < 0 {
		return api.Entry{}, desk.Refuse(desk.NotFound, "nobody waits to be let in as %q; the list of all names them", id)
	}
	x := e.list[i]
	code, err := make(x.Entry)
	if err == nil {
		x.state, x.code = to, code
	}
	return x.Entry, err
}

// entryRoutes are those by which somebody is let in; every step stands in the security log.
func (s *Service) entryRoutes() {
	e := s.entries
	serve(s, api.AskEntry, func(ctx context.Context, in *api.Body[api.EntryNote]) (api.EntryAsked, error) {
		from, _ := ctx.Value(fromKey{}).(string)
		out, err := e.ask(in.Body.Name, from)
		if err == nil {
			security("asked to be let in", "name", printable(in.Body.Name), "number", out.Number, "from", from)
			s.desk.Desk.Events.Send(desk.Event{Name: "entry", Data: map[string]string{}})
		}
		return out, err
	})
	serve(s, api.EntryAnswer, func(_ context.Context, in *api.Body[api.EntrySecret]) (api.EntryAnswered, error) {
		return e.answer(in.Body.Secret)
	})
	all(s, api.Entries, func(context.Context) ([]api.Entry, error) { return e.waiting(), nil })
	serve(s, api.Admit, func(ctx context.Context, in *api.Admitting) (api.Entry, error) {
		x, err := e.settle(in.Slug, api.EntryLetIn, func(x api.Entry) (string, error) { return s.admit(ctx, x, in.Body) })
		if err == nil {
			security("let in", "name", printable(x.Name), "person", cmp.Or(in.Body.Person, printable(x.Name)), "from", x.From,
				"by",
				by(ctx))
		}
		return x, err
	})
	serve(s, api.TurnAway, func(ctx context.Context, in *api.Slugged) (api.None, error) {
		x, err := e.settle(in.Slug, api.EntryTurned, func(api.Entry) (string, error) { return "", nil })
		if err == nil {
			security("turned away", "name", printable(x.Name), "from", x.From, "by", by(ctx))
		}
		return api.None{}, err
	})
}

// admit makes the sign-in code of whom somebody is let in as; somebody new is added where a role is given.
func (s *Service) admit(ctx context.Context, x api.Entry, as api.Admission) (string, error) {
	d, name := s.desk.Books, cmp.Or(as.Person, x.Name)
	if as.Role != "" {
		p, err := d.AddPerson(ctx, books.Person{Name: name, Role: as.Role}, by(ctx))
		if err != nil {
			return "", err
		}
		name = p.Name
	}
	code, _, err := d.LinkFor(ctx, who(ctx), name)
	return code, err
}
