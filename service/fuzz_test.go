package service

import (
	"bytes"
	"io"
	"net"
	"testing"
	"time"

	"durvek/internal/mutants"
)

// Whatever the first bytes of a connection are, they are handed on whole, or are a hello for TLS.
func FuzzFirstBytes(f *testing.F) {
	for _, s := range []string{"GET / HTTP/1.1\r\n\r\n", "\x16\x03\x01\x00\x05hello", "", "\x00"} {
		mutants.Add(f, []byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Skip()
		}
		c, err := NewCertificates(CertificateOptions{Dir: t.TempDir(), Now: time.Now})
		if err != nil {
			t.Fatal(err)
		}
		b := Both(l, c)
		defer b.Close()
		client, err := net.Dial("tcp", l.Addr().String())
		if err != nil {
			t.Skip()
		}
		client.Write(data)
		client.(*net.TCPConn).CloseWrite()
		defer client.Close()
		if len(data) == 0 {
			return // it is dropped
		}
		conn, err := b.Accept()
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		conn.SetDeadline(time.Now().Add(5 * time.Second))
		got, err := io.ReadAll(conn)
		if data[0] == handshake {
			if err == nil && len(got) > 0 {
				t.Fatalf("a hello of nonsense is answered with %q", got)
			}
		} else if err != nil || !bytes.Equal(got, data) {
			t.Fatalf("%q came as %q, %v", data, got, err)
		}
	})
}

func FuzzOwnPath(f *testing.F) {
	for _, s := range []string{"/a?b=c#d", "//x", "/\\x", "/\tx", "http://x", "/%2f/x"} {
		mutants.Add(f, s)
	}
	f.Fuzz(func(t *testing.T, to string) {
		if ownPath(to) && (to[0] != '/' || len(to) > 1 && (to[1] == '/' || to[1] == '\\')) {
			t.Fatalf("%q leads elsewhere", to)
		}
		printable(to)
	})
}
