package regulars

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/regular"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	room "greenbaton/newsroom/regular"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// formView is the page of one regular.
type formView struct {
	Form           url.Values
	ID             ref.Regular // 0 of a new one
	Name           string
	Paused, Ended  bool
	Formats        []store.Format
	Channels       []store.Channel
	Owners         []store.Person
	Topics         []store.Topic
	Campaigns      []store.Campaign
	Weekdays       []kit.Weekday
	Kinds          []kit.Option
	Nths           []kit.Option
	Shorts         []kit.Option
	Rests          []kit.Option
	Plan           planView
	Problem, Field string
}

// planView is what follows from a regular as it stands in the form.
type planView struct {
	Shown   bool
	Format  ref.Format
	Problem string
	Answer  string
	Late    string // that it is made too late for its route
	Again   string // how many that nobody has begun would be made anew
	Legs    []legRow
	Days    []dayRow
	More    string
	Kept    []kit.Option // single dates of the form that are not among the days shown
	Effects []kit.Sentence
}

type legRow struct {
	Key, Name, Fits string
	Holder          ref.Person
	People          []store.Person
}

type dayRow struct {
	Key, On, Title string
	Says, Tone     string // what is to be known of it
	Out, Added     bool
	Moved          string
	Fixed          bool // its piece is made: neither left out nor moved here
	Link           string
}

// On gives the channels that a format goes out on, as the page's script reads them.
func (v formView) On(f store.Format) string {
	var out []string
	for _, c := range v.Channels {
		if f.GoesOn(c.ID) {
			out = append(out, kit.Str(c.ID))
		}
	}
	return strings.Join(out, " ")
}

// Is reports whether a field of the form has a value.
func (v formView) Is(field string, value any) bool { return v.Form.Get(field) == fmt.Sprint(value) }

func (s *Section) newRegular(c *echo.Context) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	today := s.Newsroom.Now().Date(b.Zones[kit.Here(c)])
	form := url.Values{"kind": {string(regular.Weekly)}, "every": {"1"}, "first": {(today + 1).String()}, "last": {day.NewDate((today + 1).Year(), time.December, 31).String()}, "ahead": {"4"}, "n": {"1"}, "nth": {"1"}, "wd": {"1"}}
	return s.show(c, http.StatusOK, form, nil)
}

func (s *Section) regular(c *echo.Context) error {
	id, err := kit.ID[ref.Regular](c)
	if err != nil {
		return err
	}
	r, err := s.Regulars.Regular(c.Request().Context(), kit.Me(c).ID, kit.Here(c), id)
	if err != nil {
		return err
	}
	form, err := typed(r)
	if err != nil {
		return err
	}
	return s.show(c, http.StatusOK, form, nil)
}

// plan gives the part of the page that follows from what is in the form.
func (s *Section) plan(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	v, err := s.planView(c, form)
	if err != nil {
		return err
	}
	return s.Render(c, http.StatusOK, "regular", "regular-plan", v)
}

func (s *Section) show(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	desk := kit.Here(c)
	v := formView{
		Form: form, ID: kit.Int[ref.Regular](form, "id"), Formats: b.FormatsOf(desk), Channels: b.ChannelsOf(desk), Owners: b.Owners(desk), Topics: b.TopicsOf(desk), Campaigns: b.CampaignsOf(desk), Weekdays: kit.Weekdays(form["weekday"]),
		Kinds:  []kit.Option{{Value: string(regular.Weekly), Name: "On weekdays"}, {Value: string(regular.Monthly), Name: "On a day of the month"}, {Value: string(regular.Nth), Name: "On the first, second, … of a weekday in the month"}, {Value: string(regular.Last), Name: "On the last working day of the month"}},
		Nths:   []kit.Option{{Value: "1", Name: "first"}, {Value: "2", Name: "second"}, {Value: "3", Name: "third"}, {Value: "4", Name: "fourth"}, {Value: "-1", Name: "last"}},
		Shorts: []kit.Option{{Value: string(regular.LastDay), Name: "its last day instead"}, {Value: string(regular.LeftOut), Name: "left out"}},
		Rests:  []kit.Option{{Value: string(day.Rests), Name: "left out"}, {Value: string(day.Before), Name: "the working day before"}, {Value: string(day.After), Name: "the working day after"}, {Value: string(day.Anyway), Name: "anyway"}},
	}
	if v.ID != 0 {
		r, err := s.Regulars.Regular(ctx, kit.Me(c).ID, desk, v.ID)
		if err != nil {
			return err
		}
		v.Name, v.Paused, v.Ended = r.Name, r.Paused, r.Ended
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	if v.Plan, err = s.planView(c, form); err != nil {
		return err
	}
	title := v.Name
	if v.ID == 0 {
		title = "New regular"
	}
	return s.Show(c, status, "regular", title, v)
}

// listed is how many days to come are shown.
const listed = 14

func (s *Section) planView(c *echo.Context, form url.Values) (planView, error) {
	ctx := c.Request().Context()
	v := planView{Format: kit.Int[ref.Format](form, "format")}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil || v.Format == 0 {
		return v, err
	}
	f := b.Format(v.Format)
	for _, l := range b.Latest(v.Format).Way.Legs {
		holder := kit.Int[ref.Person](form, "holder-"+l.Key)
		v.Legs = append(v.Legs, legRow{Key: l.Key, Name: l.Name, Holder: holder, People: kit.Suited(b, f.DeskID, l.Role, holder)})
	}
	v.Shown = true
	r, err := read(b, kit.Here(c), form)
	var got room.Outlook
	if err == nil {
		got, err = s.Regulars.Preview(ctx, kit.Me(c).ID, r, 54)
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason == relay.ErrInput {
		v.Problem = refusal.Text
		return v, nil
	} else if err != nil {
		return v, err
	}
	rule, err := r.Recurs()
	if err != nil {
		return v, err
	}
	v.fill(b, r, rule, got)
	v.keep(rule)
	v.Effects = kit.SaidShifts(b, got.Shifts)
	return v, nil
}

// fill says what follows from a regular.
func (v *planView) fill(b *newsroom.Setup, r store.Regular, rule regular.Rule, got room.Outlook) {
	now, later, comes, short := 0, 0, 0, 0
	for _, d := range got.Days {
		now += kit.Bit(d.State == room.Due)
		comes += kit.Bit(d.State == room.Due || d.State == room.Later || d.State == room.Made)
		later += kit.Bit(d.State == room.Later)
		short += kit.Bit(d.State == room.Due && d.Pace == plan.Short)
		if d.State == room.Past {
			continue
		}
		if len(v.Days) == listed {
			v.More = "more"
			continue
		}
		v.Days = append(v.Days, rowOfDay(b, rule, d))
	}
	v.Answer = english.UpperFirst(rule.Say()) + ": " + english.Plural(comes, "piece") + " in the next year"
	switch {
	case now > 0:
		v.Answer += fmt.Sprintf(", %s made at once.", english.Count(now, "piece"))
	case later > 0:
		v.Answer += ", none of them made at once."
	default:
		v.Answer += ", all of them made."
	}
	if v.More != "" {
		v.More = fmt.Sprintf("and %s in the next year.", english.Plural(len(got.Days)-listed, "more day"))
	}
	if weeks := (got.Needs + 4) / 5; got.Needs > 0 && weeks > r.Ahead {
		v.Late = fmt.Sprintf("Its route takes %s. Made %s ahead, each begins short; it wants %d.", english.Plural(got.Needs, "working day"), english.Plural(r.Ahead, "week"), weeks)
	} else if short > 0 {
		v.Late = fmt.Sprintf("Of those made at once, %s short.", english.Count(short, "piece")+" "+english.Verb(short, "is", "are"))
	}
	if got.Again > 0 {
		v.Again = english.Count(got.Again, "piece") + " that nobody has begun"
	}
}

// keep notes the single dates that are in no row, so that the form goes on saying them.
func (v *planView) keep(rule regular.Rule) {
	shown := func(d day.Date) bool {
		return slices.ContainsFunc(v.Days, func(r dayRow) bool { return r.Key == d.String() && !r.Fixed })
	}
	for name, dates := range map[string][]day.Date{"out": rule.Out, "added": rule.Added} {
		for _, d := range dates {
			if !shown(d) {
				v.Kept = append(v.Kept, kit.Option{Name: name, Value: d.String()})
			}
		}
	}
	for key, to := range rule.Moved {
		if !shown(key) {
			v.Kept = append(v.Kept, kit.Option{Name: "move-" + key.String(), Value: to.String()})
		}
	}
	slices.SortFunc(v.Kept, func(x, y kit.Option) int { return strings.Compare(x.Name+x.Value, y.Name+y.Value) })
}

// rowOfDay says what is to be known of a day to come.
func rowOfDay(b *newsroom.Setup, rule regular.Rule, d room.Coming) dayRow {
	r := dayRow{Key: d.Key.String(), On: english.Date(d.On), Title: d.Title, Out: slices.Contains(rule.Out, d.Key), Added: d.Why == regular.WasAdded, Tone: "muted"}
	if to, ok := rule.Moved[d.Key]; ok {
		r.Moved = to.String()
	}
	switch d.State {
	case room.Made:
		r.Says, r.Fixed, r.Link = "made", true, fmt.Sprintf("/pieces/%d", d.Piece)
	case room.LeftOut:
		r.Says = "left out"
		if d.Holiday != "" {
			r.Says = "left out: " + d.Holiday
		}
	case room.Taken:
		r.Says, r.Tone = "“"+d.With[0].Title+"” has this time, so none is made", "noroom"
	case room.Due:
		st := store.Standing{Pace: d.Pace, InHand: d.InHand}
		r.Says, r.Tone = "made at once: "+english.LowerFirst(newsroom.SayPace(st)), kit.Tone(st)
	}
	if d.NoSlot && (d.State == room.Due || d.State == room.Later) {
		r.Says = strings.TrimPrefix(r.Says+"; its channel has no slot then", "; ")
	}
	switch {
	case d.Why == regular.WasMoved:
		r.Says = strings.TrimSuffix("moved from "+english.Date(d.Key)+"; "+r.Says, "; ")
	case d.Holiday != "" && d.State != room.LeftOut:
		r.Says = strings.TrimSuffix(fmt.Sprintf("for %s, %s; ", english.Date(d.Key), d.Holiday)+r.Says, "; ")
	case d.Why == regular.WasAdded:
		r.Says = strings.TrimSuffix("added; "+r.Says, "; ")
	}
	return r
}

func (s *Section) save(c *echo.Context) error {
	return kit.SetUp(s.Server, c, func(c *echo.Context, _ *newsroom.Setup) (ref.Regular, error) {
		if c.Param("id") == "new" {
			return 0, nil
		}
		return kit.ID[ref.Regular](c)
	}, func(b *newsroom.Setup, id ref.Regular, form url.Values) (string, error) {
		if form.Get("do") == "plan" { // the way without scripts
			return "", s.show(c, http.StatusOK, form, nil)
		}
		r, err := read(b, kit.Here(c), form)
		if err != nil {
			return "", err
		}
		r.ID = id
		got, err := s.Regulars.Save(c.Request().Context(), kit.Me(c).ID, r, room.Change{Anew: form.Get("anew") == "yes", Seen: form.Get("seen")})
		if err != nil {
			return "", err
		}
		says := "It is kept."
		if n := len(got.Made); n > 0 {
			says += " " + english.UpperFirst(english.Count(n, "piece")) + " " + english.Verb(n, "was", "were") + " made at once."
		}
		if got.Gone > 0 {
			says += fmt.Sprintf(" In exchange %s that nobody had begun %s taken back.", english.Count(got.Gone, "piece"), english.Verb(got.Gone, "was", "were"))
		}
		s.Say(c, "%s", says)
		return "/regulars", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.show(c, status, typed, r) })
}

func (s *Section) set(c *echo.Context) error {
	id, err := kit.ID[ref.Regular](c)
	if err != nil {
		return err
	}
	do := c.FormValue("do")
	made, err := s.Regulars.Set(c.Request().Context(), kit.Me(c).ID, kit.Here(c), id, do == "pause", do == "end")
	if err != nil {
		return err
	}
	switch do {
	case "pause":
		s.Say(c, "It is paused. What is made stays; nothing more is made until it goes on.")
	case "end":
		s.Say(c, "It has ended. What is made stays.")
	default:
		s.Say(c, "It goes on. %s made at once.", english.UpperFirst(english.Count(len(made), "piece"))+" "+english.Verb(len(made), "was", "were"))
	}
	s.Newsroom.Refresh(c.Request().Context())
	return c.Redirect(http.StatusSeeOther, "/regulars")
}

func (s *Section) adopt(c *echo.Context) error {
	id, err := kit.ID[ref.Regular](c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	key, err := day.ParseDate(form.Get("key"))
	if err != nil {
		return newsroom.ErrNotFound
	}
	if err := s.Regulars.Adopt(c.Request().Context(), kit.Me(c).ID, kit.Here(c), id, key, kit.Int[ref.Piece](form, "piece")); err != nil {
		return err
	}
	s.Say(c, "That piece is the one of this day now.")
	return c.Redirect(http.StatusSeeOther, "/regulars")
}
