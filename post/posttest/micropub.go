// Package posttest has small receivers for tests of what is sent out.
package posttest

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"
)

// Micropub is a site with a Micropub endpoint, written from the W3C Recommendation of 23 May
// 2017 (https://www.w3.org/TR/2017/REC-micropub-20170523/): a token in the head (section 5.2 of
// that), JSON syntax (3.3.2), updates (3.4), deletes (3.5), files (3.6) and queries (3.7).
type Micropub struct {
	*httptest.Server
	Token string

	mu     sync.Mutex
	Posts  map[string]map[string][]any                       // properties, by address; deleted ones are not there
	Files  map[string][]byte                                 // by address
	Keys   map[string]int                                    // how often something was created or stored, by key
	Orders []string                                          // what was asked for, in order
	Answer func(w http.ResponseWriter, r *http.Request) bool // stands in for an answer, if it gives true
}

// NewMicropub starts a site.
func NewMicropub(t testing.TB) *Micropub {
	m := &Micropub{Token: "let me in", Posts: map[string]map[string][]any{}, Files: map[string][]byte{}, Keys: map[string]int{}}
	m.Server = httptest.NewServer(http.HandlerFunc(m.serve))
	t.Cleanup(m.Close)
	return m
}

// Endpoint is the address of the endpoint.
func (m *Micropub) Endpoint() string { return m.URL + "/micropub" }

// Post gives what is at an address, nil if nothing is.
func (m *Micropub) Post(at string) map[string][]any {
	m.mu.Lock()
	defer m.mu.Unlock()
	return maps.Clone(m.Posts[at])
}

// Asked gives what was asked for, in order.
func (m *Micropub) Asked() []string {
	m.mu.Lock()
	defer m.mu.Unlock()
	return slices.Clone(m.Orders)
}

// Twice gives the keys under which something was made more than once.
func (m *Micropub) Twice() []string {
	m.mu.Lock()
	defer m.mu.Unlock()
	var out []string
	for k, n := range m.Keys {
		if n > 1 {
			out = append(out, k)
		}
	}
	return out
}

func (m *Micropub) serve(w http.ResponseWriter, r *http.Request) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.Answer != nil && m.Answer(w, r) {
		return
	}
	fail := func(status int, code string) {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		fmt.Fprintf(w, `{"error":%q}`, code) // section 3.8
	}
	switch token, _ := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); token {
	case m.Token:
	case "":
		fail(http.StatusUnauthorized, "unauthorized")
		return
	default:
		fail(http.StatusForbidden, "forbidden")
		return
	}
	switch {
	case r.Method == http.MethodGet && r.URL.Path == "/micropub":
		m.query(w, r, fail)
	case r.Method == http.MethodPost && r.URL.Path == "/micropub":
		m.order(w, r, fail)
	case r.Method == http.MethodPost && r.URL.Path == "/media":
		f, head, err := r.FormFile("file")
		if err != nil {
			fail(http.StatusBadRequest, "invalid_request")
			return
		}
		data, err := io.ReadAll(f)
		if err != nil {
			fail(http.StatusBadRequest, "invalid_request")
			return
		}
		m.Keys[r.Header.Get("Idempotency-Key")]++
		at := fmt.Sprintf("%s/files/%d-%s", m.URL, len(m.Files)+1, head.Filename)
		m.Files[at] = data
		w.Header().Set("Location", at)
		w.WriteHeader(http.StatusCreated)
	default:
		http.NotFound(w, r)
	}
}

func (m *Micropub) query(w http.ResponseWriter, r *http.Request, fail func(int, string)) {
	w.Header().Set("Content-Type", "application/json")
	var says any
	switch r.URL.Query().Get("q") {
	case "config":
		says = map[string]string{"media-endpoint": m.URL + "/media"}
	case "source":
		post, ok := m.Posts[r.URL.Query().Get("url")]
		if !ok {
			fail(http.StatusBadRequest, "invalid_request")
			return
		}
		says = map[string]any{"type": []string{"h-entry"}, "properties": post}
	default:
		fail(http.StatusBadRequest, "invalid_request")
		return
	}
	if err := json.NewEncoder(w).Encode(says); err != nil {
		panic(err)
	}
}

func (m *Micropub) order(w http.ResponseWriter, r *http.Request, fail func(int, string)) {
	var o struct {
		Type       []string         `json:"type"`
		Properties map[string][]any `json:"properties"`
		Action     string           `json:"action"`
		URL        string           `json:"url"`
		Replace    map[string][]any `json:"replace"`
		Add        map[string][]any `json:"add"`
		Delete     any              `json:"delete"`
	}
	if r.Header.Get("Content-Type") != "application/json" || json.NewDecoder(r.Body).Decode(&o) != nil {
		fail(http.StatusBadRequest, "invalid_request")
		return
	}
	post, there := m.Posts[o.URL]
	switch o.Action {
	case "":
		if len(o.Type) != 1 || o.Type[0] != "h-entry" || len(o.Properties) == 0 {
			fail(http.StatusBadRequest, "invalid_request")
			return
		}
		m.Keys[r.Header.Get("Idempotency-Key")]++
		at := m.URL + "/" + fmt.Sprint(o.Properties["mp-slug"][0])
		delete(o.Properties, "mp-slug") // commands are no properties of the post (3.1)
		m.Posts[at] = o.Properties
		m.Orders = append(m.Orders, "create "+at)
		w.Header().Set("Location", at)
		w.WriteHeader(http.StatusCreated)
		return
	case "update":
		if !there {
			fail(http.StatusBadRequest, "invalid_request")
			return
		}
		for k, v := range o.Replace {
			post[k] = v
		}
		for k, v := range o.Add {
			post[k] = append(post[k], v...)
		}
		if names, ok := o.Delete.([]any); ok {
			for _, k := range names {
				delete(post, fmt.Sprint(k))
			}
		}
	case "delete":
		if !there {
			fail(http.StatusBadRequest, "invalid_request")
			return
		}
		delete(m.Posts, o.URL)
	default:
		fail(http.StatusBadRequest, "invalid_request")
		return
	}
	m.Orders = append(m.Orders, o.Action+" "+o.URL)
	w.WriteHeader(http.StatusNoContent)
}
