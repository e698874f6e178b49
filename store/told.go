package store

import (
	"context"
	"time"
)

// Hook is another program that is told what happens.
type Hook struct {
	ID, URL, Secret string
	Kinds           []string // of messages, at least one
	Note            string
	Off             string // why it is told no more; "" while it is
	Added           time.Time
	By              string
}

var hooks = table[Hook]{name: "hook", key: []string{"id"}, parts: func(h *Hook) []part {
	return []part{{"id", &h.ID}, {"url", &h.URL}, {"secret", &h.Secret}, {"kinds", column[[]string]{&h.Kinds}}, {"note",
		&h.Note},
		{"off", &h.Off}, {"added", moment{&h.Added}}, {"by_whom", &h.By}}
}}

// Message is one thing that a program is told. Due is zero for at once, Ended nil until it was told or given up.
type Message struct {
	ID         int64
	Hook, Kind string
	Body       string // JSON
	Made       time.Time
	Tries      int
	Due        time.Time
	Ended      *time.Time
	Answer     string // what came back last, or why nothing did
}

var messages = table[Message]{name: "message", key: []string{"id"}, parts: func(m *Message) []part {
	return []part{{"id", &m.ID}, {"hook", &m.Hook}, {"kind", &m.Kind}, {"body", &m.Body}, {"made", moment{&m.Made}},
		{"tries", &m.Tries}, {"due", moment{&m.Due}}, {"ended", maybe{&m.Ended}}, {"answer", &m.Answer}}
}}

// Hooks lists the programs that are told, the first to come first.
func (q Queries) Hooks(ctx context.Context) ([]Hook, error) {
	return hooks.list(ctx, q, `order by added, id`)
}

// PutHook adds or changes one.
func (q Queries) PutHook(ctx context.Context, h Hook) error { return hooks.put(ctx, q, &h) }

// DropHook removes one with all that it was to be told, and says whether it was there.
func (q Queries) DropHook(ctx context.Context, id string) (bool, error) {
	return q.changed(ctx, `delete from hook where id = ?`, id)
}

// Messages lists what a program is and was told, the newest first.
func (q Queries) Messages(ctx context.Context, hook string, most int) ([]Message, error) {
	return messages.list(ctx, q, `where hook = ? order by id desc limit ?`, hook, most)
}

// NextMessages gives of every program that is told the first message that it has not had.
func (q Queries) NextMessages(ctx context.Context) ([]Message, error) {
	return messages.list(ctx, q, `where id in (select min(m.id) from message m join hook h on h.id = m.hook
		where m.ended is null and h.off = '' group by m.hook)`)
}

// MessagesWaiting counts what a program has not had yet.
func (q Queries) MessagesWaiting(ctx context.Context, hook string) (int, error) {
	return q.count(ctx, `select count(*) from message where hook = ? and ended is null`, hook)
}

// Tell has all programs that are told of a kind told something.
func (q Queries) Tell(ctx context.Context, kind, body string, made time.Time) error {
	return q.exec(ctx, `insert into message (hook, kind, body, made, due) select id, ?, ?, ?, ? from hook
		where off = '' and instr(kinds, ?) > 0`, kind, body, Stamp(made), Stamp(time.Time{}), JSON(kind))
}

// MessageAt writes how far a message is; of one that went with its program nothing is written.
func (q Queries) MessageAt(ctx context.Context, m Message) error {
	return q.exec(ctx, `update message set tries = ?, due = ?, ended = ?, answer = ? where id = ?`, m.Tries,
		moment{&m.Due},
		maybe{&m.Ended}, m.Answer, m.ID)
}

// EndHook has a program told no more, for a reason.
func (q Queries) EndHook(ctx context.Context, id, why string) error {
	return q.exec(ctx, `update hook set off = ? where id = ?`, why, id)
}

// TrimMessages forgets of what a program was told all but the newest.
func (q Queries) TrimMessages(ctx context.Context, hook string, most int) error {
	return q.exec(ctx, `delete from message where hook = ? and ended is not null and id <= coalesce((select id from message
		where hook = ? and ended is not null order by id desc limit 1 offset ?), 0)`, hook, hook, most)
}
