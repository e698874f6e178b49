package books

import (
	"cmp"
	"context"
	"errors"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"durvek/core/record"
	"durvek/desk"
	"durvek/store"
)

// Role is what a person may do at the desk, or a token of theirs.
type Role string

const (
	Reader Role = "reader" // looks at everything and changes nothing
	Editor Role = "editor" // does the whole job
	Owner  Role = "owner"  // also says who else may
)

// Roles lists them, each with all that the ones before it may do.
var Roles = []Role{Reader, Editor, Owner}

// May tells whether a role is enough where another is needed.
func (r Role) May(need Role) bool {
	return slices.Index(Roles, r) >= slices.Index(Roles, need) && slices.Contains(Roles, r)
}

// Person is somebody who works at the desk.
type Person struct {
	Name  string    `json:"name"`
	Role  Role      `json:"role" enum:"reader,editor,owner"`
	Added time.Time `json:"added"`
}

// Kind says what a token is for.
type Kind string

const (
	Session Kind = "session" // the console
	Command Kind = "command" // a person's own command line
	Program Kind = "program"
	Agent   Kind = "agent"
)

// Who is somebody who asks: a person, by console or program, or an agent with its plan.
type Who struct {
	Person string
	Name   string // the token's
	Kind   Kind
	Role   Role // "" for an agent
	Plan   string
}

// By is how a change is signed: the person, and the program that a token was made for.
func (w Who) By() string {
	if w.Kind == Program {
		return w.Person + " (" + w.Name + ")"
	}
	return cmp.Or(w.Person, w.Name)
}

// Present tells whether a person asks who signed in, and no program in their name. Only they say what else lets in: a
// program's token can neither outlast itself nor become more than it is.
func (w Who) Present() bool { return w.Kind == Session || w.Kind == Command }

// present refuses a program where a person must ask.
func (w Who) present() error {
	if w.Present() {
		return nil
	}
	return desk.Refuse(desk.Forbidden, "a program's token makes and ends no tokens or sign-in links; sign in yourself")
}

// thisComputer is the name of the token that the command line uses beside a service.
const thisComputer = "this computer"

// Lives of what lets people in.
const (
	signInLife  = 15 * time.Minute
	sessionLife = 30 * 24 * time.Hour
)

// People lists who works at the desk, the first to come first.
func (d *Books) People(ctx context.Context) ([]Person, error) {
	return everybody(ctx, d.desk.Store.Queries)
}

func everybody(ctx context.Context, q store.Queries) ([]Person, error) {
	rows, err := q.People(ctx)
	out := []Person{}
	for _, p := range rows {
		out = append(out, Person{p.Name, Role(p.Role), p.Added})
	}
	return out, err
}

// find gives the person of a name, in any case of letters.
func find(people []Person, name string) (Person, error) {
	i := slices.IndexFunc(people, func(p Person) bool { return strings.EqualFold(p.Name, name) })
	if i < 0 {
		return Person{}, desk.Refuse(desk.NotFound, "nobody named %q works at this desk", name)
	}
	return people[i], nil
}

// AddPerson takes somebody into the desk.
func (d *Books) AddPerson(ctx context.Context, p Person, by string) (Person, error) {
	p.Name, p.Added = strings.TrimSpace(p.Name), d.desk.Now().UTC()
	if err := checkPerson(p); err != nil {
		return p, err
	}
	return p, d.desk.Note(ctx, by, "add person", p.Name, string(p.Role), func(q *desk.Tx) error {
		people, err := everybody(ctx, q.Queries)
		if err != nil {
			return err
		}
		if _, err := find(people, p.Name); err == nil {
			return desk.Refuse(desk.Conflict, "somebody named %q works here already; choose a name that tells them apart",
				p.Name)
		}
		return q.AddPerson(ctx, store.Person{Name: p.Name, Role: string(p.Role), Added: p.Added})
	})
}

func checkPerson(p Person) error {
	switch {
	case p.Name == "":
		return desk.Refuse(desk.Invalid, "a person needs a name: every change bears it")
	case len(p.Name) > 80:
		return desk.Refuse(desk.Invalid, "a person's name has 80 characters at most")
	case !slices.Contains(Roles, p.Role):
		return desk.Refuse(desk.Invalid, "a person is a reader, an editor or an owner, not %q", p.Role)
	}
	return nil
}

// ChangePerson gives somebody another name or role; what is left empty stays. What they changed before keeps the name
// that it was signed with. One owner stays.
func (d *Books) ChangePerson(ctx context.Context, name string, to Person, by string) (Person, error) {
	var p Person
	return p, d.desk.Note(ctx, by, "change person", name, string(to.Role), func(q *desk.Tx) error {
		people, err := everybody(ctx, q.Queries)
		if err != nil {
			return err
		}
		was, err := find(people, name)
		if err != nil {
			return err
		}
		p = Person{cmp.Or(strings.TrimSpace(to.Name), was.Name), cmp.Or(to.Role, was.Role), was.Added}
		if err := checkPerson(p); err != nil {
			return err
		}
		if _, err := find(people, p.Name); err == nil && !strings.EqualFold(p.Name, was.Name) {
			return desk.Refuse(desk.Conflict, "somebody named %q works here already; choose a name that tells them apart",
				p.Name)
		}
		if p.Role != Owner {
			if err := ownerStays(people, was); err != nil {
				return err
			}
		}
		if p.Name != was.Name { // a link for the old name leads nowhere
			if err := q.DropCodes(ctx, "sign-in", was.Name); err != nil {
				return err
			}
		}
		return q.ChangePerson(ctx, was.Name, store.Person{Name: p.Name, Role: string(p.Role)})
	})
}

func ownerStays(people []Person, gone Person) error {
	if gone.Role == Owner && !slices.ContainsFunc(people, func(p Person) bool {
		return p.Role == Owner && p.Name != gone.Name
	}) {
		return desk.Refuse(desk.Conflict, "%s is the only owner; make somebody else an owner first", gone.Name)
	}
	return nil
}

// DropPerson ends somebody's sign-ins and tokens. What they did stays, with their name.
func (d *Books) DropPerson(ctx context.Context, name, by string) error {
	return d.desk.Note(ctx, by, "drop person", name, "", func(q *desk.Tx) error {
		people, err := everybody(ctx, q.Queries)
		if err != nil {
			return err
		}
		was, err := find(people, name)
		if err == nil {
			err = ownerStays(people, was)
		}
		if err == nil {
			err = q.DropCodes(ctx, "sign-in", was.Name)
		}
		if err == nil {
			_, err = q.DropPerson(ctx, was.Name)
		}
		return err
	})
}

// Journal is who did what at the desk, the newest first, behind a line or from the start, with how many lines there
// are.
func (d *Books) Journal(ctx context.Context, text, after string, offset, limit int) ([]record.Noted, int, error) {
	behind := int64(math.MaxInt64)
	if after != "" {
		var err error
		if behind, err = strconv.ParseInt(after, 10, 64); err != nil {
			return nil, 0, desk.Behind(after, store.ErrNotFound)
		}
	}
	return d.desk.Store.Journal(ctx, text, behind, offset, limit)
}

// LinkFor makes the code of a sign-in link that somebody asks for: for themselves, or as an owner for anybody.
func (d *Books) LinkFor(ctx context.Context, who Who, person string) (code string, whose string, err error) {
	if err := who.present(); err != nil {
		return "", "", err
	}
	whose = cmp.Or(person, who.Person)
	if !strings.EqualFold(whose, who.Person) && who.Role != Owner {
		return "", "", desk.Refuse(desk.Forbidden, "only an owner makes a sign-in link for somebody else")
	}
	code, err = d.SignInCode(ctx, whose)
	return code, whose, err
}

// SignInCode makes the code of a person's one-time sign-in link, or the first owner's where none is named; it holds for
// 15 minutes.
func (d *Books) SignInCode(ctx context.Context, person string) (string, error) {
	code := desk.RandomToken()
	return code, d.desk.Write(ctx, func(q *desk.Tx) error {
		p, err := named(ctx, q.Queries, person)
		if err != nil {
			return err
		}
		return q.AddCode(ctx, desk.Hash(code), "sign-in", p.Name, d.desk.Now(), d.desk.Now().Add(signInLife))
	})
}

// named gives the person of a name, or the first owner.
func named(ctx context.Context, q store.Queries, name string) (Person, error) {
	people, err := everybody(ctx, q)
	if err != nil || name != "" {
		if err != nil {
			return Person{}, err
		}
		return find(people, name)
	}
	for _, p := range people {
		if p.Role == Owner {
			return p, nil
		}
	}
	return Person{}, desk.Refuse(desk.NotFound, "this desk has no owner")
}

// SignIn spends a sign-in code for a token, for the console or a program, and says whose it is.
func (d *Books) SignIn(ctx context.Context, code, name string, kind Kind) (token, person string, err error) {
	token = desk.RandomToken()
	err = d.desk.Write(ctx, func(q *desk.Tx) error {
		whose, err := q.UseCode(ctx, desk.Hash(code), "sign-in", d.desk.Now())
		if known, err := desk.Found(err); err != nil {
			return err
		} else if !known {
			return desk.Refuse(desk.Denied, "this sign-in link is unknown, spent or expired; make a new one")
		}
		p, err := named(ctx, q.Queries, whose)
		if err != nil {
			return err
		}
		person = p.Name
		t := d.newToken(token, name, kind, d.desk.Now().Add(sessionLife))
		t.Person, t.Scope = p.Name, string(Owner)
		return q.AddToken(ctx, t)
	})
	return token, person, err
}

func (d *Books) newToken(token, name string, kind Kind, expires time.Time) store.Token {
	t := store.Token{Hash: desk.Hash(token), Name: name, Kind: string(kind), Created: store.Stamp(d.desk.Now())}
	if !expires.IsZero() {
		t.Expires = store.Stamp(expires)
	}
	return t
}

// NewToken is what a token for a program is to be.
type NewToken struct {
	Name  string `json:"name" doc:"What it is for; changes that come by it bear this name beside the person's"`
	Scope Role   `json:"scope,omitempty" enum:",reader,editor,owner" doc:"The most that it may do: reader, editor or owner; all that the person may if left out"`
	Days  int    `json:"days,omitempty" minimum:"0" maximum:"3650" doc:"Ends after so many days; 0 for never"`
}

// AddToken makes a token by name that lets a program do what its person may, or less, until it ends or is dropped.
func (d *Books) AddToken(ctx context.Context, who Who, n NewToken) (string, error) {
	if err := who.present(); err != nil {
		return "", err
	}
	if n.Name == "" {
		return "", desk.Refuse(desk.Invalid, "a token needs a name, so that it can be dropped later")
	}
	n.Scope = cmp.Or(n.Scope, who.Role)
	if !who.Role.May(n.Scope) {
		return "", desk.Refuse(desk.Forbidden, "%s may make tokens for a role up to %s", who.Person, who.Role)
	}
	var expires time.Time
	if n.Days > 0 {
		expires = d.desk.Now().Add(time.Duration(n.Days) * 24 * time.Hour)
	}
	token := desk.RandomToken()
	return token, d.desk.Note(ctx, who.By(), "add token", n.Name, string(n.Scope), func(q *desk.Tx) error {
		tokens, err := q.Tokens(ctx)
		if err != nil {
			return err
		}
		for _, t := range tokens {
			if t.Name == n.Name && t.Kind == string(Program) && d.holds(t) {
				return desk.Refuse(desk.Conflict, "a token named %q is there already; drop it first or choose another name", n.Name)
			}
		}
		t := d.newToken(token, n.Name, Program, expires)
		t.Person, t.Scope = who.Person, string(n.Scope)
		return q.AddToken(ctx, t)
	})
}

// holds tells whether a token has not expired.
func (d *Books) holds(t store.Token) bool {
	return t.Expires == "" || t.Expires > store.Stamp(d.desk.Now())
}

// LocalToken makes the token that programs on this computer use, replacing the one before. It is the first owner's.
func (d *Books) LocalToken(ctx context.Context) (string, error) {
	token := desk.RandomToken()
	return token, d.desk.Write(ctx, func(q *desk.Tx) error {
		p, err := named(ctx, q.Queries, "")
		if err != nil {
			return err
		}
		tokens, err := q.Tokens(ctx)
		if err != nil {
			return err
		}
		for _, t := range tokens {
			if t.Name == thisComputer && t.Kind == string(Command) {
				if _, err := q.DropToken(ctx, t.Hash); err != nil {
					return err
				}
			}
		}
		t := d.newToken(token, thisComputer, Command, time.Time{})
		t.Person, t.Scope = p.Name, string(Owner)
		return q.AddToken(ctx, t)
	})
}

// DropToken ends a token by its id, or by its name where only one bears it. Who is no owner ends their own alone.
func (d *Books) DropToken(ctx context.Context, who Who, idOrName string) error {
	if err := who.present(); err != nil {
		return err
	}
	return d.desk.Note(ctx, who.By(), "drop token", idOrName, "", func(q *desk.Tx) error {
		tokens, err := q.Tokens(ctx)
		if err != nil {
			return err
		}
		var meant []store.Token
		for _, t := range tokens {
			if (tokenID(t) == idOrName || t.Name == idOrName) && (who.Role == Owner || t.Person == who.Person) {
				meant = append(meant, t)
			}
		}
		switch len(meant) {
		case 0:
			return desk.Refuse(desk.NotFound, "no token %q is known", idOrName)
		case 1:
			_, err = q.DropToken(ctx, meant[0].Hash)
			return err
		}
		return desk.Refuse(desk.Conflict, "%d tokens are named %q; say which by its id", len(meant), idOrName)
	})
}

// SignOut ends the session that a token opened.
func (d *Books) SignOut(ctx context.Context, token string) error {
	return d.desk.Write(ctx, func(q *desk.Tx) error {
		_, err := q.DropToken(ctx, desk.Hash(token))
		return err
	})
}

// tokenID names a token without giving it away: the beginning of its digest.
func tokenID(t store.Token) string { return t.Hash[:min(12, len(t.Hash))] }

// Named is a token as it is listed: never the token itself.
type Named struct {
	ID      string `json:"id" doc:"Names it where two bear one name"`
	Name    string `json:"name"`
	Kind    Kind   `json:"kind" enum:"session,command,program,agent" doc:"session: the console; command: a person's own command line; program: another program; agent: a machine under test, for one plan"`
	Person  string `json:"person,omitempty" doc:"Whose it is"`
	Role    Role   `json:"role,omitempty" enum:",reader,editor,owner" doc:"The most that it may do"`
	Plan    string `json:"plan,omitempty" doc:"Plan that an agent works through"`
	Created string `json:"created"`
	Expires string `json:"expires,omitempty"`
}

// Tokens lists the tokens and sessions that hold: everybody's for an owner, their own for others.
func (d *Books) Tokens(ctx context.Context, who Who) ([]Named, error) {
	tokens, err := d.desk.Store.Tokens(ctx)
	if err != nil {
		return nil, err
	}
	people, err := d.People(ctx)
	out := []Named{}
	for _, t := range tokens {
		if !d.holds(t) || who.Role != Owner && t.Person != who.Person {
			continue
		}
		n := Named{ID: tokenID(t), Name: t.Name, Kind: Kind(t.Kind), Person: t.Person, Plan: t.Plan, Created: t.Created,
			Expires: t.Expires}
		if p, err := find(people, t.Person); err == nil {
			n.Role = least(p.Role, Role(t.Scope))
		}
		out = append(out, n)
	}
	return out, err
}

func least(a, b Role) Role {
	if a.May(b) {
		return b
	}
	return a
}

// Recognise tells who bears a token.
func (d *Books) Recognise(ctx context.Context, token string) (Who, error) {
	t, err := d.desk.Store.FindToken(ctx, desk.Hash(token), d.desk.Now())
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return Who{}, err // the token may well be good
	}
	if err != nil {
		return Who{}, desk.Refuse(desk.Denied, "the token is unknown or expired; sign in again")
	}
	w := Who{Person: t.Person, Name: t.Name, Kind: Kind(t.Kind), Plan: t.Plan}
	if t.Plan != "" {
		return w, nil
	}
	people, err := d.People(ctx)
	if err != nil {
		return Who{}, err
	}
	p, err := find(people, t.Person)
	if err != nil {
		return Who{}, desk.Refuse(desk.Denied, "the token is nobody's any more; sign in again")
	}
	w.Role = least(p.Role, Role(t.Scope))
	return w, nil
}
