package hooks

import (
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"testing"
)

func TestWhyNothingCameBackIsSaidInShort(t *testing.T) {
	for want, err := range map[string]error{
		"no answer within 15s": &url.Error{Op: "Post", URL: "https://desk.invalid/", Err: os.ErrDeadlineExceeded},
		`not reached: no host "desk.invalid" is known`: &url.Error{Op: "Post", Err: &net.OpError{Op: "dial",
			Err: &net.DNSError{Err: "no such host", Name: "desk.invalid", Server: "192.0.2.1:53", IsNotFound: true}}},
		"not reached: connection refused": fmt.Errorf("dial: %w", errors.New("connection refused")),
	} {
		if got := unreached(err); got != want {
			t.Errorf("%v is said as %q, want %q", err, got, want)
		}
	}
}
