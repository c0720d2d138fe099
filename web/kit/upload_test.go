package kit

import (
	"bytes"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/store"
)

// Whoever sends from outside without an end keeps nobody who is signed in from sending a file.
func TestSlowSendersFromOutsideHoldNobodyUp(t *testing.T) {
	s, e := &Server{gates: newGates()}, echo.New()
	g := e.Group("", func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			if c.Request().Header.Get("X-Signed-In") != "" {
				c.Set("me", store.Person{ID: 1})
			}
			return next(c)
		}
	})
	s.Files(g, "/files", 1<<20, func(c *echo.Context) error { return c.NoContent(http.StatusNoContent) })
	srv := httptest.NewServer(e)
	defer srv.Close()
	ends, open := make(chan struct{}), []io.Closer{}
	for range 2 * spooling {
		in, out := io.Pipe()
		open = append(open, out)
		go func() {
			if res, err := http.Post(srv.URL+"/files", "multipart/form-data; boundary=x", in); err == nil {
				res.Body.Close()
			}
			ends <- struct{}{}
		}()
	}
	defer func() {
		for _, out := range open {
			out.Close()
		}
		for range open {
			<-ends
		}
	}()
	for until := time.Now().Add(time.Minute); len(s.gates.outside) < outside; time.Sleep(10 * time.Millisecond) {
		if time.Now().After(until) {
			t.Fatalf("only %d came in", len(s.gates.outside))
		}
	}
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	if err := form.WriteField("label", "Weights"); err != nil {
		t.Fatal(err)
	}
	if err := form.Close(); err != nil {
		t.Fatal(err)
	}
	sent := make(chan int, 1)
	go func() {
		r, err := http.NewRequest(http.MethodPost, srv.URL+"/files", &body)
		if err != nil {
			sent <- 0
			return
		}
		r.Header.Set("Content-Type", form.FormDataContentType())
		r.Header.Set("X-Signed-In", "yes")
		res, err := http.DefaultClient.Do(r)
		if err != nil {
			sent <- 0
			return
		}
		res.Body.Close()
		sent <- res.StatusCode
	}()
	select {
	case got := <-sent:
		if got != http.StatusNoContent {
			t.Errorf("it is answered with %d", got)
		}
	case <-time.After(time.Minute):
		t.Error("somebody who is signed in waits for senders from outside")
	}
}
