package service

import (
	"crypto/tls"
	"io"
	"iter"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v2"
	"github.com/valyala/fasthttp"
)

// How long another side may take. Streams set their own.
const (
	headerTime = 10 * time.Second // to begin with a request and to send all of its header
	bodyTime   = time.Minute      // to send a body, beside the time that an operation gives
	answerTime = time.Minute      // to take an answer
	idleTime   = time.Minute      // between two requests
)

// mostRest is how much is read of a body that nobody wanted, so that its sender gets to read the answer.
const mostRest = 1 << 20

// readWhole sees to it that what is left of a body is never taken for the next request: it is read away, or the
// connection ends with the answer.
func readWhole(c *fiber.Ctx) error {
	err := c.Next()
	body := c.Context().RequestBodyStream()
	if body == nil {
		return err
	}
	if c.Request().Header.ContentLength() < 0 { // in chunks: whether all were read cannot be asked
		if err != nil || c.Response().StatusCode() >= http.StatusBadRequest {
			c.Context().SetConnectionClose()
		}
		return err
	}
	c.Context().Conn().SetReadDeadline(time.Now().Add(time.Second))
	if n, e := io.Copy(io.Discard, io.LimitReader(body, mostRest)); e != nil || n == mostRest {
		c.Context().SetConnectionClose()
	}
	return err
}

// mostConnections is how many a service holds at once where the system allows as many.
const mostConnections = 4096

// streams are the routes that answer for as long as somebody listens.
var streams = map[string]bool{"/api/events": true, "/api/agent/link/down": true, "/api/backup": true}

// deadlines gives each request its own time to come in and its answer its time to be taken.
func deadlines(h *fasthttp.RequestHeader) fasthttp.RequestConfig {
	c := fasthttp.RequestConfig{ReadTimeout: bodyTime, WriteTimeout: answerTime}
	path := string(h.RequestURI())
	for i, b := range path {
		if b == '?' {
			path = path[:i]
			break
		}
	}
	if streams[path] {
		c.WriteTimeout = 0
	}
	return c
}

// Doors is a listener that holds so many connections at once. Where all are taken, a newcomer takes the place of the
// one that has waited longest without being served, of the address that holds most of these: who opens many and says
// nothing keeps nobody else out.
type Doors struct {
	net.Listener
	most int

	mu     sync.Mutex
	inside []*visitor // the oldest first
}

// NewDoors holds most connections at once.
func NewDoors(l net.Listener, most int) *Doors { return &Doors{Listener: l, most: most} }

// Accept gives the next connection that there is room for; others are closed at once.
func (d *Doors) Accept() (net.Conn, error) {
	for {
		c, err := d.Listener.Accept()
		if err != nil {
			return nil, err
		}
		v := &visitor{Conn: c, doors: d, at: addressOf(c.RemoteAddr())}
		if d.enter(v) {
			return v, nil
		}
		c.Close()
	}
}

// enter counts a newcomer in, in the place of another if it must; false where all are being served.
func (d *Doors) enter(v *visitor) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	if len(d.inside) >= d.most {
		waiting := map[netip.Addr]int{}
		for _, o := range d.inside {
			if !o.served.Load() {
				waiting[o.at]++
			}
		}
		gone := -1
		for i, o := range d.inside {
			if !o.served.Load() && (gone < 0 || waiting[o.at] > waiting[d.inside[gone].at]) {
				gone = i
			}
		}
		if gone < 0 {
			return false
		}
		d.inside[gone].Conn.Close()
		d.inside = slices.Delete(d.inside, gone, gone+1)
	}
	d.inside = append(d.inside, v)
	return true
}

func (d *Doors) left(v *visitor) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if i := slices.Index(d.inside, v); i >= 0 {
		d.inside = slices.Delete(d.inside, i, i+1)
	}
}

// visitor is a connection that came in by a door.
type visitor struct {
	net.Conn
	doors  *Doors
	at     netip.Addr
	served atomic.Bool // somebody who may ask is being answered
}

func (v *visitor) Close() error {
	v.doors.left(v)
	return v.Conn.Close()
}

// layers are a connection and those under it that it is wrapped around, the outermost first.
func layers(c net.Conn) iter.Seq[net.Conn] {
	return func(yield func(net.Conn) bool) {
		for c != nil && yield(c) {
			switch x := c.(type) {
			case *visitor:
				c = x.Conn
			case *peeked:
				c = x.Conn
			case *tls.Conn:
				c = x.NetConn()
			default:
				return
			}
		}
	}
}

// serving marks the connection that a request came by as being served, or as one that waits.
func serving(c net.Conn, now bool) {
	for l := range layers(c) {
		if v, ok := l.(*visitor); ok {
			v.served.Store(now)
		}
	}
}

// addressOf is what a client is counted by: its address, or the network of its host where one host has many
// (RFC 6177: a /64 at least).
func addressOf(a net.Addr) netip.Addr {
	if a == nil {
		return netip.Addr{}
	}
	p, err := netip.ParseAddrPort(a.String())
	if err != nil {
		return netip.Addr{}
	}
	at := p.Addr().Unmap().WithZone("")
	if at.Is6() && !at.IsLoopback() {
		net, _ := at.Prefix(64)
		return net.Addr()
	}
	return at
}
