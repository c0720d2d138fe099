package brief

import (
	"fmt"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// researchView is what was found out for a piece.
type researchView struct {
	Piece ref.Piece
	Notes []noteView
	Back  string
	Sent  url.Values // of the form that was refused
}

// Text is what was typed of a note, or of a comment on another, and refused.
func (v researchView) Text(about ref.Finding) string {
	if kit.Int[ref.Finding](v.Sent, "about") != about || v.Sent.Has("title") {
		return ""
	}
	return v.Sent.Get("text")
}

type noteView struct {
	store.Finding
	By       string
	Ago      string
	File     *store.File
	Size     string
	Host     string // of the link
	Drop     bool
	Comments []noteView
}

func newResearch(b *newsroom.Setup, p *relay.Piece, all []store.Finding, files []store.File, who ref.Person, edit bool, now day.Moment) researchView {
	v := researchView{Piece: p.ID, Back: fmt.Sprintf("/pieces/%d/brief#research", p.ID)}
	at := map[ref.Finding]int{}
	for _, f := range all {
		x := noteView{Finding: f, By: b.Name(f.By), Ago: english.Ago(f.At, now), Drop: edit || f.By == who}
		if u, err := url.Parse(f.Link); err == nil {
			x.Host = strings.TrimPrefix(u.Hostname(), "www.")
		}
		for i := range files {
			if files[i].ID == f.FileID {
				x.File, x.Size = &files[i], english.Size(files[i].Size)
			}
		}
		if f.About == 0 {
			at[f.ID] = len(v.Notes)
			v.Notes = append(v.Notes, x)
		} else if i, ok := at[f.About]; ok {
			v.Notes[i].Comments = append(v.Notes[i].Comments, x)
		}
	}
	return v
}

// preparing carries out an act on what is prepared for a piece, and goes back to where
// its form stands.
func (s *Section) preparing(c *echo.Context, place string, do func(id ref.Piece, form url.Values) (string, error)) error {
	id, form, err := kit.Sent[ref.Piece](c)
	if err != nil {
		return err
	}
	said, err := do(id, form)
	return s.Answered(c, err, said, kit.Back(form, fmt.Sprintf("/pieces/%d/brief#%s", id, place)), func(status int, r *relay.Refusal) error {
		return s.showBrief(c, status, id, r, form, nil)
	})
}

// addCandidate proposes a title or a lead picture.
func (s *Section) addCandidate(c *echo.Context) error {
	return s.preparing(c, "titles", func(id ref.Piece, form url.Values) (string, error) {
		ctx := c.Request().Context()
		if form.Get("kind") != "picture" {
			return "", s.Planning.AddCandidate(ctx, kit.Me(c).ID, id, "title", form.Get("candidate"), nil)
		}
		file, err := kit.Upload(c, "picture")
		if err != nil {
			return "", err
		}
		return "", s.Planning.AddCandidate(ctx, kit.Me(c).ID, id, "picture", form.Get("shows"), file)
	})
}

// candidate votes for, chooses or drops something to choose from.
func (s *Section) candidate(c *echo.Context) error {
	return s.preparing(c, "titles", func(id ref.Piece, form url.Values) (string, error) {
		ctx, who, x := c.Request().Context(), kit.Me(c).ID, kit.Int[ref.Candidate](form, "candidate")
		switch form.Get("do") {
		case "choose":
			return "", s.Planning.Choose(ctx, who, id, x)
		case "drop":
			return "", s.Planning.DropCandidate(ctx, who, id, x)
		}
		return "", s.Planning.Vote(ctx, who, id, x, form.Get("do") == "vote")
	})
}

// note adds to the research of a piece, or comments on it.
func (s *Section) note(c *echo.Context) error {
	return s.preparing(c, "research", func(id ref.Piece, form url.Values) (string, error) {
		file, err := kit.Upload(c, "file")
		if err != nil {
			return "", err
		}
		return "", s.Planning.Note(c.Request().Context(), kit.Me(c).ID, id, kit.Int[ref.Finding](form, "about"), form.Get("text"), form.Get("link"), file)
	})
}

// dropNote puts a note of the research away.
func (s *Section) dropNote(c *echo.Context) error {
	return s.preparing(c, "research", func(id ref.Piece, form url.Values) (string, error) {
		return "The note is put away.", s.Planning.DropNote(c.Request().Context(), kit.Me(c).ID, id, kit.Int[ref.Finding](form, "note"))
	})
}

// file gives a file that was sent along with a piece: pictures to be shown, everything
// else to be kept; never to be run in a page of the house.
func (s *Section) file(c *echo.Context) error {
	id, err := kit.ID[ref.File](c)
	if err != nil {
		return err
	}
	f, err := s.Intake.File(c.Request().Context(), kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	return s.GiveFile(c, f)
}
