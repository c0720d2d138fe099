package release

import (
	"context"
	"errors"
	"fmt"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// Packed is a piece with all that goes with it.
type Packed struct {
	Sheet
	Pictures []PackedPicture // of the copy in order, the lead picture last if it is none of them
}

// PackedPicture is a picture of a piece with what is said of it.
type PackedPicture struct {
	store.File
	Alt, Caption string
	Lead         bool
	Sized        []SizedPicture // in the widths that its channel takes, where it is wider
}

// SizedPicture is a picture at another width.
type SizedPicture struct {
	Width int
	Type  string
	Data  []byte
}

// Pack gives a piece with all that goes with it, for those who work on it. A picture that is not
// there any more is left out.
func (h Room) Pack(ctx context.Context, who ref.Person, piece ref.Piece) (Packed, error) {
	s, err := h.SheetFor(ctx, who, piece)
	if err != nil {
		return Packed{}, err
	}
	out := Packed{Sheet: s}
	view, has := h.DB.View(), map[ref.File]bool{}
	for _, op := range s.Text {
		file := copy.Picture(op)
		if file == 0 || has[file] {
			continue
		}
		has[file] = true
		f, err := store.PictureOf(ctx, view, piece, file)
		if errors.Is(err, store.ErrNone) {
			continue
		} else if err != nil {
			return out, err
		}
		out.Pictures = append(out.Pictures, PackedPicture{File: f, Alt: op.Attributes.Text("alt"), Caption: op.Attributes.Text("caption"), Lead: file == s.Picture.FileID})
	}
	if id := s.Picture.FileID; id != 0 && !has[id] {
		f, err := store.AttachedPicture(ctx, view, piece, id)
		if err != nil && !errors.Is(err, store.ErrNone) {
			return out, err
		} else if err == nil {
			out.Pictures = append(out.Pictures, PackedPicture{File: f, Alt: s.Alt, Lead: true})
		}
	}
	for i := range out.Pictures {
		p := &out.Pictures[i]
		for _, width := range s.Asks.Widths {
			data, kind, err := copyroom.Narrowed(p.Data, width)
			if err != nil {
				return out, fmt.Errorf("picture %d at a width of %d: %w", p.ID, width, err)
			}
			if data != nil {
				p.Sized = append(p.Sized, SizedPicture{width, kind, data})
			}
		}
	}
	return out, nil
}

// Says gives the sheet of a piece as programs read it.
func (p *Packed) Says(b *newsroom.Setup, base string) map[string]any {
	r := &p.Row
	titles := func(ids []ref.Piece) []string {
		out := []string{}
		for _, n := range p.Near {
			for _, id := range ids {
				if n.ID == id {
					out = append(out, n.Title)
				}
			}
		}
		return out
	}
	out := map[string]any{
		"number": r.Number, "title": p.Title, "description": p.Description, "address": newsroom.AddressOf(b, base, &r.Piece),
		"channel": b.Channel(r.ChannelID).Name, "format": b.Format(r.FormatID).Name, "tags": p.Tags, "related": titles(p.Related), "next": titles(p.Next), "stage": string(r.Stage),
	}
	fields := map[string]string{}
	for _, f := range p.Asks.Fields {
		fields[f.Name] = p.Fields[f.Key]
	}
	out["fields"] = fields
	if at := max(r.OutAt, r.GoesOut); at != 0 {
		out["goes_out"] = at.In(b.Zones[r.DeskID]).Format("2006-01-02T15:04:05Z07:00")
	}
	return out
}
