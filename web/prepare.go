package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// researchView is what was found out for a piece.
type researchView struct {
	Piece int64
	Notes []noteView
	Back  string
	Sent  url.Values // of the form that was refused
}

// Text is what was typed of a note, or of a comment on another, and refused.
func (v researchView) Text(about int64) string {
	if int64At(v.Sent, "about") != about || v.Sent.Has("title") {
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

func newResearch(b *newsroom.Setup, p *relay.Piece, all []store.Finding, files []store.File, who int64, edit bool, now day.Moment) researchView {
	v := researchView{Piece: p.ID, Back: fmt.Sprintf("/pieces/%d/brief#research", p.ID)}
	at := map[int64]int{}
	for _, f := range all {
		x := noteView{Finding: f, By: b.Name(f.By), Ago: ago(f.At, now), Drop: edit || f.By == who}
		if u, err := url.Parse(f.Link); err == nil {
			x.Host = strings.TrimPrefix(u.Hostname(), "www.")
		}
		for i := range files {
			if files[i].ID == f.FileID {
				x.File, x.Size = &files[i], sayBytes(files[i].Size)
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

// sayBytes says a size: "340 kB", "2.1 MB".
func sayBytes(n int) string {
	switch {
	case n < 1_000:
		return newsroom.Plural(n, "byte")
	case n < 1_000_000:
		return fmt.Sprintf("%d kB", n/1_000)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}

// preparing carries out an act on what is prepared for a piece, and goes back to where
// its form stands.
func (s *Server) preparing(c *echo.Context, place string, do func(id int64, form url.Values) (string, error)) error {
	id, form, err := sent(c)
	if err != nil {
		return err
	}
	said, err := do(id, form)
	return s.answered(c, err, said, back(form, fmt.Sprintf("/pieces/%d/brief#%s", id, place)), func(status int, r *relay.Refusal) error {
		return s.showBrief(c, status, id, r, form, nil)
	})
}

// addCandidate proposes a title or a lead picture.
func (s *Server) addCandidate(c *echo.Context) error {
	return s.preparing(c, "titles", func(id int64, form url.Values) (string, error) {
		ctx := c.Request().Context()
		if form.Get("kind") != "picture" {
			return "", s.Newsroom.Planning.AddCandidate(ctx, me(c).ID, id, "title", form.Get("candidate"), nil)
		}
		file, err := upload(c, "picture")
		if err != nil {
			return "", err
		}
		return "", s.Newsroom.Planning.AddCandidate(ctx, me(c).ID, id, "picture", form.Get("shows"), file)
	})
}

// candidate votes for, chooses or drops something to choose from.
func (s *Server) candidate(c *echo.Context) error {
	return s.preparing(c, "titles", func(id int64, form url.Values) (string, error) {
		ctx, who, x := c.Request().Context(), me(c).ID, int64At(form, "candidate")
		switch form.Get("do") {
		case "choose":
			return "", s.Newsroom.Planning.Choose(ctx, who, id, x)
		case "drop":
			return "", s.Newsroom.Planning.DropCandidate(ctx, who, id, x)
		}
		return "", s.Newsroom.Planning.Vote(ctx, who, id, x, form.Get("do") == "vote")
	})
}

// note adds to the research of a piece, or comments on it.
func (s *Server) note(c *echo.Context) error {
	return s.preparing(c, "research", func(id int64, form url.Values) (string, error) {
		file, err := upload(c, "file")
		if err != nil {
			return "", err
		}
		return "", s.Newsroom.Planning.Note(c.Request().Context(), me(c).ID, id, int64At(form, "about"), form.Get("text"), form.Get("link"), file)
	})
}

// dropNote puts a note of the research away.
func (s *Server) dropNote(c *echo.Context) error {
	return s.preparing(c, "research", func(id int64, form url.Values) (string, error) {
		return "The note is put away.", s.Newsroom.Planning.DropNote(c.Request().Context(), me(c).ID, id, int64At(form, "note"))
	})
}

// file gives a file that was sent along with a piece: pictures to be shown, everything
// else to be kept; never to be run in a page of the house.
func (s *Server) file(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	f, err := s.Newsroom.Intake.File(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	return s.giveFile(c, f)
}

// giveFile sends a file, of a picture the small version where that is asked for.
func (s *Server) giveFile(c *echo.Context, f store.File) (err error) {
	if c.QueryParam("small") != "" {
		if f, err = s.Newsroom.Copyroom.Shown(c.Request().Context(), f); err != nil {
			return err
		}
	}
	return sendFile(c, f)
}

func sendFile(c *echo.Context, f store.File) error {
	h := c.Response().Header()
	how := "attachment"
	if strings.HasPrefix(f.Type, "image/") {
		how = "inline"
	}
	h.Set("Content-Disposition", how+"; filename*=UTF-8''"+url.PathEscape(f.Name))
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	return c.Blob(http.StatusOK, f.Type, f.Data)
}
