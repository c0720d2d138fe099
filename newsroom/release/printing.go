package release

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// printed is a piece as readers get it, as it is kept.
type printed struct {
	Title    string            `json:"title"`
	Summary  string            `json:"summary"`
	Slug     string            `json:"slug"`
	Author   string            `json:"author"`
	Copy     json.RawMessage   `json:"copy"`
	Lead     ref.File          `json:"lead,omitempty"`
	LeadAlt  string            `json:"lead_alt,omitempty"`
	Tags     []string          `json:"tags,omitempty"`
	Related  []ref.Piece       `json:"related,omitempty"`
	Next     []ref.Piece       `json:"next,omitempty"`
	Fields   []printedField    `json:"fields,omitempty"`
	Chapters []release.Chapter `json:"chapters,omitempty"`
	Sound    newsroom.Sound    `json:"sound,omitzero"`
	Sheet    map[string]string `json:"sheet,omitempty"` // all that stood on it besides
}

type printedField struct {
	Key  string `json:"key"`
	Name string `json:"name"`
	Text string `json:"text"`
}

// printedOf gives a piece as readers would get it now.
func printedOf(b *newsroom.Setup, ctx context.Context, r store.Reader, row store.Row) (printed, error) {
	s, err := sheetOf(b, ctx, r, row)
	if err != nil {
		return printed{}, err
	}
	own, err := store.PicturesOf(ctx, r, row.ID)
	if err != nil {
		return printed{}, err
	}
	out := printed{
		Title: row.Title, Summary: row.Summary, Slug: newsroom.SlugOf(&row.Piece), Author: b.Author(&row.Piece), Tags: row.TagList(), Related: s.Related, Next: s.Next,
		Copy: s.Text.WithPictures(func(file ref.File) bool { return own[file] }).JSON(), Lead: s.Picture.FileID, LeadAlt: s.Picture.Alt, Sheet: s.Fields,
	}
	if n := s.Asks.Related; n > 0 && len(out.Related) > n {
		out.Related = out.Related[:n]
	}
	for _, f := range s.Asks.Fields {
		v := s.Fields[f.Key]
		switch {
		case v == "":
		case f.Kind == release.Chapters:
			if out.Chapters, err = release.ReadChapters(v); err != nil { // looked at when it was typed
				return out, err
			}
		case f.Kind == release.Comment: // is no part of the page
		default:
			out.Fields = append(out.Fields, printedField{f.Key, f.Name, v})
		}
	}
	out.Sound, err = soundOf(ctx, r, &s)
	return out, err
}

// print keeps a piece as it goes out now, and wants it in all places where it goes.
func print(a *newsroom.Command, id ref.Piece, note string) error {
	row, err := store.Piece(a, a.Tx, id)
	if err != nil {
		return err
	}
	says, err := printedOf(a.Setup, a, a.Tx, row)
	if err != nil {
		return err
	}
	if says.Slug, err = freeSlug(a, &row.Piece, says.Slug); err != nil {
		return err
	}
	text, err := json.Marshal(says)
	if err != nil {
		return fmt.Errorf("keep what goes out: %w", err)
	}
	newer, err := store.NewerEdition(a, a.Tx, &row.Piece)
	if err != nil {
		return err
	}
	printing, err := a.Tx.AddPrinting(a, store.Printing{PieceID: id, At: a.Now, By: a.Actor, Note: note, Says: string(text)})
	if err != nil {
		return err
	}
	all, err := store.Deliveries(a, a.Tx, id)
	if err != nil {
		return err
	}
	if i := slices.IndexFunc(all, func(d store.Delivery) bool { return d.ChannelID == row.ChannelID }); i < 0 {
		all = append(all, store.Delivery{PieceID: id, ChannelID: row.ChannelID, Part: store.MainPlace, Media: "{}", Kind: release.Site})
	} else {
		all[i].Part = store.MainPlace
	}
	zone := a.Setup.Zones[row.DeskID]
	for _, d := range all {
		switch {
		case d.ChannelID == row.ChannelID && newer != 0: // which has its place
			d.Part, d.Wants = store.FormerPlace, 0
		case d.Part == store.AlsoPlace && a.Setup.Channel(d.ChannelID).DeskID != row.DeskID: // it was sent on since
			if d.Has == 0 {
				if err := a.Tx.DropDelivery(a, d.ID); err != nil {
					return err
				}
				continue
			}
			d.Part, d.Wants = store.FormerPlace, 0
		case d.ChannelID == row.ChannelID:
			if d.Has == 0 {
				d.At = row.OutAt
			}
			if d.Wants, d.Fixed = printing, false; d.Has == 0 && row.Edition > 1 {
				if err := follow(a, &row, &d); err != nil {
					return err
				}
			}
		case d.Part == store.AlsoPlace:
			if d.Wants = printing; !d.Fixed && d.Has == 0 {
				d.At = day.MomentOf(row.OutAt.In(zone).AddDate(0, 0, d.Days))
			}
		default: // it was its channel once
			d.Part, d.Wants, d.Has = store.FormerPlace, 0, maybeThere(&d)
		}
		d.Tries, d.NextAt, d.Problem = 0, 0, ""
		if err := a.Tx.PutDelivery(a, d); err != nil {
			return err
		}
	}
	return nil
}

// freeSlug gives the address that a piece has on its channel: the one it is to have, or, where
// another piece has that, one of its number that nobody has.
func freeSlug(a *newsroom.Command, p *relay.Piece, slug string) (string, error) {
	usual := newsroom.Slug(p.Title, p.Number)
	for n := 1; ; n++ {
		other, err := store.SlugOut(a, a.Tx, p.ChannelID, slug, p)
		if err != nil || other == 0 {
			return slug, err
		}
		if slug = usual; n > 1 {
			slug = fmt.Sprintf("%s-%d", usual, n)
		}
	}
}

// follow lets an edition take the place of the one before it, at the address where that is.
func follow(a *newsroom.Command, row *store.Row, d *store.Delivery) error {
	before, err := store.DeliveryOfEditions(a, a.Tx, row.FromPiece, row.ID, row.ChannelID)
	if errors.Is(err, store.ErrNone) {
		return nil
	} else if err != nil {
		return err
	}
	d.Has, d.Address, d.Kind, d.Since, d.Media = before.Has, before.Address, before.Kind, before.Since, before.Media
	before.Part, before.Wants, before.Has, before.Trying = store.FormerPlace, 0, 0, 0
	return a.Tx.PutDelivery(a, before)
}

// takeDown wants a piece in none of the places where it is.
func takeDown(a *newsroom.Command, id ref.Piece) error {
	all, err := store.Deliveries(a, a.Tx, id)
	if err != nil {
		return err
	}
	for _, d := range all {
		d.Wants, d.Has, d.Tries, d.NextAt, d.Problem = 0, maybeThere(&d), 0, 0, ""
		if err := a.Tx.PutDelivery(a, d); err != nil {
			return err
		}
	}
	return nil
}

// maybeThere gives what is to be taken down at a place: what is there, or may have arrived.
func maybeThere(d *store.Delivery) ref.Printing {
	if d.Has == 0 && d.Trying > 0 {
		return d.Trying
	}
	return d.Has
}

// printings does for the places of a piece what follows from a move.
func printings(a *newsroom.Command, _ relay.Piece, m relay.Move) error {
	for _, e := range m.Events {
		var err error
		switch e.Kind {
		case relay.WentOut:
			err = print(a, m.Piece.ID, "")
		case relay.Withdrew:
			err = takeDown(a, m.Piece.ID)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// Correct lets what is out be corrected: readers have it as it is until that is brought out.
func (h Room) Correct(ctx context.Context, by ref.Person, piece ref.Piece, version int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActRelease, Piece: piece, Version: version})
		if err != nil {
			return err
		}
		is, err := relay.Correct(was.Piece, a.Now)
		if err != nil {
			return err
		}
		newer, err := store.NewerEdition(a, a.Tx, &was.Piece)
		if err != nil {
			return err
		}
		if newer != 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "A newer edition of it took its place. Correct that one."}
		}
		is.Slug = newsroom.SlugOf(&was.Piece) // its address does not change with its title
		if err := keepPrinting(a, was); err != nil {
			return err
		}
		return keepCorrection(a, was.Piece, is, "began to correct what is out")
	})
}

// keepPrinting keeps what is out of a piece that went out before that was kept by itself.
func keepPrinting(a *newsroom.Command, row store.Row) error {
	p, err := store.LastPrinting(a, a.Tx, row.ID)
	none := errors.Is(err, store.ErrNone)
	if err != nil && !none || p.Says != "" {
		return err
	}
	says, err := printedOf(a.Setup, a, a.Tx, row)
	if err != nil {
		return err
	}
	text, err := json.Marshal(says)
	if err != nil {
		return fmt.Errorf("keep what is out: %w", err)
	}
	if none {
		_, err = a.Tx.AddPrinting(a, store.Printing{PieceID: row.ID, At: row.OutAt, Says: string(text)})
		return err
	}
	return a.Tx.SayPrinting(a, p.ID, string(text))
}

func keepCorrection(a *newsroom.Command, was, is relay.Piece, what string) error {
	is.Version++
	if err := a.Save(was, is); err != nil {
		return err
	}
	return a.Log(store.Entry{DeskID: is.DeskID, PieceID: is.ID, Act: "edited", What: what, Version: is.Version})
}

// maxNote is how long it may be said what was corrected, in characters.
const maxNote = 500

// BringOut brings a correction to all places where a piece is. The note is for readers; none
// says nothing but that it was brought up to date.
func (h Room) BringOut(ctx context.Context, by ref.Person, piece ref.Piece, version int, note string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActRelease, Piece: piece, Version: version})
		if err != nil {
			return err
		}
		is, err := relay.EndCorrection(was.Piece)
		if err != nil {
			return err
		}
		if len([]rune(note)) > maxNote {
			return newsroom.Invalid("note", "Say in up to %d characters what was corrected.", maxNote)
		}
		_, text, _, err := newsroom.Newest(a, a.Tx, &was)
		if err != nil {
			return err
		}
		if text.Clean().Words() == 0 && !a.Setup.Format(was.FormatID).Wordless {
			return newsroom.Invalid("note", "The copy has no words any more. Write them, or drop the correction.")
		}
		what := "brought out a correction"
		if note != "" {
			what += ": " + note
		}
		if err := keepCorrection(a, was.Piece, is, what); err != nil {
			return err
		}
		return print(a, piece, note)
	})
}

// DropCorrection makes title, copy, description, address and sheet what readers have before them.
func (h Room) DropCorrection(ctx context.Context, by ref.Person, piece ref.Piece, version int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActRelease, Piece: piece, Version: version})
		if err != nil {
			return err
		}
		is, err := relay.EndCorrection(was.Piece)
		if err != nil {
			return err
		}
		p, err := store.LastPrinting(a, a.Tx, piece)
		if err != nil {
			return err
		}
		x, err := readPrinted(p)
		if err != nil {
			return err
		}
		text, err := copy.Parse(x.Copy)
		if err != nil {
			return fmt.Errorf("the copy that is out: %w", err)
		}
		if err := copyroom.SetCopy(a, was, text, "as it was when the correction was dropped"); err != nil {
			return err
		}
		again, err := store.Piece(a, a.Tx, piece)
		if err != nil {
			return err
		}
		is.CopyVersion = again.CopyVersion
		is.Title, is.Summary = x.Title, x.Summary
		if x.Slug != newsroom.SlugOf(&is) {
			is.Slug = x.Slug
		}
		if is.Tags, err = relay.ReadTags(strings.Join(x.Tags, ",")); err != nil {
			return err
		}
		s, err := store.SheetOf(a, a.Tx, piece)
		if err != nil {
			return err
		}
		s.Related, s.Next, s.Fields = encoded(x.Related, "[]"), encoded(x.Next, "[]"), encoded(x.Sheet, "{}")
		if err := a.Tx.SaveSheet(a, s); err != nil {
			return err
		}
		if err := planning.Check(a.Setup, &is); err != nil {
			return err
		}
		return keepCorrection(a, again.Piece, is, "dropped a correction")
	})
}

func readPrinted(p store.Printing) (printed, error) {
	var x printed
	if err := json.Unmarshal([]byte(p.Says), &x); err != nil {
		return x, fmt.Errorf("what went out of piece %d: %w", p.PieceID, err)
	}
	return x, nil
}
