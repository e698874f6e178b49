package service_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"durvek/api"
	"durvek/client"
	"durvek/desk/books"
	"durvek/service"
)

// Somebody who is signed in nowhere asks, an owner answers, and the code is given to who asked, once.
func TestWhoAsksIsLetInByAnOwnerAlone(t *testing.T) {
	r := start(t)
	stranger := client.New(r.c.Server, "")
	asks := func(name string) api.EntryAsked {
		t.Helper()
		out, err := client.Ask(background, stranger, api.AskEntry, api.With(api.EntryNote{Name: name}))
		must(t, err)
		return out
	}
	became := func(a api.EntryAsked) (api.EntryAnswered, error) {
		return client.Ask(background, stranger, api.EntryAnswer, api.With(api.EntrySecret{Secret: a.Secret}))
	}
	is := func(a api.EntryAsked, want api.EntryState) string {
		t.Helper()
		out, err := became(a)
		if err != nil || out.State != want || (out.Code != "") != (want == api.EntryLetIn) {
			t.Errorf("%+v, %v; wanted %s", out, err, want)
		}
		return out.Code
	}
	first, second, third := asks("  Ines "), asks("Nobody"), asks("Odo")
	if len(first.Number) != 4 || len(first.Secret) < 40 {
		t.Errorf("%+v", first)
	}
	if _, err := client.Ask(background, stranger, api.AskEntry, api.With(api.EntryNote{Name: "A fourth"})); err == nil ||
		!strings.Contains(err.Error(), "3 ask to be let in already") {
		t.Errorf("a fourth of one address: %v", err)
	}
	if _, err := client.Ask(background, stranger, api.AskEntry, api.With(api.EntryNote{Name: " "})); err == nil {
		t.Error("somebody without a name asks")
	}
	is(first, api.EntryWaits)
	list := ask(r, api.Entries, api.None{})
	if len(list) != 3 || list[0].Name != "Ines" || list[0].Number != first.Number || list[0].From != "127.0.0.1" {
		t.Fatalf("%+v", list)
	}
	if _, err := client.Ask(background, stranger, api.Entries, api.None{}); err == nil {
		t.Error("a stranger sees who asks")
	}
	admit := func(c *client.Client, id string, as api.Admission) error {
		_, err := client.Ask(background, c, api.Admit, api.Admitting{Slugged: api.Slugged{Slug: id}, Body: as})
		return err
	}
	if err := admit(stranger, list[0].ID, api.Admission{Role: books.Owner}); err == nil {
		t.Fatal("a stranger lets somebody in")
	}
	// Nobody of that name works here: she stays waiting until she is let in as somebody new.
	if err := admit(r.c, list[0].ID, api.Admission{}); err == nil {
		t.Error("let in as somebody who does not work here")
	}
	is(first, api.EntryWaits)
	must(t, admit(r.c, first.Number, api.Admission{Role: books.Editor}))
	if err := admit(r.c, list[0].ID, api.Admission{}); err == nil {
		t.Error("let in twice")
	}
	if list := ask(r, api.Entries, api.None{}); len(list) != 2 || list[0].Name != "Nobody" {
		t.Errorf("who waits while one was let in: %+v", list)
	}
	code := is(first, api.EntryLetIn)
	if _, err := became(first); err == nil {
		t.Error("the code is given twice")
	}
	token, err := client.Ask(background, stranger, api.SignIn, api.With(api.Code{Code: code}))
	must(t, err)
	ines := client.New(r.c.Server, token.Token)
	if me, err := client.Ask(background, ines, api.WhoAmI, api.None{}); err != nil || me.Name != "Ines" ||
		me.Role != books.Editor {
		t.Errorf("%+v, %v", me, err)
	}
	if err := admit(ines, second.Number, api.Admission{Person: "Ines"}); err == nil {
		t.Error("an editor lets somebody in")
	}
	ask(r, api.TurnAway, api.Slugged{Slug: list[1].ID})
	is(second, api.EntryTurned)
	must(t, admit(r.c, third.Number, api.Admission{Person: "Ines"}))
	is(third, api.EntryLetIn)
	if list := ask(r, api.Entries, api.None{}); len(list) != 0 {
		t.Errorf("%+v", list)
	}
}

func TestAskingToBeLetInEnds(t *testing.T) {
	now := time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)
	e := service.NewEntries(func() time.Time { return now })
	for i := range 20 {
		if _, err := e.Ask("N", fmt.Sprint(i/3)); err != nil {
			t.Fatal(i, err)
		}
	}
	if _, err := e.Ask("N", "another"); err == nil {
		t.Error("21 wait")
	}
	if _, err := e.Answer("guessed"); err == nil {
		t.Error("a guess is answered")
	}
	now = now.Add(15*time.Minute - time.Second)
	if len(e.Waiting()) != 20 {
		t.Error("they ended early")
	}
	now = now.Add(time.Second)
	if len(e.Waiting()) != 0 {
		t.Error("they wait for ever")
	}
	if _, err := e.Ask("N\x1b[2J", "x"); err == nil {
		t.Error("a name moves the terminal")
	}
}
