package kit

import (
	"context"
	"crypto/rand"
	"encoding/hex"
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

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
	"greenbaton/web/assets"
)

// Demo is what a demo adds: people to sign in as with one click, and a clock to move.
type Demo interface {
	NextDay(context.Context) error
	NextWeek(context.Context) error
	BackToStart(context.Context) error
}

// Newsroom is what the kit itself asks of the newsroom.
type Newsroom interface {
	Setup(ctx context.Context) (*newsroom.Setup, error)
	Now() day.Moment
	LastUndo(ctx context.Context, person ref.Person) (store.Undo, error)
	GoesOn(ctx context.Context, v newsroom.Visitor, used bool) (bool, error)
	Still(v newsroom.Visitor) func() bool
	Refresh(ctx context.Context)
	Reachable(ctx context.Context) error
	DeskOf(ctx context.Context, piece ref.Piece) (ref.Desk, error)
}

// Server is what all sections stand on: who is signed in, pages and what is said on them,
// refusals, live pages, files that come in, and the proxy in front.
type Server struct {
	Newsroom  Newsroom
	Notify    Notify
	Copyroom  Copyroom
	Events    *newsroom.Events
	Lines     *newsroom.Lines
	Base      string // the address people open
	Demo      Demo   // nil outside the demo
	Log       *slog.Logger
	Secure    bool     // cookies only over TLS
	Proxied   bool     // a proxy stands before it, and says who asks
	Addresses []string // that it answers, with their methods; known once there is a handler
	Sessions  *scs.SessionManager
	pages     *pages
	ShowPiece func(c *echo.Context, status int, piece ref.Piece, refusal *relay.Refusal, typed url.Values) error // on its page, as its section does
	asks      throttle                                                                                           // of requests from outside
	gates     gates                                                                                              // for what comes with files
	withFiles []string                                                                                           // addresses that take them
	front     front                                                                                              // the proxy before it
}

// Notify is what the kit asks of notifying.
type Notify interface {
	Unread(ctx context.Context, person ref.Person) (int, error)
}

// Copyroom is what the kit asks of the copyroom.
type Copyroom interface {
	Shown(ctx context.Context, f store.File) (store.File, error)
}

// Section is a part of the interface: a screen or a few that belong together.
type Section interface {
	Pages() fs.FS // its templates
	Routes(Groups)
}

// Groups are where sections put their addresses.
type Groups struct {
	Open *echo.Echo  // for anybody, without a session
	In   *echo.Group // for anybody
	Me   *echo.Group // for who is signed in
}

// OneFile is how much comes with a form that takes one file, in bytes.
const OneFile = copyroom.MaxFile + 1<<20

// OneArchive likewise, of pages with their pictures.
const OneArchive = 60<<20 + 1<<20

// OneSound likewise, of a recording.
const OneSound = copyroom.MaxSound + 1<<20

// Handler makes the handler of all addresses.
func (s *Server) Handler(sessions scs.Store, sections ...Section) (http.Handler, error) {
	var templates []fs.FS
	for _, x := range sections {
		templates = append(templates, x.Pages())
	}
	var err error
	if s.pages, err = parsePages(templates...); err != nil {
		return nil, err
	}
	s.gates = newGates()
	s.Sessions = scs.New()
	s.Sessions.Store = sessions
	s.Sessions.Lifetime = 14 * 24 * time.Hour // a visit that is not used ends earlier, see Newsroom.GoesOn
	s.Sessions.HashTokenInStore = true
	s.Sessions.Cookie.Name = s.CookieName("greenbaton")
	s.Sessions.Cookie.HttpOnly = true
	s.Sessions.Cookie.SameSite = http.SameSiteLaxMode
	s.Sessions.Cookie.Secure = s.Secure
	s.Sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		s.Log.Error("session", "problem", err)
		v := unforeseen(r.Context(), err)
		http.Error(w, v.Title+". "+v.Text, v.Status)
	}

	e := echo.New()
	e.Logger = s.Log
	e.HTTPErrorHandler = s.failed
	e.Use(s.requestLog, middleware.Recover(), s.headers, s.limited())
	e.GET("/assets/*", s.cached(assets.Files()))
	e.GET("/healthz", s.health)
	s.frontRoutes(e)
	in := e.Group("", echo.WrapMiddleware(s.Sessions.LoadAndSave), s.private)
	me := in.Group("", s.signedIn)
	me.GET("/live", s.live)
	me.POST("/desk/choose", s.chooseDesk)
	for _, x := range sections {
		x.Routes(Groups{Open: e, In: in, Me: me})
	}
	for _, r := range e.Router().Routes() {
		if strings.HasPrefix(r.Path, "/") && (r.Method == http.MethodGet || r.Method == http.MethodPost) {
			s.Addresses = append(s.Addresses, r.Method+" "+r.Path)
		}
	}
	// Posts from other sites are refused by the browser's own word on where a request comes from.
	guard := http.NewCrossOriginProtection()
	if base := strings.TrimRight(s.Base, "/"); base != "" {
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
	pack, err := gzhttp.NewWrapper(gzhttp.MinSize(1400), gzhttp.ContentTypes([]string{"text/html", "text/css", "text/javascript", "application/json", "image/svg+xml", "application/atom+xml", "text/csv", "text/calendar"}))
	if err != nil {
		return nil, err
	}
	packed := pack(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, "/live") || strings.HasPrefix(r.URL.Path, frontPath) || strings.HasSuffix(r.URL.Path, "/copy/line") || r.URL.Path == ProgramsBelow+"events" {
			next.ServeHTTP(w, r)
			return
		}
		packed.ServeHTTP(w, r)
	}), nil
}

func (s *Server) health(c *echo.Context) error {
	if err := s.Newsroom.Reachable(c.Request().Context()); err != nil {
		return c.String(http.StatusServiceUnavailable, "the data cannot be read")
	}
	return c.String(http.StatusOK, "ok")
}

// policy lets pages use only what the program itself serves.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; media-src 'self'; " +
	"manifest-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

// CookieName gives the name of a cookie: over TLS one that browsers take from this host
// alone, for all of it, and over TLS only.
func (s *Server) CookieName(name string) string {
	if s.Secure {
		return "__Host-" + name
	}
	return name
}

// Origins are the hosts whose pages may open a line besides the one that is asked: a proxy
// may ask under another name than people do.
func (s *Server) Origins() []string {
	if u, err := url.Parse(s.Base); err == nil && u.Host != "" {
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

// Asset gives the address of what pages load, by its name.
func (s *Server) Asset(name string) string { return s.pages.assets + name }

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
