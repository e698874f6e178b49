package service

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/validation"
	"github.com/gofiber/fiber/v2"

	"durvek/core/say"
	"durvek/desk"
	"durvek/document"
)

// What does not fit the API's description is said in the words of the desk.
func init() {
	huma.NewError = capped
	huma.ErrorFormatter = func(format string, a ...any) string {
		if (format == validation.MsgExpectedMinLength || format == validation.MsgExpectedMinItems) && a[0] == 1 {
			return "must not be empty"
		}
		return fmt.Sprintf(format, a...)
	}
	validation.MsgUnexpectedProperty = "is not known here; mend its name or leave it out"
	validation.MsgExpectedRequiredProperty = "%s is missing"
	validation.MsgExpectedMinLength = "must have %d characters or more"
	validation.MsgExpectedMaxLength = "must have %d characters or fewer"
	validation.MsgExpectedOneOf = "must be one of: %s"
	validation.MsgExpectedMinimumNumber = "must be %v or more"
	validation.MsgExpectedMaximumNumber = "must be %v or less"
	validation.MsgExpectedExclusiveMinimumNumber = "must be more than %v"
	validation.MsgExpectedExclusiveMaximumNumber = "must be less than %v"
	validation.MsgExpectedNumber = "must be a number"
	validation.MsgExpectedInteger = "must be a whole number"
	validation.MsgExpectedString = "must be text"
	validation.MsgExpectedBoolean = "must be true or false"
	validation.MsgExpectedArray = "must be a list"
	validation.MsgExpectedObject = "must be an object, with names and values"
	validation.MsgExpectedMatchPattern, validation.MsgExpectedBePattern = "must match %s", "must be %s"
	validation.MsgExpectedMinItems = "must have %d entries or more"
	validation.MsgExpectedMaxItems = "must have %d entries or fewer"
	validation.MsgExpectedArrayItemsUnique = "must not have an entry twice"
	validation.MsgExpectedRFC3339DateTime = "must be a date with time, such as 2026-03-02T14:05:00Z"
	validation.MsgExpectedRFC3339Date = "must be a date, such as 2026-03-02"
}

// unfit is the one sentence that is said before what does not fit.
const unfit = "validation failed"

// problem answers with problem details.
func problem(c *fiber.Ctx, status int, detail string) error {
	c.Status(status)
	body, err := json.Marshal(huma.ErrorModel{Type: problemType(status), Status: status, Title: http.StatusText(status),
		Detail: detail})
	if err != nil {
		return err
	}
	c.Set("Content-Type", "application/problem+json")
	return c.Send(body)
}

// mostFaults is how many faults of one body are told at most.
const mostFaults = 50

// capped makes an error's answer with as many of its faults as somebody reads.
func capped(status int, text string, errs ...error) huma.StatusError {
	if text == unfit {
		text = "What was sent does not fit, so nothing was done."
	}
	if n := len(errs); n > mostFaults {
		errs = errs[:mostFaults]
		text = fmt.Sprintf("%s; %d faults, of which the first %d are told", strings.TrimSuffix(text, "."), n, mostFaults)
	}
	for _, err := range errs {
		if d, ok := err.(*huma.ErrorDetail); ok {
			d.Value = brief(d.Value)
		}
	}
	err := plainError(status, text, errs...)
	if m, ok := err.(*huma.ErrorModel); ok {
		m.Type = problemType(m.Status)
	}
	return err
}

var plainError = huma.NewError

// brief leaves out what would send a whole body back.
func brief(v any) any {
	switch x := v.(type) {
	case string:
		if len(x) > 200 {
			return x[:200] + "…"
		}
	case map[string]any, []any:
		return nil
	}
	return v
}

// fail turns a refusal into problem details.
func fail(err error) error {
	var faults *document.Faults
	if errors.As(err, &faults) {
		details := make([]error, min(len(faults.List), mostFaults))
		for i, f := range faults.List[:len(details)] {
			details[i] = &huma.ErrorDetail{Message: f.Reason, Location: fmt.Sprintf("line %d, column %d", f.Line, f.Column),
				Value: f.Path}
		}
		return huma.NewError(http.StatusUnprocessableEntity, fmt.Sprintf("The %s has %s, so nothing was taken in.",
			faults.What, say.Things(len(faults.List), "fault")), details...)
	}
	var e *desk.Error
	if errors.As(err, &e) {
		status := map[desk.Kind]int{desk.Invalid: http.StatusUnprocessableEntity, desk.NotFound: http.StatusNotFound,
			desk.Conflict: http.StatusConflict, desk.Denied: http.StatusUnauthorized,
			desk.Forbidden: http.StatusForbidden, desk.Changed: http.StatusPreconditionFailed}[e.Kind]
		return huma.NewError(status, e.Message)
	}
	return err
}
