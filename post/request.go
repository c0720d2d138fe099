package post

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"greenbaton/core/ref"
	"greenbaton/core/release"
	"greenbaton/format"
	"greenbaton/newsroom"
)

// Requests tells of pages by a signed JSON request, for a program of the house's own.
type Requests struct{ client *http.Client }

// NewRequests makes a carrier that waits up to a time for each answer; see newClient.
func NewRequests(wait time.Duration, private bool) Requests {
	return Requests{newClient(wait, private)}
}

// mostSent is how large a request may be, in bytes.
const mostSent = 48 << 20

// sentPage is a page in a request.
type sentPage struct {
	Event       string            `json:"event"` // publish, withdraw or try
	Key         string            `json:"key"`
	Channel     string            `json:"channel"`
	Piece       ref.Piece         `json:"piece"`
	Number      int               `json:"number"`
	Address     string            `json:"address,omitempty"` // where it is already
	Slug        string            `json:"slug"`
	Title       string            `json:"title"`
	Description string            `json:"description,omitempty"`
	Author      string            `json:"author,omitempty"`
	Published   string            `json:"published"`
	Updated     string            `json:"updated"`
	Correction  string            `json:"correction,omitempty"`
	Tags        []string          `json:"tags,omitempty"`
	HTML        string            `json:"html,omitempty"`
	Markdown    string            `json:"markdown,omitempty"`
	Lead        string            `json:"lead,omitempty"` // the name of the lead picture
	LeadAlt     string            `json:"lead_alt,omitempty"`
	Recording   string            `json:"recording,omitempty"`
	Seconds     int               `json:"seconds,omitempty"`
	Chapters    []release.Chapter `json:"chapters,omitempty"`
	Related     []newsroom.Linked `json:"related,omitempty"`
	Next        []newsroom.Linked `json:"next,omitempty"`
	Fields      []newsroom.Said   `json:"fields,omitempty"`
	Files       []sentFile        `json:"files,omitempty"`
}

type sentFile struct {
	Name string `json:"name"`
	Type string `json:"type"`
	Data []byte `json:"data"` // base64
}

// Put tells of a page that is to be up as it is. The answer is 2xx; it may name the address of the
// page, as {"address": "…"} or in a Location.
func (r Requests) Put(ctx context.Context, p *newsroom.Parcel) (string, error) {
	x, err := pageSent(ctx, p, "publish")
	if err != nil {
		return "", err
	}
	a, err := r.send(ctx, p, x)
	if err != nil {
		return "", err
	}
	var said struct {
		Address string `json:"address"`
	}
	if json.Unmarshal(a.Body, &said) == nil && said.Address != "" {
		a.Location = said.Address
	}
	if a.Location == "" {
		if p.Address != "" {
			return p.Address, nil
		}
		return p.Outlet.Page(p.Page.Slug, p.Page.Number, p.Page.First), nil
	}
	return addressOf(a.Location)
}

// Take tells of a page that is not to be up any more.
func (r Requests) Take(ctx context.Context, p *newsroom.Parcel) error {
	x := p.Page
	_, err := r.send(ctx, p, sentPage{Event: "withdraw", Key: p.Key, Channel: p.Channel, Piece: x.Piece, Number: x.Number, Address: p.Address, Slug: x.Slug, Title: x.Title, Published: x.First.Format(time.RFC3339), Updated: x.At.Format(time.RFC3339)})
	return err
}

// Try sends a page as it would be, under the event “try”, of which nothing is to come.
func (r Requests) Try(ctx context.Context, p *newsroom.Parcel) ([]string, error) {
	x, err := pageSent(ctx, p, "try")
	if err != nil {
		return nil, err
	}
	a, err := r.send(ctx, p, x)
	if err != nil {
		return nil, err
	}
	for i := range x.Files {
		x.Files[i].Data = nil
	}
	shown, err := json.MarshalIndent(x, "", "  ")
	return []string{fmt.Sprintf("It answers %d. “%s” was sent, signed, as something to be tried:", a.Status, p.Page.Title), shorten(string(shown), 2_000)}, err
}

func pageSent(ctx context.Context, p *newsroom.Parcel, event string) (sentPage, error) {
	x := &p.Page
	out := sentPage{
		Event: event, Key: p.Key, Channel: p.Channel, Piece: x.Piece, Number: x.Number, Address: p.Address, Slug: x.Slug, Title: x.Title, Description: x.Summary, Author: x.Author,
		Published: x.First.Format(time.RFC3339), Updated: x.At.Format(time.RFC3339), Correction: x.Note, Tags: x.Tags, LeadAlt: x.LeadAlt, Seconds: x.Sound.Seconds, Chapters: x.Chapters,
		Related: x.Related, Next: x.Next, Fields: x.Fields,
	}
	names, size := map[ref.File]string{}, 0
	for i, file := range pictures(p) {
		if names[file] != "" {
			continue
		}
		f, err := p.Open(ctx, file)
		if errors.Is(err, newsroom.ErrNotFound) {
			continue
		} else if err != nil {
			return out, err
		}
		if size += len(f.Data); size > mostSent/4*3 {
			return out, fmt.Errorf("its files are larger than %d MB together, which is more than a request carries", mostSent/4*3>>20)
		}
		names[file] = fmt.Sprintf("%d-%s", i+1, format.FileName(f.Name, f.Type))
		out.Files = append(out.Files, sentFile{names[file], f.Type, f.Data})
	}
	name := func(file ref.File) string { return names[file] }
	text := x.Copy.WithPictures(func(file ref.File) bool { return names[file] != "" })
	out.HTML, out.Markdown, out.Lead, out.Recording = format.HTMLWith(text, name), format.Markdown(text, name), names[x.Lead], names[x.Sound.File]
	return out, nil
}

func (r Requests) send(ctx context.Context, p *newsroom.Parcel, x sentPage) (answered, error) {
	body, err := json.Marshal(x)
	if err != nil {
		return answered{}, fmt.Errorf("write the request: %w", err)
	}
	at := strconv.FormatInt(time.Now().Unix(), 10)
	a, err := ask(ctx, r.client, http.MethodPost, p.Outlet.Address, map[string]string{
		"Content-Type": "application/json", "Accept": "application/json", HeaderIdempotency: p.Key, HeaderKey: p.Key, HeaderTime: at,
		HeaderSignature: "sha256=" + Sign([]byte(p.Outlet.Secret), append([]byte(at+"."), body...)),
	}, bytes.NewReader(body))
	if err == nil && a.Status/100 != 2 {
		err = a.wrong("the receiver")
	}
	return a, err
}
