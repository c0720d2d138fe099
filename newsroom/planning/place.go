package planning

import (
	"fmt"
	"strings"

	"greenbaton/core/brief"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// edit stores what was changed on a piece beside its way, if that may be so.
func edit(a *newsroom.Command, was, is relay.Piece, what string) error {
	return editSaying(a, was, is, what, nil)
}

// SaveFacts stores what was changed on a piece beside its way, if that may be so; what names it
// in the logbook.
func SaveFacts(a *newsroom.Command, was, is relay.Piece, what string) error {
	return edit(a, was, is, what)
}

// SheetLink is where the release sheet of a piece is.
func SheetLink(piece ref.Piece) string { return fmt.Sprintf("/pieces/%d/sheet", piece) }

// editSaying does the same where the brief is changed with it.
func editSaying(a *newsroom.Command, was, is relay.Piece, what string, said []brief.Change) error {
	if err := Check(a.Setup, &is); err != nil {
		return err
	}
	if was.Fixed() && (is.Title != was.Title || is.Summary != was.Summary || is.Slug != was.Slug) {
		return copyroom.ErrIsOut
	}
	before, after := a.Differ(&was, &is)
	for _, c := range said {
		if c.Name != "Words" && c.Name != "About" { // these the piece says itself
			before, after = before+"\n"+c.Name+": "+c.Was, after+"\n"+c.Name+": "+c.Is
		}
	}
	if before, after = strings.TrimSpace(before), strings.TrimSpace(after); before == after {
		return nil
	}
	is.Version++
	if err := a.Save(was, is); err != nil {
		return err
	}
	a.Remember(fmt.Sprintf("edited %s of “%s”", what, was.Title), newsroom.UndoPiece{Version: is.Version, Was: was})
	e := store.Entry{DeskID: is.DeskID, PieceID: is.ID, Act: "edited", What: "edited " + what, Before: before, After: after, Version: is.Version}
	return a.LogEvents(&is, e, newsroom.ChangesOf(&was, &is))
}

// Check refuses what a piece cannot be: no title, an upside-down word range, an
// owner who is not of the desk's leads and staff.
func Check(b *newsroom.Setup, p *relay.Piece) error {
	bad := func(field, text string) error {
		return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: text}
	}
	owner := b.Who(p.Owner, p.DeskID)
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
	case p.TopicID != 0 && b.Topic(p.TopicID).DeskID != p.DeskID:
		return bad("topic", "Choose one of the desk's topics.")
	case p.CampaignID != 0 && b.Campaign(p.CampaignID).DeskID != p.DeskID:
		return bad("campaign", "Choose one of the desk's campaigns.")
	case !b.Available(p.Owner, p.DeskID) || !owner.Access.May(relay.OwnPieces):
		return bad("owner", "The owner is one of the desk's leads or staff. Choose one.")
	}
	return nil
}
