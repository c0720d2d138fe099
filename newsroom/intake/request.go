package intake

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/request"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// Form gives the form of an address that may be filled in by somebody; 0 is nobody in
// particular.
func (h Inquiries) Form(ctx context.Context, who ref.Person, slug string) (request.Form, error) {
	forms, err := store.Forms(ctx, h.DB.View(), "WHERE slug = ?", slug)
	if err != nil {
		return request.Form{}, err
	}
	if len(forms) == 0 {
		return request.Form{}, newsroom.ErrNotFound
	}
	f := forms[0].Form
	b, err := h.Setup(ctx)
	if err != nil {
		return f, err
	}
	switch {
	case !f.Anyone && b.Person(who).ID == 0:
		return request.Form{}, newsroom.ErrNotFound
	case !f.Open:
		return f, &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("%s takes no requests here at the moment. What was asked before goes on; its page still works.", b.Desk(f.DeskID).Name)}
	}
	return f, nil
}

// Forms gives the forms of a desk, for its leads and staff.
func (h Inquiries) Forms(ctx context.Context, who ref.Person, d ref.Desk) ([]request.Form, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if !planning.MayCreate(b.Who(who, d)) {
		return nil, errNoTriage
	}
	all, err := store.Forms(ctx, h.DB.View(), "WHERE desk_id = ? ORDER BY id", d)
	out := make([]request.Form, len(all))
	for i := range all {
		out[i] = all[i].Form
	}
	return out, err
}

// SaveForm stores a form of a desk, or makes one, for its leads. It gives its id.
func (h Inquiries) SaveForm(ctx context.Context, by ref.Person, f request.Form) (ref.Form, error) {
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		if err := a.Setup.MayLead(by, f.DeskID); err != nil {
			return err
		}
		is, err := f.Check()
		if err != nil {
			return err
		}
		all, err := store.Forms(a, a.Tx, "")
		if err != nil {
			return err
		}
		for _, x := range all {
			if x.Slug == is.Slug && x.ID != is.ID {
				return newsroom.Invalid("slug", "There is a form at this address already. Choose another end.")
			}
			if x.ID == is.ID && x.DeskID != is.DeskID {
				return newsroom.ErrNotFound
			}
		}
		for _, id := range formatsIn(is) {
			if a.Setup.Format(id).DeskID != is.DeskID {
				return newsroom.Invalid("format", "Choose one of the desk's formats.")
			}
		}
		if f.ID, err = a.Tx.SaveForm(a, is); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: is.DeskID, Act: "set up", What: "saved the form “" + is.Name + "”"})
	})
	return f.ID, err
}

func formatsIn(f request.Form) []ref.Format {
	var out []ref.Format
	if f.Format != 0 {
		out = append(out, f.Format)
	}
	for _, x := range f.Fields {
		for _, o := range x.Options {
			if o.Format != 0 {
				out = append(out, o.Format)
			}
		}
	}
	return out
}

// Ask takes a request that was read from a form, with its files. It gives the token of
// the page on which whoever asks can follow it.
func (h Inquiries) Ask(ctx context.Context, who ref.Person, f request.Form, x request.Asked, files []copyroom.Upload) (string, error) {
	if _, err := h.Form(ctx, who, f.Slug); err != nil {
		return "", err
	}
	token := ""
	err := h.Do(ctx, 0, func(a *newsroom.Command) error {
		r := store.Request{DeskID: f.DeskID, FormID: f.ID, Title: x.Title, Name: x.Name, Mail: x.Mail, PersonID: who, Wanted: x.Wanted, Said: x.Answers, Format: x.Format, State: store.Asked, At: a.Now, Version: 1}
		var err error
		if r.ID, err = a.Tx.SaveRequest(a, r); err != nil {
			return err
		}
		for _, u := range files {
			if _, err := copyroom.AddFile(a, u, 0, r.ID); err != nil {
				return err
			}
		}
		if token, err = requestToken(a, r.ID); err != nil {
			return err
		}
		for _, id := range a.Setup.Leads(f.DeskID) {
			item := store.Item{PersonID: id, Kind: "request", Text: fmt.Sprintf("%s asks: “%s”.", r.Name, r.Title), At: a.Now, Link: fmt.Sprintf("/requests/%d", r.ID)}
			if err := a.Notify(item, false); err != nil {
				return err
			}
		}
		if err := write(a, r, "", "We have your request: "+r.Title, "Thank you. Somebody at "+a.Setup.Desk(f.DeskID).Name+" reads it, and you hear from them."); err != nil {
			return err
		}
		a.Happens(rule.Event{Kind: rule.Requested, Request: r.ID, Desk: f.DeskID, At: a.Now})
		return a.Log(store.Entry{DeskID: f.DeskID, Act: "requested", What: fmt.Sprintf("a request came in: “%s”, of %s", r.Title, r.Name)})
	})
	return token, err
}

// requestToken gives the secret part of the address on which whoever asked follows a request.
// It is worked out from the house's own secret, and stored nowhere.
func requestToken(a *newsroom.Command, id ref.Request) (string, error) {
	secret, err := a.Tx.Secret(a, "requests", rand.Text)
	return newsroom.TokenOf(secret, id), err
}

// requestOf gives the request of a token, ErrNotFound for one that was not given out.
func (h Inquiries) requestOf(ctx context.Context, token string) (store.Request, error) {
	raw, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil {
		return store.Request{}, newsroom.ErrNotFound
	}
	id, n := binary.Uvarint(raw)
	secret, err := store.Setting(ctx, h.DB.View(), "requests")
	if n <= 0 || id == 0 || id > 1<<62 || secret == "" || err != nil || !hmac.Equal([]byte(newsroom.TokenOf(secret, int64(id))), []byte(token)) {
		return store.Request{}, newsroom.ErrNotFound
	}
	x, err := store.RequestByID(ctx, h.DB.View(), ref.Request(id))
	if errors.Is(err, store.ErrNone) {
		err = newsroom.ErrNotFound
	}
	return x, err
}

// write sends whoever asked a mail with the way to their page.
func write(a *newsroom.Command, x store.Request, part, subject, text string) error {
	token, err := requestToken(a, x.ID)
	if err != nil {
		return err
	}
	to := mail.Address{Name: x.Name, Address: x.Mail}
	return a.Tx.AddMessage(a, store.Message{
		Key: fmt.Sprintf("request %d version %d %s", x.ID, x.Version, part), Kind: "mail", To: to.String(), Subject: subject, At: a.Now,
		Body: fmt.Sprintf("%s\n\n%s\n\nFollow it and answer here: %s/asked/%s\nThis page is only for you.\n", x.Title, text, a.Newsroom.Base, token),
	})
}

// Followed is a request as whoever asked sees it.
type Followed struct {
	store.Request
	Desk    string
	Words   []store.Word
	Names   map[ref.Person]string // of those of the house who wrote
	Files   []store.File
	GoesOut string // of the piece, when it has a day
	Out     string // the address at which it can be read
}

// Follow gives a request to whoever asked, by the token of their page.
func (h Inquiries) Follow(ctx context.Context, token string) (Followed, error) {
	x, err := h.requestOf(ctx, token)
	if err != nil {
		return Followed{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Followed{}, err
	}
	f := Followed{Request: x, Desk: b.Desk(x.DeskID).Name, Names: map[ref.Person]string{}}
	r := h.DB.View()
	if f.Words, err = store.Words(ctx, r, x.ID); err != nil {
		return f, err
	}
	for _, w := range f.Words {
		f.Names[w.By] = b.Person(w.By).Name
	}
	if f.Files, err = store.FilesOf(ctx, r, 0, x.ID); err != nil || x.PieceID == 0 {
		return f, err
	}
	row, err := store.Piece(ctx, r, x.PieceID)
	if err == nil && row.GoesOut != 0 && row.Stage != relay.Withdrawn {
		f.GoesOut = b.At(row.GoesOut, row.DeskID)
	}
	if err == nil && row.Stage == relay.Out {
		f.Out = newsroom.AddressOf(b, "", &row.Piece)
	}
	return f, err
}

const mostWords = 200 // of one request

// Reply adds what whoever asked says, by the token of their page. What was asked back is
// answered with it, and lies on the desk again.
func (h Inquiries) Reply(ctx context.Context, token, text string) error {
	x, err := h.requestOf(ctx, token)
	if err != nil {
		return err
	}
	return h.Do(ctx, 0, func(a *newsroom.Command) error {
		was, err := store.RequestByID(a, a.Tx, x.ID)
		if err != nil {
			return err
		}
		if err := say(a, was, 0, text); err != nil {
			return err
		}
		if was.State != store.AskedBack {
			return tellTriage(a, was, fmt.Sprintf("%s wrote about “%s”.", was.Name, was.Title))
		}
		is := was
		is.State, is.Version = store.Asked, is.Version+1
		if _, err := a.Tx.SaveRequest(a, is); err != nil {
			return err
		}
		return tellTriage(a, is, fmt.Sprintf("%s answered about “%s”.", is.Name, is.Title))
	})
}

func tellTriage(a *newsroom.Command, x store.Request, text string) error {
	to := a.Setup.Leads(x.DeskID)
	if x.SettledBy != 0 {
		to = []ref.Person{x.SettledBy}
	}
	for _, id := range to {
		if err := a.Notify(store.Item{PersonID: id, Kind: "request", Text: text, At: a.Now, Link: fmt.Sprintf("/requests/%d", x.ID)}, false); err != nil {
			return err
		}
	}
	return nil
}

// say adds to what is said about a request.
func say(a *newsroom.Command, x store.Request, by ref.Person, text string) error {
	text = strings.TrimSpace(strings.ReplaceAll(text, "\r\n", "\n"))
	switch {
	case text == "":
		return newsroom.Invalid("text", "Write what you want to say.")
	case len([]rune(text)) > 4_000:
		return newsroom.Invalid("text", "Keep it under 4,000 characters.")
	}
	words, err := store.Words(a, a.Tx, x.ID)
	if err != nil {
		return err
	}
	if len(words) >= mostWords {
		return newsroom.Invalid("text", "There is a lot said here already. Write to us by mail.")
	}
	return a.Tx.AddWord(a, store.Word{RequestID: x.ID, By: by, Text: text, At: a.Now})
}

// errNoTriage refuses requests to those who cannot make pieces.
var errNoTriage = &relay.Refusal{Reason: relay.ErrNotYours, Text: "Requests are for leads and staff of the desk."}

// File gives a file for somebody who may see what it belongs to.
func (h Inquiries) File(ctx context.Context, who ref.Person, id ref.File) (store.File, error) {
	f, err := store.FileByID(ctx, h.DB.View(), id)
	if errors.Is(err, store.ErrNone) {
		return f, newsroom.ErrNotFound
	} else if err != nil {
		return f, err
	}
	if f.PieceID == 0 { // of a request that is not taken
		_, err := h.request(ctx, h.DB.View(), who, f.RequestID)
		return f, err
	}
	if _, err := h.See(ctx, who, f.PieceID, relay.ActPrepare); err == nil {
		return f, nil
	}
	if _, err := h.See(ctx, who, f.PieceID, relay.ActRead); err != nil { // who reads the copy sees what is attached
		return store.File{}, err
	}
	attached, err := store.Attachments(ctx, h.DB.View(), f.PieceID)
	if err != nil {
		return store.File{}, err
	}
	if !slices.ContainsFunc(attached, func(x store.Attachment) bool { return x.FileID == id }) {
		return store.File{}, newsroom.ErrNotFound
	}
	return f, nil
}
