package page

import (
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promauto"
)

var requests = promauto.NewHistogramVec(prometheus.HistogramOpts{
	Name: "nelko_http_request_seconds", Help: "Time to answer a request, by route and status.",
	Buckets: []float64{.005, .02, .05, .1, .3, 1, 3, 10},
}, []string{"method", "route", "status"})

// methods are those counted by name. A request can name any other, and every
// label is kept for good.
var methods = []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPatch, http.MethodDelete,
	http.MethodOptions, http.MethodPut}

// methodOf is a request's method as it is counted and logged.
func methodOf(r *http.Request) string {
	if slices.Contains(methods, r.Method) {
		return r.Method
	}
	return "other"
}

func countRequest(r *http.Request, status int, took time.Duration) {
	requests.WithLabelValues(methodOf(r), routePattern(r), strconv.Itoa(status)).Observe(took.Seconds())
}
