package post

import (
	"bytes"
	"context"
	"fmt"
	"html/template"
	"net/mail"
	"strings"
	"time"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/release"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Letters sends pages by mail: to the address of a list, or to each of the readers that the desk
// keeps. A letter is on the shipped site too, where its pictures are, and is sent once: what is
// corrected in it later, and that it is withdrawn, is only seen there.
type Letters struct{ Site Site }

// Put puts the letter on the site and queues its mails. What it says of other pieces is done with it.
func (l Letters) Put(ctx context.Context, p *newsroom.Parcel) (address string, err error) {
	if p.Page.Title != "" {
		if address, err = l.Site.Put(ctx, p); err != nil {
			return "", err
		}
	}
	if p.Sent {
		return address, nil
	}
	letter, err := writeLetter(p, p.Base+address)
	if err != nil {
		return "", err
	}
	return address, l.Site.DB.Write(ctx, func(t *store.Tx) error {
		for _, x := range p.Lines {
			d := x.Delivery
			d.Has, d.Address, d.Kind, d.Since = d.Wants, "", p.Outlet.Kind, p.Now
			if err := t.DeliveryDone(ctx, d); err != nil {
				return err
			}
		}
		id, err := t.AddLetter(ctx, letter)
		if err != nil {
			return err
		}
		m := store.Message{Key: letter.Key, Kind: store.KindMail, PieceID: p.Page.Piece, To: p.Outlet.To, Subject: letter.Subject, At: p.Now, LetterID: id}
		if p.Outlet.To != "" {
			return t.AddMessage(ctx, m)
		}
		all, err := store.Subscribers(ctx, t, p.To)
		if err != nil {
			return err
		}
		for _, r := range all {
			if r.StoppedAt != 0 {
				continue
			}
			m.Key, m.To, m.ReaderID = fmt.Sprintf("%s-reader-%d", letter.Key, r.ID), (&mail.Address{Address: r.Mail}).String(), r.ID
			if err := t.AddMessage(ctx, m); err != nil {
				return err
			}
		}
		return nil
	})
}

// Take takes the letter from the site; what was mailed stays where it is.
func (l Letters) Take(ctx context.Context, p *newsroom.Parcel) error {
	if p.Page.Title == "" {
		return nil
	}
	return l.Site.Take(ctx, p)
}

// Try shows a letter as it would be.
func (l Letters) Try(ctx context.Context, p *newsroom.Parcel) ([]string, error) {
	letter, err := writeLetter(p, p.Base+siteAddress(p))
	if err != nil {
		return nil, err
	}
	to := p.Outlet.To
	if to == "" {
		all, err := store.Subscribers(ctx, l.Site.DB.View(), p.To)
		if err != nil {
			return nil, err
		}
		n := 0
		for _, r := range all {
			if r.StoppedAt == 0 {
				n++
			}
		}
		to = english.Plural(n, "reader") + " of the desk, one mail each, with an address at which it is stopped"
	}
	return []string{"“" + letter.Subject + "” would go to " + to + ":", shorten(letter.Text, 2_000)}, nil
}

var letterPage = template.Must(template.New("letter").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>{{.Subject}}</title></head>
<body style="margin:0;background:#F7F5EE;color:#1A231D;font:17px/1.55 Georgia,serif"><div style="max-width:600px;margin:auto;padding:24px">
<p style="color:#58605a;font-size:13px">{{.Sender}}{{with .At}} · <a href="{{.}}" style="color:#1B6240">read it on the web</a>{{end}}</p>
{{with .Title}}<h1 style="font-size:28px;line-height:1.2">{{.}}</h1>{{end}}{{with .Summary}}<p style="color:#58605a">{{.}}</p>{{end}}
{{.HTML}}
{{if .Lines}}{{if .Title}}<h2 style="font-size:20px;border-top:1px solid #c9c6b8;padding-top:16px">Also</h2>{{end}}{{range .Lines}}
<p><a href="{{.Address}}" style="color:#1B6240">{{.Title}}</a><br>{{.Text}}</p>{{end}}{{end}}
</div></body></html>
`))

// writeLetter writes a letter as text and as HTML.
func writeLetter(p *newsroom.Parcel, at string) (store.Letter, error) {
	x := &p.Page
	out := store.Letter{Key: p.Key, Sender: p.Outlet.From, Subject: x.Title}
	if out.Sender == "" {
		out.Sender = p.House
	}
	var text []string
	if x.Title == "" {
		at = ""
		out.Subject = p.Lines[0].Title
		if n := len(p.Lines) - 1; n > 0 {
			out.Subject = fmt.Sprintf("%s, and %d more", out.Subject, n)
		}
	} else {
		text = append(text, x.Title)
		if x.Summary != "" {
			text = append(text, x.Summary)
		}
		text = append(text, strings.ReplaceAll(strings.TrimSpace(x.Copy.Plain()), "\n", "\n\n"))
		if len(p.Lines) > 0 {
			text = append(text, "Also")
		}
	}
	for _, l := range p.Lines {
		text = append(text, strings.TrimSpace(l.Title+"\n"+l.Text+"\n"+l.Address))
	}
	if at != "" {
		text = append(text, "On the web: "+at)
	}
	out.Text = strings.Join(text, "\n\n") + "\n"
	picture := func(file ref.File) string { return fmt.Sprintf("%s/pictures/%d", at, file) }
	body := format.HTMLWith(x.Copy, picture)
	if x.Lead != 0 {
		body = fmt.Sprintf("<p><img src=\"%s\" alt=\"%s\"></p>\n", picture(x.Lead), template.HTMLEscapeString(x.LeadAlt)) + body
	}
	body = strings.ReplaceAll(clean.Sanitize(body), "<img ", `<img style="max-width:100%;height:auto" `)
	var b bytes.Buffer
	err := letterPage.Execute(&b, map[string]any{"Subject": out.Subject, "Sender": out.Sender, "At": at, "Title": x.Title, "Summary": x.Summary, "HTML": template.HTML(body), "Lines": p.Lines})
	out.HTML = b.String()
	return out, err
}

// Carriers are the ways in which pages get to channels: to the site in the data file, into folders
// below one, and elsewhere by HTTP, on private networks only where private is set.
func Carriers(db *store.DB, folders string, private bool) map[release.Kind]newsroom.Carrier {
	site := Site{DB: db}
	return map[release.Kind]newsroom.Carrier{
		release.Site: site, release.Letter: Letters{site}, release.Folder: Folders{Below: folders},
		release.Micropub: NewMicropub(waitForChannel, private), release.Request: NewRequests(waitForChannel, private),
	}
}

// waitForChannel is for how long an answer of a channel is waited for.
const waitForChannel = 30 * time.Second
