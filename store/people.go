package store

import (
	"context"
	"time"
)

// Person is somebody who works at the desk.
type Person struct {
	Name, Role string
	Added      time.Time
}

var people = table[Person]{name: "person", parts: func(p *Person) []part {
	return []part{{"name", &p.Name}, {"role", &p.Role}, {"added", moment{&p.Added}}}
}}

// People lists everybody, the first to come first.
func (q Queries) People(ctx context.Context) ([]Person, error) {
	return people.list(ctx, q, `order by added, name`)
}

// AddPerson adds somebody; the name must be new.
func (q Queries) AddPerson(ctx context.Context, p Person) error { return people.insert(ctx, q, &p) }

// ChangePerson gives somebody another name or role; tokens follow.
func (q Queries) ChangePerson(ctx context.Context, name string, p Person) error {
	return q.exec(ctx, `update person set name = ?, role = ? where name = ?`, p.Name, p.Role, name)
}

// DropPerson removes somebody with every token and sign-in; false if there is none.
func (q Queries) DropPerson(ctx context.Context, name string) (bool, error) {
	return q.changed(ctx, `delete from person where name = ?`, name)
}

// Token is a bearer's right, kept only as a hash: a person's, or an agent's for one plan.
type Token struct {
	Hash, Name, Kind, Plan string
	Person, Scope          string
	Created, Expires       string
}

var tokens = table[Token]{name: "token", parts: func(t *Token) []part {
	return []part{{"hash", &t.Hash}, {"name", &t.Name}, {"kind", &t.Kind}, {"plan", null{&t.Plan}},
		{"person", null{&t.Person}}, {"scope", null{&t.Scope}}, {"created", &t.Created}, {"expires", null{&t.Expires}}}
}}

// AddToken adds a token.
func (q Queries) AddToken(ctx context.Context, t Token) error { return tokens.insert(ctx, q, &t) }

// FindToken finds a token that has not expired.
func (q Queries) FindToken(ctx context.Context, hash string, now time.Time) (Token, error) {
	return tokens.one(ctx, q, `where hash = ? and coalesce(expires, '9999') > ?`, hash, Stamp(now))
}

// Tokens lists all tokens, those of agents and the console's sessions too, the newest first.
func (q Queries) Tokens(ctx context.Context) ([]Token, error) {
	return tokens.list(ctx, q, `order by created desc, name, hash`)
}

// DropToken removes a token by its hash; it returns false if there is none.
func (q Queries) DropToken(ctx context.Context, hash string) (bool, error) {
	return q.changed(ctx, `delete from token where hash = ?`, hash)
}

// DropPlanTokens ends every token of a plan's agents.
func (q Queries) DropPlanTokens(ctx context.Context, plan string) error {
	return q.exec(ctx, `delete from token where plan = ?`, plan)
}

// EndPlanTokens has the tokens of a plan's agents end at a time, unless they end before.
func (q Queries) EndPlanTokens(ctx context.Context, plan string, at time.Time) error {
	return q.exec(ctx, `update token set expires = min(coalesce(expires, '9999'), ?) where plan = ?`, Stamp(at), plan)
}

// AddCode adds a one-time code for a plan or a person, and forgets those that have expired.
func (q Queries) AddCode(ctx context.Context, hash, purpose, whose string, now, expires time.Time) error {
	if err := q.exec(ctx, `delete from code where expires <= ?`, Stamp(now.Add(-24*time.Hour))); err != nil {
		return err
	}
	return q.exec(ctx, `insert into code (hash, purpose, whose, created, expires) values (?,?,?,?,?)`, hash, purpose,
		nullable(whose), Stamp(now), Stamp(expires))
}

// UseCode spends a one-time code and returns whose it is. It returns ErrNotFound if the code is unknown, spent or
// expired.
func (q Queries) UseCode(ctx context.Context, hash, purpose string, now time.Time) (whose string, err error) {
	fresh, err := q.changed(ctx, `update code set used = ? where hash = ? and purpose = ? and used is null
		and expires > ?`, Stamp(now), hash, purpose, Stamp(now))
	if err != nil {
		return "", err
	}
	if !fresh {
		return "", ErrNotFound
	}
	return one(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select coalesce(whose, '') from code where hash = ?`, hash)
}

// Code tells whose a one-time code is that is not spent; ErrNotFound if it is unknown, spent or expired.
func (q Queries) Code(ctx context.Context, hash, purpose string, now time.Time) (whose string, err error) {
	return one(ctx, q, func(r row, s *string) error { return r.Scan(s) }, `select coalesce(whose, '') from code
		where hash = ? and purpose = ? and used is null and expires > ?`, hash, purpose, Stamp(now))
}

// TurnCode makes a code one for another purpose.
func (q Queries) TurnCode(ctx context.Context, hash, from, to, whose string) error {
	return q.exec(ctx, `update code set purpose = ?, whose = ? where hash = ? and purpose = ?`, to, whose, hash, from)
}

// DropCodes ends the codes of a purpose that are somebody's or some plan's.
func (q Queries) DropCodes(ctx context.Context, purpose, whose string) error {
	return q.exec(ctx, `delete from code where purpose = ? and whose = ?`, purpose, whose)
}
