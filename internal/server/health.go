package server

import (
	"context"
	"encoding/json"
	"net/http"
	"os"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"celator/internal/budget"
)

// healthz says that this process answers at all.
func (s *server) healthz(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.Write([]byte(`{"status":"ok"}` + "\n"))
}

// readyz says whether work can be done: each part by its name, and why not.
func (s *server) readyz(w http.ResponseWriter, r *http.Request) {
	parts := map[string]string{"database": "ok", "storage": "ok"}
	status := http.StatusOK
	note := func(part string, err error) {
		if err != nil {
			parts[part], status = sentence(err), http.StatusServiceUnavailable
		}
	}
	if err := s.Store.Ready(r.Context()); err != nil {
		s.Log.Warn("not ready", "error", err)
		note("database", errNoDatabase)
	}
	note("storage", s.writable())
	note("storage", s.Library.Room(1))
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(parts)
}

// writable reports whether the store's folder takes files.
func (s *server) writable() error {
	f, err := os.CreateTemp(s.Library.Store, ".ready-")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	return f.Close()
}

// measure registers what is counted of this server.
func (s *server) measure(reg *prometheus.Registry) {
	s.seen = prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "celator_request_seconds", Help: "Requests by route and status.",
		Buckets: []float64{.005, .01, .025, .05, .1, .2, .4, .8, 1.5, 3, 6, 12, 30},
	}, []string{"method", "route", "status"})
	s.patches = prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "celator_patch_seconds", Help: "Patches by how they were wanted: quick, exact or ahead.",
		Buckets: []float64{.005, .01, .025, .05, .1, .2, .4, .8, 1.5, 3, 6, 12},
	}, []string{"kind"})
	reg.MustRegister(s.seen, s.patches, &collector{s})
}

// collector asks for what is measured at the time of asking.
type collector struct{ s *server }

var (
	memoryDesc = prometheus.NewDesc("celator_memory_bytes", "What is remembered, in memory and on the disk.",
		[]string{"what"}, nil)
	poolDesc = prometheus.NewDesc("celator_pool", "Pools of memory and processors: used, peak, size, waiting.",
		[]string{"pool", "what"}, nil)
	connectionDesc = prometheus.NewDesc("celator_database_connections", "Connections by share: used and most.",
		[]string{"share", "what"}, nil)
	queueDesc = prometheus.NewDesc("celator_queue_jobs", "Jobs in the queue by kind and state.",
		[]string{"kind", "state"}, nil)
	diskDesc = prometheus.NewDesc("celator_disk_free_bytes", "Bytes that may still be written to the store.", nil, nil)
)

func (c *collector) Describe(ch chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{memoryDesc, poolDesc, connectionDesc, queueDesc, diskDesc} {
		ch <- d
	}
}

func (c *collector) Collect(ch chan<- prometheus.Metric) {
	gauge := func(d *prometheus.Desc, v float64, labels ...string) {
		ch <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, v, labels...)
	}
	memory, disk := c.s.Patches.Frames.Bytes()
	for what, n := range map[string]int64{
		"frames": memory, "frames on disk": disk, "patches": c.s.Patches.Bytes(),
		"documents": c.s.documents.Bytes(),
	} {
		gauge(memoryDesc, float64(n), what)
	}
	for name, p := range map[string]*budget.Pool{
		"pictures": c.s.Budget.Pictures, "bodies": c.s.Budget.Bodies,
		"children": c.s.Budget.Children, "jobs": c.s.Budget.Jobs, "processor": c.s.Budget.Processor,
		"decoding": c.s.Budget.Decoding,
	} {
		used, peak, size := p.Use()
		for what, n := range map[string]int64{"used": used, "peak": peak, "size": size, "waiting": int64(p.Waiting())} {
			gauge(poolDesc, float64(n), name, what)
		}
	}
	for name, n := range c.s.Store.Connections() {
		gauge(connectionDesc, float64(n[0]), name, "used")
		gauge(connectionDesc, float64(n[1]), name, "most")
	}
	if free, err := c.s.Library.Free(); err == nil {
		gauge(diskDesc, float64(free))
	}
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	if all, err := c.s.Store.ForReads().Depths(ctx); err == nil { // while the database is away the rest is told
		for _, d := range all {
			gauge(queueDesc, float64(d.Jobs), d.Kind, d.State)
		}
	}
}

func metrics(reg *prometheus.Registry) http.Handler {
	return promhttp.HandlerFor(reg, promhttp.HandlerOpts{})
}
