package copy

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	checking "greenbaton/core/check"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/web/kit"
)

// ChecksView is what was found in a copy, by kind.
type ChecksView struct {
	Piece   ref.Piece
	Seq     int
	Kinds   []checkKind
	Clean   []string // what was looked at and is in order
	Found   int
	Reading string // "4 minutes to read · reading ease 64, grade 8"
	Links   int
	Tried   string
	Staff   bool
	Asks    bool // the one who looks works on it
}

type checkKind struct {
	checking.Kind
	Name  string
	Leg   string // it has to hold before this leg is passed
	Now   bool   // which runs
	Found []findingView
}

type findingView struct {
	checking.Finding
	Says string
	Word string // of spelling, to be added to the desk's words
}

// ChecksFor gives what the checks of its format find in the copy of a piece.
func (s *Section) ChecksFor(c *echo.Context, id ref.Piece) (ChecksView, error) {
	ctx := c.Request().Context()
	sheet, row, err := s.Copyroom.Checks(ctx, kit.Me(c).ID, id)
	if err != nil {
		return ChecksView{}, err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return ChecksView{}, err
	}
	v := ChecksView{Piece: id, Seq: sheet.Seq, Links: sheet.Links, Staff: kit.Me(c).Access.May(relay.TeachWords), Asks: true, Found: len(sheet.Found)}
	if r := sheet.Reading; r.Words > 0 {
		v.Reading = fmt.Sprintf("%s to read · reading ease %.0f, school year %.0f", english.Plural(r.Minutes, "minute"), r.Ease, max(0, r.Grade))
	}
	if sheet.TriedAt != 0 {
		v.Tried = b.At(sheet.TriedAt, row.DeskID)
	}
	for _, k := range checking.Kinds {
		if sheet.Rules[k.Kind].Off {
			continue
		}
		x := checkKind{Kind: k.Kind, Name: k.Name}
		if l := row.Leg(sheet.Rules[k.Kind].Leg); l != nil {
			x.Leg, x.Now = l.Name, l.State == relay.Running
		}
		for _, f := range sheet.Found {
			if f.Kind == k.Kind {
				y := findingView{Finding: f, Says: english.UpperFirst(f.Text) + "."}
				if f.Kind == checking.Spelling {
					y.Word = f.Word
				}
				x.Found = append(x.Found, y)
			}
		}
		if len(x.Found) == 0 {
			v.Clean = append(v.Clean, k.Name)
		} else {
			v.Kinds = append(v.Kinds, x)
		}
	}
	return v, nil
}

// checks gives what is found in a copy, for a page that is open.
func (s *Section) checks(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	v, err := s.ChecksFor(c, id)
	if err != nil {
		return err
	}
	return s.Render(c, http.StatusOK, "piece", "checks", v)
}

// addWord makes a word one of the desk's own.
func (s *Section) addWord(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		return fmt.Sprintf("“%s” is a word of the desk now.", form.Get("word")), s.Copyroom.AddWord(c.Request().Context(), kit.Me(c).ID, id, form.Get("word"))
	})
}

// tryLinks tries the links of a copy.
func (s *Section) tryLinks(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, _ url.Values) (string, error) {
		dead, err := s.Copyroom.TryLinks(c.Request().Context(), kit.Me(c).ID, id)
		if dead == 0 {
			return "All links answer.", err
		}
		return fmt.Sprintf("%s not answer.", map[bool]string{true: "1 link does", false: fmt.Sprint(dead, " links do")}[dead == 1]), err
	})
}
