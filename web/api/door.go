package api

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"

	"greenbaton/core/ref"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/newsroom/programs"
	"greenbaton/store"
)

type (
	caller    struct{}
	operation struct{}
	ifMatch   struct{}
)

// keyOf gives by which token something is asked.
func keyOf(ctx context.Context) programs.Key {
	k, _ := ctx.Value(caller{}).(programs.Key)
	return k
}

// matched reports whether what is asked names a version that it is about.
func matched(ctx context.Context) bool {
	is, _ := ctx.Value(ifMatch{}).(bool)
	return is
}

// mostKey is how long an Idempotency-Key is at most.
const mostKey = 200

// described is where the description is, which anybody reads.
func described(path string) bool { return strings.HasPrefix(path, "/openapi") }

// door lets in who has a token that opens something, not too often, and does once what is to be done
// once.
func (s *Section) door(mux *http.ServeMux) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Cache-Control", "private, no-cache")
		if described(r.URL.Path) && r.Method == http.MethodGet {
			h.Set("Cache-Control", "public, max-age=300")
			s.found(mux, w, r)
			return
		}
		kind, token, _ := strings.Cut(r.Header.Get("Authorization"), " ")
		if !strings.EqualFold(kind, "Bearer") || token == "" {
			h.Set("WWW-Authenticate", `Bearer realm="Green Baton"`)
			newProblem(http.StatusUnauthorized, "Send a token as Authorization: Bearer. One is made under Programs, in the menu below your initials.").write(w)
			return
		}
		k, err := s.Programs.Open(r.Context(), strings.TrimSpace(token), s.HostOf(r))
		if err != nil {
			if errors.Is(err, newsroom.ErrToken) {
				h.Set("WWW-Authenticate", `Bearer realm="Green Baton", error="invalid_token"`)
			}
			s.fails(w, r, err)
			return
		}
		if wait, left := s.limits.takes(k.Token.ID); wait > 0 {
			after := strconv.Itoa(int(math.Ceil(wait.Seconds())))
			h.Set("Retry-After", after)
			limitHeaders(h, left, after)
			newProblem(http.StatusTooManyRequests, "This token asks too often. Wait "+after+" seconds.").write(w)
			return
		} else {
			limitHeaders(h, left, strconv.Itoa(int(math.Ceil(float64(burst-left)/perSecond))))
		}
		v := newsroom.Visitor{Person: k.Person.ID, Token: k.Token.ID}
		ctx := context.WithValue(newsroom.WithReceipt(r.Context()), caller{}, k)
		ctx = context.WithValue(ctx, ifMatch{}, r.Header.Get("If-Match") != "")
		if key := r.Header.Get("Idempotency-Key"); key != "" && r.Method != http.MethodGet && r.Method != http.MethodHead {
			s.once(mux, w, r.WithContext(ctx), v, key)
			return
		}
		s.found(mux, w, r.WithContext(newsroom.WithVisitor(ctx, v)))
	})
}

func (s *Section) fails(w http.ResponseWriter, r *http.Request, err error) {
	var p *Problem
	if errors.As(s.problem(r.Context(), err), &p) {
		p.write(w)
	}
}

// found answers what there is, and says as a problem that there is nothing else.
func (s *Section) found(mux *http.ServeMux, w http.ResponseWriter, r *http.Request) {
	h, pattern := mux.Handler(r)
	if pattern != "" {
		mux.ServeHTTP(w, r)
		return
	}
	var is blank
	h.ServeHTTP(&is, r)
	if allow := is.Header().Get("Allow"); is.status == http.StatusMethodNotAllowed {
		w.Header().Set("Allow", allow)
		newProblem(http.StatusMethodNotAllowed, "This address takes "+allow+".").write(w)
		return
	}
	newProblem(http.StatusNotFound, "There is no such address. What there is stands in "+s.Base+Base+"/openapi.json.").write(w)
}

// blank takes an answer and keeps its status alone.
type blank struct {
	header http.Header
	status int
}

func (b *blank) Header() http.Header {
	if b.header == nil {
		b.header = http.Header{}
	}
	return b.header
}
func (b *blank) Write(p []byte) (int, error) { return len(p), nil }
func (b *blank) WriteHeader(status int)      { b.status = status }

// kept takes an answer, to be sent and kept.
type kept struct {
	blank
	body bytes.Buffer
}

func (k *kept) Write(p []byte) (int, error) { return k.body.Write(p) }

// sent are the headers that belong to an answer which is kept.
var sent = []string{"ETag", "Location", "Link"}

// once does under a key what was not done under it before, and answers otherwise as it did then.
func (s *Section) once(mux *http.ServeMux, w http.ResponseWriter, r *http.Request, v newsroom.Visitor, key string) {
	ctx := r.Context()
	if len(key) > mostKey {
		newProblem(http.StatusUnprocessableEntity, fmt.Sprintf("An Idempotency-Key has up to %d characters.", mostKey)).write(w)
		return
	}
	body, err := io.ReadAll(r.Body)
	if err != nil {
		var large *http.MaxBytesError
		if errors.As(err, &large) || echo.StatusCode(err) == http.StatusRequestEntityTooLarge {
			newProblem(http.StatusRequestEntityTooLarge, "This is too large.").write(w)
			return
		}
		newProblem(http.StatusBadRequest, "What was sent ended too early. Send it again.").write(w)
		return
	}
	sum := sha256.New()
	fmt.Fprintf(sum, "%s %s\n%s\n", r.Method, r.URL.RequestURI(), r.Header.Get("If-Match"))
	sum.Write(body)
	x := store.AskedOnce{TokenID: v.Token, Key: key, Asked: hex.EncodeToString(sum.Sum(nil)), At: s.Newsroom.Now()}
	before, done, err := s.Programs.Once(ctx, x)
	if err != nil {
		s.fails(w, r, err)
		return
	}
	defer done()
	switch {
	case before == nil:
	case before.Status == 0:
		newProblem(http.StatusConflict, "This was done under this Idempotency-Key before; what was answered is not known any more. Look at what there is.").write(w)
		return
	default:
		for line := range strings.Lines(before.Headers) {
			name, value, _ := strings.Cut(strings.TrimSpace(line), ": ")
			w.Header().Set(name, value)
		}
		w.Header().Set("Idempotency-Replayed", "true")
		send(w, before.Status, before.Type, before.Answer)
		return
	}
	v.Once = &x
	r = r.WithContext(newsroom.WithVisitor(ctx, v))
	r.Body = io.NopCloser(bytes.NewReader(body))
	var out kept
	out.status = http.StatusOK
	s.found(mux, &out, r)
	for name, values := range out.Header() {
		w.Header()[name] = values
	}
	if out.status < 300 { // what was refused may be asked again
		x.Status, x.Type, x.Answer = out.status, out.Header().Get("Content-Type"), out.body.Bytes()
		for _, name := range sent {
			if value := out.Header().Get(name); value != "" {
				x.Headers += name + ": " + value + "\n"
			}
		}
		if err := s.Programs.Answered(ctx, x); err != nil {
			s.Log.Error("keep what was answered to a program", "problem", err)
		}
	}
	send(w, out.status, out.Header().Get("Content-Type"), out.body.Bytes())
}

func send(w http.ResponseWriter, status int, kind string, body []byte) {
	if kind != "" {
		w.Header().Set("Content-Type", kind)
	}
	w.WriteHeader(status)
	if _, err := w.Write(body); err != nil {
		return // whoever asked is gone
	}
}

// scoped lets through what the token opens.
func (s *Section) scoped(a huma.API) func(huma.Context, func(huma.Context)) {
	return func(c huma.Context, next func(huma.Context)) {
		op := c.Operation()
		area, _ := op.Metadata["area"].(scope.Area)
		right, _ := op.Metadata["right"].(scope.Right)
		if k := keyOf(c.Context()); !k.Scope.Allows(area, right) {
			c.SetHeader("WWW-Authenticate", `Bearer realm="Green Baton", error="insufficient_scope"`)
			if err := huma.WriteErr(a, c, http.StatusForbidden, fmt.Sprintf("This token %s. This asks for %s:%s; make another token that opens it.", k.Scope.Says(), area, right)); err != nil {
				s.Log.Error("refuse a program", "problem", err)
			}
			return
		}
		next(huma.WithValue(c, operation{}, op.OperationID))
	}
}

// How often a token asks: so many at once, and so many a second after that.
const (
	burst     = 2000
	perSecond = 20
)

// limits counts how often tokens ask; it forgets after a restart.
type limits struct {
	mu  sync.Mutex
	all map[ref.Token]*rate.Limiter
}

// takes counts one more, and gives how long it has to wait and how many are left.
func (l *limits) takes(t ref.Token) (wait time.Duration, left int) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.all == nil {
		l.all = map[ref.Token]*rate.Limiter{}
	}
	x := l.all[t]
	if x == nil {
		x = rate.NewLimiter(perSecond, burst)
		l.all[t] = x
	}
	if !x.Allow() {
		return time.Duration((1 - x.Tokens()) / perSecond * float64(time.Second)), 0
	}
	return 0, int(x.Tokens())
}

// limitHeaders says how often a token may ask still: RateLimit-* as most clients know them.
func limitHeaders(h http.Header, left int, reset string) {
	h.Set("RateLimit-Limit", strconv.Itoa(burst))
	h.Set("RateLimit-Remaining", strconv.Itoa(left))
	h.Set("RateLimit-Reset", reset)
}
