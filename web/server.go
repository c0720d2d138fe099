package web

import (
	"context"
	"crypto/rand"
	"embed"
	"encoding/hex"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/klauspost/compress/gzhttp"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"greenbaton/core/relay"
	"greenbaton/core/request"
	"greenbaton/desk"
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
	House     *desk.House
	Demo      Demo // nil outside the demo
	Log       *slog.Logger
	Secure    bool     // cookies only over TLS
	Proxied   bool     // a proxy stands before it, and says who asks
	Addresses []string // that it answers, with their methods; known once there is a handler
	sessions  *scs.SessionManager
	pages     *pages
	asks      throttle // of requests from outside
	trials    trials   // of house rules
}

// Handler makes the handler of all addresses.
func (s *Server) Handler() (http.Handler, error) {
	var err error
	if s.pages, err = parsePages(); err != nil {
		return nil, err
	}
	s.sessions = scs.New()
	s.sessions.Store = store.Sessions{DB: s.House.DB}
	s.sessions.Lifetime = 14 * 24 * time.Hour // no idle time-out: it would write to the data on every page shown
	s.sessions.HashTokenInStore = true
	s.sessions.Cookie.Name = "greenbaton"
	s.sessions.Cookie.HttpOnly = true
	s.sessions.Cookie.SameSite = http.SameSiteLaxMode
	s.sessions.Cookie.Secure = s.Secure
	s.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		s.Log.Error("session", "problem", err)
		http.Error(w, "The sign-in could not be read. Try again in a moment.", http.StatusInternalServerError)
	}

	e := echo.New()
	e.Logger = s.Log
	e.HTTPErrorHandler = s.failed
	e.Use(s.requestLog, middleware.Recover(), headers, middleware.BodyLimitWithConfig(middleware.BodyLimitConfig{LimitBytes: 4 << 20, Skipper: func(c *echo.Context) bool { return slices.Contains(takesFiles, c.Path()) }}))
	s.routes(e)
	for _, r := range e.Router().Routes() {
		if strings.HasPrefix(r.Path, "/") && (r.Method == http.MethodGet || r.Method == http.MethodPost) {
			s.Addresses = append(s.Addresses, r.Method+" "+r.Path)
		}
	}
	// Posts from other sites are refused by the browser's own word on where a request comes from.
	guard := http.NewCrossOriginProtection()
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
		if strings.HasSuffix(r.URL.Path, "/live") || strings.HasSuffix(r.URL.Path, "/copy/line") {
			next.ServeHTTP(w, r)
			return
		}
		packed.ServeHTTP(w, r)
	}), nil
}

func (s *Server) routes(e *echo.Echo) {
	static := echo.MustSubFS(assetFiles, "assets/dist")
	e.GET("/assets/*", cached(static))
	e.GET("/healthz", s.health)
	e.GET("/catch/app.webmanifest", s.manifest)
	e.GET("/catch/worker.js", s.worker(static))
	e.GET("/site/:channel", s.siteIndex)
	e.GET("/site/:channel/feed.atom", s.siteFeed)
	e.GET("/site/:channel/:slug", s.sitePage)
	e.GET("/site/:channel/:slug/pictures/:file", s.sitePicture)

	in := e.Group("", echo.WrapMiddleware(s.sessions.LoadAndSave), s.private)
	in.GET("/signin", s.signInPage)
	in.POST("/signin", s.signIn)
	in.GET("/signin/code", s.codePage)
	in.POST("/signin/code", s.signInCode)
	in.GET("/forgot", s.forgotPage)
	in.POST("/forgot", s.forgot)
	in.GET("/password/:token", s.passwordPage, s.outside)
	in.POST("/password/:token", s.choosePassword, s.outside)
	in.GET("/stop/:token", s.stopPage, s.outside)
	in.POST("/stop/:token", s.stopMail, s.outside)
	in.GET("/welcome", s.welcomePage)
	in.POST("/welcome", s.welcome)
	if s.Demo != nil {
		in.POST("/signin/as", s.signInAs)
	}

	files := middleware.BodyLimit(desk.MaxFile + 1<<20)
	in.GET("/ask/:slug", s.ask)
	in.POST("/ask/:slug", s.takeAsk, middleware.BodyLimit(request.MaxFiles*desk.MaxFile+1<<20))
	in.GET("/asked/:token", s.asked)
	in.POST("/asked/:token", s.reply)
	out := in.Group("/review/:token", s.outside)
	out.GET("", s.review)
	out.POST("/verdict", s.sayVerdict)
	out.POST("/ask", s.askInReview)
	out.POST("/answer", s.answerInReview)
	out.GET("/pictures/:file", s.reviewPicture)
	theirs := in.Group("/partner/:token", s.outside)
	theirs.GET("", s.partner)
	theirs.GET("/live", s.partnerLive)
	theirs.POST("/pitches/:id", s.partnerPitch)
	me := in.Group("", s.signedIn)
	me.GET("/partner", s.partner)
	me.GET("/partner/live", s.partnerLive)
	me.POST("/partner/pitches/:id", s.partnerPitch)
	me.GET("/pieces/:id/review", s.review)
	me.POST("/pieces/:id/review/verdict", s.sayVerdict)
	me.POST("/pieces/:id/review/ask", s.askInReview)
	me.POST("/pieces/:id/review/answer", s.answerInReview)
	me.GET("/pieces/:id/review/pictures/:file", s.reviewPicture)
	me.POST("/pieces/:id/invite", s.invite)
	me.GET("/", s.today)
	me.POST("/signout", s.signOut)
	me.POST("/signout/everywhere", s.signOutEverywhere)
	me.GET("/me", s.myPage)
	me.POST("/me/told", s.saveTold)
	me.POST("/me/password", s.changePassword)
	me.POST("/me/codes", s.switchCodes)
	me.POST("/me/visits", s.endVisit)
	me.POST("/pieces/:id/follow", s.follow)
	me.GET("/words", s.wordsPage, s.leads)
	me.POST("/words/:key", s.saveWords, s.leads)
	me.GET("/chats", s.chats, s.leads)
	me.POST("/chats/:id", s.saveChat, s.leads)
	me.POST("/post/:id/again", s.sendAgain, s.leads)
	me.POST("/inbox/:id/aside", s.setAside)
	me.GET("/pieces", s.list)
	me.GET("/pieces/new", s.newPiece, s.maker)
	me.POST("/pieces/new", s.makePiece, s.maker)
	me.POST("/pieces/new/plan", s.newPiecePlan, s.maker)
	me.GET("/pieces/:id", s.piece)
	me.POST("/pieces/:id/pass", s.pass)
	me.POST("/pieces/:id/back", s.back)
	me.POST("/pieces/:id/skip", s.skip)
	me.POST("/pieces/:id/need", s.need)
	me.GET("/pieces/:id/what", s.what)
	me.GET("/pieces/:id/ways", s.ways)
	me.GET("/pieces/:id/legs/:leg", s.choices)
	me.POST("/pieces/:id/left", s.left)
	me.POST("/pieces/:id/fields", s.fields)
	me.POST("/pieces/:id/take", s.take)
	me.POST("/pieces/:id/offer", s.offer)
	me.POST("/pieces/:id/giveback", s.giveBack)
	me.GET("/open", s.open)
	me.POST("/pieces/:id/tick", s.tick)
	me.GET("/pieces/:id/brief", s.briefPage)
	me.POST("/pieces/:id/brief", s.brief)
	me.GET("/pieces/:id/brief/sheet", s.briefSheet)
	me.POST("/pieces/:id/candidates", s.addCandidate, files)
	me.POST("/pieces/:id/candidate", s.candidate)
	me.POST("/pieces/:id/research", s.note, files)
	me.POST("/pieces/:id/attachments", s.attach, files)
	me.POST("/pieces/:id/attachments/drop", s.detach)
	me.POST("/pieces/:id/research/drop", s.dropNote)
	me.GET("/files/:id", s.file)
	me.POST("/pieces/:id/out", s.sendOut)
	me.POST("/pieces/:id/withdraw", s.withdraw)
	me.POST("/preview", s.preview)
	me.POST("/change", s.change)
	me.POST("/undo", s.undo)
	me.GET("/live", s.live)
	me.GET("/lineup", s.lineup)
	me.GET("/track", s.track)
	me.GET("/catch", s.catchPage)
	me.POST("/catch", s.catch)
	me.GET("/ideas", s.ideas)
	me.GET("/ideas/like", s.like)
	me.POST("/ideas/settle", s.settleIdeas)
	me.GET("/ideas/:id", s.idea)
	me.POST("/ideas/:id", s.saveIdea)
	me.POST("/ideas/:id/judge", s.judgeIdea)
	me.GET("/pitches", s.pitches)
	me.POST("/pitches", s.savePitch)
	me.POST("/pitches/:id", s.answerPitch)
	me.GET("/requests", s.requests)
	me.GET("/requests/:id", s.triage)
	me.POST("/requests/:id", s.decide)
	me.GET("/forms", s.forms)
	me.GET("/forms/:id", s.formPage, s.leads)
	me.POST("/forms/:id", s.saveForm, s.leads)
	me.GET("/sitting", s.sitting, s.maker)
	me.POST("/sitting", s.placeIdeas, s.maker)
	me.GET("/bring", s.bringPage, s.maker)
	me.POST("/bring", s.bring, s.maker, files)
	me.GET("/bring/:id", s.bringingPage)
	me.GET("/bring/:id/now", s.bringingNow)
	me.GET("/bring/:id/to-mend.csv", s.restOfList)
	me.POST("/bring/:id/columns", s.matchColumns)
	me.POST("/bring/:id/in", s.bringIn)
	me.POST("/bring/:id/back", s.takeBack)
	me.POST("/order", s.order)
	me.GET("/v/:id", s.openView)
	me.POST("/views", s.saveView)
	me.GET("/find", s.find)
	me.GET("/cells/:col", s.cell)
	me.POST("/cells/:col", s.saveCell)
	me.GET("/load", s.load)
	me.GET("/pieces/:id/fits", s.fits)
	me.GET("/pieces/:id/hands", s.hands)
	me.GET("/pieces/:id/back", s.askBack)
	me.GET("/pieces/:id/stands", s.stands)
	me.GET("/pieces/:id/do", s.do)
	me.GET("/slots/:id", s.slot)
	me.POST("/pieces/:id/hold", s.hold)
	me.GET("/propose", s.propose, s.leads)
	me.POST("/propose", s.accept, s.leads)
	me.POST("/pieces/:id/copy", s.editCopy)
	me.GET("/pieces/:id/copy/line", s.copyLine)
	me.GET("/pieces/:id/copy/taken", s.takenCopy)
	me.GET("/pieces/:id/margin", s.margin)
	me.GET("/pieces/:id/copy/as/:as", s.giveCopy)
	me.POST("/pieces/:id/copy/in", s.takeCopy, files)
	me.POST("/pieces/:id/pictures", s.addPicture, files)
	me.GET("/pieces/:id/checks", s.checks)
	me.POST("/pieces/:id/words", s.addWord)
	me.POST("/pieces/:id/links", s.tryLinks)
	me.GET("/pieces/:id/versions", s.versions)
	me.POST("/pieces/:id/versions", s.bringBack)
	me.POST("/pieces/:id/queries", s.askQuery, files)
	me.POST("/pieces/:id/proposals", s.decideProposals)
	me.GET("/queries", s.queries)
	me.POST("/queries/:id/answer", s.answerQuery, files)
	me.POST("/queries/:id/settle", s.settleQuery)
	me.GET("/pieces/:id/logbook", s.pieceLog)
	me.GET("/logbook", s.deskLog)
	me.GET("/logbook/as/:as", s.exportLog)
	me.GET("/pieces/:id/logbook/as/:as", s.exportLog)
	me.GET("/access", s.access)
	me.GET("/inbox", s.inbox)
	me.POST("/inbox/read", s.readAll)
	me.POST("/inbox/:id", s.openItem)
	me.GET("/post", s.postRoom)
	me.GET("/post/:id", s.postRoomMail)
	s.setUpRoutes(me)
	if s.Demo != nil {
		me.POST("/clock/:to", s.moveClock)
	}
}

// setUpRoutes are the addresses of the desk's set-up, all but the first for its leads.
func (s *Server) setUpRoutes(me *echo.Group) {
	me.GET("/desk", s.desk)
	me.POST("/desk/choose", s.chooseDesk)
	me.POST("/desk/holidays", s.holiday, s.leads)
	me.GET("/topics", s.topicsPage, s.leads)
	me.POST("/topics", s.saveTopic, s.leads)
	me.POST("/campaigns", s.saveCampaign, s.leads)
	me.GET("/desks/:id", s.deskFormPage, s.leads)
	me.POST("/desks/:id", s.saveDesk, s.leads)
	me.GET("/channels/:id", s.channelPage, s.leads)
	me.POST("/channels/:id", s.saveChannel, s.leads)
	me.POST("/channels/:id/slots", s.saveSlot, s.leads)
	me.GET("/people/:id", s.personPage, s.leads)
	me.POST("/people/:id", s.savePerson, s.leads)
	me.POST("/people/:id/password", s.newPassword, s.leads)
	me.POST("/people/:id/access", s.endAccess, s.leads)
	me.POST("/people/:id/away/standin", s.standIn, s.leads)
	me.POST("/people/:id/away/drop", s.dropAbsence, s.leads)
	me.GET("/partners/:id", s.partnerPage, s.leads)
	me.POST("/partners/:id", s.savePartner, s.leads)
	me.GET("/rules", s.rules)
	me.GET("/rules/:id", s.rulePage, s.leads)
	me.POST("/rules/:id", s.saveRule, s.leads)
	me.POST("/rules/:id/do", s.ruleDo, s.leads)
	me.GET("/rules/:id/try", s.tryRule, s.leads)
	me.GET("/formats/:id", s.formatPage, s.leads)
	me.POST("/formats/:id", s.saveFormat, s.leads)
	me.POST("/formats/:id/route", s.saveRoute, s.leads)
	me.POST("/formats/:id/fields", s.saveField, s.leads)
	me.POST("/formats/:id/brief", s.saveFormatBrief, s.leads)
	me.POST("/formats/:id/checks", s.saveChecks, s.leads)
	me.GET("/formats/:id/guide", s.guidePage)
	me.POST("/formats/:id/guide", s.saveGuide, s.leads)
	me.GET("/formats/:id/pieces", s.transfers, s.leads)
	me.POST("/formats/:id/pieces", s.moveOver, s.leads)
}

// takesFiles are the addresses that take files, with a limit of their own.
var takesFiles = []string{"/pieces/:id/candidates", "/pieces/:id/research", "/bring", "/ask/:slug", "/pieces/:id/queries", "/queries/:id/answer", "/pieces/:id/copy/in", "/pieces/:id/pictures", "/pieces/:id/attachments"}

// policy lets pages use only what the program itself serves.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; " +
	"manifest-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

func headers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
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

// cached serves the built assets; their addresses carry a version, so that they can be kept long.
func cached(files fs.FS) echo.HandlerFunc {
	h := http.StripPrefix("/assets/", http.FileServerFS(files))
	return func(c *echo.Context) error {
		if c.QueryParam("v") != "" {
			c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		h.ServeHTTP(c.Response(), c.Request())
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
		c.SetRequest(r.WithContext(context.WithValue(r.Context(), requestID, id)))
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
	v := errorView{Status: http.StatusInternalServerError, Title: "Something went wrong here", Text: "It is not your doing and nothing was lost. Try again; if it happens again, tell whoever runs Green Baton the number below."}
	var refusal *relay.Refusal
	switch {
	case errors.Is(err, desk.ErrNotFound) || echo.StatusCode(err) == http.StatusNotFound || echo.StatusCode(err) == http.StatusMethodNotAllowed:
		v = errorView{Status: http.StatusNotFound, Title: "There is nothing here", Text: "The address is wrong, or what was here is not yours to see. Look for it in the list of pieces, or ask your lead."}
	case errors.As(err, &refusal):
		v = errorView{Status: statusOf(refusal), Title: titleOf(refusal), Text: refusal.Text, Since: refusal.Unmet}
	case echo.StatusCode(err) == http.StatusRequestEntityTooLarge:
		v = errorView{Status: http.StatusRequestEntityTooLarge, Title: "This is too large", Text: "It was not taken. A file may have up to 10 MB, and a copy up to 2 MB of text. Make it smaller, or split it in two."}
	case echo.StatusCode(err) >= 400 && echo.StatusCode(err) < 500:
		v = errorView{Status: echo.StatusCode(err), Title: "This was not understood", Text: "Go back, look at what was sent, and try again."}
	default:
		s.Log.Error("failed", "id", c.Request().Context().Value(requestID), "route", c.Path(), "problem", err)
	}
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

type errorView struct {
	Status  int
	Title   string
	Text    string
	Since   []string
	Request string
}

func statusOf(r *relay.Refusal) int {
	switch r.Reason {
	case relay.ErrNotYours:
		return http.StatusForbidden
	case relay.ErrChanged, relay.ErrNotNow:
		return http.StatusConflict
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
	}
	return "Something in the form needs another look"
}

func wantsJSON(c *echo.Context) bool { return c.Request().Header.Get("Accept") == "application/json" }

func (s *Server) health(c *echo.Context) error {
	var one int
	if err := s.House.DB.Get(c.Request().Context(), &one, "SELECT 1"); err != nil {
		return c.String(http.StatusServiceUnavailable, "the data cannot be read")
	}
	return c.String(http.StatusOK, "ok")
}
