package service

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v2"

	"durvek/api"
	"durvek/desk"
	"durvek/document"
	"durvek/store"
)

// onceFor is how long an answer is kept for who asks once more.
const onceFor = 24 * time.Hour

// mostKey bounds the key of a request.
const mostKey = 200

// once does a request that bears an Idempotency-Key one time: whoever asks again with it, after a lost answer, gets the
// answer of the first time (draft-ietf-httpapi-idempotency-key-header).
func (s *Service) once(c *fiber.Ctx) error {
	key := c.Get("Idempotency-Key")
	w := who(c.UserContext())
	if key == "" || w.Person == "" || secret(c.Path()) || c.Method() != http.MethodPost && c.Method() != http.MethodPatch {
		return c.Next()
	}
	if len(key) > mostKey {
		return problem(c, http.StatusUnprocessableEntity, "an Idempotency-Key has "+strconv.Itoa(mostKey)+
			" characters at most")
	}
	body, err := bodyOf(c)
	if err != nil {
		return problem(c, http.StatusRequestEntityTooLarge, "a request with an Idempotency-Key has a length, and at most "+
			"8 MiB")
	}
	h := sha256.New()
	io.WriteString(h, c.Method()+" "+c.OriginalURL()+"\n")
	h.Write(body)
	asked := hex.EncodeToString(h.Sum(nil))
	if !s.begun.begin(w.Person, key) {
		return problem(c, http.StatusConflict, "the first request with this Idempotency-Key is not answered yet; ask again")
	}
	defer s.begun.end(w.Person, key)
	ctx := c.UserContext()
	a, err := s.desk.Desk.Store.AnswerTo(ctx, w.Person, key)
	if known, err := desk.Found(err); err != nil {
		return problem(c, http.StatusInternalServerError, err.Error())
	} else if known && a.Request != asked {
		return problem(c, http.StatusUnprocessableEntity, "this Idempotency-Key was used for another request; make a new one")
	} else if known {
		c.Set(fiber.HeaderContentType, a.Media)
		if a.Place != "" {
			c.Set(fiber.HeaderLocation, a.Place)
		}
		c.Set("Idempotency-Replayed", "true")
		return c.Status(a.Status).Send(a.Body)
	}
	if err := c.Next(); err != nil {
		return err
	}
	r := c.Response()
	if r.StatusCode() >= http.StatusInternalServerError || r.IsBodyStream() {
		return nil // it was not done, and may be tried again
	}
	a = store.Answered{Person: w.Person, Key: key, Request: asked, At: s.desk.Desk.Now(), Status: r.StatusCode(),
		Media: string(r.Header.ContentType()), Place: string(r.Header.Peek(fiber.HeaderLocation)),
		Body: bytes.Clone(r.Body())}
	if err := s.desk.Desk.Write(ctx, func(q *desk.Tx) error {
		return q.KeepAnswer(ctx, a, s.desk.Desk.Now().Add(-onceFor))
	}); err != nil {
		return problem(c, http.StatusInternalServerError, "it was done, and the answer could not be kept: "+err.Error())
	}
	return nil
}

// secret tells whether an answer lets somebody in: such a one is never kept, and asking again makes another.
func secret(path string) bool {
	return path == api.AddToken.Path || path == api.MakeSignInLink.Path || strings.HasSuffix(path, "/codes")
}

// bodyOf reads a request's whole body and leaves it to be read again.
func bodyOf(c *fiber.Ctx) ([]byte, error) {
	n := c.Request().Header.ContentLength()
	stream := c.Context().RequestBodyStream()
	if stream == nil || n == 0 {
		return nil, nil
	}
	if n < 0 || n > document.MaxSize {
		return nil, io.ErrShortBuffer
	}
	b := make([]byte, n)
	if _, err := io.ReadFull(stream, b); err != nil {
		return nil, err
	}
	c.Request().SetBodyStream(bytes.NewReader(b), n)
	return b, nil
}

// begun are the requests that are being done, by who asked and their key.
type begun struct {
	mu   sync.Mutex
	keys map[[2]string]bool
}

func (b *begun) begin(person, key string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	k := [2]string{person, key}
	if b.keys[k] {
		return false
	}
	if b.keys == nil {
		b.keys = map[[2]string]bool{}
	}
	b.keys[k] = true
	return true
}

func (b *begun) end(person, key string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	delete(b.keys, [2]string{person, key})
}
