package books

import (
	"context"
	"errors"
	"time"

	"durvek/desk"
	"durvek/store"
)

// Who is somebody who asks: the owner (by console or token), or an agent with its plan.
type Who struct {
	Name string
	Role string // owner, session or agent
	Plan string
}

// Owner tells whether they may do everything.
func (w Who) Owner() bool { return w.Role == "owner" || w.Role == "session" }

// Lives of what lets people in.
const (
	signInLife  = 15 * time.Minute
	sessionLife = 30 * 24 * time.Hour
)

// SignInCode makes the code of a one-time sign-in link; it holds for 15 minutes.
func (d *Books) SignInCode(ctx context.Context) (string, error) {
	code := desk.RandomToken()
	return code, d.desk.Write(ctx, func(q *desk.Tx) error {
		return q.AddCode(ctx, desk.Hash(code), "sign-in", "", d.desk.Now(), d.desk.Now().Add(signInLife))
	})
}

// SignIn spends a sign-in code for a token: role "session" for the console, "owner" for programs.
func (d *Books) SignIn(ctx context.Context, code, name, role string) (string, error) {
	token := desk.RandomToken()
	err := d.desk.Write(ctx, func(q *desk.Tx) error {
		_, err := q.UseCode(ctx, desk.Hash(code), "sign-in", d.desk.Now())
		if known, err := desk.Found(err); err != nil {
			return err
		} else if !known {
			return desk.Refuse(desk.Denied, "this sign-in link is unknown, spent or expired; make a new one")
		}
		return q.AddToken(ctx, d.newToken(token, name, role, d.desk.Now().Add(sessionLife)))
	})
	return token, err
}

func (d *Books) newToken(token, name, role string, expires time.Time) store.Token {
	t := store.Token{Hash: desk.Hash(token), Name: name, Role: role, Created: d.desk.Now().UTC().Format(time.RFC3339)}
	if !expires.IsZero() {
		t.Expires = expires.UTC().Format(time.RFC3339)
	}
	return t
}

// AddToken makes a token by name that lets a program do everything until it is dropped.
func (d *Books) AddToken(ctx context.Context, name string) (string, error) {
	if name == "" {
		return "", desk.Refuse(desk.Invalid, "a token needs a name, so that it can be dropped later")
	}
	token := desk.RandomToken()
	return token, d.desk.Write(ctx, func(q *desk.Tx) error {
		tokens, err := q.Tokens(ctx)
		if err != nil {
			return err
		}
		for _, t := range tokens {
			if t.Name == name && t.Role == "owner" {
				return desk.Refuse(desk.Conflict, "a token named %q is there already; drop it first or choose another name", name)
			}
		}
		return q.AddToken(ctx, d.newToken(token, name, "owner", time.Time{}))
	})
}

// LocalToken makes the token that programs on this computer use, replacing the one before.
func (d *Books) LocalToken(ctx context.Context) (string, error) {
	const name = "this computer"
	if err := d.DropToken(ctx, name); err != nil && !desk.Refused(err, desk.NotFound) {
		return "", err
	}
	return d.AddToken(ctx, name)
}

// DropToken ends a token by its name, or a session by its token.
func (d *Books) DropToken(ctx context.Context, nameOrHash string) error {
	return d.desk.Write(ctx, func(q *desk.Tx) error {
		dropped, err := q.DropToken(ctx, nameOrHash)
		if err == nil && !dropped {
			err = desk.Refuse(desk.NotFound, "no token %q is known", nameOrHash)
		}
		return err
	})
}

// SignOut ends the session that a token opened.
func (d *Books) SignOut(ctx context.Context, token string) error {
	return d.DropToken(ctx, desk.Hash(token))
}

// Named is a token as it is listed: never the token itself.
type Named struct {
	Name    string `json:"name"`
	Role    string `json:"role"`
	Created string `json:"created"`
	Expires string `json:"expires,omitempty"`
}

// Tokens lists the tokens that are valid.
func (d *Books) Tokens(ctx context.Context) ([]Named, error) {
	tokens, err := d.desk.Store.Tokens(ctx)
	out := []Named{}
	for _, t := range tokens {
		out = append(out, Named{t.Name, t.Role, t.Created, t.Expires})
	}
	return out, err
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
	return Who{Name: t.Name, Role: t.Role, Plan: t.Plan}, nil
}
