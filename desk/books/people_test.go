package books_test

import (
	"testing"
	"time"

	"durvek/desk"
	"durvek/internal/testdesk"
)

func TestTokensHaveNamesOfTheirOwn(t *testing.T) {
	d := testdesk.Opened(t)
	ctx := testdesk.Ctx
	_, err := d.Books.AddToken(ctx, "")
	testdesk.Says(t, err, desk.Invalid, "needs a name")
	first, err := d.Books.AddToken(ctx, "backup")
	if err != nil {
		t.Fatal(err)
	}
	_, err = d.Books.AddToken(ctx, "backup")
	testdesk.Says(t, err, desk.Conflict, `"backup" is there already`)
	if list, err := d.Books.Tokens(ctx); err != nil || len(list) != 1 || list[0].Name != "backup" ||
		list[0].Expires != "" {
		t.Errorf("%+v, %v", list, err)
	}
	if who, err := d.Books.Recognise(ctx, first); err != nil || who.Name != "backup" || !who.Owner() {
		t.Errorf("%+v, %v", who, err)
	}
	if err := d.Books.DropToken(ctx, "backup"); err != nil {
		t.Fatal(err)
	}
	_, err = d.Books.Recognise(ctx, first)
	testdesk.Says(t, err, desk.Denied, "unknown or expired")
	testdesk.Says(t, d.Books.DropToken(ctx, "backup"), desk.NotFound, `"backup"`)
	// Once it is gone its name is free; the local one replaces itself.
	if _, err := d.Books.AddToken(ctx, "backup"); err != nil {
		t.Error(err)
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
}

// A sign-in code holds for a quarter of an hour, once; what it opens for thirty days.
func TestASignInEndsInTime(t *testing.T) {
	now := testdesk.Morning()
	d := testdesk.OpenedIn(t, t.TempDir(), func() time.Time { return now })
	ctx := testdesk.Ctx
	code := func() string {
		c, err := d.Books.SignInCode(ctx)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	late := code()
	now = now.Add(15 * time.Minute)
	_, err := d.Books.SignIn(ctx, late, "console", "session")
	testdesk.Says(t, err, desk.Denied, "spent or expired")
	inTime := code()
	now = now.Add(15*time.Minute - time.Second)
	token, err := d.Books.SignIn(ctx, inTime, "console", "session")
	if err != nil {
		t.Fatal(err)
	}
	_, err = d.Books.SignIn(ctx, inTime, "console", "session")
	testdesk.Says(t, err, desk.Denied, "spent")
	now = now.Add(30*24*time.Hour - 2*time.Second)
	if _, err := d.Books.Recognise(ctx, token); err != nil {
		t.Errorf("a second before its end: %v", err)
	}
	now = now.Add(3 * time.Second)
	_, err = d.Books.Recognise(ctx, token)
	testdesk.Says(t, err, desk.Denied, "expired")
	again := code()
	token, err = d.Books.SignIn(ctx, again, "console", "session")
	if err != nil {
		t.Fatal(err)
	}
	if err := d.Books.SignOut(ctx, token); err != nil {
		t.Fatal(err)
	}
	_, err = d.Books.Recognise(ctx, token)
	testdesk.Says(t, err, desk.Denied, "sign in again")
}
