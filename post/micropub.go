package post

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"mime/multipart"
	"net/http"
	"net/textproto"
	"net/url"
	"strings"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/format"
	"greenbaton/newsroom"
)

// MicropubSite brings pages to an endpoint that follows the W3C Recommendation Micropub of
// 23 May 2017: https://www.w3.org/TR/2017/REC-micropub-20170523/, in its JSON syntax.
type MicropubSite struct{ client *http.Client }

// NewMicropub makes a carrier that waits up to a time for each answer; see newClient.
func NewMicropub(wait time.Duration, private bool) MicropubSite {
	return MicropubSite{newClient(wait, private)}
}

const whoMicropub = "the endpoint"

// Put creates a post, or updates the one at its address. After a try of which no answer came, it
// asks first whether the post is there (by its source, section 3.7.2), where the address that it
// would have is known.
func (m MicropubSite) Put(ctx context.Context, p *newsroom.Parcel) (string, error) {
	if p.Address == "" && p.Maybe {
		if at := p.Outlet.Page(p.Page.Slug, p.Page.Number, p.Page.First); at != "" {
			there, err := m.isThere(ctx, p, at)
			if err != nil {
				return "", err
			}
			if there {
				p.Address = at
			}
		}
	}
	says, err := m.properties(ctx, p)
	if err != nil {
		return "", err
	}
	if p.Address == "" {
		a, err := m.send(ctx, p, map[string]any{"type": []string{"h-entry"}, "properties": says})
		switch {
		case err != nil:
			return "", err
		case a.Status != http.StatusCreated && a.Status != http.StatusAccepted:
			return "", a.wrong(whoMicropub)
		case a.Location == "":
			return "", errors.New("the endpoint says that it has the page, but not at which address; it must answer with a Location")
		}
		return addressOf(a.Location)
	}
	delete(says, "mp-slug")
	delete(says, "published")
	gone := []string{}
	for _, k := range optional {
		if _, ok := says[k]; !ok {
			gone = append(gone, k)
		}
	}
	order := map[string]any{"action": "update", "url": p.Address, "replace": says}
	if len(gone) > 0 {
		order["delete"] = gone
	}
	a, err := m.send(ctx, p, order)
	switch {
	case err != nil:
		return "", err
	case a.Status == http.StatusCreated && a.Location != "": // its address is another now
		return addressOf(a.Location)
	case a.Status == http.StatusOK || a.Status == http.StatusNoContent || a.Status == http.StatusCreated || a.Status == http.StatusAccepted:
		return p.Address, nil
	case a.Status == http.StatusNotFound || a.Status == http.StatusGone: // somebody deleted it there
		p.Address, p.Maybe = "", false
		return m.Put(ctx, p)
	}
	return "", a.wrong(whoMicropub)
}

// Take deletes a post; one that is not there is no error.
func (m MicropubSite) Take(ctx context.Context, p *newsroom.Parcel) error {
	if p.Address == "" {
		at := p.Outlet.Page(p.Page.Slug, p.Page.Number, p.Page.First)
		if at == "" {
			return errors.New("it may have arrived, but at which address is not known; look there, and delete it by hand")
		}
		there, err := m.isThere(ctx, p, at)
		if err != nil || !there {
			return err
		}
		p.Address = at
	}
	a, err := m.send(ctx, p, map[string]any{"action": "delete", "url": p.Address})
	switch {
	case err != nil:
		return err
	case a.Status/100 == 2 || a.Status == http.StatusNotFound || a.Status == http.StatusGone:
		return nil
	}
	if p.Maybe { // an earlier try may have done it
		if there, err := m.isThere(ctx, p, p.Address); err == nil && !there {
			return nil
		}
	}
	return a.wrong(whoMicropub)
}

// Try asks the endpoint what it can do, with the token, and shows what it would be sent.
func (m MicropubSite) Try(ctx context.Context, p *newsroom.Parcel) ([]string, error) {
	media, err := m.mediaEndpoint(ctx, p)
	if err != nil {
		return nil, err
	}
	out := []string{"It answers, and lets the program in."}
	if media == "" {
		out = append(out, "It names no endpoint for files, so pages go there without pictures.")
	} else {
		out = append(out, "Pictures go to "+media+".")
	}
	dry := *p
	dry.Media = map[string]string{}
	for _, file := range pictures(p) {
		dry.Media[fmt.Sprint(int64(file))] = fmt.Sprintf("https://…/%d", file)
	}
	says, err := m.properties(ctx, &dry)
	if err != nil {
		return nil, err
	}
	shown, err := json.MarshalIndent(map[string]any{"type": []string{"h-entry"}, "properties": says}, "", "  ")
	return append(out, "“"+p.Page.Title+"” would be sent as:", shorten(string(shown), 2_000)), err
}

func shorten(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most]) + "…"
	}
	return s
}

// optional are the properties that a page may have or not.
var optional = []string{"summary", "category", "photo", "audio"}

// uid is by what a page is known, wherever it is.
func uid(p *newsroom.Parcel) string { return fmt.Sprintf("%s/pieces/%d", p.Base, p.Page.Piece) }

// properties gives a page as the properties of an h-entry, after its files were brought there.
func (m MicropubSite) properties(ctx context.Context, p *newsroom.Parcel) (map[string]any, error) {
	x := &p.Page
	at := func(file ref.File) string { return p.Media[fmt.Sprint(int64(file))] }
	if err := m.upload(ctx, p); err != nil {
		return nil, err
	}
	text := x.Copy.WithPictures(func(file ref.File) bool { return at(file) != "" })
	out := map[string]any{
		"name": []string{x.Title}, "content": []any{map[string]string{"html": format.HTMLWith(text, at)}}, "published": []string{x.First.Format(time.RFC3339)},
		"author": []string{x.Author}, "mp-slug": []string{x.Slug}, "uid": []string{uid(p)},
	}
	if x.Summary != "" {
		out["summary"] = []string{x.Summary}
	}
	if len(x.Tags) > 0 {
		out["category"] = x.Tags
	}
	if at(x.Lead) != "" {
		out["photo"] = []any{map[string]string{"value": at(x.Lead), "alt": x.LeadAlt}}
	}
	if at(x.Sound.File) != "" {
		out["audio"] = []string{at(x.Sound.File)}
	}
	if x.At.After(x.First) {
		out["updated"] = []string{x.At.Format(time.RFC3339)}
	}
	return out, nil
}

// pictures gives the files of a page.
func pictures(p *newsroom.Parcel) []ref.File {
	var out []ref.File
	for _, file := range append(copy.Change(p.Page.Copy).Pictures(), p.Page.Lead, p.Page.Sound.File) {
		if file != 0 {
			out = append(out, file)
		}
	}
	return out
}

// upload brings the files of a page to the media endpoint that are not there yet. Without such an
// endpoint, none are.
func (m MicropubSite) upload(ctx context.Context, p *newsroom.Parcel) error {
	media := ""
	for _, file := range pictures(p) {
		key := fmt.Sprint(int64(file))
		if p.Media[key] != "" {
			continue
		}
		if media == "" {
			var err error
			if media, err = m.mediaEndpoint(ctx, p); err != nil {
				return err
			}
			if media == "" {
				return nil
			}
		}
		f, err := p.Open(ctx, file)
		if errors.Is(err, newsroom.ErrNotFound) {
			continue
		} else if err != nil {
			return err
		}
		var body bytes.Buffer
		w := multipart.NewWriter(&body)
		head := textproto.MIMEHeader{}
		head.Set("Content-Disposition", `form-data; name="file"; filename="`+format.FileName(f.Name, f.Type)+`"`)
		head.Set("Content-Type", f.Type)
		part, err := w.CreatePart(head)
		if err == nil {
			_, err = part.Write(f.Data)
		}
		if err := errors.Join(err, w.Close()); err != nil {
			return fmt.Errorf("pack a file: %w", err)
		}
		a, err := ask(ctx, m.client, http.MethodPost, media, map[string]string{
			"Authorization": "Bearer " + p.Outlet.Secret, "Content-Type": w.FormDataContentType(), HeaderIdempotency: p.Key + "-file-" + key,
		}, &body)
		switch {
		case err != nil:
			return err
		case a.Status/100 != 2 || a.Location == "":
			return a.wrong("the endpoint for files")
		}
		p.Media[key] = a.Location
	}
	return nil
}

// mediaEndpoint asks the endpoint for its configuration (section 3.7.1), and gives where files go.
func (m MicropubSite) mediaEndpoint(ctx context.Context, p *newsroom.Parcel) (string, error) {
	a, err := m.query(ctx, p, url.Values{"q": {"config"}})
	if err != nil {
		return "", err
	}
	var config struct {
		Media string `json:"media-endpoint"`
	}
	switch {
	case a.Status == http.StatusNotFound || a.Status == http.StatusBadRequest || a.Status == http.StatusNotImplemented: // it need not say
		return "", nil
	case a.Status != http.StatusOK:
		return "", a.wrong(whoMicropub)
	}
	if err := json.Unmarshal(a.Body, &config); err != nil {
		return "", errors.New("the endpoint answers something that is no JSON; look whether the address is that of a Micropub endpoint")
	}
	if config.Media == "" {
		return "", nil
	}
	u, err := url.Parse(config.Media)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" {
		return "", fmt.Errorf("the endpoint names “%s” for files, which is no address", shorten(config.Media, 100))
	}
	return u.String(), nil
}

// isThere asks whether the page is at an address.
func (m MicropubSite) isThere(ctx context.Context, p *newsroom.Parcel, at string) (bool, error) {
	a, err := m.query(ctx, p, url.Values{"q": {"source"}, "url": {at}})
	if err != nil || a.Status != http.StatusOK {
		return false, err
	}
	var post struct {
		Properties map[string][]any `json:"properties"`
	}
	if err := json.Unmarshal(a.Body, &post); err != nil {
		return false, nil
	}
	for _, v := range post.Properties["uid"] {
		if v == uid(p) {
			return true, nil
		}
	}
	return false, nil
}

func (m MicropubSite) query(ctx context.Context, p *newsroom.Parcel, q url.Values) (answered, error) {
	u, err := url.Parse(p.Outlet.Address)
	if err != nil {
		return answered{}, fmt.Errorf("the address of the endpoint: %w", err)
	}
	all := u.Query()
	for k, v := range q {
		all[k] = v
	}
	u.RawQuery = all.Encode()
	return ask(ctx, m.client, http.MethodGet, u.String(), map[string]string{"Authorization": "Bearer " + p.Outlet.Secret, "Accept": "application/json"}, nil)
}

func (m MicropubSite) send(ctx context.Context, p *newsroom.Parcel, what any) (answered, error) {
	body, err := json.Marshal(what)
	if err != nil {
		return answered{}, fmt.Errorf("write the page: %w", err)
	}
	return ask(ctx, m.client, http.MethodPost, p.Outlet.Address, map[string]string{
		"Authorization": "Bearer " + p.Outlet.Secret, "Content-Type": "application/json", "Accept": "application/json", HeaderIdempotency: strings.ReplaceAll(p.Key, " ", "-"),
	}, bytes.NewReader(body))
}
