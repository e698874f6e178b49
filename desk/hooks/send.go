package hooks

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strconv"
	"syscall"
	"time"

	"durvek/store"
)

// sender posts messages.
type sender struct{ http *http.Client }

// patience is how long a program may take to answer.
const patience = 15 * time.Second

const goneAnswer = "410 Gone"

// newSender makes one that goes where it is told and nowhere else: it follows no redirect, and reaches no address that
// leads to the computer's own net alone, where clouds keep secrets.
func newSender() sender {
	dial := &net.Dialer{Timeout: patience, Control: func(_, address string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil {
			return err
		}
		if a := at.Addr().Unmap(); a.IsLinkLocalUnicast() || a.IsMulticast() || a.IsUnspecified() {
			return fmt.Errorf("%s is no address of a program", a)
		}
		return nil
	}}
	return sender{&http.Client{Timeout: patience, Transport: &http.Transport{DialContext: dial.DialContext,
		DisableKeepAlives: true, MaxResponseHeaderBytes: 64 << 10},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
}

// messageID is the same however often a message is told, so that who is told twice may tell.
func messageID(s store.Hook, m store.Message) string { return fmt.Sprintf("%s-%d", s.ID, m.ID) }

// send posts a message. It tells whether it was taken, and what came back or why nothing did.
func (s sender) send(ctx context.Context, to store.Hook, m store.Message, id string, now time.Time) (bool, string) {
	body, err := json.Marshal(struct {
		Type string          `json:"type"`
		At   time.Time       `json:"timestamp"`
		Data json.RawMessage `json:"data"`
	}{m.Kind, m.Made, json.RawMessage(m.Body)})
	if err != nil {
		return false, err.Error()
	}
	sign, err := signature(to.Secret, id, now, body)
	if err != nil {
		return false, err.Error()
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, to.URL, bytes.NewReader(body))
	if err != nil {
		return false, err.Error()
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("User-Agent", "Durvek")
	req.Header.Set("webhook-id", id)
	req.Header.Set("webhook-timestamp", strconv.FormatInt(now.Unix(), 10))
	req.Header.Set("webhook-signature", sign)
	resp, err := s.http.Do(req)
	if err != nil {
		return false, unreached(err)
	}
	defer resp.Body.Close()
	if resp.StatusCode == http.StatusGone {
		return false, goneAnswer
	}
	return resp.StatusCode/100 == 2, fmt.Sprintf("%d %s", resp.StatusCode, http.StatusText(resp.StatusCode))
}

// unreached says why nothing came back, without the address, which stands beside it.
func unreached(err error) string {
	var ne net.Error
	if errors.As(err, &ne) && ne.Timeout() {
		return fmt.Sprintf("no answer within %v", patience)
	}
	var name *net.DNSError
	if errors.As(err, &name) {
		return fmt.Sprintf("not reached: no host %q is known", name.Name)
	}
	for u := errors.Unwrap(err); u != nil; u = errors.Unwrap(err) {
		err = u
	}
	return "not reached: " + err.Error()
}
