package track

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
)

// handsView is what a script is told when a piece is taken up on the track.
type handsView struct {
	Pass   *handsPass              `json:"pass,omitempty"` // nil where it may not be passed
	Back   map[string]kit.Sentence `json:"back,omitempty"` // by the key and by the name of the leg it would return to
	Refuse string                  `json:"refuse,omitempty"`
}

type handsPass struct {
	To    []string       `json:"to"` // keys and names of the legs that begin then; "out" for none
	Lines []kit.Sentence `json:"lines"`
	Unmet bool           `json:"unmet"`
	Leg   string         `json:"leg"`
}

// hands says what can be done with a leg of a piece by moving it.
func (s *Section) hands(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	x, err := s.Planning.HandsOn(ctx, kit.Me(c).ID, id, c.QueryParam("leg"))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := handsView{Back: map[string]kit.Sentence{}}
	if x.Pass != nil {
		v.Refuse = x.Pass.Error()
	} else {
		v.Pass = newHandsPass(b, x)
	}
	if x.Return == nil {
		for _, k := range x.Back {
			l := x.Row.Leg(k)
			says := kit.Sentence{Text: fmt.Sprintf("Sends it back to %s, %s; the reasons are asked for.", b.Name(l.Holder), l.Name), Tone: "noroom"}
			v.Back[k], v.Back[l.Name] = says, says
		}
	}
	return c.JSON(http.StatusOK, v)
}

func newHandsPass(b *newsroom.Setup, x planning.Hands) *handsPass {
	p := &handsPass{Leg: x.Leg.Key, Unmet: len(x.Unmet) > 0}
	var to []string
	for _, k := range x.Onward {
		l := x.Row.Leg(k)
		p.To = append(p.To, k, l.Name)
		who := b.Name(l.Holder) + ", " + l.Name
		if l.Holder == 0 {
			who = l.Name + ", which nobody has yet"
		}
		if l.Due != 0 {
			who += ", due " + english.Date(l.Due)
		}
		to = append(to, who)
	}
	says := fmt.Sprintf("Passes %s to %s.", x.Leg.Name, english.And(to))
	if len(to) == 0 {
		p.To = []string{"out"}
		if says = fmt.Sprintf("Passes %s; others still run beside it.", x.Leg.Name); x.Ready {
			if says = fmt.Sprintf("Passes %s. Then it is ready and goes out %s.", x.Leg.Name, b.At(x.Row.GoesOut, x.Row.DeskID)); x.Row.GoesOut == 0 {
				says = fmt.Sprintf("Passes %s. Then it is ready, and has no day yet.", x.Leg.Name)
			}
		}
	}
	p.Lines = []kit.Sentence{{Text: says, Tone: "good"}}
	if p.Unmet {
		p.Lines = []kit.Sentence{{Text: fmt.Sprintf("%s cannot be passed yet:", x.Leg.Name), Tone: "short"}}
		for _, u := range x.Unmet {
			p.Lines = append(p.Lines, kit.Sentence{Text: u, Tone: ""})
		}
	}
	return p
}

// askBack shows the form that asks for the reasons of sending back.
func (s *Section) askBack(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	x, err := s.Planning.HandsOn(ctx, kit.Me(c).ID, id, c.QueryParam("leg"))
	if err != nil {
		return err
	}
	if x.Return != nil {
		return x.Return
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := backView{ID: id, Title: x.Row.Title, Version: x.Row.Version, Leg: x.Leg.Key, Name: x.Leg.Name, To: c.QueryParam("to"), Lifts: newsroom.SayLifts(x.Row)}
	for _, k := range x.Back {
		l := x.Row.Leg(k)
		if v.To == l.Name {
			v.To = k
		}
		v.Legs = append(v.Legs, kit.Choice{Key: k, Name: l.Name + ", " + b.Name(l.Holder)})
	}
	return s.ShowPart(c, "askback", "Send “"+x.Row.Title+"” back", v)
}

type backView struct {
	ID                   ref.Piece
	Version              int
	Title, Leg, Name, To string
	Lifts                string // what falls away by it
	Legs                 []kit.Choice
}

// order puts the pieces at a leg into an order by hand.
func (s *Section) order(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	var places []planning.Place
	var pieces []ref.Piece
	for _, x := range form["at"] {
		piece, leg, ok := strings.Cut(x, ":")
		id, err := strconv.ParseInt(piece, 10, 64)
		if !ok || err != nil {
			return kit.Input("at", "The order was not understood. Look at the page again.")
		}
		places, pieces = append(places, planning.Place{Piece: ref.Piece(id), Leg: leg}), append(pieces, ref.Piece(id))
	}
	if err := s.Planning.OrderLegs(c.Request().Context(), kit.Me(c).ID, places); err != nil {
		return err
	}
	if kit.WantsJSON(c) {
		return s.Done(c, "Put into order.", pieces...)
	}
	s.Say(c, "Put into order.")
	return c.Redirect(http.StatusSeeOther, "/track")
}
