package service

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"strconv"
	"time"

	"github.com/gofiber/fiber/v2"
	"github.com/gofiber/fiber/v2/middleware/adaptor"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
	"github.com/shirou/gopsutil/v4/disk"

	"durvek/desk/house"
)

// meters are what a service counts and measures of itself, as OpenMetrics.
type meters struct {
	registry *prometheus.Registry
	requests *prometheus.CounterVec
	seconds  *prometheus.HistogramVec
	refusals *prometheus.CounterVec
	backups  *prometheus.CounterVec
	backup   prometheus.Gauge
}

func newMeters(d *house.House) *meters {
	m := &meters{registry: prometheus.NewRegistry(),
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "durvek_requests_total",
			Help: "Requests answered, by verb, route and status"}, []string{"verb", "route", "status"}),
		seconds: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "durvek_request_seconds",
			Help:    "Time until a request was answered, by route",
			Buckets: []float64{.001, .003, .01, .03, .1, .3, 1, 3, 10, 30}}, []string{"route"}),
		refusals: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "durvek_refusals_total",
			Help: "Requests that were not let in, by why"}, []string{"why"}),
		backups: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "durvek_backups_total",
			Help: "Backups that the service made by itself, by how they ended"}, []string{"outcome"}),
		backup: prometheus.NewGauge(prometheus.GaugeOpts{Name: "durvek_backup_last_time_seconds",
			Help: "When the last backup was made, in Unix time; 0 before the first since the start"})}
	m.registry.MustRegister(m.requests, m.seconds, m.refusals, m.backups, m.backup, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	for name, x := range map[string]struct {
		help string
		read func() int
	}{
		"durvek_agents":          {"Agents at work on plans", d.Bench.AtWork},
		"durvek_trace_waiting":   {"Reports of sensors on their way into the database", d.Bench.Waiting},
		"durvek_matrix_columns":  {"Measures whose cells are held in memory", d.Figures.Columns},
		"durvek_matrix_revision": {"Changes of the cells since the start", d.Figures.Revision},
		"durvek_writers_waiting": {"Writes that wait for their turn", d.Desk.WritersWaiting},
		"durvek_listeners":       {"Who listens to live events", d.Desk.Events.Listeners},
	} {
		m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: x.help},
			func() float64 { return float64(x.read()) }))
	}
	return m
}

// count counts a request by its route, never by its address, which has no end of values.
func (m *meters) count(c *fiber.Ctx) error {
	begin := time.Now()
	err := c.Next()
	if err != nil {
		failed(c, err)
	}
	route := c.Route().Path
	m.requests.WithLabelValues(c.Method(), route, strconv.Itoa(c.Response().StatusCode())).Inc()
	m.seconds.WithLabelValues(route).Observe(time.Since(begin).Seconds())
	return nil
}

// BackedUp takes note of a backup that was made, or failed.
func (s *Service) BackedUp(err error) {
	if err != nil {
		s.meters.backups.WithLabelValues("failed").Inc()
		return
	}
	s.meters.backups.WithLabelValues("made").Inc()
	s.meters.backup.SetToCurrentTime()
	now := s.desk.Desk.Now()
	s.backedUp.Store(&now)
}

// metrics answers programs on this computer, and elsewhere who is signed in.
func (s *Service) metrics() fiber.Handler {
	tell := adaptor.HTTPHandler(promhttp.HandlerFor(s.meters.registry, promhttp.HandlerOpts{EnableOpenMetrics: true}))
	return func(c *fiber.Ctx) error {
		if at := c.Context().RemoteIP(); at.IsLoopback() && !c.IsProxyTrusted() || s.known(c) {
			return tell(c)
		}
		return problem(c, http.StatusUnauthorized, "sign in with a token to read this from another computer")
	}
}

// leastRoom is how much room the data folder's disk must have for the service to be ready.
const leastRoom = 64 << 20

// ready tells whether the service can do its work. It looks once a second however often it is asked: anybody may ask.
func (s *Service) ready(c *fiber.Ctx) error {
	s.looking.Lock()
	defer s.looking.Unlock()
	if time.Since(s.looked) > time.Second {
		s.says, s.status = s.look(c.UserContext())
		s.looked = time.Now()
	}
	return c.Status(s.status).JSON(s.says)
}

// look tries what the service needs: room on its disk, a database that answers, cells in memory.
func (s *Service) look(ctx context.Context) (says map[string]string, status int) {
	says = map[string]string{"disk": "ok", "database": "ok", "matrix": "ok"}
	status = http.StatusOK
	not := func(what, why string) { says[what], status = why, http.StatusServiceUnavailable }
	dir := s.desk.Desk.Dir
	if u, err := disk.Usage(dir); err == nil && u.Free < leastRoom {
		not("disk", fmt.Sprintf("%d MiB are free, %d are needed", u.Free>>20, leastRoom>>20))
	} else if f, err := os.CreateTemp(dir, ".ready-*"); err != nil {
		not("disk", "nothing can be written")
	} else {
		f.Close()
		os.Remove(f.Name())
	}
	if err := s.desk.Desk.Store.Answers(ctx); err != nil {
		not("database", "it does not answer")
	}
	if !s.desk.Figures.Loaded() {
		not("matrix", "cells are being read")
	}
	return says, status
}
