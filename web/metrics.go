package web

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
)

// Counted counts the requests of a site and how long they took, by route and status. A
// route is its pattern, so that names and numbers of characters make no metrics.
func Counted(to prometheus.Registerer, next http.Handler) http.Handler {
	took := prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "wisemarrow_request_seconds", Help: "How long requests took, by route and status.",
		Buckets: []float64{.005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10, 30},
	}, []string{"method", "route", "status"})
	open := prometheus.NewGauge(
		prometheus.GaugeOpts{Name: "wisemarrow_requests_open", Help: "Requests being answered, streams of news among them."},
	)
	to.MustRegister(took, open)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		route := chi.NewRouteContext()
		out := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		begun := time.Now()
		open.Inc()
		defer func() {
			open.Dec()
			pattern := route.RoutePattern()
			if pattern == "" {
				pattern = "none"
			}
			if pattern == "/api/events" {
				return // a stream lasts as long as somebody looks
			}
			took.WithLabelValues(method(r.Method), pattern, strconv.Itoa(max(out.Status(), http.StatusOK))).
				Observe(time.Since(begun).Seconds())
		}()
		next.ServeHTTP(out, r.WithContext(context.WithValue(r.Context(), chi.RouteCtxKey, route)))
	})
}

// method is a method that the site has, or "other": anybody may send any word.
func method(m string) string {
	if m == http.MethodGet || m == http.MethodPost || m == http.MethodHead {
		return m
	}
	return "other"
}
