package release

import (
	"fmt"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
)

// afterView is what is left to do at pieces that are out.
type afterView struct {
	Answer  string
	Tone    string
	Failing []failingView
	Again   []againView // worth taking up again
	Begins  bool        // whoever looks may begin pieces
	Age     int         // days after which they are looked at
	Pieces  []afterPiece
	parts   []kit.Part
}

// againView is a piece that is worth taking up again.
type againView struct {
	ID         ref.Piece
	Title, Why string
}

type afterPiece struct {
	Key     string
	ID      ref.Piece
	Version int
	Title   string
	Says    string // what it is, and since when it is out
	Legs    []afterLeg
}

type afterLeg struct {
	Key, Name, Who, Due string
	Late, Open, Waits   bool
	MayPass             bool
}

// after lists what is left to do at pieces that are out.
func (s *Section) after(c *echo.Context) error {
	ctx := c.Request().Context()
	list, err := s.Planning.AfterRelease(ctx, kit.Me(c).ID, kit.Here(c))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	today := s.Newsroom.Now().Date(b.Zones[kit.Here(c)])
	v := newAfterView(b, list, today, kit.Me(c).ID)
	if v.Failing, err = s.failing(c, b); err != nil {
		return err
	}
	if n := len(v.Failing); n > 0 {
		v.Answer, v.Tone = english.UpperFirst(english.Count(n, "delivery"))+" did not get where it was to go. "+v.Answer, "short"
	}
	again, age, err := s.Release.Again(ctx, kit.Me(c).ID, kit.Here(c))
	if err != nil {
		return err
	}
	for _, w := range again {
		v.Again = append(v.Again, againView{w.ID, w.Row.Title, english.UpperFirst(strings.Join(w.Why, "; "))})
	}
	v.Age, v.Begins = age, planning.MayCreate(b.Who(kit.Me(c).ID, kit.Here(c)))
	v.parts = []kit.Part{{Key: "all", Template: "after-all", Data: v}}
	return s.ShowView(c, "after", "After release", v, v.parts)
}

func newAfterView(b *newsroom.Setup, list []planning.LeftToDo, today day.Date, who ref.Person) afterView {
	v := afterView{}
	for _, x := range list {
		r := &x.Row
		p := afterPiece{Key: "p-" + kit.Str(r.ID), ID: r.ID, Version: r.Version, Title: r.Title}
		p.Says = fmt.Sprintf("No. %d · %s · out on %s since %s", r.Number, b.Format(r.FormatID).Name, b.Channel(r.ChannelID).Name, b.At(r.OutAt, r.DeskID))
		for _, l := range x.Legs {
			y := afterLeg{Key: l.Key, Name: l.Name, Who: b.Name(l.Holder), Open: l.Holder == 0, Waits: l.State == relay.Waiting}
			if l.Due != 0 {
				y.Due = english.Date(l.Due)
			}
			y.Late = l.Due != 0 && l.Due < today
			y.MayPass = !y.Waits && relay.May(relay.ActPass, b.Who(who, r.DeskID), &r.Piece, &l, b.Desk(r.DeskID).PassBy) == nil
			p.Legs = append(p.Legs, y)
		}
		v.Pieces = append(v.Pieces, p)
	}
	good := false
	if v.Answer, good = planning.SayAfter(list, today); !good {
		v.Tone = "short"
	}
	return v
}
