package web

import (
	"bytes"
	"net/http"
	"strconv"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promauto"
)

type buffer = bytes.Buffer

var requests = promauto.NewHistogramVec(prometheus.HistogramOpts{
	Name: "nelko_http_request_seconds", Help: "Time to answer a request, by route and status.",
	Buckets: []float64{.005, .02, .05, .1, .3, 1, 3, 10},
}, []string{"method", "route", "status"})

func countRequest(r *http.Request, status int, took time.Duration) {
	requests.WithLabelValues(r.Method, routePattern(r), strconv.Itoa(status)).Observe(took.Seconds())
}
