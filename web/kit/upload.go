package kit

import (
	"context"
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"slices"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"greenbaton/core/relay"
	"greenbaton/newsroom/copyroom"
)

// The bounds of what comes with files. A body is kept on the disk until somebody looks at
// it, so that a slow one keeps nobody waiting and costs no memory.
const (
	inMemory = 1 << 20 // bytes of a body with files that are not put on the disk
	spooling = 16      // such bodies that come in at once, of people who are signed in
	outside  = 8       // likewise, of all others, so that they keep nobody of the house waiting
	reading  = 3       // such requests that are answered at once, with their files in memory
)

// slowest is how long the body of a file may take to come in: at half a megabit a second,
// ten megabytes do.
const slowest = 3 * time.Minute

// gates let only so many through at once.
type gates struct{ spool, outside, read chan struct{} }

func newGates() gates {
	return gates{make(chan struct{}, spooling), make(chan struct{}, outside), make(chan struct{}, reading)}
}

// through waits until there is room and gives what makes room again.
func through(ctx context.Context, gate chan struct{}) (func(), error) {
	select {
	case gate <- struct{}{}:
		return func() { <-gate }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// Files registers an address that takes files, in bodies of up to a limit.
func (s *Server) Files(g *echo.Group, path string, limit int64, do echo.HandlerFunc, also ...echo.MiddlewareFunc) {
	s.withFiles = append(s.withFiles, path)
	g.POST(path, do, append(also, middleware.BodyLimit(limit), s.aFewAtOnce)...)
}

// limited bounds the bodies of all other addresses.
func (s *Server) limited() echo.MiddlewareFunc {
	return middleware.BodyLimitWithConfig(middleware.BodyLimitConfig{LimitBytes: 4 << 20, Skipper: func(c *echo.Context) bool { return slices.Contains(s.withFiles, c.Path()) }})
}

// aFewAtOnce reads the body of a request and answers it when not too many others are.
func (s *Server) aFewAtOnce(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r, gate := c.Request(), s.gates.spool
		if Me(c).ID == 0 {
			gate = s.gates.outside
		}
		done, err := through(r.Context(), gate)
		if err != nil {
			return err
		}
		if err := TakesLonger(c.Response()); err != nil {
			done()
			return err
		}
		err = r.ParseMultipartForm(inMemory)
		if errors.Is(err, http.ErrNotMultipart) {
			err = r.ParseForm()
		}
		if done(); err != nil {
			return unreadBody(err)
		}
		if done, err = through(r.Context(), s.gates.read); err != nil {
			return err
		}
		defer done()
		return next(c)
	}
}

// TakesLonger lets a request take as long as a file may need, whatever the time for others is.
func TakesLonger(w http.ResponseWriter) error {
	out, now := http.NewResponseController(w), time.Now()
	err := errors.Join(out.SetReadDeadline(now.Add(slowest)), out.SetWriteDeadline(now.Add(2*slowest)))
	if errors.Is(err, http.ErrNotSupported) { // by what stands in for a connection
		return nil
	}
	return err
}

// unreadBody says why a body could not be read, unless that is known already.
func unreadBody(err error) error {
	if echo.StatusCode(err) != 0 {
		return err
	}
	return echo.NewHTTPError(http.StatusBadRequest, err.Error())
}

// Upload reads a file that was sent with a form; nil if none was.
func Upload(c *echo.Context, field string) (*copyroom.Upload, error) {
	name, data, err := SentFile(c, field, copyroom.MaxSound+1) // the body is bounded where its address is registered
	if err != nil || data == nil {
		return nil, err
	}
	return copyroom.ReadUpload(field, name, data)
}

// SentFile gives the name of a file that was sent with a form, and up to some bytes of it;
// nil if none was sent.
func SentFile(c *echo.Context, field string, most int64) (string, []byte, error) {
	h, err := c.FormFile(field)
	if errors.Is(err, http.ErrMissingFile) || errors.Is(err, http.ErrNotMultipart) || h != nil && h.Filename == "" && h.Size == 0 {
		return "", nil, nil
	} else if err != nil {
		return "", nil, err
	}
	data, err := BytesOf(h, most)
	return h.Filename, data, err
}

// BytesOf reads up to some bytes of a file that was sent.
func BytesOf(h *multipart.FileHeader, most int64) ([]byte, error) {
	f, err := h.Open()
	if err != nil {
		return nil, err
	}
	b, err := io.ReadAll(io.LimitReader(f, most))
	if b == nil {
		b = []byte{}
	}
	return b, errors.Join(err, f.Close())
}

// TooMany refuses what comes from outside too often from one place.
func (s *Server) TooMany(c *echo.Context) error {
	if s.asks.lets(s.HostOf(c.Request())) {
		return nil
	}
	return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Many requests came from where you are just now. What you typed is still here; send it again in ten minutes."}
}
