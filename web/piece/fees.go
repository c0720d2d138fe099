package piece

import (
	"fmt"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/fees"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// feesView is what the legs of a piece are paid, as far as somebody may see it.
type feesView struct {
	Piece ref.Piece
	Rows  []feeRow
	Typed url.Values
	Field string
	Bad   ref.Fee // of which the form was refused
}

type feeRow struct {
	ID                              ref.Fee
	Name, Who, Says, Amount, State  string
	Why, Reason, Hours              string
	Agrees, Accepts, AsksHours, Own bool
	Form                            url.Values
}

// Open reports whether the form of a row was sent and refused.
func (v feesView) Open(r feeRow) bool { return v.Bad == r.ID && v.Typed != nil }

// FormOf gives the form of a row as it is shown, with what was refused and how its fields are told apart.
func (v feesView) FormOf(r feeRow) []any {
	if v.Open(r) {
		return []any{v.Typed, v.Field, fmt.Sprintf("fee%d-", r.ID)}
	}
	return []any{r.Form, "", fmt.Sprintf("fee%d-", r.ID)}
}

// feesFor gives the fees of a piece that whoever looks may see, with what they may do about them.
func (s *Section) feesFor(c *echo.Context, b *newsroom.Setup, row *store.Row) (v feesView, err error) {
	me := kit.Me(c).ID
	all, err := s.Fees.OfPiece(c.Request().Context(), me, &row.Piece)
	if err != nil {
		return v, err
	}
	v.Piece = row.ID
	agrees := relay.May(relay.ActAgree, b.Who(me, row.DeskID), &row.Piece, nil, b.Desk(row.DeskID).PassBy) == nil
	for i := range all {
		f := &all[i]
		cur := b.CurrencyBy(f.DeskID, f.Currency)
		open := f.Kind != fee.Correction && (f.State == fee.Agreed || f.State == fee.Accepted)
		r := feeRow{ID: f.ID, Name: f.Name, Who: b.Person(f.PersonID).Name, Says: fees.Say(b, f), Why: f.Why, Reason: f.Reason, Own: f.PersonID == me, AsksHours: open && f.Per == fee.Hour && f.PersonID == me, Agrees: open && agrees && f.PersonID != me}
		if f.Minutes > 0 {
			r.Hours = english.HoursTyped(f.Minutes)
		}
		switch f.State {
		case fee.Agreed:
			r.State = "agreed"
			l := row.Leg(f.Leg)
			r.Accepts = r.Agrees && l != nil && l.State == relay.Passed && l.Holder == f.PersonID
		case fee.Accepted:
			r.State, r.Amount = "to check", cur.Full(f.Amount)
		case fee.Checked:
			r.State, r.Amount = "checked", cur.Full(f.Amount)
		case fee.Stated:
			r.State, r.Amount = "in a statement", cur.Full(f.Amount)
		}
		if r.Agrees {
			r.Form = url.Values{"per": {string(f.Per)}, "rate": {kit.RateText(b.Currency(f.DeskID), f.Rate)}, "beyond": {kit.Yes(f.Beyond)}}
			for key, n := range map[string]int64{"least": f.Least, "most": f.Most} {
				if n > 0 {
					r.Form.Set(key, cur.Plain(n))
				}
			}
		}
		v.Rows = append(v.Rows, r)
	}
	return v, nil
}

// Label names the hours of a row apart from those of others.
func (r feeRow) Label() string { return fmt.Sprintf("hours-%d", r.ID) }
