package service

import (
	"net/http"
	"slices"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v2"
)

// kept holds answers to comparisons as they were sent, until anything changes that a comparison can rest on. A reviewer turns a chart over and
// over while a bench rarely delivers: most questions were asked before.
type kept struct {
	mu      sync.Mutex
	state   uint64
	size    int
	answers map[string]sent
}

type sent struct {
	media string
	body  []byte
}

// mostKept bounds what is held, in bytes.
const mostKept = 16 << 20

// comparisons are the questions whose answers rest on nothing but the desk's figures, catalogue and doubts.
var comparisons = []string{"ranking", "charts", "cells", "places", "heads", "likeness", "index", "fits", "value", "modes", "curves", "suggestions", "ledger"}

// keep answers comparisons from what was sent before.
func (s *Service) keep(c *fiber.Ctx) error {
	rest := strings.TrimPrefix(c.Path(), "/api/")
	name, _, _ := strings.Cut(rest, "/")
	if c.Method() != http.MethodGet || !slices.Contains(comparisons, name) {
		return c.Next()
	}
	s.asked.Add(1)
	k, state, key := &s.kept, s.desk.State(), strings.Clone(c.OriginalURL())
	k.mu.Lock()
	if k.state != state {
		k.state, k.size, k.answers = state, 0, map[string]sent{}
	}
	a, ok := k.answers[key]
	k.mu.Unlock()
	if ok {
		c.Set(fiber.HeaderContentType, a.media)
		return c.Send(a.body)
	}
	if err := c.Next(); err != nil || c.Response().StatusCode() != http.StatusOK || c.Response().IsBodyStream() {
		return err
	}
	a = sent{string(c.Response().Header.ContentType()), slices.Clone(c.Response().Body())}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.state != state || len(a.body) > mostKept/4 {
		return nil
	}
	if k.size+len(a.body) > mostKept {
		k.size, k.answers = 0, map[string]sent{}
	}
	k.size += len(a.body)
	k.answers[key] = a
	return nil
}
