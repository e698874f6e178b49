package service

import (
	"net/http"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v2"

	"durvek/desk/figures"
)

// sent is an answer to a comparison as it was sent. It is kept until something changes that it rests on: a reviewer
// turns a chart over and over while a bench delivers other figures.
type sent struct {
	media  string
	body   []byte
	packed []byte // the same for who takes it so; nil where it is short
	tag    string
}

// comparisons are the questions whose answers rest on nothing but the desk's figures, catalogue and doubts.
var comparisons = []string{"ranking", "charts", "cells", "places", "heads", "likeness", "index", "fits", "value",
	"modes", "curves", "suggestions", "ledger"}

// keep answers comparisons from what was sent before.
func (s *Service) keep(c *fiber.Ctx) error {
	rest := strings.TrimPrefix(c.Path(), "/api/")
	name, _, _ := strings.Cut(rest, "/")
	if c.Method() != http.MethodGet || !slices.Contains(comparisons, name) {
		return c.Next()
	}
	s.asked.Add(1)
	key := strings.Clone(c.OriginalURL())
	if a, ok := s.desk.Figures.Kept(key); ok {
		a := a.(sent)
		c.Set(fiber.HeaderContentType, a.media)
		c.Set(fiber.HeaderETag, a.tag)
		if a.packed == nil {
			return c.Send(a.body)
		}
		c.Vary(fiber.HeaderAcceptEncoding)
		if !takesPacked(c) {
			return c.Send(a.body)
		}
		c.Set(fiber.HeaderContentEncoding, "gzip")
		return c.Send(a.packed)
	}
	ctx, uses := figures.Watch(c.UserContext())
	c.SetUserContext(ctx)
	if err := c.Next(); err != nil || c.Response().StatusCode() != http.StatusOK || c.Response().IsBodyStream() {
		return err
	}
	a := sent{media: string(c.Response().Header.ContentType()), body: slices.Clone(c.Response().Body())}
	a.tag = etag(a.body)
	if len(a.body) >= leastPacked && packs(a.media) {
		a.packed = gzipped(a.body)
	}
	s.desk.Figures.Keep(key, a, len(a.body)+len(a.packed), uses)
	return nil
}
