package service

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"slices"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v2"
	"github.com/klauspost/compress/gzip"
)

// leastPacked is the size from which an answer is worth packing: below it fits into one packet of a network.
const leastPacked = 1400

var packers = sync.Pool{New: func() any {
	w, _ := gzip.NewWriterLevel(nil, gzip.BestSpeed)
	return w
}}

// gzipped packs bytes.
func gzipped(b []byte) []byte {
	var out bytes.Buffer
	w := packers.Get().(*gzip.Writer)
	defer packers.Put(w)
	w.Reset(&out)
	w.Write(b) // a buffer does not fail
	w.Close()
	return out.Bytes()
}

// takesPacked tells whether the other side takes answers that are packed.
func takesPacked(c *fiber.Ctx) bool {
	return strings.Contains(c.Get(fiber.HeaderAcceptEncoding), "gzip")
}

// packs tells whether a kind of answer shrinks.
func packs(media string) bool {
	return strings.Contains(media, "json") || strings.HasPrefix(media, "text/") || strings.Contains(media, "svg") ||
		strings.Contains(media, "yaml")
}

// etag names what an answer says (RFC 9110, 8.8.3).
func etag(body []byte) string {
	sum := sha256.Sum256(body)
	return `"` + hex.EncodeToString(sum[:12]) + `"`
}

// pack names what an answer says, sends nothing to who has it already, and packs large answers for those who take them
// so.
func pack(c *fiber.Ctx) error {
	if err := c.Next(); err != nil {
		return err
	}
	r := c.Response()
	if c.Method() == http.MethodGet && r.StatusCode() == http.StatusOK && !r.IsBodyStream() {
		tag := string(r.Header.Peek(fiber.HeaderETag))
		if tag == "" {
			tag = etag(r.Body())
			c.Set(fiber.HeaderETag, tag)
		}
		if slices.Contains(strings.Split(strings.ReplaceAll(c.Get(fiber.HeaderIfNoneMatch), " ", ""), ","), tag) {
			r.ResetBody()
			r.Header.Del(fiber.HeaderContentEncoding)
			return c.SendStatus(http.StatusNotModified)
		}
	}
	if r.IsBodyStream() || len(r.Body()) < leastPacked || !packs(string(r.Header.ContentType())) ||
		len(r.Header.Peek(fiber.HeaderContentEncoding)) > 0 || r.StatusCode() == http.StatusNoContent {
		return nil
	}
	c.Vary(fiber.HeaderAcceptEncoding)
	if takesPacked(c) {
		r.SetBodyRaw(gzipped(r.Body()))
		c.Set(fiber.HeaderContentEncoding, "gzip")
	}
	return nil
}
