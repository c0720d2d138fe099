package kit

import (
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/figure"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// ManyOf reads the changes that the list asks for several pieces at once: their running
// legs given to somebody, their days shifted by working days, or taken away.
func ManyOf(board *plan.Board, form url.Values) ([]plan.Change, error) {
	var out []plan.Change
	shift, err := figure.Whole(form.Get("shift"))
	if form.Get("what") == "shift" && (err != nil || shift < -250 || shift > 250 || shift == 0) {
		return nil, Input("shift", "Write by how many working days they move, like 2 or -1.")
	}
	for _, id := range Ids[ref.Piece](strings.Join(form["pieces"], ",")) {
		p := board.Piece(id)
		if p == nil || p.Stage != relay.UnderWay {
			continue
		}
		switch form.Get("what") {
		case "give":
			for _, l := range p.Running() {
				if to := Int[ref.Person](form, "to"); l.Holder != to {
					out = append(out, plan.Change{Do: plan.DoGive, Piece: id, Leg: l.Key, Person: to})
				}
			}
		case "shift":
			if p.GoesOut == 0 {
				continue
			}
			out = append(out, plan.Change{Do: plan.DoMove, Piece: id, At: board.Desk(p).Later(p, shift)})
		case "none":
			if p.GoesOut != 0 {
				out = append(out, plan.Change{Do: plan.DoMove, Piece: id})
			}
		}
	}
	if len(out) == 0 {
		return nil, Input("pieces", "On these pieces nothing would change.")
	}
	return out, nil
}

// Input refuses what was typed in a field, with a sentence that says what to do.
func Input(field, text string) error {
	return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: text}
}

// DateOf reads a date from a form, 0 where none is typed; what says what it is the date of.
func DateOf(form url.Values, key, what string) (day.Date, error) {
	s := strings.TrimSpace(form.Get(key))
	if s == "" {
		return 0, nil
	}
	d, err := day.ParseDate(s)
	if err != nil {
		return 0, Input(key, "Write "+what+" like 2026-12-03.")
	}
	return d, nil
}

// Lines gives typed text with line breaks of one kind and no space around it.
func Lines(s string) string { return strings.TrimSpace(strings.ReplaceAll(s, "\r\n", "\n")) }

// PerPage is how many lines the inbox, the logbooks and the post room show at once.
const PerPage = 50

// Option is an entry of a select: what is sent, and what is read.
type Option struct{ Value, Name string }

// Ints reads all whole numbers under a key, leaving out what is none.
func Ints[T ~int64](q url.Values, key string) []T {
	var out []T
	for _, v := range q[key] {
		if n, err := strconv.ParseInt(v, 10, 64); err == nil {
			out = append(out, T(n))
		}
	}
	return out
}

// Int reads a whole number, 0 where there is none.
func Int[T ~int | ~int64](q url.Values, key string) T {
	n, err := strconv.ParseInt(q.Get(key), 10, 64)
	if err != nil {
		return 0
	}
	return T(n)
}

// Version reads the version of a piece that a form was made of.
func Version(form url.Values) int { return Int[int](form, "version") }

// GoesOut reads the day and time of a form; a day without a time gets that of the
// channel's slot on it, or, where there is none, the usual one in minutes after
// midnight. A day that is past or too far away is refused.
func GoesOut(b *newsroom.Setup, f store.Format, channel ref.Channel, form url.Values, usual int, now day.Moment) (day.Moment, error) {
	date, clock := strings.TrimSpace(form.Get("date")), strings.TrimSpace(form.Get("time"))
	if date == "" {
		return 0, nil
	}
	bad := func(text string) (day.Moment, error) {
		return 0, &relay.Refusal{Reason: relay.ErrInput, Field: "day", Text: text}
	}
	d, err := day.ParseDate(date)
	if err != nil {
		return bad("Write the day like 2026-12-03.")
	}
	zone := b.Zones[f.DeskID]
	if zone == nil {
		return 0, nil // no format chosen yet
	}
	if err := relay.CheckTime(day.Wall(d, 24*60-1, zone), now); err != nil {
		return 0, err
	}
	minutes := b.Minutes(channel, d, usual)
	if clock != "" {
		if minutes, err = day.Minutes(clock); err != nil {
			return bad("Write the time like 08:00.")
		}
	}
	return day.Wall(d, minutes, zone), nil
}

// MinutesOf gives the minutes since midnight.
func MinutesOf(t time.Time) int { return t.Hour()*60 + t.Minute() }

// PartnerTick is a partner to tick.
type PartnerTick struct {
	ID   int64
	Name string
	Is   bool
}

// IdsTyped reads the numbers of ticked boxes.
func IdsTyped[T ~int64](xs []string) []T {
	var out []T
	for _, x := range xs {
		if id, err := strconv.ParseInt(x, 10, 64); err == nil {
			out = append(out, T(id))
		}
	}
	return out
}

// ID reads the number in an address; ErrNotFound where it is none.
func ID[T ~int64](c *echo.Context) (T, error) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return 0, newsroom.ErrNotFound
	}
	return T(id), nil
}

// Choice is an entry of a select.
type Choice struct{ Key, Name string }

// FieldName is a named field that may stand in words, and what stands there then.
type FieldName struct{ Name, Says string }

// Yes writes a box as forms send it: yes, or nothing.
func Yes(b bool) string {
	if b {
		return "yes"
	}
	return ""
}

// Str writes a whole number as a form sends it.
func Str[T ~int | ~int64](n T) string { return strconv.FormatInt(int64(n), 10) }

// Ids reads numbers parted by commas.
func Ids[T ~int64](s string) []T {
	var out []T
	for p := range strings.SplitSeq(s, ",") {
		if id, err := strconv.ParseInt(strings.TrimSpace(p), 10, 64); err == nil {
			out = append(out, T(id))
		}
	}
	return out
}

// Weekday is a day of the week to tick, and whether it is worked.
type Weekday struct {
	Name, Value string
	Works       bool
	Index       int
}

// Weekdays gives the days of the week, Monday first, with those that are ticked.
func Weekdays(ticked []string) []Weekday {
	var out []Weekday
	for k := range 7 {
		i := (k + 1) % 7
		v := strconv.Itoa(i)
		out = append(out, Weekday{[...]string{"Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"}[i], v, slices.Contains(ticked, v), i})
	}
	return out
}

// Zones are offered for the time zone; any other can be typed.
var Zones = []string{
	"Europe/London", "Europe/Dublin", "Europe/Amsterdam", "Europe/Berlin", "Europe/Lisbon", "Europe/Madrid", "Europe/Paris", "Europe/Rome", "Europe/Vienna", "Europe/Zurich",
	"America/Chicago", "America/Denver", "America/Los_Angeles", "America/New_York", "America/Toronto", "Asia/Kolkata", "Asia/Singapore", "Asia/Tokyo", "Australia/Sydney", "Pacific/Auckland", "UTC",
}
