package service

import (
	"fmt"
	"net/http"
	"regexp"
	"strings"

	"github.com/gofiber/fiber/v2"
)

// shortID is the end of an identifier: four characters at least, and not all.
var shortID = regexp.MustCompile(`^[0-9a-f-]{4,35}$`)

// shorten takes the end of an identifier for the whole where only one ends so.
func (s *Service) shorten(c *fiber.Ctx) error {
	parts := strings.SplitN(strings.TrimPrefix(c.Path(), "/api/"), "/", 3)
	if len(parts) < 2 || !shortID.MatchString(parts[1]) {
		return c.Next()
	}
	found, err := s.desk.Desk.Store.EndsIn(c.UserContext(), parts[0], parts[1])
	switch {
	case err != nil:
		return problem(c, http.StatusInternalServerError, err.Error())
	case len(found) > 1:
		return problem(c, http.StatusConflict, fmt.Sprintf("more than one of the %s ends in %q; give more of its id",
			parts[0],
			parts[1]))
	case len(found) == 1:
		parts[1] = found[0]
		c.Path("/api/" + strings.Join(parts, "/"))
	}
	return c.Next()
}
