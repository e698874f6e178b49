package service

import (
	"fmt"
	"html"
	"net/http"
	"slices"

	"github.com/gofiber/fiber/v2"
)

// trouble is a kind of refusal that the API knows: the last part of its type, which leads to a page of its own
// (RFC 9457, 3.1.1).
type trouble struct {
	status        int
	name, meaning string
}

var troubles = []trouble{
	{http.StatusBadRequest, "malformed", "The request is not HTTP or JSON that can be read. Its detail says where."},
	{http.StatusUnauthorized, "signed-out", "Nobody known asks: the token, cookie, code or link is missing, spent, " +
		"expired or " +
		"unknown. Sign in anew."},
	{http.StatusForbidden, "not-allowed", "Who asks is known and may not do this. Its detail says which role it takes."},
	{http.StatusNotFound, "unknown", "What the path or the body names is not here. Its detail says which."},
	{http.StatusRequestTimeout, "too-slow", "The body did not come in time."},
	{http.StatusConflict, "conflict", "It cannot be done as things stand: a name is taken, something rests on it, or " +
		"the first " +
		"request with the same Idempotency-Key is not answered yet. Its detail says what to do first."},
	{http.StatusPreconditionFailed, "changed-meanwhile", "What If-Match names is not what is there any more: read it " +
		"again, then " +
		"change it."},
	{http.StatusRequestEntityTooLarge, "too-large", "The body is larger than this operation takes."},
	{http.StatusMisdirectedRequest, "not-this-service", "The service was asked by a name that is not its own. Ask by " +
		"its address, " +
		"or start it with --host and the name."},
	{http.StatusUnprocessableEntity, "invalid", "The request was understood and something in it is wrong: errors lists " +
		"what and " +
		"where, fifty at most. Nothing was written."},
	{http.StatusTooManyRequests, "too-many", "Too many wrong codes came from one address. Wait a minute."},
	{http.StatusInternalServerError, "failure", "The service failed, and its log says more. Nothing was written unless " +
		"the detail " +
		"says so."},
	{http.StatusServiceUnavailable, "not-ready", "The service is starting, or cannot do its work now."},
}

// problemType is the type of a refusal.
func problemType(status int) string {
	i := slices.IndexFunc(troubles, func(t trouble) bool { return t.status == status })
	if i < 0 {
		return "about:blank"
	}
	return "/problems/" + troubles[i].name
}

// problemPage says what a kind of refusal means.
func problemPage(c *fiber.Ctx) error {
	body := "<!doctype html><html lang=en><title>Problems</title><h1>Kinds of refusal</h1><dl>"
	found := c.Params("name") == ""
	for _, t := range troubles {
		if name := c.Params("name"); name == "" || name == t.name {
			found = true
			body += fmt.Sprintf("<dt id=%s><strong>%s</strong> (%d %s)<dd>%s", t.name, t.name, t.status,
				http.StatusText(t.status),
				html.EscapeString(t.meaning))
		}
	}
	if !found {
		return problem(c, http.StatusNotFound, "no such kind of problem; /problems lists them")
	}
	c.Set(fiber.HeaderContentType, fiber.MIMETextHTMLCharsetUTF8)
	return c.SendString(body + "</dl><p><a href=/problems>All kinds</a></html>")
}
