package web

import (
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"ironthread/store"
	"ironthread/web/room"
)

// What whoever runs the application sees of it: a line for each request, with a number that its answer carries too, and
// figures for Prometheus. Neither holds what was typed: addresses as they are routed, never with their queries.

// Metrics are the application's figures.
type Metrics struct {
	registry *prometheus.Registry
	took     *prometheus.HistogramVec
}

// NewMetrics begins to count; db is the store whose connections are counted too.
func NewMetrics(db *store.Store) *Metrics {
	m := &Metrics{registry: prometheus.NewRegistry(), took: prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "ironthread_request_seconds", Help: "How long requests took, by method, route and status.",
		Buckets: []float64{0.005, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 5, 20},
	}, []string{"method", "route", "status"})}
	m.registry.MustRegister(m.took, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		collectors.NewDBStatsCollector(db.DB(), "ironthread"))
	return m
}

// foretold adds how many bytes the guides keep foretold, which --memory bounds.
func (m *Metrics) foretold(bytes func() int64) error {
	err := m.registry.Register(prometheus.NewGaugeFunc(prometheus.GaugeOpts{
		Name: "ironthread_foretold_bytes", Help: "What the guides of all circuits keep foretold, which --memory bounds.",
	}, func() float64 { return float64(bytes()) }))
	if err != nil {
		return fmt.Errorf("web: %w", err)
	}
	return nil
}

// Handler answers a scrape.
func (m *Metrics) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{MaxRequestsInFlight: 2, Timeout: 10 * time.Second})
}

// requestID is the header in which an answer carries its number.
const requestID = "X-Request-Id"

// quiet are the addresses that are asked again and again.
var quiet = map[string]bool{"/static/:version/*file": true, "/healthz": true, "/readyz": true, "/jobs/:id/since": true,
	"/jobs/:id/events":    true,
	"/jobs/:id/scan/live": true}

// watched notes each request once it is answered.
func (a *App) watched(c *gin.Context) {
	began := time.Now()
	b := make([]byte, 8)
	_, _ = rand.Read(b) // never fails; see crypto/rand
	id := hex.EncodeToString(b)
	c.Header(requestID, id)
	c.Next()
	took, route := time.Since(began), c.FullPath()
	if route == "" {
		route = "none"
	}
	if a.metrics != nil {
		a.metrics.took.WithLabelValues(c.Request.Method, route, strconv.Itoa(c.Writer.Status())).Observe(took.Seconds())
	}
	if !a.requests || quiet[route] && c.Writer.Status() < http.StatusInternalServerError {
		return
	}
	level := slog.LevelInfo
	if c.Writer.Status() >= http.StatusInternalServerError {
		level = slog.LevelError
	}
	a.front.Log.LogAttrs(c.Request.Context(), level, "request", slog.String("id", id), slog.String("method", c.Request.Method),
		slog.String("route", route), slog.Int("status", c.Writer.Status()), slog.Duration("took", took.Round(time.Microsecond)),
		slog.String("from", c.ClientIP()), slog.String("who", room.Who(c)))
}
