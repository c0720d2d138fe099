package desk

import (
	"context"
	"fmt"
	"strings"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// Brief is what the owner says about a piece.
type Brief struct {
	Title              string
	Brief, Summary     string
	WordsFrom, WordsTo int
	Owner              int64
}

// EditBrief changes the title, brief, description, word range and owner of a piece.
func (h *House) EditBrief(ctx context.Context, by, piece int64, version int, n Brief) error {
	return h.act(ctx, by, func(a *act) error {
		was, err := a.load(order{relay.ActPlan, piece, "", version})
		if err != nil {
			return err
		}
		is := was.Piece
		is.Title, is.Brief, is.Summary = strings.TrimSpace(n.Title), strings.TrimSpace(n.Brief), strings.TrimSpace(n.Summary)
		is.WordsFrom, is.WordsTo, is.Owner = n.WordsFrom, n.WordsTo, n.Owner
		return a.edit(was.Piece, is, "the brief")
	})
}

// edit stores what was changed on a piece beside its way, if that may be so.
func (a *act) edit(was, is relay.Piece, what string) error {
	if err := a.check(&is); err != nil {
		return err
	}
	if is.Stage == relay.Out && (is.Title != was.Title || is.Summary != was.Summary) {
		return errIsOut
	}
	before, after := a.differ(&was, &is)
	if before == after {
		return nil
	}
	is.Version++
	if err := a.save(was, is); err != nil {
		return err
	}
	a.remember(fmt.Sprintf("edited %s of “%s”", what, was.Title), undoPiece{Version: is.Version, Was: was})
	return a.log(store.Entry{DeskID: is.DeskID, PieceID: is.ID, Act: "edited", What: "edited " + what, Before: before, After: after, Version: is.Version})
}

// check refuses what a piece cannot be: no title, an upside-down word range, an
// owner who is not of the desk's leads and staff.
func (a *act) check(p *relay.Piece) error {
	bad := func(field, text string) error {
		return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: text}
	}
	owner := a.b.Who(p.Owner, p.DeskID)
	switch {
	case p.Title == "":
		return bad("title", "Give the piece a title; it can be changed later.")
	case len([]rune(p.Title)) > 200:
		return bad("title", "Keep the title under 200 characters.")
	case len(p.Brief) > 20_000:
		return bad("brief", "Keep the brief under 20,000 characters.")
	case len(p.Summary) > 2_000:
		return bad("summary", "Keep the description under 2,000 characters.")
	case p.WordsFrom < 0 || p.WordsTo < 0 || p.WordsFrom > 100_000 || p.WordsTo > 100_000:
		return bad("words", "The words asked for lie between 0 and 100,000.")
	case p.WordsTo != 0 && p.WordsTo < p.WordsFrom:
		return bad("words", "The most words asked for are fewer than the least. Turn them round.")
	case p.Priority < relay.CanWait || p.Priority > relay.First:
		return bad("priority", "Choose one of the priorities.")
	case p.TopicID != 0 && a.b.Topic(p.TopicID).DeskID != p.DeskID:
		return bad("topic", "Choose one of the desk's topics.")
	case p.CampaignID != 0 && a.b.Campaign(p.CampaignID).DeskID != p.DeskID:
		return bad("campaign", "Choose one of the desk's campaigns.")
	case !a.b.available(p.Owner, p.DeskID) || !owner.Access.OnStaff():
		return bad("owner", "The owner is one of the desk's leads or staff. Choose one.")
	}
	return nil
}
