package reports

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// The settings under which it is kept to whom a desk sends its month, and which was sent last.
func monthTo(d ref.Desk) string   { return fmt.Sprintf("month of desk %d to", d) }
func monthSent(d ref.Desk) string { return fmt.Sprintf("month of desk %d sent", d) }

// MonthTo gives to whom a desk sends its month on the first working day of the next, for its leads.
func (h Room) MonthTo(ctx context.Context, who ref.Person, desk ref.Desk) ([]ref.Person, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if err := b.MayLead(who, desk); err != nil {
		return nil, err
	}
	return h.monthTo(ctx, h.DB.View(), desk)
}

func (h Room) monthTo(ctx context.Context, r store.Reader, desk ref.Desk) ([]ref.Person, error) {
	v, err := store.Setting(ctx, r, monthTo(desk))
	var out []ref.Person
	for s := range strings.FieldsSeq(v) {
		if n, err := strconv.ParseInt(s, 10, 64); err == nil {
			out = append(out, ref.Person(n))
		}
	}
	return out, err
}

// SendMonthTo says to whom a desk sends its month.
func (h Room) SendMonthTo(ctx context.Context, by ref.Person, desk ref.Desk, to []ref.Person) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		var ids, names []string
		for _, id := range to {
			if !slices.ContainsFunc(a.Setup.Owners(desk), func(p store.Person) bool { return p.ID == id }) {
				return newsroom.Invalid("to", "The month is sent to leads and staff of the desk.")
			}
			ids, names = append(ids, fmt.Sprint(id)), append(names, a.Setup.Name(id))
		}
		if err := a.Tx.SetSetting(a, monthTo(desk), strings.Join(ids, " ")); err != nil {
			return err
		}
		if err := a.Tx.SetSetting(a, monthSent(desk), a.Now.Date(a.Setup.Zones[desk]).MonthStart().String()); err != nil { // the next is the first
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: "said to whom the month is sent", After: strings.Join(names, ", ")})
	})
}

// sendMonths sends the month that is over on the first working day of the next, once.
func (h Room) sendMonths(ctx context.Context) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	k := newsroom.PartOf[sentMonths](h.Newsroom)
	for _, d := range b.Desks {
		today := h.Now().Date(b.Zones[d.ID])
		if d.Retired || k.of[d.ID] == today || !b.Planned[d.ID].Calendar.Working(today) {
			continue
		}
		if err := h.Alone(ctx, newsroom.Errand{What: "send the month of " + d.Name, Link: "/reports/month"}, func() error { return h.sendMonth(ctx, d.ID, today) }); err != nil {
			return err
		}
		if k.of == nil {
			k.of = map[ref.Desk]day.Date{}
		}
		k.of[d.ID] = today
	}
	return nil
}

// sentMonths is on which day it was last looked whether a desk's month is to be sent.
type sentMonths struct{ of map[ref.Desk]day.Date }

func (h Room) sendMonth(ctx context.Context, desk ref.Desk, today day.Date) error {
	return h.Do(ctx, 0, func(a *newsroom.Command) error {
		to, err := h.monthTo(a, a.Tx, desk)
		if err != nil || len(to) == 0 {
			return err
		}
		sent, err := store.Setting(a, a.Tx, monthSent(desk))
		month := today.MonthStart()
		if err != nil || sent >= month.String() {
			return err
		}
		if err := a.Tx.SetSetting(a, monthSent(desk), month.String()); err != nil {
			return err
		}
		last := SpanOf(Month, month-1)
		for _, id := range to {
			if !a.Setup.Available(id, desk) {
				continue
			}
			text := fmt.Sprintf("How %s ran in %s, on one page.", a.Setup.Desk(desk).Name, last.Says())
			if err := a.Notify(store.Item{PersonID: id, Kind: "month", Text: text, Link: "/reports/month?on=" + last.From.String(), At: a.Now}, true); err != nil {
				return err
			}
		}
		return nil
	})
}
