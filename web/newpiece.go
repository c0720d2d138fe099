package web

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
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

type newPieceView struct {
	Title, Date, Time, Brief, From, To string
	Format, Owner, Channel             int64
	Topic, Campaign, Idea              int64
	Like                               *relay.Piece // whose shape it takes
	Edition                            bool         // it is another edition of it
	Topics                             []store.Topic
	Campaigns                          []store.Campaign
	Formats                            []store.Format
	Channels                           []store.Channel
	Owners                             []store.Person
	Plan                               planView
	Problem, Field                     string
}

// planView is the part of the page that follows from format and day.
type planView struct {
	Shown   bool
	Format  int64
	Answer  string // whether it makes its day, or the earliest it could go out
	Tone    string
	Slots   []slotOption
	Legs    []planLeg
	People  []store.Person
	Problem string
	Effects []sentence // what it does to people
}

// slotOption is a free slot that is offered; one is too soon if the legs do not fit before it.
type slotOption struct {
	Date, Time, Name string
	TooSoon          bool
}

type planLeg struct {
	relay.Leg
	Starts, Due, Ends string
	Past              bool // its due date is past already
	Optional          bool
	Needed            bool
	Fits, Tone        string // what the leg does to its holder
	Better            string // who would be better
}

// maker lets through who may make pieces.
func (s *Server) maker(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		b, err := s.Newsroom.Setup(c.Request().Context())
		if err != nil {
			return err
		}
		p := me(c)
		if len(p.Desks) == 0 || !planning.MayCreate(b.Who(p.ID, here(c))) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Only leads and staff of the desk make pieces. Ask your lead to make it."}
		}
		return next(c)
	}
}

func (s *Server) newPiece(c *echo.Context) error {
	form := url.Values{"owner": {fmt.Sprint(me(c).ID)}}
	for _, k := range []string{"title", "format", "date", "time", "channel", "campaign"} {
		form.Set(k, c.QueryParam(k))
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	if id := int64At(c.QueryParams(), "idea"); id != 0 {
		r, _, err := s.Newsroom.Intake.Idea(c.Request().Context(), me(c).ID, id)
		if err != nil {
			return err
		}
		form.Set("idea", str(id))
		form.Set("title", r.Title)
		form.Set("brief", r.Notes)
	}
	if id := int64At(c.QueryParams(), "from"); id != 0 {
		d, err := s.Newsroom.Planning.Again(c.Request().Context(), me(c).ID, id, c.QueryParam("edition") != "")
		if err != nil {
			return err
		}
		fromPiece(form, d)
	}
	if ch := int64At(form, "channel"); ch != 0 && form.Get("format") == "" { // the only format that goes out there
		if fs := slices.DeleteFunc(b.FormatsOf(here(c)), func(f store.Format) bool { return f.ChannelID != ch }); len(fs) == 1 {
			form.Set("format", str(fs[0].ID))
		}
	}
	return s.showNewPiece(c, http.StatusOK, form, nil)
}

// fromPiece fills a form in with a draft in the shape of another piece.
func fromPiece(form url.Values, d planning.Draft) {
	for k, v := range map[string]int64{"format": d.Format, "channel": d.Channel, "owner": d.Owner, "topic": d.Topic, "piece": d.From} {
		form.Set(k, str(v))
	}
	form.Set("title", d.Title)
	form.Set("brief", d.Brief)
	form.Set("from", str(d.WordsFrom))
	form.Set("to", str(d.WordsTo))
	if d.Edition {
		form.Set("edition", "yes")
	}
}

func (s *Server) makePiece(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	if form.Get("do") == "plan" { // the way without scripts
		return s.showNewPiece(c, http.StatusOK, form, nil)
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	d, err := s.draft(c, b, form)
	var id int64
	if err == nil {
		id, err = s.Newsroom.Intake.Create(c.Request().Context(), me(c).ID, d)
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		return s.showNewPiece(c, statusOf(refusal), form, refusal)
	} else if err != nil {
		return err
	}
	s.say(c, "“%s” is made, and its first leg has begun.", d.Title)
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/pieces/%d", id))
}

// newPiecePlan gives the part of the page that follows from format and day.
func (s *Server) newPiecePlan(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	v, err := s.planView(c, b, form)
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "newpiece", "plan", v)
}

func (s *Server) showNewPiece(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	v := newPieceView{
		Title: form.Get("title"), Date: form.Get("date"), Time: form.Get("time"), Brief: form.Get("brief"), From: form.Get("from"), To: form.Get("to"),
		Format: int64At(form, "format"), Owner: int64At(form, "owner"), Channel: int64At(form, "channel"), Channels: b.ChannelsOf(here(c)), Formats: b.FormatsOf(here(c)),
	}
	v.Owners = b.Owners(here(c))
	if id := int64At(form, "piece"); id != 0 {
		if v.Like, err = s.Newsroom.Planning.Example(c.Request().Context(), me(c).ID, id); err != nil {
			return err
		}
		v.Edition = form.Get("edition") != ""
	}
	v.Topic, v.Campaign, v.Idea = int64At(form, "topic"), int64At(form, "campaign"), int64At(form, "idea")
	v.Topics, v.Campaigns = b.TopicsOf(here(c)), b.CampaignsOf(here(c))
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	if v.Plan, err = s.planView(c, b, form); err != nil {
		return err
	}
	return s.show(c, status, "newpiece", "New piece", v)
}

func (s *Server) planView(c *echo.Context, b *newsroom.Setup, form url.Values) (planView, error) {
	var v planView
	if int64At(form, "format") == 0 {
		return v, nil
	}
	d, err := s.draft(c, b, form)
	var p planning.Prospect
	if err == nil {
		p, err = s.Newsroom.Planning.Prospect(c.Request().Context(), me(c).ID, d)
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		v.Problem = refusal.Text
		return v, nil
	} else if err != nil {
		return v, err
	}
	house := b.Houses[p.Piece.DeskID]
	v.Shown, v.Format, v.People = true, p.Piece.FormatID, b.OnDesk(p.Piece.DeskID)
	today := s.Newsroom.Now().Date(house.Zone)
	for _, t := range p.Slots {
		at := t.In(house.Zone)
		v.Slots = append(v.Slots, slotOption{at.Format("2006-01-02"), at.Format("15:04"), at.Format("Mon 2 Jan, 15:04"), house.Ready(t.Date(house.Zone)) < p.Projection.Lands})
	}
	for i, l := range p.Piece.Legs {
		x := planLeg{
			Leg: l, Starts: newsroom.Short(house.Calendar.Day(p.Projection.Start[i])), Ends: newsroom.Short(house.Calendar.Due(p.Projection.End[i])), Due: newsroom.Short(l.Due),
			Past: l.Due != 0 && l.Due < today && l.State != relay.Skipped, Optional: l.Skip == route.SkipUnless, Needed: l.State != relay.Skipped,
		}
		if c, ok := p.Weight.Fits[l.Key]; ok {
			x.Fits, x.Tone = planning.SayCandidate(c), toneOfCandidate(c)
		}
		if c, ok := p.Weight.Better[l.Key]; ok {
			x.Better = b.Name(c.Person) + ": " + planning.SayCandidate(c)
		}
		v.Legs = append(v.Legs, x)
	}
	v.Effects = saidShifts(b, p.Weight.People)
	v.Answer, v.Tone = answer(b, p)
	return v, nil
}

// answer says whether a draft makes its day, and the earliest it could go out.
func answer(b *newsroom.Setup, p planning.Prospect) (string, string) {
	earliest := "There is no free slot in the next year that it could make."
	if p.CouldGoOut != 0 {
		earliest = "The earliest it could go out is " + b.At(p.CouldGoOut, p.Piece.DeskID) + "."
	}
	st := store.Standing{Pace: p.Projection.Pace, InHand: p.Projection.InHand}
	switch st.Pace {
	case plan.Unplaced:
		return earliest, "plain"
	case plan.Short:
		return fmt.Sprintf("%s: if everyone takes their days, it will miss %s. %s", newsroom.SayPace(st), b.At(p.Piece.GoesOut, p.Piece.DeskID), earliest), "short"
	case plan.NoRoom:
		return "No room: it makes its day if nobody takes a day longer.", "noroom"
	}
	return newsroom.SayPace(st) + " for " + b.At(p.Piece.GoesOut, p.Piece.DeskID) + ".", "good"
}

// draft reads the form of a new piece, and what it takes from the piece whose shape it has.
func (s *Server) draft(c *echo.Context, b *newsroom.Setup, form url.Values) (planning.Draft, error) {
	d, err := draftOf(b, me(c), form, s.Newsroom.Now())
	if err != nil || d.From == 0 {
		return d, err
	}
	was, err := s.Newsroom.Planning.Again(c.Request().Context(), me(c).ID, d.From, d.Edition)
	if err != nil {
		return d, err
	}
	d.Answers = was.Answers
	if d.Legs == nil && d.Format == was.Format {
		d.Needed = was.Needed
	}
	return d, nil
}

// draftOf reads the form of a new piece.
func draftOf(b *newsroom.Setup, who store.Person, form url.Values, now day.Moment) (planning.Draft, error) {
	d := planning.Draft{Title: form.Get("title"), Format: int64At(form, "format"), Channel: int64At(form, "channel"), Owner: int64At(form, "owner"), Brief: form.Get("brief"),
		Topic: int64At(form, "topic"), Campaign: int64At(form, "campaign"), Idea: int64At(form, "idea"), From: int64At(form, "piece"), Edition: form.Get("edition") != ""}
	f := b.Format(d.Format)
	if d.Owner == 0 {
		d.Owner = who.ID
	}
	var err error
	channel := d.Channel
	if channel == 0 {
		channel = f.ChannelID
	}
	if d.GoesOut, err = goesOut(b, f, channel, form, newsroom.Morning, now); err != nil {
		return d, err
	}
	if d.WordsFrom, err = whole(form, "from", "words", "the words asked for", f.WordsFrom); err != nil {
		return d, err
	}
	if d.WordsTo, err = whole(form, "to", "words", "the words asked for", f.WordsTo); err != nil {
		return d, err
	}
	if int64At(form, "planned") != d.Format { // the legs in the form are those of another format, or none
		return d, nil
	}
	d.Legs = map[string]planning.DraftLeg{}
	for _, l := range b.Latest(f.ID).Way.Legs {
		n, err := whole(form, "days-"+l.Key, "days-"+l.Key, "the days for "+l.Name, l.Allowance)
		if err != nil {
			return d, err
		}
		d.Legs[l.Key] = planning.DraftLeg{Holder: int64At(form, "holder-"+l.Key), Days: n, Needed: form.Get("needed-"+l.Key) != ""}
	}
	return d, nil
}

// goesOut reads the day and time of a form; a day without a time gets that of the
// channel's slot on it, or, where there is none, the usual one in minutes after
// midnight. A day that is past or too far away is refused.
func goesOut(b *newsroom.Setup, f store.Format, channel int64, form url.Values, usual int, now day.Moment) (day.Moment, error) {
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

func minutesOf(t time.Time) int { return t.Hour()*60 + t.Minute() }
