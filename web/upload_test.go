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
