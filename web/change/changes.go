package change

import (
	"encoding/json"
	"net/url"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// changesOf reads the changes that a form asks for; its field "do" says which kind.
func changesOf(b *newsroom.Setup, board *plan.Board, form url.Values) ([]plan.Change, error) {
	do := form.Get("do")
	if do == "plan" {
		var changes []plan.Change
		if err := json.Unmarshal([]byte(form.Get("changes")), &changes); err != nil {
			return nil, kit.Input("", "The changes were not understood. Go back and choose again.")
		}
		return changes, nil
	}
	if do == "many" {
		return kit.ManyOf(board, form)
	}
	if do == "away" {
		return awayOf(form)
	}
	if do == "aways" {
		return spansOf(form)
	}
	if do == "row" {
		channel, from := kit.Int[ref.Channel](form, "channel"), kit.Int[day.Moment](form, "from")
		if form.Get("way") == "later" {
			out := board.Row(channel, from)
			if len(out) == 0 {
				return nil, kit.Input("", "No piece is on a slot from there on, so nothing would move.")
			}
			return out, nil
		}
		out := board.Close(channel, board.Gap(channel, from), plan.Closing{Until: kit.Int[ref.Piece](form, "until"), Ready: form.Get("ready") != ""})
		if len(out) == 0 {
			return nil, kit.Input("", "The next slot is open too, or what is on it is ready and stays, so nothing would move.")
		}
		return out, nil
	}
	p := board.Piece(kit.Int[ref.Piece](form, "piece"))
	if p == nil {
		return nil, &relay.Refusal{Reason: relay.ErrNotNow, Text: "This piece is not under way any more. Look at it again."}
	}
	if do == "swap" {
		other := board.Piece(kit.Int[ref.Piece](form, "with"))
		if other == nil || other.GoesOut == 0 || p.GoesOut == 0 {
			return nil, kit.Input("with", "Choose a piece that has a day.")
		}
		if other.ChannelID != p.ChannelID {
			return nil, kit.Input("with", "The two go out on different channels, so they cannot swap days. Choose another piece.")
		}
		return plan.Swap(p, other), nil
	}
	c := plan.Change{Do: plan.Do(do), Piece: p.ID, Leg: form.Get("leg")}
	var err error
	switch c.Do {
	case plan.DoMove:
		c.At, err = dayOfForm(b, board, p, form)
	case plan.DoGive:
		c.Person = kit.Int[ref.Person](form, "to")
	case plan.DoAllow:
		c.Days, err = kit.Whole(form, "days", "days", "the days", -1)
	case plan.DoPin:
		c.Date, err = kit.DateOf(form, "due", "the due date")
	case plan.DoNotBefore:
		c.Date, err = kit.DateOf(form, "not_before", "the day before which it does not begin")
	case plan.DoOverlap:
	default:
		return nil, kit.Input("", "This is no change that can be made. Go back and choose again.")
	}
	return []plan.Change{c}, err
}

// dayOfForm reads the day a piece is moved to: none, an exact time, or a date with
// the time of the channel's slot on it, or the time it goes out at now.
func dayOfForm(b *newsroom.Setup, board *plan.Board, p *relay.Piece, form url.Values) (day.Moment, error) {
	if form.Get("none") != "" {
		return 0, nil
	}
	if at := kit.Int[int64](form, "at"); at != 0 {
		return day.Moment(at), nil
	}
	if w := form.Get("week"); w != "" {
		return weekOfForm(b, board, p, w)
	}
	now, usual := board.Now, newsroom.Morning
	if p.GoesOut != 0 {
		usual = kit.MinutesOf(p.GoesOut.In(b.Zones[p.DeskID]))
	}
	at, err := kit.GoesOut(b, b.Format(p.FormatID), p.ChannelID, form, usual, now)
	if err == nil && at == 0 {
		err = kit.Input("day", "Choose a day, or press “Take its day away”.")
	}
	return at, err
}

// weekOfForm reads the week a piece is moved to: the same weekday and time in it, or,
// for a piece without a day, the first free slot of its channel.
func weekOfForm(b *newsroom.Setup, board *plan.Board, p *relay.Piece, text string) (day.Moment, error) {
	from, err := day.ParseDate(text)
	if err != nil {
		return 0, kit.Input("week", "Write the first day of the week like 2026-11-30.")
	}
	if at := board.InWeek(p, from); at != 0 {
		return at, nil
	}
	return 0, kit.Input("week", "No slot of "+b.Channel(p.ChannelID).Name+" is free in that week. Choose a day by hand.")
}

func awayOf(form url.Values) ([]plan.Change, error) {
	c := plan.Change{Do: plan.DoAway, Person: kit.Int[ref.Person](form, "person"), Note: form.Get("note")}
	var err error
	if c.Date, err = kit.DateOf(form, "from", "the first day"); err != nil {
		return nil, err
	}
	if c.To, err = kit.DateOf(form, "to", "the last day"); err != nil {
		return nil, err
	}
	if c.To == 0 {
		c.To = c.Date
	}
	return []plan.Change{c}, nil
}
