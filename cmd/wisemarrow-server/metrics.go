package main

import (
	"context"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"time"

	"wisemarrow/store"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// metrics gathers what a process can tell of itself and of its database.
func metrics(s *store.Store) (*prometheus.Registry, error) {
	all := prometheus.NewRegistry()
	pool, err := s.SQL()
	if err != nil {
		return nil, err
	}
	all.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		collectors.NewDBStatsCollector(pool, "wisemarrow"), works{s})
	return all, nil
}

// works tells how many works there are in each state.
type works struct{ store *store.Store }

var worksDesc = prometheus.NewDesc("wisemarrow_works", "Works by state, of the last day.", []string{"state"}, nil)

// Describe implements prometheus.Collector.
func (works) Describe(out chan<- *prometheus.Desc) { out <- worksDesc }

// Collect implements prometheus.Collector. When the database is away there is none.
func (w works) Collect(out chan<- prometheus.Metric) {
	ctx, done := context.WithTimeout(context.Background(), 3*time.Second)
	defer done()
	count, err := w.store.CountWorks(ctx)
	if err != nil {
		slog.Warn("works cannot be counted", "error", err)
		return
	}
	for state, n := range count {
		out <- prometheus.MustNewConstMetric(worksDesc, prometheus.GaugeValue, float64(n), state)
	}
}

// serveMetrics answers /metrics on an address of its own, until ctx ends.
func serveMetrics(ctx context.Context, addr string, all *prometheus.Registry) error {
	listener, err := net.Listen("tcp", addr)
	if err != nil {
		return fmt.Errorf("metrics: %s is not free: %w", addr, err)
	}
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.HandlerFor(all, promhttp.HandlerOpts{}))
	server := &http.Server{Handler: mux, ReadHeaderTimeout: 5 * time.Second, IdleTimeout: time.Minute}
	go func() { <-ctx.Done(); _ = server.Close() }()
	go func() { _ = server.Serve(listener) }()
	fmt.Printf("Metrics are at http://%s/metrics\n", listener.Addr())
	return nil
}
