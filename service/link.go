package service

import (
	"bufio"
	"io"
	"math/rand/v2"
	"strconv"
	"time"

	"github.com/gofiber/fiber/v2"
)

// linkSeconds bounds how long one stream of the network test lasts.
const linkSeconds = 60

// incompressible is what the network test sends.
var incompressible = func() []byte {
	b := make([]byte, 256<<10)
	rand.NewChaCha8([32]byte{'l', 'i', 'n', 'k'}).Read(b)
	return b
}()

// link serves the network test: a request that is answered at once, bytes that go down for so many
// seconds, and bytes that come up and are counted.
func (s *Service) link(r fiber.Router) {
	r.Get("/echo", func(c *fiber.Ctx) error { return c.SendStatus(fiber.StatusNoContent) })
	r.Get("/down", func(c *fiber.Ctx) error {
		seconds, err := strconv.ParseFloat(c.Query("seconds"), 64)
		if err != nil || !(seconds > 0 && seconds <= linkSeconds) {
			return problem(c, fiber.StatusUnprocessableEntity, "seconds is a number above 0 and at most 60")
		}
		c.Set(fiber.HeaderContentType, fiber.MIMEOctetStream)
		c.Context().Conn().SetWriteDeadline(time.Now().Add((linkSeconds + 10) * time.Second))
		c.Context().SetBodyStreamWriter(func(w *bufio.Writer) {
			for end := time.Now().Add(time.Duration(seconds * float64(time.Second))); time.Now().Before(end); {
				if _, err := w.Write(incompressible); err != nil {
					return // the other side left
				}
			}
		})
		return nil
	})
	r.Post("/up", func(c *fiber.Ctx) error {
		body := c.Context().RequestBodyStream()
		if body == nil {
			return c.SendString("0")
		}
		c.Context().Conn().SetReadDeadline(time.Now().Add((linkSeconds + 10) * time.Second))
		// A machine that sends for longer than the test does is turned away.
		n, err := io.Copy(io.Discard, &until{body, time.Now().Add(linkSeconds * time.Second)})
		if err != nil {
			return problem(c, fiber.StatusBadRequest, "the stream ended early: "+err.Error())
		}
		return c.SendString(strconv.FormatInt(n, 10))
	})
}

// until reads up to a moment.
type until struct {
	io.Reader
	end time.Time
}

func (u *until) Read(b []byte) (int, error) {
	if time.Now().After(u.end) {
		return 0, io.ErrUnexpectedEOF
	}
	return u.Reader.Read(b)
}
