package kit

import (
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"
)

// throttle lets so many requests in from one place and in all; it forgets after a restart.
type throttle struct {
	mu    sync.Mutex
	all   *rate.Limiter
	hosts map[string]*rate.Limiter
}

// How many requests come in: a few from one place in ten minutes, and from all places
// together as many as somebody can read.
const (
	perHost  = 6
	perHour  = 240
	mostKept = 10_000 // hosts remembered
)

// lets reports whether one more is let in from a host.
func (t *throttle) lets(host string) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.all == nil {
		t.all = rate.NewLimiter(rate.Every(time.Hour/perHour), perHour/4)
	}
	if t.hosts == nil || len(t.hosts) > mostKept {
		t.hosts = map[string]*rate.Limiter{}
	}
	h := t.hosts[host]
	if h == nil {
		h = rate.NewLimiter(rate.Every(10*time.Minute/perHost), perHost)
		t.hosts[host] = h
	}
	return h.Allow() && t.all.Allow()
}

// HostOf gives the host that asks; behind a proxy that is named, the one the proxy heard.
func (s *Server) HostOf(r *http.Request) string {
	if s.Proxied {
		hops := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",") // a proxy may add a line of its own to the client's
		if ip := net.ParseIP(strings.TrimSpace(hops[len(hops)-1])); ip != nil {
			return ip.String()
		}
	}
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

// Outside makes what a page by private link is answered with leave no trace of its
// address elsewhere.
func (s *Server) Outside(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		c.Response().Header().Set("Referrer-Policy", "no-referrer")
		c.Response().Header().Set("X-Robots-Tag", "noindex, nofollow")
		return next(c)
	}
}
