package agent

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
)

// session is what lets an agent go on after it was ended.
type session struct {
	Server string `json:"server"`
	Token  string `json:"token"`
}

// join spends the code, or goes on with the session on disk. The secret of a new session is on disk before its code is
// spent, beside an older session, which is given up only once the new one stands.
func (w *worker) join(ctx context.Context) error {
	path, begun := filepath.Join(w.Dir, "session.json"), filepath.Join(w.Dir, "joining.json")
	m, err := w.Machine.Describe(ctx)
	if err != nil {
		return err
	}
	clock := w.Machine.Now()
	m.Clock = &clock
	w.machine = m
	stands := func(token string) error { // another plan's journal says nothing of this one
		w.joined.Token = token
		os.Remove(filepath.Join(w.Dir, "journal.jsonl"))
		return os.Rename(begun, path)
	}
	if w.Code != "" {
		secret := make([]byte, 32)
		rand.Read(secret)
		s := session{w.Server, base64.RawURLEncoding.EncodeToString(secret)}
		if err := writeWhole(begun, s); err != nil {
			return fmt.Errorf("no results can be kept in %s: %w", w.Dir, err)
		}
		waiting, stop := context.WithTimeoutCause(ctx, w.Wait, errWaited)
		defer stop()
		err := w.patiently(waiting, "The service is not there yet; it is waited for.", func() (err error) {
			w.joined, err = w.Service.Join(ctx, w.Code, s.Token, m)
			return err
		})
		switch {
		case err == nil:
			return stands(s.Token)
		case errors.Is(err, ErrRefused):
			os.Remove(begun)
		}
		return err
	}
	rejoin := func(s session) error {
		return w.patiently(ctx, away, func() (err error) {
			w.joined, err = w.Service.Rejoin(ctx, s.Token, m)
			w.joined.Token = s.Token
			return err
		})
	}
	if s, err := readSession(begun); err == nil { // ended while it joined
		if err := rejoin(s); err == nil {
			return stands(s.Token)
		} else if !errors.Is(err, ErrRefused) {
			return err
		}
		os.Remove(begun)
	}
	s, err := readSession(path)
	if err != nil {
		return err
	}
	return rejoin(s)
}

func readSession(path string) (s session, err error) {
	b, err := os.ReadFile(path)
	if err != nil {
		return s, fmt.Errorf("there is no plan to go on with in %s; give a code from `durvek plan code`", filepath.Dir(path))
	}
	if err := json.Unmarshal(b, &s); err != nil {
		return s, fmt.Errorf("%s is damaged: %w", path, err)
	}
	return s, nil
}

// KeptServer tells which service the plan kept in dir belongs to.
func KeptServer(dir string) (string, error) {
	s, err := readSession(filepath.Join(dir, "joining.json"))
	if err != nil {
		s, err = readSession(filepath.Join(dir, "session.json"))
	}
	return s.Server, err
}

// errWaited ends the waiting for a service that does not come.
var errWaited = errors.New("the service did not come")
