package planning

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// The most that is kept of one piece.
const (
	mostCandidates = 60
	mostFindings   = 500
)

// AddCandidate adds a title or a lead picture to choose from; a picture comes with its file.
func (h Preparation) AddCandidate(ctx context.Context, by ref.Person, piece ref.Piece, kind, text string, file *copyroom.Upload) error {
	return h.Preparing(ctx, by, piece, func(a *newsroom.Command, was store.Row) error {
		text = strings.Join(strings.Fields(text), " ")
		switch {
		case kind != "title" && kind != "picture":
			return newsroom.Invalid("kind", "A title or a picture can be proposed.")
		case kind == "title" && text == "":
			return newsroom.Invalid("title", "Write a title to propose.")
		case kind == "title" && len([]rune(text)) > 200:
			return newsroom.Invalid("title", "Keep the title under 200 characters.")
		case kind == "picture" && file == nil:
			return newsroom.Invalid("picture", "Choose a picture to propose.")
		case kind == "picture" && (text == "" || len([]rune(text)) > 300):
			return newsroom.Invalid("shows", "Say in a sentence what the picture shows, up to 300 characters.")
		}
		all, err := store.Candidates(a, a.Tx, piece)
		if err != nil {
			return err
		}
		if len(all) >= mostCandidates {
			return newsroom.Invalid(kind, "There are %d to choose from already. Drop some first.", mostCandidates)
		}
		for _, c := range all {
			if c.Kind == "title" && kind == "title" && strings.EqualFold(c.Text, text) {
				return newsroom.Invalid("title", "“%s” is proposed already, by %s.", c.Text, a.Setup.Name(c.By))
			}
		}
		c := store.Candidate{PieceID: piece, Kind: kind, Text: text, By: by, At: a.Now}
		if file != nil {
			if !strings.HasPrefix(file.Type, "image/") {
				return newsroom.Invalid("picture", "“%s” is not a picture this house can show. Send a JPEG, PNG, GIF or WebP.", file.Name)
			}
			if c.FileID, err = copyroom.AddFile(a, *file, piece, 0); err != nil {
				return err
			}
		}
		if c.ID, err = a.Tx.AddCandidate(a, c); err != nil {
			return err
		}
		if err := a.Tx.Vote(a, c.ID, by, true); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "proposed", What: fmt.Sprintf("proposed the %s “%s”", kind, text), Version: was.Version})
	})
}

// Vote says that somebody is for a candidate, or no longer is.
func (h Preparation) Vote(ctx context.Context, by ref.Person, piece ref.Piece, candidate ref.Candidate, is bool) error {
	return h.onCandidate(ctx, by, piece, candidate, func(a *newsroom.Command, _ store.Row, c store.Candidate) error {
		return a.Tx.Vote(a, c.ID, by, is)
	})
}

// Choose chooses a candidate, for owner and leads, instead of one chosen before. A title
// becomes the title of the piece. One that is chosen already is let go.
func (h Preparation) Choose(ctx context.Context, by ref.Person, piece ref.Piece, candidate ref.Candidate) error {
	return h.onCandidate(ctx, by, piece, candidate, func(a *newsroom.Command, was store.Row, c store.Candidate) error {
		if err := relay.May(relay.ActPlan, a.Who(was.DeskID), &was.Piece, nil, ""); err != nil {
			return err
		}
		now := c.ID
		said := fmt.Sprintf("chose the %s “%s”", c.Kind, c.Text)
		if c.ChosenBy != 0 {
			now, said = 0, fmt.Sprintf("let go of the %s “%s”", c.Kind, c.Text)
		}
		before, err := chooseOnly(a, piece, c.Kind, now)
		if err != nil {
			return err
		}
		a.Undo.Chosen = append(a.Undo.Chosen, newsroom.UndoChoice{Piece: piece, Kind: c.Kind, Was: before})
		if is := was.Piece; now != 0 && c.Kind == "title" && is.Title != c.Text {
			is.Title = c.Text
			if err := edit(a, was.Piece, is, "the title"); err != nil {
				return err
			}
		}
		a.Did = []string{said}
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "chose", What: said, Version: was.Version})
	})
}

// undoChosen chooses what was chosen before.
func undoChosen(a *newsroom.Command, s *newsroom.UndoState) (pieces []ref.Piece, err error) {
	for _, c := range s.Chosen {
		if _, err := chooseOnly(a, c.Piece, c.Kind, c.Was); err != nil {
			return nil, err
		}
		pieces = append(pieces, c.Piece)
	}
	return pieces, nil
}

// chooseOnly makes one candidate of a kind the chosen one, or none with 0, and gives which
// it was before.
func chooseOnly(a *newsroom.Command, piece ref.Piece, kind string, id ref.Candidate) (was ref.Candidate, err error) {
	all, err := store.Candidates(a, a.Tx, piece)
	if err != nil {
		return 0, err
	}
	for _, x := range all {
		if x.Kind != kind || (x.ChosenBy != 0) == (x.ID == id) {
			continue
		}
		if x.ChosenBy != 0 {
			was = x.ID
		}
		if x.ChosenBy, x.ChosenAt = 0, 0; x.ID == id {
			x.ChosenBy, x.ChosenAt = a.Actor, a.Now
		}
		if err := a.Tx.SaveCandidate(a, x); err != nil {
			return 0, err
		}
	}
	return was, nil
}

// DropCandidate takes a candidate away, for who proposed it, owner and leads.
func (h Preparation) DropCandidate(ctx context.Context, by ref.Person, piece ref.Piece, candidate ref.Candidate) error {
	return h.onCandidate(ctx, by, piece, candidate, func(a *newsroom.Command, was store.Row, c store.Candidate) error {
		if err := relay.May(relay.ActPlan, a.Who(was.DeskID), &was.Piece, nil, ""); c.By != by && err != nil {
			return err
		}
		c.Dropped = true
		if err := a.Tx.SaveCandidate(a, c); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "dropped", What: fmt.Sprintf("dropped the %s “%s”", c.Kind, c.Text), Version: was.Version})
	})
}

func (h Preparation) onCandidate(ctx context.Context, by ref.Person, piece ref.Piece, candidate ref.Candidate, f func(*newsroom.Command, store.Row, store.Candidate) error) error {
	return h.Preparing(ctx, by, piece, func(a *newsroom.Command, was store.Row) error {
		all, err := store.Candidates(a, a.Tx, piece)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(c store.Candidate) bool { return c.ID == candidate })
		if i < 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Somebody has taken this away meanwhile."}
		}
		return f(a, was, all[i])
	})
}

// Note adds to the research of a piece: a note, a link or a file; or a comment on
// something there (about).
func (h Preparation) Note(ctx context.Context, by ref.Person, piece ref.Piece, about ref.Finding, text, link string, file *copyroom.Upload) error {
	return h.Preparing(ctx, by, piece, func(a *newsroom.Command, was store.Row) error {
		text, link = strings.TrimSpace(strings.ReplaceAll(text, "\r\n", "\n")), strings.TrimSpace(link)
		switch {
		case text == "" && link == "" && file == nil:
			return newsroom.Invalid("text", "Write a note, put in a link, or choose a file.")
		case len([]rune(text)) > 4_000:
			return newsroom.Invalid("text", "Keep a note under 4,000 characters, or send the rest as a file.")
		case link != "" && (len(link) > 2_000 || !copy.SafeLink(link) || !strings.Contains(link, "://")):
			return newsroom.Invalid("link", "“%s” is not an address. Begin it with https://.", english.Cut(link, 60))
		}
		all, err := store.Findings(a, a.Tx, piece)
		if err != nil {
			return err
		}
		if len(all) >= mostFindings {
			return newsroom.Invalid("text", "There are %d notes already. Put some away first.", mostFindings)
		}
		if about != 0 && !slices.ContainsFunc(all, func(f store.Finding) bool { return f.ID == about && f.About == 0 }) {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "What you comment on has been put away meanwhile. Your words are still here; make a note of them."}
		}
		f := store.Finding{PieceID: piece, About: about, Text: text, Link: link, By: by, At: a.Now}
		if file != nil {
			if f.FileID, err = copyroom.AddFile(a, *file, piece, 0); err != nil {
				return err
			}
		}
		if _, err := a.Tx.AddFinding(a, f); err != nil {
			return err
		}
		what := "added to the research"
		if about != 0 {
			what = "commented on the research"
			if i := slices.IndexFunc(all, func(f store.Finding) bool { return f.ID == about }); all[i].By != by && !a.Setup.Person(all[i].By).Retired {
				item := store.Item{PersonID: all[i].By, PieceID: piece, Kind: "research", Text: fmt.Sprintf("%s on your note: %s", a.Setup.Name(by), english.Cut(text, 120)), At: a.Now, Link: fmt.Sprintf("/pieces/%d#research", piece)}
				if err := a.Notify(item, false); err != nil {
					return err
				}
			}
		}
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "research", What: what, Why: english.Cut(strings.TrimSpace(text+" "+link), 200), Version: was.Version})
	})
}

// DropNote puts a note or comment away, for who wrote it, owner and leads.
func (h Preparation) DropNote(ctx context.Context, by ref.Person, piece ref.Piece, note ref.Finding) error {
	return h.Preparing(ctx, by, piece, func(a *newsroom.Command, was store.Row) error {
		all, err := store.Findings(a, a.Tx, piece)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(f store.Finding) bool { return f.ID == note })
		if i < 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This has been put away already."}
		}
		if err := relay.May(relay.ActPlan, a.Who(was.DeskID), &was.Piece, nil, ""); all[i].By != by && err != nil {
			return err
		}
		if err := a.Tx.DropFinding(a, note); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "research", What: "put a note away", Before: english.Cut(all[i].Text+" "+all[i].Link, 2_000), Version: was.Version})
	})
}
