package service

import (
	"context"
	"crypto/tls"
	"errors"
	"io"
	"net"
	"net/http"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/gofiber/fiber/v2"
)

// asking serves one question that is worked on until nobody waits for its answer or the test ends the work, and gives
// how the work ended.
func asking(t *testing.T, wrap func(net.Listener) net.Listener) (at string, work chan<- struct{}, ended <-chan error) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	done, finish := make(chan error, 1), make(chan struct{})
	app := fiber.New(fiber.Config{DisableStartupMessage: true})
	app.All("/", untilLeft, func(c *fiber.Ctx) error {
		select {
		case <-c.UserContext().Done():
			done <- context.Cause(c.UserContext())
		case <-finish:
			done <- nil
		}
		return c.SendString("worked")
	})
	go app.Listener(wrap(NewDoors(l, 8)))
	t.Cleanup(func() { app.ShutdownWithTimeout(time.Second) })
	return l.Addr().String(), finish, done
}

func TestWorkEndsWhenItsAskerLeaves(t *testing.T) {
	t.Parallel()
	if runtime.GOOS != "linux" {
		t.Skip("whether the other side hung up is known on Linux alone")
	}
	cert, err := NewCertificates(CertificateOptions{Dir: t.TempDir(), Now: time.Now})
	if err != nil {
		t.Fatal(err)
	}
	secured := func(l net.Listener) net.Listener { return Both(l, cert) }
	open := func(l net.Listener) net.Listener { return l }
	for name, x := range map[string]struct {
		wrap   func(net.Listener) net.Listener
		secure bool
	}{"plain": {open, false}, "plain where TLS is served too": {secured, false}, "TLS": {secured, true}} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			at, _, ended := asking(t, x.wrap)
			conn, err := net.Dial("tcp", at)
			if err != nil {
				t.Fatal(err)
			}
			if x.secure {
				conn = tls.Client(conn, &tls.Config{InsecureSkipVerify: true, ServerName: "127.0.0.1"})
			}
			io.WriteString(conn, "GET / HTTP/1.1\r\nHost: x\r\n\r\n")
			select {
			case err := <-ended:
				t.Fatalf("the work ended with %v while somebody waited", err)
			case <-time.After(patience + 2*lookEach):
			}
			conn.Close()
			if err := <-ended; !errors.Is(err, errLeft) {
				t.Errorf("the work ended with %v", err)
			}
		})
	}
}

func TestWhoWaitsIsAnsweredAndWhatWritesIsDone(t *testing.T) {
	t.Parallel()
	at, work, ended := asking(t, func(l net.Listener) net.Listener { return l })
	answer := make(chan string)
	go func() {
		r, err := http.Get("http://" + at)
		if err != nil {
			answer <- err.Error()
			return
		}
		b, _ := io.ReadAll(r.Body)
		answer <- r.Status + " " + string(b)
	}()
	time.Sleep(patience + lookEach)
	work <- struct{}{}
	if err, a := <-ended, <-answer; err != nil || a != "200 OK worked" {
		t.Errorf("who waited got %s, and the work ended with %v", a, err)
	}
	conn, err := net.Dial("tcp", at)
	if err != nil {
		t.Fatal(err)
	}
	io.Copy(conn, strings.NewReader("POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 0\r\n\r\n"))
	conn.Close()
	select {
	case err := <-ended:
		t.Fatalf("a write ended with %v", err)
	case <-time.After(patience + 2*lookEach):
	}
	work <- struct{}{}
	if err := <-ended; err != nil {
		t.Errorf("a write ended with %v", err)
	}
}
