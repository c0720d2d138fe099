package kit

import (
	"bufio"
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/labstack/echo/v5"

	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
)

// front is what is known of the proxy that stands before the program, if one does.
type front struct {
	mu    sync.Mutex
	token string   // opens the addresses by which the program asks itself, while it does
	found []string // what was missing when it was last asked
	seen  bool     // a request came through a proxy that was not named
}

// arrived is how a request came in, as the address for it answers.
type arrived struct {
	Host      string   `json:"host"`
	Forwarded []string `json:"forwarded"`
	Bytes     int64    `json:"bytes"`
}

// The addresses by which the program asks itself through the proxy.
const (
	frontPath   = "/healthz/front"
	frontLine   = frontPath + "/line"
	frontStream = frontPath + "/stream"
)

// claimed is whom the program says it is asked by, when it asks itself: a proxy must not
// believe it (an address for documentation, RFC 5737).
const claimed = "203.0.113.77"

func (s *Server) frontRoutes(e *echo.Echo) {
	s.withFiles = append(s.withFiles, frontPath)
	e.GET(frontPath, s.mirror, s.asksItself)
	e.POST(frontPath, s.mirror, s.asksItself)
	e.GET(frontLine, s.mirrorLine, s.asksItself)
	e.GET(frontStream, s.mirrorStream, s.asksItself)
}

// asksItself lets through what the program asks itself, and nobody else.
func (s *Server) asksItself(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		s.front.mu.Lock()
		ok := s.front.token != "" && c.QueryParam("token") == s.front.token
		s.front.mu.Unlock()
		if !ok {
			return newsroom.ErrNotFound
		}
		return next(c)
	}
}

// mirror says how a request came in.
func (s *Server) mirror(c *echo.Context) error {
	r := c.Request()
	n, err := io.Copy(io.Discard, io.LimitReader(r.Body, 2*copyroom.MaxFile))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, arrived{Host: r.Host, Forwarded: r.Header.Values("X-Forwarded-For"), Bytes: n})
}

// mirrorLine opens a WebSocket and closes it.
func (s *Server) mirrorLine(c *echo.Context) error {
	conn, err := websocket.Accept(c.Response(), c.Request(), nil)
	if err != nil {
		return nil // it has been answered
	}
	return conn.Close(websocket.StatusNormalClosure, "")
}

// mirrorStream says something at once, and then nothing until whoever asks is gone.
func (s *Server) mirrorStream(c *echo.Context) error {
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("X-Accel-Buffering", "no")
	if _, err := io.WriteString(w, "data: at once\n\n"); err != nil {
		return nil
	}
	if err := http.NewResponseController(w).Flush(); err != nil {
		return nil
	}
	select {
	case <-c.Request().Context().Done():
	case <-time.After(2 * frontWaits):
	}
	return nil
}

// frontWaits is how long the program waits for an answer of its own.
const frontWaits = 15 * time.Second

// notice notes that a request came through a proxy that was not named.
func (s *Server) notice(r *http.Request) {
	if s.Proxied || r.Header.Get("X-Forwarded-For") == "" {
		return
	}
	s.front.mu.Lock()
	defer s.front.mu.Unlock()
	s.front.seen = true
}

// Missing gives what a proxy in front is known to lack, in sentences that say what to do.
func (s *Server) Missing() []string {
	s.front.mu.Lock()
	defer s.front.mu.Unlock()
	out := slices.Clone(s.front.found)
	if s.front.seen && len(out) == 0 {
		out = append(out, "Requests come through a proxy, but Green Baton was not told of it. Start it with --behind-proxy, and with --base and the address people open.")
	}
	return out
}

// CheckFront lets the program ask itself at the address people open, and keeps and gives
// what the proxy that stands there is missing. The client is to trust its certificate.
func (s *Server) CheckFront(ctx context.Context, client *http.Client) []string {
	token := rand.Text()
	s.front.mu.Lock()
	s.front.token = token
	s.front.mu.Unlock()
	found := s.checkFront(ctx, client, strings.TrimRight(s.Base, "/"), "?token="+token)
	s.front.mu.Lock()
	defer s.front.mu.Unlock()
	s.front.token, s.front.found = "", found
	return found
}

func (s *Server) checkFront(ctx context.Context, client *http.Client, base, token string) []string {
	const see = " docs/proxy/ has examples that are whole."
	ask := func(method string, body []byte) (arrived, int, error) {
		ctx, stop := context.WithTimeout(ctx, 4*frontWaits)
		defer stop()
		return mirrored(ctx, client, method, base+frontPath+token, body)
	}
	u, err := url.Parse(base)
	if err != nil || u.Host == "" {
		return []string{fmt.Sprintf("--base is %q, which is no address like https://desk.example.", base)}
	}
	got, status, err := ask(http.MethodGet, nil)
	switch {
	case err != nil:
		return []string{fmt.Sprintf("Green Baton cannot reach itself at %s, so what stands there was not looked at: %v.", base, err)}
	case status != http.StatusOK:
		return []string{fmt.Sprintf("At %s it is not this Green Baton that answers (%d). Look whether --base and the proxy lead here.", base, status)}
	}
	var out []string
	say := func(missing bool, format string, args ...any) {
		if missing {
			out = append(out, fmt.Sprintf(format, args...)+see)
		}
	}
	hops := strings.Split(strings.Join(got.Forwarded, ","), ",")
	asked := strings.TrimSpace(hops[len(hops)-1])
	say(got.Host != u.Host, "The proxy asks for %q instead of %q: let it pass on the Host that people open.", got.Host, u.Host)
	say(s.Proxied && (asked == "" || asked == claimed), "The proxy does not say who asks: let it set X-Forwarded-For to the address that it is asked from. Until then everybody counts as one when passwords are guessed.")
	say(!s.Proxied && asked != "" && asked != claimed, "The proxy says who asks, and is not believed: start Green Baton with --behind-proxy.")
	say(u.Scheme == "https" && !s.Secure, "People open it over TLS: start Green Baton with --secure-cookies.")
	say(u.Scheme == "http" && s.Secure, "--secure-cookies is given, but --base begins with http://: nobody can sign in that way.")
	wait, stop := context.WithTimeout(ctx, frontWaits)
	defer stop()
	say(socketed(wait, client, base+frontLine+token) != nil, "The proxy lets no WebSocket through: let it pass on Upgrade and Connection. Until then people who write in one copy hear of each other more slowly.")
	say(streamed(wait, client, base+frontStream+token) != nil, "The proxy holds back what is sent bit by bit: switch buffering off. Until then pages do not show by themselves what others change.")
	body := make([]byte, copyroom.MaxFile+1<<20)
	got, status, err = ask(http.MethodPost, body)
	say(err != nil || status != http.StatusOK || got.Bytes != int64(len(body)), "The proxy does not take files of %d MB: let it take bodies of up to 60 MB.", copyroom.MaxFile>>20)
	return out
}

// mirrored asks the program itself how a request comes in.
func mirrored(ctx context.Context, client *http.Client, method, to string, body []byte) (arrived, int, error) {
	var out arrived
	req, err := http.NewRequestWithContext(ctx, method, to, bytes.NewReader(body))
	if err != nil {
		return out, 0, err
	}
	req.Header.Set("X-Forwarded-For", claimed)
	res, err := client.Do(req)
	if err != nil {
		return out, 0, err
	}
	defer res.Body.Close() // it was read, or is not wanted
	if res.StatusCode != http.StatusOK {
		return out, res.StatusCode, nil
	}
	if err := json.NewDecoder(io.LimitReader(res.Body, 1<<16)).Decode(&out); err != nil {
		return out, http.StatusTeapot, nil // something else answers
	}
	return out, res.StatusCode, nil
}

// socketed reports why no WebSocket comes through.
func socketed(ctx context.Context, client *http.Client, to string) error {
	conn, _, err := websocket.Dial(ctx, to, &websocket.DialOptions{HTTPClient: client})
	if err != nil {
		return err
	}
	return conn.CloseNow()
}

// streamed reports why what is sent bit by bit does not come at once.
func streamed(ctx context.Context, client *http.Client, to string) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, to, nil)
	if err != nil {
		return err
	}
	res, err := client.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close() // it goes on for as long as it is read
	if got, err := bufio.NewReader(res.Body).ReadString('\n'); err != nil || !strings.HasPrefix(got, "data: at once") {
		return errors.Join(err, errors.New("it does not come at once"))
	}
	return nil
}
