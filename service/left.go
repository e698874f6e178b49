package service

import (
	"context"
	"errors"
	"net"
	"net/http"
	"time"

	"github.com/gofiber/fiber/v2"
)

// How long a question is worked on before it is asked whether somebody still waits for its answer, and how often then.
const (
	patience = time.Second
	lookEach = 250 * time.Millisecond
)

// statusLeft is how a question is counted whose asker went away; nobody reads it.
const statusLeft = 499

// errLeft ends the work on a question whose asker went away.
var errLeft = errors.New("whoever asked went away before the answer")

// untilLeft ends the work on a question when its asker hangs up. What writes is done to its end: it may be half known
// already. An answer that others wait for, too, is worked out for them.
func untilLeft(c *fiber.Ctx) error {
	if c.Method() != http.MethodGet || streams[c.Path()] {
		return c.Next()
	}
	conn := plain(c.Context().Conn())
	if conn == nil {
		return c.Next()
	}
	ctx, leave := context.WithCancelCause(c.UserContext())
	c.SetUserContext(ctx)
	watch := time.AfterFunc(patience, func() {
		for tick := time.NewTicker(lookEach); ; {
			if hungUp(conn) {
				leave(errLeft)
			}
			select {
			case <-ctx.Done():
				tick.Stop()
				return
			case <-tick.C:
			}
		}
	})
	defer watch.Stop()
	defer leave(nil)
	err := c.Next()
	if context.Cause(ctx) == errLeft {
		c.Status(statusLeft).Context().SetConnectionClose()
		err = nil
	}
	return err
}

// plain is the connection of TCP under those that this service wraps around it; nil where there is none.
func plain(c net.Conn) *net.TCPConn {
	for l := range layers(c) {
		if t, ok := l.(*net.TCPConn); ok {
			return t
		}
	}
	return nil
}
