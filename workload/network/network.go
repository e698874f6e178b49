// Package network holds the workload of the way between the machine under test and the service: how
// much goes through it, and how long a request takes there and back. The service answers at three
// addresses: /api/agent/link/down sends bytes, /up takes them, /echo answers at once.
package network

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/HdrHistogram/hdrhistogram-go"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

const (
	streams = 4
	piece   = 256 << 10
	// ethernetPayload is TCP's share of what Ethernet carries with packets of 1500 bytes: 1460 of 1538
	// (IEEE 802.3, RFC 9293 without options).
	ethernetPayload = 1460.0 / 1538
)

func init() {
	rate := method.Measure{Unit: "Mbit/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.03}
	latency := method.Measure{Unit: "us", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.1}
	workload.Register(workload.Workload{Run: run, Test: method.Test{
		Slug: "network", Version: 2, Name: "Network", Group: "network", Subjects: workload.Devices, Repeats: 5, Seconds: 6,
		Usual: true,
		About: "Data go between this machine and the service over HTTP, both ways, in one stream and in four; small " +
			"requests go there and back. Beside the figures stand the link's rate as the system reports it, and the payload " +
			"that such a link can carry.",
		StandsFor: "Copies to a server, backups over the network, remote desks.", LimitedBy: "The slowest link between " +
			"the two, a radio's surroundings, then the cores that handle packets. The service's own machine and its link " +
			"must be faster than what is measured.",
		Input: "Incompressible data.", Checked: "The bytes that arrived are those that were sent, by count.",
		MustMatch: []string{"supply", "network.link"},
		Measures: append(workload.Rows(rate, "down", "receiving, one stream", "down-4", "receiving, four streams", "up",
			"sending, one stream", "up-4", "sending, four streams"),
			workload.Rows(latency, "median", "median round trip", "latency-99", "99 % round trip")...),
	}})
}

func run(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	if env.Service == "" {
		return out, workload.NotRun("the network is measured between this machine and a service; say where it is with " +
			"--server")
	}
	var mu sync.Mutex
	var local net.Addr
	transport := &http.Transport{MaxIdleConnsPerHost: streams, DisableCompression: true, ReadBufferSize: piece,
		WriteBufferSize: piece,
		DialContext: func(ctx context.Context, kind, address string) (net.Conn, error) {
			c, err := (&net.Dialer{}).DialContext(ctx, kind, address)
			if err == nil {
				mu.Lock()
				local = c.LocalAddr()
				mu.Unlock()
			}
			return c, err
		}}
	defer transport.CloseIdleConnections()
	c := &peer{http.Client{Transport: transport}, env.Service, env.Token}
	h := hdrhistogram.New(1000, int64(time.Minute), 3)
	begin := time.Now()
	for n := 0; n < 20 || time.Since(begin) < env.Duration()/2; n++ {
		from := time.Now()
		if err := c.echo(ctx); err != nil {
			if n == 0 && ctx.Err() == nil {
				return out, workload.NotRun("the service does not answer at %s: %w", env.Service, err)
			}
			return out, err
		}
		if n > 0 { // the first opens the connection
			h.RecordValue(int64(time.Since(from)))
		}
	}
	got := map[string]float64{"median": float64(h.ValueAtQuantile(50)) / 1e3,
		"latency-99": float64(h.ValueAtQuantile(99)) / 1e3}
	for i, p := range []struct {
		slug string
		n    int
		move func(context.Context, *atomic.Int64, time.Duration) error
	}{{"down", 1, c.down}, {"down-4", streams, c.down}, {"up", 1, c.up}, {"up-4", streams, c.up}} {
		v, s, err := flow(ctx, env.Part(i+1, 5), p.slug, p.n, p.move)
		out.Series = append(out.Series, s)
		if err != nil {
			return out, err
		}
		got[p.slug] = v
	}
	mu.Lock()
	name, mbit := linkOf(local, "/sys/class/net")
	mu.Unlock()
	out.Observed, out.Negotiated = map[string]string{"network.link": name}, map[string]string{}
	if mbit > 0 {
		out.Negotiated["link.ceiling"] = quantity.Format(mbit*ethernetPayload, "Mbit/s") +
			" of payload (TCP in packets of 1500 bytes)"
	}
	for _, m := range env.Test.Measures {
		out.Readings = append(out.Readings, workload.Reading(m.Slug, got[m.Slug]))
	}
	return out, nil
}

// flow moves data in n streams for the timed length and gives the rate in Mbit/s.
func flow(ctx context.Context, env workload.Env, name string, n int, move func(context.Context, *atomic.Int64,
	time.Duration) error) (float64, record.Series, error) {
	s := record.Series{Channel: name, Unit: "Mbit/s"}
	var bytes atomic.Int64
	length := env.Duration()
	errs := make([]error, n)
	var wg sync.WaitGroup
	begin := time.Now()
	for i := range n {
		wg.Go(func() { errs[i] = move(ctx, &bytes, length) })
	}
	finished := make(chan struct{})
	go func() { wg.Wait(); close(finished) }()
	tick := time.NewTicker(length / 10)
	defer tick.Stop()
	var last int64
	lastAt := begin
	for {
		select {
		case <-finished:
			spent := time.Since(begin)
			if err := errors.Join(errs...); err != nil {
				return 0, s, fmt.Errorf("network, %s: %w", name, err)
			}
			return float64(bytes.Load()) * 8 / 1e6 / spent.Seconds(), s, nil
		case now := <-tick.C:
			b := bytes.Load()
			v := float64(b-last) * 8 / 1e6 / now.Sub(lastAt).Seconds()
			last, lastAt = b, now
			s.Times, s.Values = append(s.Times, now.Sub(begin).Seconds()), append(s.Values, v)
			if env.Report != nil {
				env.Report(record.Sample{Phase: name, Share: min(1, now.Sub(begin).Seconds()/length.Seconds()), Channel: name,
					Unit: "Mbit/s", Value: v})
			}
		}
	}
}

// peer is the service as this workload sees it.
type peer struct {
	client         http.Client
	address, token string
}

func (p *peer) ask(ctx context.Context, method, path string, body io.Reader) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, method, strings.TrimSuffix(p.address, "/")+"/api/agent/link/"+path, body)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+p.token)
	if body != nil {
		req.Header.Set("Content-Type", "application/octet-stream")
	}
	resp, err := p.client.Do(req)
	if err != nil {
		var u *url.Error
		if errors.As(err, &u) {
			err = u.Err
		}
		return nil, err
	}
	if resp.StatusCode >= 300 {
		resp.Body.Close()
		return nil, fmt.Errorf("the service answered %s", resp.Status)
	}
	return resp, nil
}

func (p *peer) echo(ctx context.Context) error {
	resp, err := p.ask(ctx, http.MethodGet, "echo", nil)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	_, err = io.Copy(io.Discard, resp.Body)
	return err
}

// down receives for so long and counts the bytes.
func (p *peer) down(ctx context.Context, bytes *atomic.Int64, length time.Duration) error {
	resp, err := p.ask(ctx, http.MethodGet, "down?seconds="+strconv.FormatFloat(length.Seconds(), 'f', 3, 64), nil)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	buf := make([]byte, piece)
	for {
		n, err := resp.Body.Read(buf)
		bytes.Add(int64(n))
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

// up sends for so long; the service says how much arrived.
func (p *peer) up(ctx context.Context, bytes *atomic.Int64, length time.Duration) error {
	data := make([]byte, piece)
	rand.NewChaCha8([32]byte{'u', 'p'}).Read(data)
	s := &source{data: data, end: time.Now().Add(length), count: bytes}
	resp, err := p.ask(ctx, http.MethodPost, "up", s)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		return err
	}
	if got, err := strconv.ParseInt(strings.TrimSpace(string(b)), 10, 64); err != nil || got != s.sent {
		return fmt.Errorf("%d bytes were sent and %q arrived: %w", s.sent, b, workload.ErrWrong)
	}
	return nil
}

// source gives data until its time is up.
type source struct {
	data  []byte
	end   time.Time
	sent  int64
	count *atomic.Int64
}

func (s *source) Read(b []byte) (int, error) {
	if time.Now().After(s.end) {
		return 0, io.EOF
	}
	n := copy(b, s.data)
	s.sent += int64(n)
	s.count.Add(int64(n))
	return n, nil
}

// linkOf names the link that a connection goes through, with its rate where Linux tells it in Mbit/s.
func linkOf(local net.Addr, sys string) (name string, mbit float64) {
	tcp, ok := local.(*net.TCPAddr)
	if !ok {
		return "", 0
	}
	if tcp.IP.IsLoopback() {
		return "loopback", 0
	}
	list, err := net.Interfaces()
	if err != nil {
		return "", 0
	}
	for _, i := range list {
		addresses, _ := i.Addrs()
		for _, a := range addresses {
			if n, ok := a.(*net.IPNet); ok && n.IP.Equal(tcp.IP) {
				return rated(i.Name, sys)
			}
		}
	}
	return "", 0
}

// rated adds to an interface's name the rate that its driver reports.
func rated(name, sys string) (string, float64) {
	b, err := os.ReadFile(filepath.Join(sys, name, "speed"))
	mbit, perr := strconv.ParseFloat(strings.TrimSpace(string(b)), 64)
	if err != nil || perr != nil || mbit <= 0 {
		return name, 0
	}
	return fmt.Sprintf("%s, %s", name, quantity.Plain(mbit, "Mbit/s")), mbit
}
