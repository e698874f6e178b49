package service

import (
	"bufio"
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"durvek/internal/durable"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
)

// Certificates speaks TLS for a service. Browsers give much of what a device is measured with to secure contexts
// only, and a plain address on a local network is none. Where the owner brings no certificate, the service
// signs one with an authority of its own, made at first use, for this computer's name and addresses.
type Certificates struct {
	CertificateOptions
	brought *tls.Certificate

	mu   sync.Mutex
	ca   *x509.Certificate
	key  *ecdsa.PrivateKey
	leaf *tls.Certificate
}

// How long certificates hold. Systems refuse longer ones for a server.
const (
	authorityLife = 10 * 365 * 24 * time.Hour
	serverLife    = 390 * 24 * time.Hour
	renewBefore   = 30 * 24 * time.Hour
)

// CertificateOptions say where a service keeps its authority, which certificate it speaks TLS with and for whom it
// signs one.
type CertificateOptions struct {
	Dir              string
	Certificate, Key string   // the owner's own files in PEM; both empty for a certificate that the service signs
	Names            []string // further names and addresses that lead to this computer
	Now              func() time.Time
}

// NewCertificates opens the certificates of a service.
func NewCertificates(o CertificateOptions) (*Certificates, error) {
	c := &Certificates{CertificateOptions: o}
	if (o.Certificate == "") != (o.Key == "") {
		return nil, errors.New("a certificate of your own needs both --certificate and --key")
	}
	if o.Certificate != "" {
		pair, err := tls.LoadX509KeyPair(o.Certificate, o.Key)
		if err != nil {
			return nil, fmt.Errorf("read the certificate %s with its key %s: %w", o.Certificate, o.Key, err)
		}
		if pair.Leaf != nil && o.Now().After(pair.Leaf.NotAfter) {
			return nil, fmt.Errorf("the certificate %s ended on %s; bring a new one, or leave it out for one of the "+
				"service's own", o.Certificate, pair.Leaf.NotAfter.Format(time.DateOnly))
		}
		c.brought = &pair
	}
	return c, nil
}

// Own tells whether the service signs its certificate itself.
func (c *Certificates) Own() bool { return c.brought == nil }

// Authority is the authority's certificate in DER, for a device that is to trust it.
func (c *Certificates) Authority() ([]byte, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if err := c.authority(); err != nil {
		return nil, err
	}
	return c.ca.Raw, nil
}

// authority reads the authority from its folder or makes it. Its certificate is limited to names and addresses
// of local networks, so that a device that trusts it is open to nothing else.
func (c *Certificates) authority() error {
	if c.ca != nil {
		return nil
	}
	at, keyAt := filepath.Join(c.Dir, "authority.pem"), filepath.Join(c.Dir, "authority-key.pem")
	if pair, err := tls.LoadX509KeyPair(at, keyAt); err == nil {
		if key, ok := pair.PrivateKey.(*ecdsa.PrivateKey); ok && c.Now().Before(pair.Leaf.NotAfter.Add(-serverLife)) {
			c.ca, c.key = pair.Leaf, key
			return nil
		}
	} else if !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("read the certificate authority in %s: %w", c.Dir, err)
	}
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	host, _ := os.Hostname()
	template := &x509.Certificate{SerialNumber: serial(), Subject: pkix.Name{CommonName: "Durvek on " + host},
		NotBefore: c.Now().Add(-time.Hour), NotAfter: c.Now().Add(authorityLife),
		IsCA: true, BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign,
		PermittedDNSDomainsCritical: true, PermittedIPRanges: local(),
		PermittedDNSDomains: slices.DeleteFunc(append([]string{"localhost", host}, localDomains...),
			func(s string) bool { return s == "" })}
	raw, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	if err != nil {
		return err
	}
	if c.ca, err = x509.ParseCertificate(raw); err != nil {
		return err
	}
	c.key = key
	if err := os.MkdirAll(c.Dir, 0o700); err != nil {
		return err
	}
	if err := write(keyAt, "PRIVATE KEY", key); err != nil {
		return err
	}
	return write(at, "CERTIFICATE", raw)
}

// localDomains are those that no authority of the outside world signs for (RFC 6762, 8375, 6761), and two that local
// networks use.
var localDomains = []string{"local", "home.arpa", "test", "internal", "lan"}

// local lists the ranges of addresses that local networks use (RFC 1918, 6598, 3927, 4193, 4291).
func local() []*net.IPNet {
	var out []*net.IPNet
	for _, s := range []string{"127.0.0.0/8", "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "100.64.0.0/10",
		"169.254.0.0/16", "::1/128", "fc00::/7", "fe80::/10"} {
		_, n, _ := net.ParseCIDR(s)
		out = append(out, n)
	}
	return out
}

func serial() *big.Int {
	n, _ := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	return n
}

func write(path, kind string, what any) error {
	raw, ok := what.([]byte)
	if !ok {
		var err error
		if raw, err = x509.MarshalPKCS8PrivateKey(what); err != nil {
			return err
		}
	}
	return durable.Write(path, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: raw}), 0o600)
}

// config chooses a certificate for each connection.
func (c *Certificates) config() *tls.Config {
	return &tls.Config{MinVersion: tls.VersionTLS12, NextProtos: []string{"http/1.1"},
		GetCertificate: func(hello *tls.ClientHelloInfo) (*tls.Certificate, error) {
			if c.brought != nil {
				return c.brought, nil
			}
			return c.serve(hello.Conn.LocalAddr())
		}}
}

// serve gives the certificate for this computer's names and addresses. What a device asks for by name never enters
// it: whoever once confirmed it sees the same one again until this computer has a new address, or it is about to end.
func (c *Certificates) serve(at net.Addr) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if err := c.authority(); err != nil {
		return nil, err
	}
	if c.leaf == nil {
		if pair, err := tls.LoadX509KeyPair(filepath.Join(c.Dir, "server.pem"),
			filepath.Join(c.Dir, "server-key.pem")); err == nil && c.holds(pair.Leaf) {
			c.leaf = &pair
		}
	}
	here := []net.IP{}
	if tcp, ok := at.(*net.TCPAddr); ok && permitted(tcp.IP) {
		here = append(here, tcp.IP)
	}
	if c.leaf != nil && c.covers(here) && c.Now().Before(c.leaf.Leaf.NotAfter.Add(-renewBefore)) {
		return c.leaf, nil
	}
	addresses := append(append(here, Addresses()...), net.IPv4(127, 0, 0, 1), net.IPv6loopback)
	for _, n := range c.Names {
		addresses = append(addresses, net.ParseIP(n)) // nil for a name, which nothing permits
	}
	if c.leaf != nil && len(c.leaf.Leaf.IPAddresses) < mostAddresses { // where it was before it may be again
		addresses = append(addresses, c.leaf.Leaf.IPAddresses...)
	}
	addresses = slices.DeleteFunc(addresses, func(ip net.IP) bool { return !permitted(ip) })
	slices.SortFunc(addresses, func(a, b net.IP) int { return bytes.Compare(a.To16(), b.To16()) })
	return c.sign(c.names(), slices.CompactFunc(addresses, net.IP.Equal))
}

// mostAddresses is how many addresses a certificate may gather before those of other networks are forgotten.
const mostAddresses = 50

// names lists this computer's own names and those that it was told, as far as the authority may sign for them.
func (c *Certificates) names() []string {
	names := []string{"localhost"}
	if host, err := os.Hostname(); err == nil {
		names = append(names, host, host+".local")
	}
	names = append(names, c.Names...)
	names = slices.DeleteFunc(names, func(n string) bool { return net.ParseIP(n) != nil || !c.mayName(n) })
	slices.Sort(names)
	return slices.Compact(names)
}

// mayName tells whether the authority's own constraints let it sign for a name (RFC 5280, 4.2.1.10).
func (c *Certificates) mayName(n string) bool {
	return n != "" && slices.ContainsFunc(c.ca.PermittedDNSDomains, func(d string) bool {
		return strings.EqualFold(n, d) || len(n) > len(d) && strings.EqualFold(n[len(n)-len(d)-1:], "."+d)
	})
}

// holds tells whether a kept certificate is good for all its names: its authority signed it and may name them.
func (c *Certificates) holds(leaf *x509.Certificate) bool {
	return leaf.CheckSignatureFrom(c.ca) == nil && !slices.ContainsFunc(leaf.DNSNames, func(n string) bool {
		return !c.mayName(n)
	})
}

// covers tells whether the certificate names the addresses and all of this computer's names.
func (c *Certificates) covers(addresses []net.IP) bool {
	for _, n := range c.names() {
		if !slices.Contains(c.leaf.Leaf.DNSNames, n) {
			return false
		}
	}
	return !slices.ContainsFunc(addresses, func(ip net.IP) bool {
		return !slices.ContainsFunc(c.leaf.Leaf.IPAddresses, ip.Equal)
	})
}

// permitted tells whether the authority may sign for an address.
func permitted(ip net.IP) bool {
	return ip != nil && slices.ContainsFunc(local(), func(n *net.IPNet) bool { return n.Contains(ip) })
}

// sign makes a certificate for names and addresses and keeps it, so that devices see the same one again.
func (c *Certificates) sign(names []string, addresses []net.IP) (*tls.Certificate, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	template := &x509.Certificate{SerialNumber: serial(), Subject: pkix.Name{CommonName: names[0]},
		NotBefore: c.Now().Add(-time.Hour), NotAfter: c.Now().Add(serverLife),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
		DNSNames: names, IPAddresses: addresses}
	raw, err := x509.CreateCertificate(rand.Reader, template, c.ca, &key.PublicKey, c.key)
	if err != nil {
		return nil, err
	}
	leaf, err := x509.ParseCertificate(raw)
	if err != nil {
		return nil, err
	}
	if err := write(filepath.Join(c.Dir, "server-key.pem"), "PRIVATE KEY", key); err == nil {
		write(filepath.Join(c.Dir, "server.pem"), "CERTIFICATE", raw)
	}
	c.leaf = &tls.Certificate{Certificate: [][]byte{raw, c.ca.Raw}, PrivateKey: key, Leaf: leaf}
	return c.leaf, nil
}

// Addresses lists this computer's addresses on its networks, without loopback.
func Addresses() []net.IP {
	var out []net.IP
	list, _ := net.InterfaceAddrs()
	for _, a := range list {
		if n, ok := a.(*net.IPNet); ok && !n.IP.IsLoopback() && !n.IP.IsLinkLocalUnicast() && n.IP.IsGlobalUnicast() {
			out = append(out, n.IP)
		}
	}
	return out
}

// Both is a listener that speaks TLS to who begins with it, and plain HTTP to others, on one port.
func Both(l net.Listener, c *Certificates) net.Listener {
	b := &both{Listener: l, config: c.config(), ready: make(chan net.Conn), gone: make(chan struct{})}
	go b.accept()
	return b
}

type both struct {
	net.Listener
	config *tls.Config
	ready  chan net.Conn
	gone   chan struct{}
	once   sync.Once
	err    error
}

// handshake begins a TLS connection's first record (RFC 8446, 5.1).
const handshake = 22

// helloTime is how long a new connection may say nothing.
const helloTime = 20 * time.Second

func (b *both) accept() {
	for {
		conn, err := b.Listener.Accept()
		if err != nil && !errors.Is(err, net.ErrClosed) { // too many open files, say: it passes
			select {
			case <-time.After(50 * time.Millisecond):
				continue
			case <-b.gone:
				return
			}
		}
		if err != nil {
			b.once.Do(func() { b.err = err; close(b.gone) })
			return
		}
		go func() {
			p := &peeked{Conn: conn, r: bufio.NewReaderSize(conn, 1024)}
			conn.SetReadDeadline(time.Now().Add(helloTime))
			first, err := p.r.Peek(1)
			conn.SetReadDeadline(time.Time{})
			if err != nil {
				conn.Close()
				return
			}
			var out net.Conn = p
			if first[0] == handshake {
				out = tls.Server(p, b.config)
			}
			select {
			case b.ready <- out:
			case <-b.gone:
				conn.Close()
			}
		}()
	}
}

// Accept gives the next connection that has begun to speak.
func (b *both) Accept() (net.Conn, error) {
	select {
	case c := <-b.ready:
		return c, nil
	case <-b.gone:
		return nil, b.err
	}
}

func (b *both) Close() error {
	b.once.Do(func() { b.err = net.ErrClosed; close(b.gone) })
	return b.Listener.Close()
}

// peeked is a connection whose first byte was looked at.
type peeked struct {
	net.Conn
	r *bufio.Reader
}

func (p *peeked) Read(b []byte) (int, error) { return p.r.Read(b) }
