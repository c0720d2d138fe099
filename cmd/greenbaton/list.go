package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
	"greenbaton/web"
	"greenbaton/web/kit"
)

// whoIs finds who signs in with a mail address; without one, the first lead of a desk.
func whoIs(ctx context.Context, h *rooms.Newsroom, desk ref.Desk, mail string) (ref.Person, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return 0, err
	}
	i := slices.IndexFunc(b.People, func(p store.Person) bool {
		return p.SignsIn() && (strings.EqualFold(p.Mail, mail) || mail == "" && slices.Contains(p.Desks, desk) && p.Access.May(relay.LeadDesk))
	})
	switch {
	case i >= 0:
		return b.People[i].ID, nil
	case mail == "":
		return 0, errors.New("the desk has no lead who signs in; say with --for for whom")
	}
	return 0, fmt.Errorf("nobody with the mail address %s signs in here", mail)
}

// asker asks the pages of a newsroom without a network, as somebody who looks at a desk.
type asker struct {
	pages  http.Handler
	ctx    context.Context
	packed bool // as a browser wants them
}

func askAs(ctx context.Context, h *rooms.Newsroom, who ref.Person, desk ref.Desk) (asker, error) {
	pages, err := (&web.Server{Newsroom: h, Log: slog.New(slog.DiscardHandler)}).Handler()
	return asker{pages: pages, ctx: kit.Asking(ctx, who, desk)}, err
}

// get gives the answer to an address; its body goes out as it comes.
func (a asker) get(address string, body io.Writer) (*answer, error) {
	r, err := http.NewRequestWithContext(a.ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, err
	}
	if a.packed {
		r.Header.Set("Accept-Encoding", "gzip")
	}
	x := &answer{body: body, header: http.Header{}}
	a.pages.ServeHTTP(x, r)
	return x, x.err
}

// answer is what a page answers.
type answer struct {
	status int
	header http.Header
	body   io.Writer
	err    error // of writing it
}

func (x *answer) Header() http.Header { return x.header }

func (x *answer) WriteHeader(status int) {
	if x.status == 0 {
		x.status = status
	}
}

// Write passes on what a page says; of one that could not be answered, nothing.
func (x *answer) Write(b []byte) (int, error) {
	if x.WriteHeader(http.StatusOK); x.status != http.StatusOK {
		return len(b), nil
	}
	n, err := x.body.Write(b)
	x.err = errors.Join(x.err, err)
	return n, err
}

// list writes the list at an address, as somebody sees it there, into a file of the kind it ends in.
func (c *exportCmd) list(ctx context.Context, h *rooms.Newsroom, desk ref.Desk, to string) error {
	who, err := whoIs(ctx, h, desk, c.For)
	if err != nil {
		return err
	}
	at, err := url.Parse(c.List)
	if err != nil {
		return fmt.Errorf("%q is no address: %w", c.List, err)
	}
	ask, err := askAs(ctx, h, who, desk)
	if err != nil {
		return err
	}
	kind := strings.TrimPrefix(filepath.Ext(c.To), ".")
	f, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	path := "/" + strings.Trim(at.Path, "/")
	var x *answer
	for _, below := range []string{"/", "/as/"} { // a logbook has two kinds of its own
		x, err = ask.get((&url.URL{Path: path + below + kind, RawQuery: at.RawQuery}).String(), f)
		if err != nil || x.status != http.StatusNotFound {
			break
		}
	}
	if err := errors.Join(err, f.Close()); err != nil {
		return err
	}
	if x.status != http.StatusOK {
		return fmt.Errorf("there is no list at %s that is given out as %s to whom this is for (%d); give the address of a list as your browser shows it, like /pieces?pace=running", path, kind, x.status)
	}
	return nil
}
