package planning

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"greenbaton/core/brief"
	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// Brief is what the owner says about a piece.
type Brief struct {
	Title              string
	Brief, Summary     string // what it is about, and the description that goes out with it
	WordsFrom, WordsTo int
	Owner              ref.Person
	Answers            map[string]string // by the key of the part; nil leaves them as they are
}

// EditBrief changes the title, brief, description, word range and owner of a piece.
// From when the writing begins on, each change makes another version of the brief, and
// whoever writes is told.
func (h Preparation) EditBrief(ctx context.Context, by ref.Person, piece ref.Piece, version int, n Brief) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActPlan, Piece: piece, Leg: "", Version: version})
		if err != nil {
			return err
		}
		is := was.Piece
		is.Title, is.Summary, is.Owner = strings.TrimSpace(n.Title), strings.TrimSpace(n.Summary), n.Owner
		old, err := newestBrief(a, was.Piece)
		if err != nil {
			return err
		}
		says := brief.Brief{WordsFrom: n.WordsFrom, WordsTo: n.WordsTo, About: n.Brief, Answers: n.Answers}
		if n.Answers == nil {
			says.Answers = old.Brief.Answers
		}
		if says, err = says.Check(); err != nil {
			return err
		}
		is.Brief, is.WordsFrom, is.WordsTo = says.About, says.WordsFrom, says.WordsTo
		changes := brief.Changes(old.Brief, says)
		if err := editSaying(a, was.Piece, is, "the brief", changes); err != nil || len(changes) == 0 {
			return err
		}
		return putBrief(a, was.Piece, old, says, changes)
	})
}

// newestBrief gives the brief of a piece as it is; one that was never stored is what
// the piece itself says.
func newestBrief(a *newsroom.Command, p relay.Piece) (store.Brief, error) {
	all, err := store.Briefs(a, a.Tx, p.ID)
	if err != nil || len(all) > 0 {
		return newsroom.FirstOf(all), err
	}
	return store.Brief{PieceID: p.ID, Version: 1, By: p.Owner, At: p.CreatedAt, Brief: copyroom.BriefOf(&p)}, nil
}

// restoreBrief puts the brief of a piece back to where a command found it.
func restoreBrief(a *newsroom.Command, p relay.Piece, u newsroom.UndoPiece) error {
	if u.Brief == nil {
		return nil
	}
	now, err := newestBrief(a, p)
	if err != nil {
		return err
	}
	return putBrief(a, p, now, *u.Brief, brief.Changes(now.Brief, *u.Brief))
}

// putBrief stores a brief: in place of the one before, or as another version from when
// the writing begins on; then whoever writes is told what changed.
func putBrief(a *newsroom.Command, p relay.Piece, old store.Brief, says brief.Brief, changes []brief.Change) error {
	next := store.Brief{PieceID: p.ID, Version: old.Version, By: a.Actor, At: a.Now, Brief: says}
	for i := range a.Undo.Pieces {
		if u := &a.Undo.Pieces[i]; u.Was.ID == p.ID && u.Brief == nil {
			u.Brief = &old.Brief
		}
	}
	if !brief.Begun(&p) {
		return a.Tx.PutBrief(a, next)
	}
	next.Version++
	if err := a.Tx.PutBrief(a, next); err != nil {
		return err
	}
	var names []string
	for _, c := range changes {
		names = append(names, english.LowerFirst(c.Name))
	}
	for i := range p.Legs {
		l := &p.Legs[i]
		if l.State != relay.Running || l.Holder == 0 || l.Holder == a.Actor {
			continue
		}
		text := fmt.Sprintf("%s changed the brief while %s is with you: %s.", newsroom.First(a.Setup.Actor(a.Actor)), l.Name, english.And(names))
		if err := a.Notify(store.Item{PersonID: l.Holder, PieceID: p.ID, Kind: "brief", Text: text, At: a.Now, Link: fmt.Sprintf("/pieces/%d/brief", p.ID)}, false); err != nil {
			return err
		}
	}
	return nil
}

// BriefSheet is all that is shown of the brief of a piece.
type BriefSheet struct {
	Row        store.Row
	Asks       brief.Form // what the format asks for
	Brief      brief.Brief
	Version    int
	By         ref.Person
	At         day.Moment
	Must, Rest []string       // the names of the parts that are missing
	Writing    *relay.Leg     // the leg in which it is written; nil for none
	Locked     int            // the version with which the writing began; 0 before
	Since      []brief.Change // what changed since the writing began
	SinceBy    ref.Person     // who changed it last
	Guide      *store.Guide   // the newest; nil for none
	GuideText  copy.Text
	GuideThen  int // the version that there was when the writing began; 0 before, or for none
	Example    *relay.Piece
	Titled     bool // the format wants a chosen title
	Chosen     bool // and there is one
	Candidates []store.Candidate
	Findings   []store.Finding
	Files      []store.File
	Edit       bool // the one who looks may change the brief
	Discuss    bool // and vote, add to the research and comment
}

// BriefSheet gives the brief of a piece for somebody who may see it: not for outside
// reviewers, and nothing of the preparation for freelancers who do not work on it.
func (h Preparation) BriefSheet(ctx context.Context, who ref.Person, piece ref.Piece) (BriefSheet, error) {
	row, err := h.See(ctx, who, piece, relay.ActSee)
	if err != nil {
		return BriefSheet{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return BriefSheet{}, err
	}
	w := b.Who(who, row.DeskID)
	if !w.Access.May(relay.RunLegs) {
		return BriefSheet{}, newsroom.ErrNotFound
	}
	f := b.Format(row.FormatID)
	s := BriefSheet{Row: row, Asks: b.BriefForm(f.ID), Titled: f.Titled, Brief: copyroom.BriefOf(&row.Piece), Version: 1}
	s.Edit = relay.May(relay.ActPlan, w, &row.Piece, nil, b.Desk(row.DeskID).PassBy) == nil
	s.Discuss = relay.May(relay.ActPrepare, w, &row.Piece, nil, "") == nil
	s.Writing = row.Leg(brief.Writing(&row.Piece))
	r := h.DB.View()
	versions, err := store.Briefs(ctx, r, piece)
	if err != nil {
		return s, err
	}
	if len(versions) > 0 {
		v := versions[0]
		s.Brief, s.Version, s.By, s.At = v.Brief, v.Version, v.By, v.At
	}
	s.Must, s.Rest = s.Asks.Missing(s.Brief)
	titled, err := store.TitledOf(ctx, r, []ref.Piece{piece})
	if err != nil {
		return s, err
	}
	s.Chosen = titled[piece]
	began := day.Moment(0)
	if brief.Begun(&row.Piece) {
		began = s.Writing.StartedAt
		then := versionAt(versions, began, func(v store.Brief) day.Moment { return v.At })
		if then.Version == 0 {
			then = store.Brief{Version: 1, Brief: s.Brief}
		}
		s.Locked, s.Since = then.Version, brief.Changes(then.Brief, s.Brief)
		s.SinceBy = s.By
	}
	guides, err := store.Guides(ctx, r, row.FormatID)
	if err != nil {
		return s, err
	}
	if len(guides) > 0 {
		if s.GuideText, err = copy.Parse([]byte(guides[0].Text)); err != nil {
			return s, err
		}
		s.Guide = &guides[0]
		if began != 0 {
			s.GuideThen = versionAt(guides, began, func(g store.Guide) day.Moment { return g.At }).Version
		}
		if s.Example, err = h.Example(ctx, who, guides[0].Example); err != nil {
			return s, err
		}
	}
	if !s.Discuss {
		return s, nil
	}
	if s.Candidates, err = store.Candidates(ctx, r, piece); err != nil {
		return s, err
	}
	if s.Findings, err = store.Findings(ctx, r, piece); err != nil {
		return s, err
	}
	s.Files, err = store.FilesOf(ctx, r, piece, 0)
	return s, err
}

// versionAt gives the newest version that there was at a moment, of versions with the
// newest first; where all are younger, the first.
func versionAt[T any](versions []T, at day.Moment, when func(T) day.Moment) T {
	for _, v := range versions {
		if when(v) <= at {
			return v
		}
	}
	var none T
	if len(versions) > 0 {
		none = versions[len(versions)-1]
	}
	return none
}

// Example gives the piece that shows how it is done, nil for none that somebody may see.
func (h Preparation) Example(ctx context.Context, who ref.Person, piece ref.Piece) (*relay.Piece, error) {
	if piece == 0 {
		return nil, nil
	}
	row, err := store.Piece(ctx, h.DB.View(), piece)
	if errors.Is(err, store.ErrNone) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	w := b.Who(who, row.DeskID)
	if !w.OnDesk || !w.Access.May(relay.SeeAll) && row.Stage != relay.Out {
		return nil, nil
	}
	return &row.Piece, nil
}
