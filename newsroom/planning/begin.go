package planning

import (
	"context"
	"maps"

	"greenbaton/core/brief"
	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// model gives the piece whose shape a draft takes, none where it takes none, and notes
// on the new piece what it is of it.
func model(a *newsroom.Command, d Draft, p *relay.Piece) (store.Row, error) {
	if d.From == 0 {
		return store.Row{}, nil
	}
	was, err := a.Load(newsroom.Order{Act: relay.ActSee, Piece: d.From, Leg: "", Version: 0})
	if err != nil {
		return was, err
	}
	if was.DeskID != p.DeskID || !MayCreate(a.Who(was.DeskID)) {
		return was, newsroom.ErrNotFound
	}
	p.FromPiece, p.Tags = was.ID, was.Tags
	if !d.Edition {
		return was, nil
	}
	if was.Edition > 1 {
		p.FromPiece = was.FromPiece
	}
	n, err := store.LastEdition(a, a.Tx, p.FromPiece)
	p.Edition, p.Summary = n+1, was.Summary
	if p.ChannelID == was.ChannelID {
		p.Slug = newsroom.SlugOf(&was.Piece)
	}
	return was, err
}

// begin stores the brief of a new piece, and the copy with which it begins: that of the
// piece of which it is another edition, the headings of the one whose shape it takes, or
// the outline of its format.
func begin(a *newsroom.Command, p *relay.Piece, d Draft, was store.Row) error {
	says := brief.Brief{WordsFrom: p.WordsFrom, WordsTo: p.WordsTo, About: p.Brief, Answers: d.Answers}
	says, err := says.Check()
	if err != nil {
		return err
	}
	if err := a.Tx.PutBrief(a, store.Brief{PieceID: p.ID, Version: 1, By: a.Actor, At: a.Now, Brief: says}); err != nil {
		return err
	}
	text := a.Setup.Outlines[p.FormatID].Text()
	if was.ID != 0 && was.CopyVersion > 0 {
		_, now, _, err := newsroom.Newest(a, a.Tx, &was)
		if err != nil {
			return err
		}
		old := now.Clean()
		if text = brief.OutlineOf(old).Text(); d.Edition {
			if text, err = bringPictures(a, old, was.ID, p.ID); err != nil {
				return err
			}
		}
	}
	if len(text) == 0 {
		return nil
	}
	c := store.Copy{PieceID: p.ID, Version: 1, Text: string(text.JSON()), Words: text.Words(), By: a.Actor, At: a.Now}
	if err := a.Tx.AddCopy(a, c); err != nil {
		return err
	}
	before := *p
	p.CopyVersion = c.Version
	return a.Save(before, *p)
}

// bringPictures lets a piece hold the pictures of a text that comes from another piece, and
// gives the text without those that it held wrongly there.
func bringPictures(a *newsroom.Command, t copy.Text, from, to ref.Piece) (copy.Text, error) {
	own, err := store.PicturesOf(a, a.Tx, from)
	if err != nil {
		return nil, err
	}
	t = t.WithPictures(func(file ref.File) bool { return own[file] })
	for _, file := range copy.Change(t).Pictures() {
		if err := a.Tx.AddPicture(a, to, file); err != nil {
			return nil, err
		}
	}
	return t, nil
}

// Again drafts a piece in the shape of another: its format, words, and what of its brief
// is about the shape; or another edition of it, with all that its brief says.
func (h Preparation) Again(ctx context.Context, by ref.Person, piece ref.Piece, edition bool) (Draft, error) {
	row, err := h.See(ctx, by, piece, relay.ActSee)
	if err != nil {
		return Draft{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Draft{}, err
	}
	if !MayCreate(b.Who(by, row.DeskID)) {
		return Draft{}, newsroom.ErrNotFound
	}
	all, err := store.Briefs(ctx, h.DB.View(), piece)
	if err != nil {
		return Draft{}, err
	}
	says := copyroom.BriefOf(&row.Piece)
	if len(all) > 0 {
		says = all[0].Brief
	}
	d := Draft{Format: row.FormatID, Channel: row.ChannelID, Owner: row.Owner, WordsFrom: says.WordsFrom, WordsTo: says.WordsTo, Topic: row.TopicID, From: piece, Edition: edition, Needed: map[string]bool{}}
	if edition {
		d.Title, d.Brief, d.Answers = row.Title, says.About, maps.Clone(says.Answers)
	} else {
		d.Answers = brief.Shape(says).Answers
	}
	for _, l := range b.Latest(row.FormatID).Way.Legs {
		old := row.Leg(l.Key)
		d.Needed[l.Key] = old != nil && old.State != relay.Skipped
	}
	return d, nil
}

// Kin gives the pieces that are of one piece: those it was made from and those made from
// it, for those who see them, the oldest first.
func (h Preparation) Kin(ctx context.Context, who ref.Person, piece ref.Piece) ([]*newsroom.Entry, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	all, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	var me *newsroom.Entry
	for _, e := range all {
		if e.ID == piece {
			me = e
		}
	}
	if me == nil || !b.Who(who, me.DeskID).Access.May(relay.SeeAll) {
		return nil, nil
	}
	var out []*newsroom.Entry
	for _, e := range all {
		if e.ID != piece && e.DeskID == me.DeskID && (e.FromPiece == piece || e.ID == me.FromPiece || me.FromPiece != 0 && me.Edition > 1 && e.FromPiece == me.FromPiece && e.Edition > 1) {
			out = append(out, e)
		}
	}
	return out, nil
}
