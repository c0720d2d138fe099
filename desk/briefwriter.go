package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/brief"
	"greenbaton/core/idea"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// BriefWriter drafts a brief for a person to correct.
type BriefWriter interface {
	// WriteBrief gives a draft; what it cannot say it leaves out.
	WriteBrief(ctx context.Context, ask BriefAsk) (BriefDraft, error)
}

// BriefAsk is what a brief writer is told.
type BriefAsk struct {
	Title    string      `json:"title"`
	Format   string      `json:"format"`
	Notes    []string    `json:"notes"`   // what is said of the piece so far, and its research
	Phrases  []string    `json:"phrases"` // search phrases
	Like     []LikePiece `json:"like"`
	Parts    []string    `json:"parts"`    // the keys of the parts that the format asks for, as in package brief
	Sections []string    `json:"sections"` // the headings of the outline of the format
}

// LikePiece is a piece like the one that a brief is written for.
type LikePiece struct {
	Number int    `json:"number"`
	Title  string `json:"title"`
	Out    bool   `json:"out"` // it is published
}

// BriefDraft is a brief to be corrected.
type BriefDraft struct {
	About   string            `json:"about"`
	Answers map[string]string `json:"answers"` // by part
	Outline brief.Outline     `json:"outline"`
	Says    string            `json:"-"` // from what it was drafted
}

// DraftBrief has a brief and an outline drafted for a piece, for its owner and leads.
// Nothing is stored. A part that comes back as a brief cannot have it is left out.
func (h *House) DraftBrief(ctx context.Context, by, piece int64) (BriefDraft, error) {
	row, err := h.see(ctx, by, piece, relay.ActPlan)
	if err != nil {
		return BriefDraft{}, err
	}
	if h.Briefs == nil {
		return BriefDraft{}, &relay.Refusal{Reason: relay.ErrNotNow, Text: "No brief writer is set up. Start the program with --brief-writer and its address."}
	}
	ask, err := h.briefAsk(ctx, by, row)
	if err != nil {
		return BriefDraft{}, err
	}
	d, err := h.Briefs.WriteBrief(ctx, ask)
	if err != nil {
		h.Log.Warn("brief writer", "problem", err)
		return BriefDraft{}, &relay.Refusal{Reason: relay.ErrNotNow, Text: "The brief writer does not answer just now. Try again in a minute, or write the brief yourself; what you typed is still here."}
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
			from = append(from, Plural(x.n, x.noun))
		}
	}
	d.Says = fmt.Sprintf("A machine drafted this from %s. What it filled in is marked; nothing is stored until you have corrected it and saved.", Names(from))
	if len(ask.Like) > 0 {
		d.Says = strings.Replace(d.Says, Plural(len(ask.Like), "piece"), Plural(len(ask.Like), "piece")+" like it", 1)
	}
	return d, nil
}

func (h *House) briefAsk(ctx context.Context, by int64, row store.Row) (BriefAsk, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return BriefAsk{}, err
	}
	ask := BriefAsk{Title: row.Title, Format: b.Format(row.FormatID).Name}
	for _, a := range b.forms[row.FormatID] {
		ask.Parts = append(ask.Parts, a.Key)
	}
	for _, s := range b.outlines[row.FormatID] {
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
	if p := first(all).Brief.Answers["phrase"]; p != "" {
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
			ask.Like = append(ask.Like, LikePiece{l.Piece.Number, l.Piece.Title, l.Piece.Stage == relay.Out})
		}
	}
	return ask, err
}

// BeginWith puts an outline into the copy of a piece in which nothing is written yet, for
// who may change the brief.
func (h *House) BeginWith(ctx context.Context, by, piece int64, o brief.Outline) error {
	return h.act(ctx, by, func(a *act) error {
		was, err := a.load(order{relay.ActPlan, piece, "", 0})
		if err != nil {
			return err
		}
		o, err := o.Check()
		if err != nil {
			return err
		}
		if was.CopyVersion > 0 {
			_, text, _, err := newest(a, a.tx, &was)
			if err != nil {
				return err
			}
			if text.Left().Words() > a.b.outlines[was.FormatID].Text().Words() {
				return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Somebody has begun to write already, so the outline was not put into the copy. The brief itself is saved."}
			}
		}
		_, err = a.saveCopy(was, OnNewest, o.Text(), "")
		return err
	})
}

// Numbered gives the ids of the pieces of some numbers on a desk, by number, those that
// somebody may see.
func (h *House) Numbered(ctx context.Context, who, d int64, numbers ...int) (map[int]int64, error) {
	out := map[int]int64{}
	if len(numbers) == 0 {
		return out, nil
	}
	all, err := h.all(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	b, err := h.Books(ctx)
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

// Example gives the piece that shows how it is done, nil for none that somebody may see.
func (h *House) Example(ctx context.Context, who, piece int64) (*relay.Piece, error) {
	if piece == 0 {
		return nil, nil
	}
	row, err := store.Piece(ctx, h.DB.View(), piece)
	if errors.Is(err, store.ErrNone) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	b, err := h.Books(ctx)
	if err != nil {
		return nil, err
	}
	w := b.Who(who, row.DeskID)
	if !w.OnDesk || !w.Access.May(relay.SeeAll) && row.Stage != relay.Out {
		return nil, nil
	}
	return &row.Piece, nil
}
