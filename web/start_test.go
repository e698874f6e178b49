package web_test

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"durvek/api"
	"durvek/client"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/examples"
	"durvek/internal/tab"
	"durvek/service"
	"durvek/web"
	"durvek/workload"
)

// own is a service of a desk of a test's own; it can be ended and started again at the same address.
type own struct {
	t     *testing.T
	dir   string
	at    string
	house *house.House
	stop  context.CancelFunc
	ended chan error
}

func (o *own) up() {
	o.t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: o.dir}, Tests: workload.Tests()})
	need(o.t, err)
	l, err := net.Listen("tcp", strings.TrimPrefix(o.at, "http://"))
	need(o.t, err)
	o.at, o.house, o.stop, o.ended = "http://"+l.Addr().String(), d, stop, make(chan error, 1)
	go func() {
		o.ended <- service.New(d, service.Options{Console: web.Console(), Examples: examples.Made}).Serve(ctx, l)
	}()
}

func (o *own) down() {
	o.stop()
	<-o.ended
	o.ended <- nil // a second time is no harm
	o.house.Close()
}

// empty is a page of a desk on which there is nothing, with a client of its service.
func empty(t *testing.T, width, height int64) (*page, *client.Client, *own) {
	t.Helper()
	o := &own{t: t, dir: t.TempDir(), at: "http://127.0.0.1:0"}
	o.up()
	t.Cleanup(o.down)
	token, err := o.house.Books.LocalToken(context.Background())
	need(t, err)
	code, err := o.house.Books.SignInCode(context.Background(), "")
	need(t, err)
	p := bare(t, width, height, "ERR_CONNECTION_REFUSED") // one test ends the service
	p.Do(chromedp.Navigate(o.at + "/sign-in?code=" + code))
	return p, client.New(o.at, token), o
}

// doing counts what a person does: each field filled in, each choice, each button pressed.
type doing struct {
	*page
	n int
}

func (d *doing) fill(label, value string) { d.page.fill(label, value); d.n++ }
func (d *doing) choose(label, entry string) {
	d.page.choose(label, entry)
	d.n++
}
func (d *doing) press(text string) { d.Press(text); d.n++ }
func (d *doing) enter()            { d.Do(chromedp.KeyEvent(kb.Enter)); d.n++ }

// Examples go with what people put on them when they are told what that is; until then they stay.
func TestExamplesGoWithWhatIsOnThemWhenOneSaysSo(t *testing.T) {
	p, c, o := empty(t, 1280, 800)
	p.Do(chromedp.Navigate(o.at + "/desk"))
	p.Press("Load examples")
	p.Says("19 are on the books")
	need(t, c.Do(context.Background(), http.MethodPost, "/api/remarks", nil, map[string]any{"variant": "example-laptop",
		"text": "It creaks."}, nil))
	held := func() int {
		x, err := client.Ask(context.Background(), c, api.Examples, api.None{})
		need(t, err)
		return len(x.Units)
	}
	p.Press("Take them away")
	p.Says("for what of yours is on them: 1 remark")
	p.Press("Cancel")
	p.closed()
	if held() != 19 {
		t.Errorf("%d examples stay", held())
	}
	p.Press("Take them away")
	p.Press("Take all of it away")
	p.Says("The examples are gone.")
	if held() != 0 {
		t.Errorf("%d examples stay", held())
	}
}

func TestTheFirstPublishedChartFromNothingInTwelveActions(t *testing.T) {
	p, c, o := empty(t, 1280, 800)
	d := &doing{page: p}
	p.Says("From an empty desk to the first published chart")
	p.Shot("start-1")
	d.fill("Name of the desk", "Harbour Desk")
	d.enter()
	p.Until(`document.querySelector('.rail .desk')?.textContent === 'Harbour Desk'`)
	d.fill("Maker", "Selvane")
	d.fill("Name of the model", "Fen 16")
	p.Shot("start-2")
	d.press("Put it on the desk")
	p.Says("Type a figure")
	d.fill("weight, kg", "1.43")
	p.Shot("start-3")
	d.enter()
	p.Says("Rank it against examples")
	d.press("Rank it against examples")
	p.Until(`document.querySelector('.guide .chart svg')?.textContent.includes('Example large laptop')`)
	p.Says("Take them away")
	p.Shot("start-4")
	d.press("Publish …")
	d.fill("Your verdict, in a sentence or two", "Light enough for the crew, and what the maker says of its weight is so.")
	p.Shot("start-5")
	d.press("Sign and publish")
	p.Until(`location.pathname.startsWith('/reviews/')`)
	p.Says("Edition 1")
	p.Shot("start-6")
	if d.n > 12 {
		t.Errorf("%d actions to the first published chart", d.n)
	}
	list, err := client.Ask(context.Background(), c, api.Reviews, api.Listing{})
	if err != nil || len(list) != 1 || len(list[0].Editions) != 1 {
		t.Fatalf("%+v, %v", list, err)
	}
	held, err := client.Ask(context.Background(), c, api.Examples, api.None{})
	if err != nil || len(held.Units) != 0 {
		t.Errorf("examples after publishing: %v, %v", held, err)
	}
	p.Do(chromedp.Navigate(fmt.Sprintf("%s/editions/%s/1/", o.at, list[0].Slug)))
	p.Says("Light enough for the crew")
	if text := tab.Eval[string](p.Tab, `document.body.innerText`); !strings.Contains(text, "Harbour Desk") ||
		strings.Contains(text, "Example") {
		t.Errorf("published:\n%s", text)
	}
}
