package books_test

import (
	"testing"
	"time"

	"durvek/desk"
	"durvek/desk/books"
	"durvek/desk/house"
	"durvek/internal/testdesk"
)

// owner is who asks in the tests of tokens.
var owner = books.Who{Person: "Owner", Kind: books.Session, Role: books.Owner}

func TestTokensHaveNamesOfTheirOwn(t *testing.T) {
	d := testdesk.Opened(t)
	ctx := testdesk.Ctx
	_, err := d.Books.AddToken(ctx, owner, books.NewToken{})
	testdesk.Says(t, err, desk.Invalid, "needs a name")
	first, err := d.Books.AddToken(ctx, owner, books.NewToken{Name: "backup"})
	if err != nil {
		t.Fatal(err)
	}
	_, err = d.Books.AddToken(ctx, owner, books.NewToken{Name: "backup"})
	testdesk.Says(t, err, desk.Conflict, `"backup" is there already`)
	list, err := d.Books.Tokens(ctx, owner)
	if err != nil || len(list) != 1 || list[0].Name != "backup" || list[0].Expires != "" || list[0].Role != books.Owner {
		t.Errorf("%+v, %v", list, err)
	}
	if who, err := d.Books.Recognise(ctx, first); err != nil || who.By() != "Owner (backup)" || who.Role != books.Owner {
		t.Errorf("%+v, %v", who, err)
	}
	if err := d.Books.DropToken(ctx, owner, list[0].ID); err != nil {
		t.Fatal(err)
	}
	_, err = d.Books.Recognise(ctx, first)
	testdesk.Says(t, err, desk.Denied, "unknown or expired")
	testdesk.Says(t, d.Books.DropToken(ctx, owner, "backup"), desk.NotFound, `"backup"`)
	// Once it is gone its name is free; the local one replaces itself.
	if _, err := d.Books.AddToken(ctx, owner, books.NewToken{Name: "backup"}); err != nil {
		t.Error(err)
	}
	namesake, err := d.Books.AddToken(ctx, owner, books.NewToken{Name: "this computer"})
	if err != nil {
		t.Fatal(err)
	}
	one, err := d.Books.LocalToken(ctx)
	if err != nil {
		t.Fatal(err)
	}
	two, err := d.Books.LocalToken(ctx)
	if err != nil || one == two {
		t.Fatal(err, "the same token again")
	}
	if _, err := d.Books.Recognise(ctx, one); !desk.Refused(err, desk.Denied) {
		t.Errorf("the local token of before still holds: %v", err)
	}
	if _, err := d.Books.Recognise(ctx, namesake); err != nil {
		t.Errorf("a program's token of that name went with it: %v", err)
	}
	if who, err := d.Books.Recognise(ctx, two); err != nil || who.By() != "Owner" {
		t.Errorf("%+v, %v", who, err)
	}
}

// A sign-in code holds for a quarter of an hour, once; what it opens for thirty days.
func TestASignInEndsInTime(t *testing.T) {
	now := testdesk.Morning()
	d := testdesk.OpenedIn(t, t.TempDir(), func() time.Time { return now })
	ctx := testdesk.Ctx
	code := func() string {
		c, err := d.Books.SignInCode(ctx, "")
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	late := code()
	now = now.Add(15 * time.Minute)
	_, _, err := d.Books.SignIn(ctx, late, "console", books.Session)
	testdesk.Says(t, err, desk.Denied, "spent or expired")
	inTime := code()
	now = now.Add(15*time.Minute - time.Second)
	token, person, err := d.Books.SignIn(ctx, inTime, "console", books.Session)
	if err != nil || person != "Owner" {
		t.Fatal(person, err)
	}
	_, _, err = d.Books.SignIn(ctx, inTime, "console", books.Session)
	testdesk.Says(t, err, desk.Denied, "spent")
	now = now.Add(30*24*time.Hour - 2*time.Second)
	if _, err := d.Books.Recognise(ctx, token); err != nil {
		t.Errorf("a second before its end: %v", err)
	}
	now = now.Add(3 * time.Second)
	_, err = d.Books.Recognise(ctx, token)
	testdesk.Says(t, err, desk.Denied, "expired")
	again := code()
	token, _, err = d.Books.SignIn(ctx, again, "console", books.Session)
	if err != nil {
		t.Fatal(err)
	}
	if err := d.Books.SignOut(ctx, token); err != nil {
		t.Fatal(err)
	}
	_, err = d.Books.Recognise(ctx, token)
	testdesk.Says(t, err, desk.Denied, "sign in again")
	days, err := d.Books.AddToken(ctx, owner, books.NewToken{Name: "short", Days: 1})
	if err != nil {
		t.Fatal(err)
	}
	now = now.Add(24*time.Hour - time.Second)
	if _, err := d.Books.Recognise(ctx, days); err != nil {
		t.Errorf("a second before a token's end: %v", err)
	}
	now = now.Add(time.Second)
	_, err = d.Books.Recognise(ctx, days)
	testdesk.Says(t, err, desk.Denied, "expired")
	if list, err := d.Books.Tokens(ctx, owner); err != nil || len(list) != 0 {
		t.Errorf("tokens that have ended are listed: %+v, %v", list, err)
	}
	if _, err := d.Books.AddToken(ctx, owner, books.NewToken{Name: "short"}); err != nil {
		t.Errorf("the name of a token that has ended is taken: %v", err)
	}
}

// signedIn signs a person in for the console.
func signedIn(t *testing.T, d *house.House, person string) (token string, who books.Who) {
	t.Helper()
	code, err := d.Books.SignInCode(testdesk.Ctx, person)
	if err != nil {
		t.Fatal(err)
	}
	token, _, err = d.Books.SignIn(testdesk.Ctx, code, "console", books.Session)
	if err != nil {
		t.Fatal(err)
	}
	who, err = d.Books.Recognise(testdesk.Ctx, token)
	if err != nil {
		t.Fatal(err)
	}
	return token, who
}

func TestPeopleHaveRolesAndOneOwnerStays(t *testing.T) {
	d := testdesk.Opened(t)
	ctx, b := testdesk.Ctx, d.Books
	for _, x := range []struct {
		p    books.Person
		kind desk.Kind
		says string
	}{{books.Person{Role: books.Editor}, desk.Invalid, "needs a name"},
		{books.Person{Name: "Ilse"}, desk.Invalid, "a reader, an editor or an owner"},
		{books.Person{Name: " owner ", Role: books.Reader}, desk.Conflict, "works here already"}} {
		_, err := b.AddPerson(ctx, x.p, "Owner")
		testdesk.Says(t, err, x.kind, x.says)
	}
	for name, role := range map[string]books.Role{"Ilse": books.Editor, "Ruth": books.Reader} {
		if _, err := b.AddPerson(ctx, books.Person{Name: name, Role: role}, "Owner"); err != nil {
			t.Fatal(err)
		}
	}
	token, ilse := signedIn(t, d, "ilse")
	if ilse.Role != books.Editor || ilse.By() != "Ilse" {
		t.Errorf("%+v", ilse)
	}
	_, err := b.AddToken(ctx, ilse, books.NewToken{Name: "all", Scope: books.Owner})
	testdesk.Says(t, err, desk.Forbidden, "up to editor")
	export, err := b.AddToken(ctx, ilse, books.NewToken{Name: "export", Scope: books.Reader})
	if err != nil {
		t.Fatal(err)
	}
	if who, err := b.Recognise(ctx, export); err != nil || who.Role != books.Reader || who.By() != "Ilse (export)" {
		t.Errorf("%+v, %v", who, err)
	}
	// Each sees and ends their own alone, an owner everybody's.
	_, ruth := signedIn(t, d, "Ruth")
	for who, n := range map[*books.Who]int{&ilse: 2, &ruth: 1, &owner: 3} {
		if list, err := b.Tokens(ctx, *who); err != nil || len(list) != n {
			t.Errorf("%s sees %d tokens: %+v, %v", who.Person, len(list), list, err)
		}
	}
	testdesk.Says(t, b.DropToken(ctx, ruth, "export"), desk.NotFound, "export")
	testdesk.Says(t, b.DropToken(ctx, owner, "console"), desk.Conflict, "2 tokens are named")
	// A role that is taken back is taken back at once, a new name follows.
	if p, err := b.ChangePerson(ctx, "Ilse", books.Person{Name: "Ilse Brandt", Role: books.Reader}, "Owner"); err != nil ||
		p.Name != "Ilse Brandt" || p.Role != books.Reader {
		t.Errorf("%+v, %v", p, err)
	}
	if who, err := b.Recognise(ctx, token); err != nil || who.Role != books.Reader || who.Person != "Ilse Brandt" {
		t.Errorf("%+v, %v", who, err)
	}
	_, err = b.ChangePerson(ctx, "Ruth", books.Person{Name: "ilse brandt"}, "Owner")
	testdesk.Says(t, err, desk.Conflict, "works here already")
	_, err = b.ChangePerson(ctx, "Owner", books.Person{Role: books.Editor}, "Owner")
	testdesk.Says(t, err, desk.Conflict, "the only owner")
	testdesk.Says(t, b.DropPerson(ctx, "Owner", "Owner"), desk.Conflict, "the only owner")
	testdesk.Says(t, b.DropPerson(ctx, "Nobody", "Owner"), desk.NotFound, `"Nobody"`)
	code, err := b.SignInCode(ctx, "Ilse Brandt")
	if err != nil {
		t.Fatal(err)
	}
	if err := b.DropPerson(ctx, "ilse brandt", "Owner"); err != nil {
		t.Fatal(err)
	}
	for _, gone := range []string{token, export} {
		_, err = b.Recognise(ctx, gone)
		testdesk.Says(t, err, desk.Denied, "sign in again")
	}
	_, _, err = b.SignIn(ctx, code, "console", books.Session)
	testdesk.Says(t, err, desk.Denied, "unknown")
	if _, err := b.ChangePerson(ctx, "Ruth", books.Person{Role: books.Owner}, "Owner"); err != nil {
		t.Fatal(err)
	}
	if err := b.DropPerson(ctx, "Owner", "Ruth"); err != nil {
		t.Errorf("with another owner: %v", err)
	}
}

// A program in somebody's name can neither outlast itself nor become more than it is.
func TestAProgramLetsNobodyIn(t *testing.T) {
	d := testdesk.Opened(t)
	ctx, b := testdesk.Ctx, d.Books
	short, err := b.AddToken(ctx, owner, books.NewToken{Name: "export", Scope: books.Reader, Days: 1})
	if err != nil {
		t.Fatal(err)
	}
	program, err := b.Recognise(ctx, short)
	if err != nil || program.Present() {
		t.Fatal(program, err)
	}
	_, err = b.AddToken(ctx, program, books.NewToken{Name: "for ever"})
	testdesk.Says(t, err, desk.Forbidden, "sign in yourself")
	_, _, err = b.LinkFor(ctx, program, "")
	testdesk.Says(t, err, desk.Forbidden, "sign in yourself")
	testdesk.Says(t, b.DropToken(ctx, program, "export"), desk.Forbidden, "sign in yourself")
	local, err := b.LocalToken(ctx)
	if err != nil {
		t.Fatal(err)
	}
	here, err := b.Recognise(ctx, local)
	if err != nil || !here.Present() || here.By() != "Owner" {
		t.Fatal(here, err)
	}
	// A name that looks like a command line's makes none of a program.
	sly, err := b.AddToken(ctx, owner, books.NewToken{Name: "command line on desk"})
	if err != nil {
		t.Fatal(err)
	}
	if who, err := b.Recognise(ctx, sly); err != nil || who.Present() || who.By() != "Owner (command line on desk)" {
		t.Errorf("%+v, %v", who, err)
	}
	// A link for a name that somebody had leads nowhere.
	code, whose, err := b.LinkFor(ctx, here, "")
	if err != nil || whose != "Owner" {
		t.Fatal(whose, err)
	}
	if _, err := b.ChangePerson(ctx, "Owner", books.Person{Name: "Ada"}, "Owner"); err != nil {
		t.Fatal(err)
	}
	_, _, err = b.SignIn(ctx, code, "console", books.Session)
	testdesk.Says(t, err, desk.Denied, "unknown, spent or expired")
}

func TestARoleMayAllThatTheOnesBeforeItMay(t *testing.T) {
	for i, r := range books.Roles {
		for j, need := range books.Roles {
			if r.May(need) != (i >= j) {
				t.Errorf("%s may what takes a %s: %v", r, need, r.May(need))
			}
		}
	}
	if books.Role("").May(books.Reader) || books.Role("admin").May(books.Reader) {
		t.Error("who has no role may look")
	}
}
