package desk

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"sort"
	"time"

	"durvek/core/quantity"
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

func randomToken() string {
	b := make([]byte, 32)
	rand.Read(b)
	return base64.RawURLEncoding.EncodeToString(b)
}

// hash is how codes and tokens are kept: they are random and long, so a plain digest is enough.
func hash(s string) string {
	sum := sha256.Sum256([]byte(s))
	return hex.EncodeToString(sum[:])
}

// SignInCode makes the code of a one-time sign-in link; it holds for 15 minutes.
func (d *Desk) SignInCode(ctx context.Context) (string, error) {
	code := randomToken()
	return code, d.store.Write(ctx, func(q store.Queries) error {
		return q.AddCode(ctx, hash(code), "sign-in", "", d.now(), d.now().Add(signInLife))
	})
}

// SignIn spends a sign-in code for a token: role "session" for the console, "owner" for programs.
func (d *Desk) SignIn(ctx context.Context, code, name, role string) (string, error) {
	token := randomToken()
	err := d.store.Write(ctx, func(q store.Queries) error {
		if _, err := q.UseCode(ctx, hash(code), "sign-in", d.now()); err != nil {
			return refuse(Denied, "this sign-in link is unknown, spent or expired; print a new one with `durvek sign-in link`")
		}
		return q.AddToken(ctx, d.newToken(token, name, role, d.now().Add(sessionLife)))
	})
	return token, err
}

func (d *Desk) newToken(token, name, role string, expires time.Time) store.Token {
	t := store.Token{Hash: hash(token), Name: name, Role: role, Created: d.now().UTC().Format(time.RFC3339)}
	if !expires.IsZero() {
		t.Expires = expires.UTC().Format(time.RFC3339)
	}
	return t
}

// AddToken makes a token by name that lets a program do everything until it is dropped.
func (d *Desk) AddToken(ctx context.Context, name string) (string, error) {
	if name == "" {
		return "", refuse(Invalid, "a token needs a name, so that it can be dropped later")
	}
	token := randomToken()
	return token, d.store.Write(ctx, func(q store.Queries) error {
		tokens, err := q.Tokens(ctx)
		if err != nil {
			return err
		}
		for _, t := range tokens {
			if t.Name == name && t.Role == "owner" {
				return refuse(Conflict, "a token named %q is there already; drop it first or choose another name", name)
			}
		}
		return q.AddToken(ctx, d.newToken(token, name, "owner", time.Time{}))
	})
}

// LocalToken makes the token that programs on this computer use, replacing the one before.
func (d *Desk) LocalToken(ctx context.Context) (string, error) {
	const name = "this computer"
	if err := d.DropToken(ctx, name); err != nil && !isKind(err, NotFound) {
		return "", err
	}
	return d.AddToken(ctx, name)
}

func isKind(err error, k Kind) bool {
	e, ok := err.(*Error)
	return ok && e.Kind == k
}

// DropToken ends a token by its name, or a session by its token.
func (d *Desk) DropToken(ctx context.Context, nameOrHash string) error {
	return d.store.Write(ctx, func(q store.Queries) error {
		dropped, err := q.DropToken(ctx, nameOrHash)
		if err == nil && !dropped {
			err = refuse(NotFound, "no token %q is known", nameOrHash)
		}
		return err
	})
}

// SignOut ends the session that a token opened.
func (d *Desk) SignOut(ctx context.Context, token string) error {
	return d.DropToken(ctx, hash(token))
}

// Named is a token as it is listed: never the token itself.
type Named struct {
	Name    string `json:"name"`
	Role    string `json:"role"`
	Created string `json:"created"`
	Expires string `json:"expires,omitempty"`
}

// Tokens lists the tokens that are valid.
func (d *Desk) Tokens(ctx context.Context) ([]Named, error) {
	tokens, err := d.store.Tokens(ctx)
	out := []Named{}
	for _, t := range tokens {
		out = append(out, Named{t.Name, t.Role, t.Created, t.Expires})
	}
	return out, err
}

// Recognise tells who bears a token.
func (d *Desk) Recognise(ctx context.Context, token string) (Who, error) {
	t, err := d.store.FindToken(ctx, hash(token), d.now())
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return Who{}, err // the token may well be good
	}
	if err != nil {
		return Who{}, refuse(Denied, "the token is unknown or expired; sign in again")
	}
	return Who{Name: t.Name, Role: t.Role, Plan: t.Plan}, nil
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

func unitCode(name string) (string, error) {
	u, err := quantity.LookUp(name)
	if err != nil {
		return name, fmt.Errorf("unit: %w", err)
	}
	return u.Code, nil
}
