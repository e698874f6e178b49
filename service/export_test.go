package service

import (
	"time"

	"durvek/api"
)

// Entries are those who ask to be let in, by a clock of a test's own.
type Entries struct{ entries }

func NewEntries(now func() time.Time) *Entries { return &Entries{entries{now: now}} }

func (e *Entries) Ask(name, from string) (api.EntryAsked, error) { return e.ask(name, from) }

func (e *Entries) Waiting() []api.Entry { return e.waiting() }

// Answer says what became of who asked.
func (e *Entries) Answer(secret string) (api.EntryAnswered, error) { return e.answer(secret) }
