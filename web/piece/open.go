package piece

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type openingsView struct {
	Answer  kit.Sentence
	Legs    []openingRow
	Taken   []openingRow
	Staff   bool
	Lead    bool
	Empty   string
	Problem string
	Full    bool // whoever looks holds as many as they may
}

type openingRow struct {
	Piece      ref.Piece
	Version    int64
	Key        string
	Title, Leg string
	Says       string // the format, the effort, when it begins
	Due        string
	Fee        string
	To         string
	Would      *kit.Sentence
	Mine, Edit bool
	Loses      string
	Stands     *kit.Sentence // of its piece, for those on the staff
}

// open lists the legs that nobody has: to freelancers those they could take.
func (s *Section) open(c *echo.Context) error { return s.showOpen(c, http.StatusOK, nil) }

func (s *Section) showOpen(c *echo.Context, status int, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	all, err := s.Planning.Open(ctx, kit.Me(c).ID, kit.Here(c))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := openingsView{Staff: all.Staff, Lead: kit.Me(c).Access.May(relay.SetUpDesk)}
	for _, x := range all.Legs {
		v.Legs = append(v.Legs, newOpeningRow(b, x, kit.Me(c).ID, all.Staff))
	}
	for _, x := range all.Taken {
		v.Taken = append(v.Taken, newOpeningRow(b, x, kit.Me(c).ID, all.Staff))
	}
	asked, mine := 0, 0
	for _, x := range all.Legs {
		asked += kit.Bit(x.Leg.Offered != "")
		mine += kit.Bit(x.Mine)
	}
	v.answer(all, mine, asked)
	if refusal != nil {
		v.Problem = refusal.Text
	}
	return s.Show(c, status, "open", "Open legs", v)
}

func (v *openingsView) answer(all planning.Openings, mine, asked int) {
	n := len(all.Legs)
	legs := english.Plural(n, "leg") + english.Verb(n, " is", " are")
	switch {
	case all.Staff && n == 0:
		v.Answer = kit.Sentence{Text: "Every leg under way has somebody.", Tone: "good"}
	case all.Staff:
		v.Answer = kit.Sentence{Text: fmt.Sprintf("%s open, %d of them to people by name; %d you could take yourself.", legs, asked, mine), Tone: "plain"}
	case n == 0:
		v.Answer = kit.Sentence{Text: "Nothing is open to you just now. You get a mail when something is.", Tone: "plain"}
	default:
		v.Answer = kit.Sentence{Text: legs + " open to you.", Tone: "plain"}
	}
	if all.Most > 0 {
		v.Answer.Text += fmt.Sprintf(" You hold %d, and may hold %d.", all.Holds, all.Most)
		if v.Full = all.Holds >= all.Most; v.Full {
			v.Answer.Tone = "noroom"
		}
	}
	v.Empty = "When somebody gives a leg back, or one is offered, it stands here."
}

func newOpeningRow(b *newsroom.Setup, x planning.Opening, who ref.Person, staff bool) openingRow {
	p, l := x.Piece, x.Leg
	r := openingRow{Piece: p.ID, Version: int64(p.Version), Key: l.Key, Title: p.Title, Leg: l.Name, To: x.To, Mine: x.Mine, Edit: x.Edit}
	says := []string{b.Format(p.FormatID).Name, english.Hours(l.Remaining()) + " of work"}
	if x.Begins != "" {
		says = append(says, "begins about "+x.Begins)
	} else {
		says = append(says, "can begin at once")
	}
	r.Says = strings.Join(says, " · ")
	if r.Due = "no date yet"; l.Due != 0 {
		r.Due = english.Date(l.Due)
	}
	r.Fee = strings.TrimPrefix(b.ForFee(p.DeskID, l, who), ", for ")
	if x.Would != nil {
		r.Would = &kit.Sentence{Text: "For you: " + planning.SayCandidate(*x.Would), Tone: kit.ToneOfCandidate(*x.Would)}
	}
	if x.Loses > 0 {
		r.Loses = "It goes back to the desk after " + english.Plural(x.Loses, "working day") + " without a word."
	}
	if staff {
		if st := (store.Standing{Pace: x.Plan.Pace, InHand: x.Plan.InHand}); st.Pace != plan.Unplaced {
			stands := kit.SaidPace(st)
			r.Stands = &stands
		}
	}
	return r
}

// offer opens a leg to people or to its role.
func (s *Section) offer(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		o := planning.Offer{Piece: id, Leg: form.Get("leg"), Version: kit.Version(form)}
		for _, v := range form["to"] {
			if who, err := strconv.ParseInt(v, 10, 64); err == nil {
				o.To = append(o.To, ref.Person(who))
			}
		}
		cur, err := s.currencyOf(c, id)
		if err != nil {
			return "", err
		}
		if o.Fee, err = kit.ReadFee(cur, form.Get("fee")); err != nil {
			return "", err
		}
		return "It is offered.", s.Planning.OfferLeg(c.Request().Context(), kit.Me(c).ID, o)
	})
}

// giveBack opens a leg again that somebody took.
func (s *Section) giveBack(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Piece](c)
	if err != nil {
		return err
	}
	err = s.Planning.GiveBack(c.Request().Context(), kit.Me(c).ID, id, form.Get("leg"), form.Get("why"), kit.Version(form))
	return s.Answered(c, err, "It is open again; the owner is told.", "/open", func(status int, r *relay.Refusal) error { return s.showPiece(c, status, id, r, form) })
}

// currencyOf gives the currency of the desk of a piece.
func (s *Section) currencyOf(c *echo.Context, id ref.Piece) (fee.Currency, error) {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return fee.Currency{}, err
	}
	d, err := s.Newsroom.DeskOf(c.Request().Context(), id)
	return b.Currency(d), err
}
