package store

import (
	"context"
	"time"
)

// Answered is an answer that was given to a request with a key of its own (draft-ietf-httpapi-idempotency-key-header).
type Answered struct {
	Person, Key string
	Request     string // digest of what was asked
	At          time.Time
	Status      int
	Media       string
	Place       string // of what was made
	Body        []byte
}

var answers = table[Answered]{name: "answered", parts: func(a *Answered) []part {
	return []part{{"person", &a.Person}, {"key", &a.Key}, {"request", &a.Request}, {"at", moment{&a.At}},
		{"status", &a.Status}, {"media", &a.Media}, {"place", &a.Place}, {"body", &a.Body}}
}}

// KeepAnswer keeps an answer and forgets those of before a time.
func (q Queries) KeepAnswer(ctx context.Context, a Answered, forget time.Time) error {
	if err := q.exec(ctx, `delete from answered where at < ?`, Stamp(forget)); err != nil {
		return err
	}
	return answers.insert(ctx, q, &a)
}

// AnswerTo finds the answer that somebody got under a key.
func (q Queries) AnswerTo(ctx context.Context, person, key string) (Answered, error) {
	return answers.one(ctx, q, `where person = ? and key = ?`, person, key)
}
