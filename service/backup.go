package service

import (
	"bufio"
	"context"
	"log/slog"
	"net"
	"net/http"
	"time"

	"github.com/gofiber/fiber/v2"

	"durvek/desk/backup"
	"durvek/desk/books"
)

// backup streams an archive of the whole desk. One that is cut lacks its list of files, and whoever reads it sees so.
func (s *Service) backup(c *fiber.Ctx) error {
	w := who(c.UserContext())
	if !w.Role.May(books.Owner) {
		s.refused(c, "a backup is an owner's", "person", w.Person)
		return problem(c, http.StatusForbidden, "only an owner takes a backup: it holds everything that the desk knows")
	}
	security("backup taken", "person", w.Person, "from", asker(c))
	c.Set(fiber.HeaderContentType, "application/zstd")
	c.Set(fiber.HeaderContentDisposition, `attachment; filename="desk.tar.zst"`)
	dir, conn := s.desk.Desk.Dir, c.Context().Conn()
	c.Context().SetBodyStreamWriter(func(b *bufio.Writer) {
		if _, err := backup.Write(context.Background(), dir, taken{b, conn}); err != nil {
			slog.Error("a backup was cut", "error", err)
			return
		}
		b.Flush()
	})
	return nil
}

// taken writes to somebody who takes what is written within a time.
type taken struct {
	w    *bufio.Writer
	conn net.Conn
}

func (t taken) Write(b []byte) (int, error) {
	t.conn.SetWriteDeadline(time.Now().Add(answerTime))
	return t.w.Write(b)
}
