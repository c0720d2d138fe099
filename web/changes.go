package web

import (
	"encoding/json"
	"net/url"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
)

// changesOf reads the changes that a form asks for; its field "do" says which kind.
func changesOf(b *newsroom.Setup, board *plan.Board, form url.Values) ([]plan.Change, error) {
	do := form.Get("do")
	if do == "plan" {
		var changes []plan.Change
		if err := json.Unmarshal([]byte(form.Get("changes")), &changes); err != nil {
			return nil, input("", "The changes were not understood. Go back and choose again.")
		}
		return changes, nil
	}
	if do == "many" {
		return manyOf(board, form)
	}
	if do == "away" {
		return awayOf(form)
	}
	if do == "row" {
		later := form.Get("way") == "later"
		out := board.Row(int64At(form, "channel"), day.Moment(int64At(form, "from")), later)
		if len(out) == 0 {
			return nil, input("", "No piece is on a slot from there on, so nothing would move.")
		}
		return out, nil
	}
	p := board.Piece(int64At(form, "piece"))
	if p == nil {
		return nil, &relay.Refusal{Reason: relay.ErrNotNow, Text: "This piece is not under way any more. Look at it again."}
	}
	if do == "swap" {
		other := board.Piece(int64At(form, "with"))
		if other == nil || other.GoesOut == 0 || p.GoesOut == 0 {
			return nil, input("with", "Choose a piece that has a day.")
		}
		if other.ChannelID != p.ChannelID {
			return nil, input("with", "The two go out on different channels, so they cannot swap days. Choose another piece.")
		}
		return plan.Swap(p, other), nil
	}
	c := plan.Change{Do: plan.Do(do), Piece: p.ID, Leg: form.Get("leg")}
	var err error
	switch c.Do {
	case plan.DoMove:
		c.At, err = dayOfForm(b, board, p, form)
	case plan.DoGive:
		c.Person = int64At(form, "to")
	case plan.DoAllow:
		c.Days, err = whole(form, "days", "days", "the days", -1)
	case plan.DoPin:
		c.Date, err = dateOf(form, "due", "the due date")
	case plan.DoNotBefore:
		c.Date, err = dateOf(form, "not_before", "the day before which it does not begin")
	case plan.DoOverlap:
	default:
		return nil, input("", "This is no change that can be made. Go back and choose again.")
	}
	return []plan.Change{c}, err
}

func input(field, text string) error {
	return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: text}
}

// dayOfForm reads the day a piece is moved to: none, an exact time, or a date with
// the time of the channel's slot on it, or the time it goes out at now.
func dayOfForm(b *newsroom.Setup, board *plan.Board, p *relay.Piece, form url.Values) (day.Moment, error) {
	if form.Get("none") != "" {
		return 0, nil
	}
	if at := int64At(form, "at"); at != 0 {
		return day.Moment(at), nil
	}
	if w := form.Get("week"); w != "" {
		return weekOfForm(b, board, p, w)
	}
	now, usual := board.Now, newsroom.Morning
	if p.GoesOut != 0 {
		usual = minutesOf(p.GoesOut.In(b.Zones[p.DeskID]))
	}
	at, err := goesOut(b, b.Format(p.FormatID), p.ChannelID, form, usual, now)
	if err == nil && at == 0 {
		err = input("day", "Choose a day, or press “Take its day away”.")
	}
	return at, err
}

// weekOfForm reads the week a piece is moved to: the same weekday and time in it, or,
// for a piece without a day, the first free slot of its channel.
func weekOfForm(b *newsroom.Setup, board *plan.Board, p *relay.Piece, text string) (day.Moment, error) {
	from, err := day.ParseDate(text)
	if err != nil {
		return 0, input("week", "Write the first day of the week like 2026-11-30.")
	}
	if at := board.InWeek(p, from); at != 0 {
		return at, nil
	}
	return 0, input("week", "No slot of "+b.Channel(p.ChannelID).Name+" is free in that week. Choose a day by hand.")
}

func dateOf(form url.Values, key, what string) (day.Date, error) {
	s := strings.TrimSpace(form.Get(key))
	if s == "" {
		return 0, nil
	}
	d, err := day.ParseDate(s)
	if err != nil {
		return 0, input(key, "Write "+what+" like 2026-12-03.")
	}
	return d, nil
}

func awayOf(form url.Values) ([]plan.Change, error) {
	c := plan.Change{Do: plan.DoAway, Person: int64At(form, "person"), Note: form.Get("note")}
	var err error
	if c.Date, err = dateOf(form, "from", "the first day"); err != nil {
		return nil, err
	}
	if c.To, err = dateOf(form, "to", "the last day"); err != nil {
		return nil, err
	}
	if c.To == 0 {
		c.To = c.Date
	}
	return []plan.Change{c}, nil
}
