package setup

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/setup"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type channelView struct {
	Channel store.Channel
	New     bool
	Name    string
	Rests   []kit.Choice // what may become of its slots on days off
	Rest    string
	Slots   []slotView
	Form    slotForm
	Problem string
	Field   string
}

// slotView is a slot with a small sample of its coming dates.
type slotView struct {
	store.Slot
	Says   string
	Sample []string
}

// slotForm is a slot as it is typed: every so many weeks on some weekdays, or on
// certain days of the month, or as a recurrence rule.
type slotForm struct {
	ID                     ref.Slot
	How, Every, Days, Rule string
	Start, At              string
	Weekdays               []kit.Weekday
	Sample                 []string
}

// rests says what may become of a slot on a day off.
var rests = []kit.Choice{
	{Key: string(day.Rests), Name: "rest: nothing goes out"}, {Key: string(day.Anyway), Name: "go out all the same"},
	{Key: string(day.Before), Name: "move to the last working day before"}, {Key: string(day.After), Name: "move to the first working day after"},
}

var weekdayCodes = [...]string{"SU", "MO", "TU", "WE", "TH", "FR", "SA"}

// slotsOf gives the slots of a channel that are in use.
func slotsOf(b *newsroom.Setup, ch store.Channel, now day.Moment) []slotView {
	var out []slotView
	for _, x := range b.Reference.Slots {
		if x.ChannelID == ch.ID && !x.Retired {
			out = append(out, newSlotView(b, x, now, 6))
		}
	}
	return out
}

func newSlotView(b *newsroom.Setup, x store.Slot, now day.Moment, n int) slotView {
	v := slotView{Slot: x, Says: sayRule(x.Rule) + " at " + english.Clock(x.At)}
	times, err := setup.SlotSample(b, x, now, n)
	if err == nil { // a slot is checked before it is stored
		v.Sample = sampleText(b, x.ChannelID, times)
	}
	return v
}

func sampleText(b *newsroom.Setup, channel ref.Channel, times []day.Moment) []string {
	var out []string
	zone := b.Zones[b.Channel(channel).DeskID]
	for _, t := range times {
		out = append(out, t.In(zone).Format("Mon 2 Jan 15:04"))
	}
	return out
}

// sayRule says a recurrence rule in words where it is one that the form makes.
func sayRule(rule string) string {
	f := formOfRule(rule)
	var on []string
	for _, w := range f.Weekdays {
		if w.Works {
			on = append(on, w.Name)
		}
	}
	switch {
	case f.How == "rule":
		return rule
	case f.How == "month":
		return "Day " + f.Days + " of the month"
	case f.Every == "1":
		return english.And(on)
	case f.Every == "2":
		return "Every second " + english.And(on)
	}
	return "Every " + f.Every + " weeks on " + english.And(on)
}

// The rules that readSlot makes of weeks and of days of the month. A rule that says
// anything else, such as when it ends, is shown as it is, so that nothing of it is lost.
var (
	byWeeks = regexp.MustCompile(`^FREQ=WEEKLY(?:;INTERVAL=([2-9]|[1-4]\d|5[0-2]))?;BYDAY=((?:SU|MO|TU|WE|TH|FR|SA)(?:,(?:SU|MO|TU|WE|TH|FR|SA))*)$`)
	byMonth = regexp.MustCompile(`^FREQ=MONTHLY;BYMONTHDAY=([-\d,]+)$`)
)

// formOfRule shows a recurrence rule in the form of a slot.
func formOfRule(rule string) slotForm {
	f := slotForm{How: "rule", Every: "1", Rule: rule}
	if rule == "" { // a new slot
		f.How = "week"
	}
	var on []string
	if m := byWeeks.FindStringSubmatch(rule); m != nil {
		f.How, f.Every = "week", cmp.Or(m[1], "1")
		for _, d := range strings.Split(m[2], ",") {
			on = append(on, strconv.Itoa(slices.Index(weekdayCodes[:], d)))
		}
	} else if m := byMonth.FindStringSubmatch(rule); m != nil {
		f.How, f.Days = "month", strings.ReplaceAll(m[1], ",", ", ")
	}
	f.Weekdays = kit.Weekdays(on)
	return f
}

// readSlot reads a slot from its form.
func readSlot(form url.Values, channel ref.Channel) (store.Slot, slotForm, error) {
	f := slotForm{
		ID: kit.Int[ref.Slot](form, "slot"), How: form.Get("how"), Every: form.Get("every"), Days: form.Get("days"), Rule: strings.TrimSpace(form.Get("rule")),
		Start: form.Get("start"), At: form.Get("at"), Weekdays: kit.Weekdays(form["weekday"]),
	}
	x := store.Slot{ID: f.ID, ChannelID: channel}
	var err error
	if x.At, err = day.Minutes(strings.TrimSpace(f.At)); err != nil {
		return x, f, kit.Input("at", "Write the time like 08:00.")
	}
	if x.Start, err = kit.DateOf(form, "start", "the first day"); err != nil {
		return x, f, err
	}
	switch f.How {
	case "week":
		n, err := kit.Whole(form, "every", "every", "the weeks between", 1)
		if err != nil || n < 1 || n > 52 {
			return x, f, kit.Input("every", "It comes every 1 to 52 weeks.")
		}
		var on []string
		for _, w := range f.Weekdays {
			if w.Works {
				on = append(on, weekdayCodes[w.Index])
			}
		}
		if on == nil {
			return x, f, kit.Input("weekday", "Tick at least one weekday.")
		}
		x.Rule = "FREQ=WEEKLY;BYDAY=" + strings.Join(on, ",")
		if n > 1 {
			x.Rule = fmt.Sprintf("FREQ=WEEKLY;INTERVAL=%d;BYDAY=%s", n, strings.Join(on, ","))
		}
	case "month":
		var on []string
		for _, d := range strings.FieldsFunc(f.Days, func(r rune) bool { return r == ',' || r == ' ' }) {
			n, err := strconv.Atoi(d)
			if err != nil || n == 0 || n < -31 || n > 31 {
				return x, f, kit.Input("days", fmt.Sprintf("“%s” is no day of the month. Write days like 1, 15; -1 is the last.", d))
			}
			on = append(on, strconv.Itoa(n))
		}
		if on == nil {
			return x, f, kit.Input("days", "Write the days of the month like 1, 15; -1 is the last.")
		}
		x.Rule = "FREQ=MONTHLY;BYMONTHDAY=" + strings.Join(on, ",")
	default:
		x.Rule = f.Rule
	}
	return x, f, nil
}

func (s *Section) channelPage(c *echo.Context) error {
	return s.showChannel(c, http.StatusOK, nil, nil, nil)
}

// channelOf finds the channel of an address on the desk that is looked at.
func (s *Section) channelOf(c *echo.Context, b *newsroom.Setup) (store.Channel, error) {
	if c.Param("id") == "new" {
		return store.Channel{DeskID: kit.Here(c)}, nil
	}
	id, err := kit.ID[ref.Channel](c)
	ch := b.Channel(id)
	if err != nil || ch.ID == 0 || ch.DeskID != kit.Here(c) {
		return ch, newsroom.ErrNotFound
	}
	return ch, nil
}

func (s *Section) showChannel(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values, f *slotForm) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	ch, err := s.channelOf(c, b)
	if err != nil {
		return err
	}
	v := channelView{Channel: ch, New: ch.ID == 0, Name: ch.Name, Slots: slotsOf(b, ch, s.Newsroom.Now()), Rests: rests, Rest: string(ch.Rests)}
	if typed != nil {
		v.Name, v.Rest = typed.Get("name"), typed.Get("rests")
	}
	if f == nil {
		x := store.Slot{Start: s.Newsroom.Now().Date(b.Zones[kit.Here(c)]), At: 8 * 60}
		for _, y := range b.Reference.Slots {
			if y.ID == kit.Int[ref.Slot](c.QueryParams(), "slot") && y.ChannelID == ch.ID {
				x = y
			}
		}
		form := formOfRule(x.Rule)
		form.ID, form.Start, form.At = x.ID, x.Start.String(), english.Clock(x.At)
		f = &form
	}
	v.Form = *f
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	title := "New channel"
	if !v.New {
		title = ch.Name
	}
	return s.Show(c, status, "channel", title, v)
}

// saveChannel stores the name of a channel, retires it, or makes one.
func (s *Section) saveChannel(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.channelOf, func(_ *newsroom.Setup, ch store.Channel, form url.Values) (string, error) {
		ch.Name, ch.Retired, ch.Rests = form.Get("name"), form.Get("retired") == "yes", day.Rest(form.Get("rests"))
		id, err := s.Settings.SaveChannel(c.Request().Context(), kit.Me(c).ID, ch)
		if err != nil {
			return "", err
		}
		s.Say(c, "Saved.")
		return fmt.Sprintf("/channels/%d", id), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error {
		return s.showChannel(c, status, r, typed, nil)
	})
}

// saveSlot stores a slot of a channel, retires it, or only shows its coming dates.
func (s *Section) saveSlot(c *echo.Context) error {
	var typed slotForm
	return kit.SetUp(s.Server, c, s.channelOf, func(b *newsroom.Setup, ch store.Channel, form url.Values) (string, error) {
		id := kit.Int[ref.Slot](form, "slot")
		at := slices.IndexFunc(b.Reference.Slots, func(y store.Slot) bool { return y.ID == id && y.ChannelID == ch.ID })
		if ch.ID == 0 || id != 0 && at < 0 {
			return "", newsroom.ErrNotFound
		}
		var x store.Slot
		var err error
		if x, typed, err = readSlot(form, ch.ID); form.Get("do") == "retire" && at >= 0 {
			x, err = b.Reference.Slots[at], nil
			x.Retired = true
		}
		if err != nil {
			return "", err
		}
		if form.Get("do") == "sample" {
			times, err := setup.SlotSample(b, x, s.Newsroom.Now(), 12)
			if err != nil {
				return "", kit.Input("rule", english.UpperFirst(err.Error())+".")
			}
			typed.Sample = sampleText(b, ch.ID, times)
			return "", s.showChannel(c, http.StatusOK, nil, nil, &typed)
		}
		if err := s.Settings.SaveSlot(c.Request().Context(), kit.Me(c).ID, x); err != nil {
			return "", err
		}
		if s.Say(c, "The slot is saved."); x.Retired {
			s.Say(c, "The slot is retired; pieces that have a day keep it.")
		}
		return fmt.Sprintf("/channels/%d", ch.ID), nil
	}, func(status int, r *relay.Refusal, _ url.Values) error {
		return s.showChannel(c, status, r, nil, &typed)
	})
}
