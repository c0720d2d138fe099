package intake

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/brief"
	"greenbaton/core/english"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// DraftBrief has a brief and an outline drafted for a piece, for its owner and leads.
// Nothing is stored. A part that comes back as a brief cannot have it is left out.
func (h Backlog) DraftBrief(ctx context.Context, by ref.Person, piece ref.Piece) (newsroom.BriefDraft, error) {
	row, err := h.See(ctx, by, piece, relay.ActPlan)
	if err != nil {
		return newsroom.BriefDraft{}, err
	}
	if h.Briefs == nil {
		return newsroom.BriefDraft{}, &relay.Refusal{Reason: relay.ErrNotNow, Text: "No brief writer is set up. Start the program with --brief-writer and its address."}
	}
	ask, err := h.briefAsk(ctx, by, row)
	if err != nil {
		return newsroom.BriefDraft{}, err
	}
	d, err := h.Briefs.WriteBrief(ctx, ask)
	if err != nil {
		h.Log.Warn("brief writer", "problem", err)
		return newsroom.BriefDraft{}, &relay.Refusal{Reason: relay.ErrNotNow, Text: "The brief writer does not answer just now. Try again in a minute, or write the brief yourself; what you typed is still here."}
	}
	for k, v := range d.Answers {
		if is, err := (brief.Brief{Answers: map[string]string{k: v}}).Check(); err != nil || !slices.Contains(ask.Parts, k) {
			delete(d.Answers, k)
		} else {
			d.Answers[k] = is.Answers[k]
		}
	}
	if d.Outline, err = d.Outline.Check(); err != nil {
		d.Outline = nil
	}
	from := []string{"its title"}
	for _, x := range []struct {
		n    int
		noun string
	}{{len(ask.Notes), "note"}, {len(ask.Phrases), "search phrase"}, {len(ask.Like), "piece"}} {
		if x.n > 0 {
			from = append(from, english.Plural(x.n, x.noun))
		}
	}
	d.Says = fmt.Sprintf("A machine drafted this from %s. What it filled in is marked; nothing is stored until you have corrected it and saved.", english.And(from))
	if len(ask.Like) > 0 {
		d.Says = strings.Replace(d.Says, english.Plural(len(ask.Like), "piece"), english.Plural(len(ask.Like), "piece")+" like it", 1)
	}
	return d, nil
}

func (h Backlog) briefAsk(ctx context.Context, by ref.Person, row store.Row) (newsroom.BriefAsk, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return newsroom.BriefAsk{}, err
	}
	ask := newsroom.BriefAsk{Title: row.Title, Format: b.Format(row.FormatID).Name}
	for _, a := range b.Forms[row.FormatID] {
		ask.Parts = append(ask.Parts, a.Key)
	}
	for _, s := range b.Outlines[row.FormatID] {
		if s.Heading != "" {
			ask.Sections = append(ask.Sections, s.Heading)
		}
	}
	if row.Brief != "" {
		ask.Notes = append(ask.Notes, row.Brief)
	}
	notes, err := store.Findings(ctx, h.DB.View(), row.ID)
	if err != nil {
		return ask, err
	}
	for _, n := range notes {
		if s := strings.TrimSpace(n.Text + " " + n.Link); s != "" {
			ask.Notes = append(ask.Notes, s)
		}
	}
	all, err := store.Briefs(ctx, h.DB.View(), row.ID)
	if err != nil {
		return ask, err
	}
	if p := newsroom.FirstOf(all).Brief.Answers["phrase"]; p != "" {
		ask.Phrases = append(ask.Phrases, p)
	}
	ideas, err := h.allIdeas(ctx)
	if err != nil {
		return ask, err
	}
	for _, i := range ideas {
		if i.PieceID == row.ID && i.State == idea.Used && i.Phrase != "" && !slices.Contains(ask.Phrases, i.Phrase) {
			ask.Phrases = append(ask.Phrases, i.Phrase)
		}
	}
	likes, err := h.Likes(ctx, by, row.DeskID, row.Title, 0, 6)
	for _, l := range likes {
		if l.Piece != nil && l.Piece.ID != row.ID {
			ask.Like = append(ask.Like, newsroom.LikePiece{Number: l.Piece.Number, Title: l.Piece.Title, Out: l.Piece.Stage == relay.Out})
		}
	}
	return ask, err
}

// BeginWith puts an outline into the copy of a piece in which nothing is written yet, for
// who may change the brief.
func (h Backlog) BeginWith(ctx context.Context, by ref.Person, piece ref.Piece, o brief.Outline) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActPlan, Piece: piece, Leg: "", Version: 0})
		if err != nil {
			return err
		}
		o, err := o.Check()
		if err != nil {
			return err
		}
		if was.CopyVersion > 0 {
			_, text, _, err := newsroom.Newest(a, a.Tx, &was)
			if err != nil {
				return err
			}
			if text.Left().Words() > a.Setup.Outlines[was.FormatID].Text().Words() {
				return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Somebody has begun to write already, so the outline was not put into the copy. The brief itself is saved."}
			}
		}
		_, err = copyroom.SaveCopy(a, was, copyroom.OnNewest, o.Text(), "")
		return err
	})
}

// Numbered gives the ids of the pieces of some numbers on a desk, by number, those that
// somebody may see.
func (h Backlog) Numbered(ctx context.Context, who ref.Person, d ref.Desk, numbers ...int) (map[int]ref.Piece, error) {
	out := map[int]ref.Piece{}
	if len(numbers) == 0 {
		return out, nil
	}
	all, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	w, asked := b.Who(who, d), map[int]bool{}
	for _, n := range numbers {
		asked[n] = true
	}
	for _, e := range all {
		if asked[e.Number] && seesLike(w, e, d) {
			out[e.Number] = e.ID
		}
	}
	return out, nil
}
