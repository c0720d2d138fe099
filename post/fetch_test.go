package post

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
)

// What is on this machine or on a private network is not fetched, by whatever name, nor by a redirect.
func TestNothingOfThisMachineIsFetched(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		t.Error("it was asked")
	}))
	defer srv.Close()
	w := NewWeb(time.Minute)
	for _, address := range []string{srv.URL, strings.Replace(srv.URL, "127.0.0.1", "localhost", 1), "http://[::1]:80/", "http://10.1.2.3/", "http://169.254.169.254/"} {
		if _, err := w.Fetch(t.Context(), address, 100); err == nil || !strings.Contains(err.Error(), "private network") && !strings.Contains(err.Error(), "does not answer") {
			t.Errorf("%s: %v", address, err)
		}
	}
}

func TestWhatIsFetchedIsBounded(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/none" {
			w.WriteHeader(http.StatusNotFound)
		}
		_, _ = w.Write([]byte(strings.Repeat("x", 2<<20)))
	}))
	defer srv.Close()
	w := NewFetcher(time.Minute, true)
	if got, err := w.Fetch(t.Context(), srv.URL, 3<<20); err != nil || len(got) != 2<<20 {
		t.Errorf("%d bytes, %v", len(got), err)
	}
	for path, says := range map[string]string{"/": "larger than 1 MB", "/none": "answers 404"} {
		if _, err := w.Fetch(t.Context(), srv.URL+path, 1<<20); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", path, err)
		}
	}
}
