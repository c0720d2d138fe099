package web

import (
	"context"
	"crypto/rand"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"path"
	"strconv"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/klauspost/compress/gzhttp"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

//go:embed templates/*.html
var templateFiles embed.FS

//go:embed assets/dist
var assetFiles embed.FS

// Demo is what a demo adds: people to sign in as with one click, and a clock to move.
type Demo interface {
	NextDay(context.Context) error
	NextWeek(context.Context) error
	BackToStart(context.Context) error
}

// Server serves one house.
type Server struct {
	Newsroom  *rooms.Newsroom
	Demo      Demo // nil outside the demo
	Log       *slog.Logger
	Secure    bool     // cookies only over TLS
	Proxied   bool     // a proxy stands before it, and says who asks
	Addresses []string // that it answers, with their methods; known once there is a handler
	sessions  *scs.SessionManager
	pages     *pages
	asks      throttle // of requests from outside
	gates     gates    // for what comes with files
	withFiles []string // addresses that take them
	front     front    // the proxy before it
	trials    trials   // of house rules
}

// Handler makes the handler of all addresses.
func (s *Server) Handler() (http.Handler, error) {
	var err error
	if s.pages, err = parsePages(); err != nil {
		return nil, err
	}
	s.gates = newGates()
	s.sessions = scs.New()
	s.sessions.Store = store.Sessions{DB: s.Newsroom.DB}
	s.sessions.Lifetime = 14 * 24 * time.Hour // a visit that is not used ends earlier, see Newsroom.GoesOn
	s.sessions.HashTokenInStore = true
	s.sessions.Cookie.Name = s.cookieName("greenbaton")
	s.sessions.Cookie.HttpOnly = true
	s.sessions.Cookie.SameSite = http.SameSiteLaxMode
	s.sessions.Cookie.Secure = s.Secure
	s.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		s.Log.Error("session", "problem", err)
		v := unforeseen(r.Context(), err)
		http.Error(w, v.Title+". "+v.Text, v.Status)
	}

	e := echo.New()
	e.Logger = s.Log
	e.HTTPErrorHandler = s.failed
	e.Use(s.requestLog, middleware.Recover(), s.headers, s.limited())
	s.routes(e)
	for _, r := range e.Router().Routes() {
		if strings.HasPrefix(r.Path, "/") && (r.Method == http.MethodGet || r.Method == http.MethodPost) {
			s.Addresses = append(s.Addresses, r.Method+" "+r.Path)
		}
	}
	// Posts from other sites are refused by the browser's own word on where a request comes from.
	guard := http.NewCrossOriginProtection()
	if base := strings.TrimRight(s.Newsroom.Base, "/"); base != "" {
		if err := guard.AddTrustedOrigin(base); err != nil {
			return nil, fmt.Errorf("the address people open, %s: %w", base, err)
		}
	}
	guard.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		http.Error(w, "This was sent from another site and was not carried out. Open Green Baton itself and try again.", http.StatusForbidden)
	}))
	return compressed(guard.Handler(e))
}

// compressed packs what is text; the stream of news goes out as it comes.
func compressed(next http.Handler) (http.Handler, error) {
	pack, err := gzhttp.NewWrapper(gzhttp.MinSize(1400), gzhttp.ContentTypes([]string{"text/html", "text/css", "text/javascript", "application/json", "image/svg+xml", "application/atom+xml", "text/csv"}))
	if err != nil {
		return nil, err
	}
	packed := pack(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, "/live") || strings.HasPrefix(r.URL.Path, frontPath) || strings.HasSuffix(r.URL.Path, "/copy/line") {
			next.ServeHTTP(w, r)
			return
		}
		packed.ServeHTTP(w, r)
	}), nil
}

// policy lets pages use only what the program itself serves.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; " +

	"manifest-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

// cookieName gives the name of a cookie: over TLS one that browsers take from this host
// alone, for all of it, and over TLS only.
func (s *Server) cookieName(name string) string {
	if s.Secure {
		return "__Host-" + name
	}
	return name
}

// origins are the hosts whose pages may open a line besides the one that is asked: a proxy
// may ask under another name than people do.
func (s *Server) origins() []string {
	if u, err := url.Parse(s.Newsroom.Base); err == nil && u.Host != "" {
		return []string{u.Host}
	}
	return nil
}

func (s *Server) headers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		if s.Secure {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=()")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		return next(c)
	}
}

// private keeps pages of signed-in people out of every cache, and answers what
// went wrong while the session is still at hand.
func (s *Server) private(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		c.Response().Header().Set("Cache-Control", "no-store")
		if err := next(c); err != nil {
			s.failed(c, err)
		}
		return nil
	}
}

// cached serves the built assets. Their addresses begin with the version of all of them, and
// so do those that the style sheet names beside itself; each is fetched once. At any other
// address, such as one of an older page, they are asked for again.
func (s *Server) cached(files fs.FS) echo.HandlerFunc {
	now := http.StripPrefix(s.pages.assets, http.FileServerFS(files))
	return func(c *echo.Context) error {
		h := c.Response().Header()
		if strings.HasPrefix(c.Request().URL.Path, s.pages.assets) {
			h.Set("Cache-Control", "public, max-age=31536000, immutable")
			now.ServeHTTP(c.Response(), c.Request())
			return nil
		}
		h.Set("Cache-Control", "no-cache")
		h.Set("ETag", strconv.Quote(s.pages.assets))
		http.ServeFileFS(c.Response(), c.Request(), files, path.Base(c.Request().URL.Path))
		return nil
	}
}

type ctxKey string

const requestID ctxKey = "request id"

// requestLog writes one line for each request, without anything private in it.
func (s *Server) requestLog(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		b := make([]byte, 6)
		if _, err := rand.Read(b); err != nil {
			return err
		}
		id, begin := hex.EncodeToString(b), time.Now()
		c.Response().Header().Set("X-Request-Id", id)
		r := c.Request()
		s.notice(r)
		c.SetRequest(r.WithContext(newsroom.WithReceipt(context.WithValue(r.Context(), requestID, id))))
		err := next(c)
		if err != nil {
			s.failed(c, err)
		}
		_, status := echo.ResolveResponseStatus(c.Response(), nil)
		s.Log.Info("request", "id", id, "method", r.Method, "route", c.Path(), "status", status, "took", time.Since(begin).Round(10*time.Microsecond))
		return nil
	}
}

// failed answers what went wrong with a page that says what to do.
func (s *Server) failed(c *echo.Context, err error) {
	if resp, _ := echo.ResolveResponseStatus(c.Response(), nil); resp != nil && resp.Committed {
		return
	}
	v := unforeseen(c.Request().Context(), err)
	var refusal *relay.Refusal
	switch {
	case errors.Is(err, newsroom.ErrNotFound) || echo.StatusCode(err) == http.StatusNotFound || echo.StatusCode(err) == http.StatusMethodNotAllowed:
		v = errorView{Status: http.StatusNotFound, Title: "There is nothing here", Text: "The address is wrong, or what was here is not yours to see. Look for it in the list of pieces, or ask your lead."}
	case errors.As(err, &refusal):
		v = errorView{Status: statusOf(refusal), Title: titleOf(refusal), Text: refusal.Text, Since: refusal.Unmet}
		if refusal.Field == "link" && refusal.Reason == relay.ErrNotYours {
			v.Title = "This link opens nothing now"
		}
	case echo.StatusCode(err) == http.StatusRequestEntityTooLarge:
		v = errorView{Status: http.StatusRequestEntityTooLarge, Title: "This is too large", Text: "It was not taken. A file may have up to 10 MB, and a copy up to 2 MB of text. Make it smaller, or split it in two."}
	case echo.StatusCode(err) >= 400 && echo.StatusCode(err) < 500:
		v = errorView{Status: echo.StatusCode(err), Title: "This was not understood", Text: "Go back, look at what was sent, and try again."}
	default:
		s.Log.Error("failed", "id", c.Request().Context().Value(requestID), "route", c.Path(), "problem", err)
	}
	v.Outside = c.Param("token") != "" || me(c).ID == 0
	v.Request, _ = c.Request().Context().Value(requestID).(string)
	if wantsJSON(c) {
		err = c.JSON(v.Status, map[string]any{"problem": v.Text, "since": v.Since})
	} else {
		err = s.show(c, v.Status, "error", v.Title, v)
	}
	if err != nil {
		s.Log.Error("failed to say so", "problem", err)
	}
}

// unforeseen says what is known of an error that nobody foresaw: that the data cannot be
// reached, that what was asked is stored all the same, or that nothing was done.
func unforeseen(ctx context.Context, err error) errorView {
	trouble := store.TroubleOf(err)
	switch {
	case newsroom.ReceiptOf(ctx).Stored():
		v := errorView{Status: http.StatusInternalServerError, Title: "It is stored, but could not be shown", Text: "What you did was done and is stored; do not do it again. Only the answer failed. Open the page anew to see it."}
		if trouble != "" {
			v.Text += " " + string(trouble)
		}
		return v
	case trouble != "":
		return errorView{Status: http.StatusServiceUnavailable, Title: "The data cannot be reached", Text: string(trouble) + " What was stored before is not lost."}
	}
	return errorView{Status: http.StatusInternalServerError, Title: "Something went wrong here", Text: "It is not your doing, and nothing was changed. Try again; if it happens again, tell whoever runs Green Baton the number below."}
}

type errorView struct {
	Status  int
	Title   string
	Text    string
	Since   []string
	Request string
	Outside bool // whoever comes has no account here, or did not come by it
}

func statusOf(r *relay.Refusal) int {
	if errors.Is(r, newsroom.ErrEnded) {
		return http.StatusUnauthorized
	}
	switch r.Reason {
	case relay.ErrNotYours:
		return http.StatusForbidden
	case relay.ErrChanged, relay.ErrNotNow:
		return http.StatusConflict
	case relay.ErrMachine:
		return http.StatusServiceUnavailable
	}
	return http.StatusUnprocessableEntity
}

func titleOf(r *relay.Refusal) string {
	switch r.Reason {
	case relay.ErrNotYours:
		return "This is not yours to do"
	case relay.ErrChanged:
		return "The piece has changed meanwhile"
	case relay.ErrNotNow:
		return "This cannot be done now"
	case relay.ErrUnmet:
		return "Something is still to do"
	case relay.ErrMachine:
		return "It cannot be stored just now"
	}
	return "Something in the form needs another look"
}

func wantsJSON(c *echo.Context) bool { return c.Request().Header.Get("Accept") == "application/json" }

func (s *Server) health(c *echo.Context) error {
	if err := s.Newsroom.Reachable(c.Request().Context()); err != nil {
		return c.String(http.StatusServiceUnavailable, "the data cannot be read")
	}
	return c.String(http.StatusOK, "ok")
}
