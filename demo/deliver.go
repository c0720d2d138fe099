package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/digest"
	"greenbaton/core/release"
	"greenbaton/newsroom/copyroom"
	room "greenbaton/newsroom/release"
	"greenbaton/store"
)

// readers get the letter.
var readers = []string{"t.okonjo@post.example", "mill.friends@post.example", "lena.brack@post.example", "h.quist@post.example", "bakers@oldweir.example", "ida.pell@post.example"}

// delivered brings what went out where it is, with its sheets, sets up how the channels of
// partners are reached, and leaves one delivery that did not get there.
func (p *player) delivered(ctx context.Context) error {
	if err := p.sheets(ctx); err != nil {
		return err
	}
	if err := p.recorded(ctx); err != nil {
		return err
	}
	if err := p.h.Release.DeliverHere(ctx); err != nil {
		return err
	}
	lead := byInitials("MH")
	for slug, o := range map[string]release.Outlet{
		"letter":      {Kind: release.Letter, From: "Millrace, the letter"},
		"old-weir":    {Kind: release.Micropub, Address: "https://oldweir.example/micropub", Secret: "a token of the demo", Pages: "https://oldweir.example/notes/{slug}"},
		"tern-school": {Kind: release.Folder, Folder: "tern-school/reading", Pages: "https://tern-school.example/reading/{slug}"},
	} {
		if err := p.h.Release.SaveOutlet(ctx, lead, p.chans[slug], o); err != nil {
			return err
		}
	}
	for _, r := range readers {
		if _, err := p.h.Release.AddReaders(ctx, lead, p.chans["letter"], r); err != nil {
			return err
		}
	}
	return p.elsewhere(ctx)
}

// sheets fills in what goes with the pieces that are finished, from their copies.
func (p *player) sheets(ctx context.Context) error {
	rows, err := store.Pieces(ctx, p.h.DB.View(), `SELECT * FROM piece WHERE stage = 'out' OR stage = 'running' AND copy_version > 0 AND NOT EXISTS
		(SELECT 1 FROM leg WHERE piece_id = piece.id AND later = 0 AND state NOT IN ('passed', 'skipped')) ORDER BY id`)
	if err != nil {
		return err
	}
	err = p.h.DB.Write(ctx, func(t *store.Tx) error {
		for _, row := range rows {
			c, err := store.CopyAt(ctx, t, row.ID, row.CopyVersion)
			if err != nil {
				return err
			}
			text, err := copy.Parse([]byte(c.Text))
			if err != nil {
				return err
			}
			var paragraphs []string
			for _, l := range text.Clean().Lines() {
				if s := copy.Text(l.Spans).Plain(); !l.Has("header") && s != "" {
					paragraphs = append(paragraphs, s)
				}
			}
			asks, is := channelAsks[p.b.Channel(row.ChannelID).Slug], row.Piece
			if asks.Description == 0 {
				asks.Description = 155
			}
			if is.Summary == "" {
				is.Summary = digest.Shorten(paragraphs, asks.Description)
			}
			if err := t.SavePiece(ctx, row.Piece, is); err != nil {
				return err
			}
			fields := map[string]string{}
			for _, f := range release.Announcements {
				fields[f.Key] = digest.Shorten(paragraphs, f.Limit)
			}
			says, err := json.Marshal(fields)
			if err != nil {
				return err
			}
			if err := t.SaveSheet(ctx, store.ReleaseSheet{PieceID: row.ID, Related: "[]", Next: "[]", Fields: string(says), Drafted: "[]"}); err != nil {
				return err
			}
		}
		// What is out is as it is now.
		_, err := t.Exec(ctx, "UPDATE printing SET says = ''")
		return err
	})
	p.h.Forget()
	return err
}

// recorded gives the last piece of the audio channel its recording, with chapters.
func (p *player) recorded(ctx context.Context) error {
	id, err := store.PieceToTry(ctx, p.h.DB.View(), p.b.Desks[0].ID, p.chans["audio"])
	if err != nil {
		return err
	}
	u, err := copyroom.ReadUpload("file", "the mill at night.mp3", silence(40))
	if err != nil {
		return err
	}
	if err := p.h.Copyroom.Attach(ctx, byInitials("DF"), id, 0, u, false, ""); err != nil {
		return err
	}
	all, err := store.Attachments(ctx, p.h.DB.View(), id)
	if err != nil {
		return err
	}
	return p.h.DB.Write(ctx, func(t *store.Tx) error {
		s, err := store.SheetOf(ctx, t, id)
		if err != nil {
			return err
		}
		fields := map[string]string{}
		if err := json.Unmarshal([]byte(s.Fields), &fields); err != nil {
			return err
		}
		fields[release.Recording], fields["numberintheseries"] = fmt.Sprint(int64(all[len(all)-1].ID)), "27"
		fields[release.Chapters] = "0:00 The pond fills\n0:12 Who has the key\n0:27 What the wheel says"
		text, err := json.Marshal(fields)
		if err != nil {
			return err
		}
		s.Fields = string(text)
		return t.SaveSheet(ctx, s)
	})
}

// silence is an MP3 of some seconds in which nothing is heard: frames of MPEG 1, layer III, at
// 32 kbit/s and 44.1 kHz, of one channel (ISO/IEC 11172-3).
func silence(seconds int) []byte {
	frame := append([]byte{0xFF, 0xFB, 0x10, 0xC0}, make([]byte, 100)...)
	return bytes.Repeat(frame, seconds*44100/1152)
}

// elsewhere lets the newest piece of the web be a line of the next letter, and leaves the last
// piece of a partner's channel undelivered.
func (p *player) elsewhere(ctx context.Context) error {
	lead := byInitials("MH")
	web, err := store.PieceToTry(ctx, p.h.DB.View(), p.b.Desks[0].ID, p.chans["web"])
	if err != nil {
		return err
	}
	next := p.slotOn("letter", day.MomentOf(Start).Date(p.zone)+7)
	if err := p.h.Release.AddPlace(ctx, lead, web, room.Also{Channel: p.chans["letter"], At: next, Line: "From the web this week, for who missed it."}); err != nil {
		return err
	}
	if err := p.h.Release.AddPlace(ctx, lead, web, room.Also{Channel: p.chans["tern-school"], Days: 7}); err != nil {
		return err
	}
	weir, err := store.PieceToTry(ctx, p.h.DB.View(), p.b.Desks[0].ID, p.chans["old-weir"])
	if err != nil {
		return err
	}
	return p.h.DB.Write(ctx, func(t *store.Tx) error {
		all, err := store.Deliveries(ctx, t, weir)
		if err != nil {
			return err
		}
		d := all[0]
		d.Has, d.Address, d.Since, d.Tries, d.Problem = 0, "", 0, store.MostTries, "the endpoint answers 503: down for maintenance"
		if err := t.PutDelivery(ctx, d); err != nil {
			return err
		}
		_, err = t.Exec(ctx, "UPDATE site_page SET gone = 1 WHERE piece_id = ?", weir)
		return err
	})
}
