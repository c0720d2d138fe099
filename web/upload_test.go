package web

import (
	"bytes"
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/iotest"
	"time"
)

// filed is a form with a small file in it, and its type.
func filed(t testing.TB, fields map[string]string) (string, string) {
	t.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	for k, v := range fields {
		if err := w.WriteField(k, v); err != nil {
			t.Fatal(err)
		}
	}
	f, err := w.CreateFormFile("file", "weights.txt")
	if err == nil {
		_, err = io.WriteString(f, "300 g of rye")
	}
	if err = errors.Join(err, w.Close()); err != nil {
		t.Fatal(err)
	}
	return b.String(), w.FormDataContentType()
}

// slowly gives a byte at a time, with a pause before each of the last few.
type slowly struct {
	io.Reader
	left  int
	pause time.Duration
}

func (s *slowly) Read(b []byte) (int, error) {
	if s.left--; s.left < 10 {
		time.Sleep(s.pause)
	}
	return s.Reader.Read(b)
}

// A file may take longer to come in than any other request.
func TestASlowFileComesIn(t *testing.T) {
	_, h := open(t, true)
	srv := httptest.NewUnstartedServer(h)
	srv.Config.ReadTimeout, srv.Config.WriteTimeout = time.Second, time.Second
	srv.Start()
	defer srv.Close()
	c := (&client{t, srv.URL, visit(t, h).http}).as(1)
	body, kind := filed(t, map[string]string{"label": "Weights"})
	res, err := c.http.Post(c.url+"/pieces/1/attachments", kind, &slowly{iotest.OneByteReader(strings.NewReader(body)), len(body), 300 * time.Millisecond})
	if res, body := c.read(res, err); res.StatusCode != http.StatusOK {
		t.Errorf("%d %s", res.StatusCode, body)
	}
}

// Whoever sends from outside without an end keeps nobody of the house from sending a file.
func TestSlowSendersFromOutsideHoldNobodyUp(t *testing.T) {
	s, h := openServer(t, true)
	c := visit(t, h).as(1)
	ends, open := make(chan struct{}), []io.Closer{}
	for range 2 * spooling {
		in, out := io.Pipe()
		open = append(open, out)
		go func() {
			if res, err := http.Post(c.url+"/ask/a-piece-please", "multipart/form-data; boundary=x", in); err == nil {
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
	body, kind := filed(t, map[string]string{"label": "Weights"})
	sent := make(chan int, 1)
	go func() {
		res, err := c.http.Post(c.url+"/pieces/1/attachments", kind, strings.NewReader(body))
		if err != nil {
			sent <- 0
			return
		}
		res.Body.Close()
		sent <- res.StatusCode
	}()
	select {
	case got := <-sent:
		if got != http.StatusOK {
			t.Errorf("it is answered with %d", got)
		}
	case <-time.After(time.Minute):
		t.Error("a file of the house waits for senders from outside")
	}
}
