package post

import (
	"context"
	"errors"
	"fmt"
	"greenbaton/core/release"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// mostAnswer is how much of an answer is read, in bytes.
const mostAnswer = 256 << 10

// HeaderIdempotency carries the key under which a receiver does something once.
const HeaderIdempotency = "Idempotency-Key"

// newClient makes a client that waits up to a time for each answer, and goes where it is sent
// and nowhere else: a redirect is an answer. Addresses of this machine and of private networks
// are refused, whatever name leads to them, unless private is set.
func newClient(wait time.Duration, private bool) *http.Client {
	c := NewWeb(wait).client
	if private {
		c = &http.Client{Timeout: wait}
	}
	c.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	return c
}

// answered is what came back from elsewhere.
type answered struct {
	Status   int
	Location string // as an address of its own
	Body     []byte
}

// ask sends a request and reads the answer, within bounds. What is wrong on the way, a redirect,
// and an answer that is too long are errors that say what to do; any other answer is given.
func ask(ctx context.Context, c *http.Client, method, address string, head map[string]string, body io.Reader) (answered, error) {
	req, err := http.NewRequestWithContext(ctx, method, address, body)
	if err != nil {
		return answered{}, fmt.Errorf("ask %s: %w", address, err)
	}
	req.Header.Set("User-Agent", "GreenBaton")
	for k, v := range head {
		req.Header.Set(k, v)
	}
	res, err := c.Do(req)
	switch {
	case errors.Is(err, errPrivate):
		return answered{}, fmt.Errorf("%s leads to a private network, which is not asked; start the program with --allow-private-hooks if that is meant", req.URL.Host)
	case err != nil && (errors.Is(err, context.DeadlineExceeded) || strings.Contains(err.Error(), "Client.Timeout")):
		return answered{}, fmt.Errorf("%s does not answer in time", req.URL.Host)
	case err != nil:
		return answered{}, fmt.Errorf("%s cannot be reached: %w", req.URL.Host, err)
	}
	defer res.Body.Close()
	out := answered{Status: res.StatusCode}
	if at := res.Header.Get("Location"); at != "" {
		if u, err := req.URL.Parse(at); err == nil {
			out.Location = u.String()
		}
	}
	if out.Status/100 == 3 && out.Status != http.StatusNotModified {
		return out, fmt.Errorf("%s answers that it is at %s now; write that address in the set-up if it is right", req.URL.Host, out.Location)
	}
	out.Body, err = io.ReadAll(io.LimitReader(res.Body, mostAnswer+1))
	switch {
	case err != nil:
		return out, fmt.Errorf("the answer of %s breaks off: %w", req.URL.Host, err)
	case len(out.Body) > mostAnswer:
		return out, fmt.Errorf("the answer of %s is longer than %d KB, so it is not what was asked for", req.URL.Host, mostAnswer>>10)
	}
	return out, nil
}

// addressOf looks at an address that came back for a page.
func addressOf(at string) (string, error) {
	u, err := url.Parse(at)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || len(at) > release.MaxLimit {
		return "", fmt.Errorf("it names “%s” as the address of the page, which is none", shorten(at, 100))
	}
	return u.String(), nil
}

// wrong says what is wrong with an answer that does not say yes, as an error.
func (a answered) wrong(who string) error {
	switch a.Status {
	case http.StatusUnauthorized, http.StatusForbidden:
		return fmt.Errorf("%s does not let the program in (%d); look whether the token or secret is right", who, a.Status)
	case http.StatusNotFound:
		return fmt.Errorf("%s has nothing at this address (404)", who)
	case http.StatusRequestEntityTooLarge:
		return fmt.Errorf("%s takes nothing as large as this (413)", who)
	}
	says := strings.Join(strings.Fields(string(a.Body)), " ")
	if r := []rune(says); len(r) > 200 {
		says = string(r[:200]) + "…"
	}
	if says != "" {
		says = ": " + says
	}
	return fmt.Errorf("%s answers %d%s", who, a.Status, says)
}
