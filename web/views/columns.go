package views

import (
	"math"
	"sync"

	"github.com/labstack/echo/v5"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
)

var paces = []kit.Option{
	{Value: "", Name: "Any pace"}, {Value: "running", Name: "Under way"}, {Value: string(plan.Short), Name: "Short"}, {Value: string(plan.NoRoom), Name: "No room"}, {Value: string(plan.InHand), Name: "In hand"}, {Value: "quiet", Name: "Quiet"},
	{Value: "open", Name: "Nobody has it"}, {Value: "missed", Name: "Missed its time"}, {Value: string(plan.Ready), Name: "Ready"}, {Value: string(plan.Unplaced), Name: "No day"}, {Value: string(plan.Out), Name: "Out"}, {Value: string(plan.Withdrawn), Name: "Withdrawn"},
}

// listColumns are the facts that somebody may see in a list.
func (s *Section) listColumns(c *echo.Context, b *newsroom.Setup, d ref.Desk) []sift.Column {
	who := kit.Me(c)
	columns := planning.ColumnsFor(b, who.ID, d)
	if b.SeesFees(who.ID, d) && len(b.RatesOf(d)) > 0 {
		columns = append(columns, s.feeColumn(c, b, d))
	}
	return columns
}

// feeColumn is what pieces came to in fees, read once it is looked at.
func (s *Section) feeColumn(c *echo.Context, b *newsroom.Setup, d ref.Desk) sift.Column {
	cur := b.Currency(d)
	sums := sync.OnceValue(func() map[ref.Piece]int64 {
		all, err := s.Fees.Sums(c.Request().Context(), kit.Me(c).ID, d)
		if err != nil {
			s.Log.Error("read fees", "problem", err)
		}
		return all
	})
	return sift.Of("fee", "Fees", func(id ref.Piece) (float64, bool) {
		n, ok := sums()[id]
		return float64(n) / math.Pow10(cur.Digits), ok
	})
}
