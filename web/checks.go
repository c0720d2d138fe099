package web

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	checking "greenbaton/core/check"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// checksView is what was found in a copy, by kind.
type checksView struct {
	Piece   int64
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

func (s *Server) checksFor(c *echo.Context, id int64) (checksView, error) {
	ctx := c.Request().Context()
	sheet, row, err := s.Newsroom.Copyroom.Checks(ctx, me(c).ID, id)
	if err != nil {
		return checksView{}, err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return checksView{}, err
	}
	v := checksView{Piece: id, Seq: sheet.Seq, Links: sheet.Links, Staff: me(c).Access.May(relay.TeachWords), Asks: true, Found: len(sheet.Found)}
	if r := sheet.Reading; r.Words > 0 {
		v.Reading = fmt.Sprintf("%s to read · reading ease %.0f, school year %.0f", newsroom.Plural(r.Minutes, "minute"), r.Ease, max(0, r.Grade))
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
				y := findingView{Finding: f, Says: newsroom.UpperFirst(f.Text) + "."}
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
func (s *Server) checks(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	v, err := s.checksFor(c, id)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := s.pages.byName["piece"].ExecuteTemplate(&b, "checks", v); err != nil {
		return err
	}
	return c.HTMLBlob(http.StatusOK, b.Bytes())
}

// addWord makes a word one of the desk's own.
func (s *Server) addWord(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		return fmt.Sprintf("“%s” is a word of the desk now.", form.Get("word")), s.Newsroom.Copyroom.AddWord(c.Request().Context(), me(c).ID, id, form.Get("word"))
	})
}

// tryLinks tries the links of a copy.
func (s *Server) tryLinks(c *echo.Context) error {
	return s.onPiece(c, func(id int64, _ url.Values) (string, error) {
		dead, err := s.Newsroom.Copyroom.TryLinks(c.Request().Context(), me(c).ID, id)
		if dead == 0 {
			return "All links answer.", err
		}
		return fmt.Sprintf("%s not answer.", map[bool]string{true: "1 link does", false: fmt.Sprint(dead, " links do")}[dead == 1]), err
	})
}

// ruleRow is a check on the page of a format.
type ruleRow struct {
	Key, Name, Help, Value string
}

func ruleRows(rules checking.Rules) []ruleRow {
	var out []ruleRow
	for _, k := range checking.Kinds {
		x := ruleRow{Key: string(k.Kind), Name: k.Name, Help: k.Help, Value: "advise"}
		switch r := rules[k.Kind]; {
		case r.Off:
			x.Value = "off"
		case r.Leg != "":
			x.Value = "leg:" + r.Leg
		}
		out = append(out, x)
	}
	return out
}

// legChoices are the legs of a route before which a check can have to hold.
func legChoices(way route.Route) []choice {
	var out []choice
	for _, l := range way.Legs {
		out = append(out, choice{"leg:" + l.Key, l.Name})
	}
	return out
}

// saveChecks stores what a format makes of the checks.
func (s *Server) saveChecks(c *echo.Context) error {
	return setUp(s, c, s.oldFormat, func(_ *newsroom.Setup, f store.Format, form url.Values) (string, error) {
		rules := checking.Rules{}
		for _, k := range checking.Kinds {
			switch v := form.Get("check-" + string(k.Kind)); {
			case v == "off":
				rules[k.Kind] = checking.Rule{Off: true}
			case len(v) > 4 && v[:4] == "leg:":
				rules[k.Kind] = checking.Rule{Leg: v[4:]}
			}
		}
		if err := s.Newsroom.Copyroom.SaveFormatChecks(c.Request().Context(), me(c).ID, f.ID, rules); err != nil {
			return "", err
		}
		s.say(c, "Saved. Pieces under way are held to it from now on.")
		return fmt.Sprintf("/formats/%d#checks", f.ID), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error {
		return s.showFormat(c, status, r, typed, nil)
	})
}
