package ideas

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/intake"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

type sittingView struct {
	Answer    kit.Sentence
	Weeks     int           // ahead
	Spans     []kit.Setting // for how many
	Ideas     []sitIdea
	More      int
	Text      string
	Held      *sitIdea // whose slot is looked for
	Likes     []kit.LikeView
	Formats   []store.Format
	Topics    []store.Topic
	Campaigns []store.Campaign
	Form      url.Values
	Days      []sitDay
	Placed    []sitPlaced
	Over      []string // budgets that go over by all of it
	Mix       draw.MixView
	Targets   []sitTarget
	Back      string   // the address without the last that was put
	Puts      []string // as in the address
	Problem   string
	Stale     bool // what was put cannot be made as it stands
	Empty     string
}

type sitIdea struct {
	ID          ref.Idea
	Title, Says string
	Score       string
	Take        string // the address with it in hand
	On          bool
}

// sitDay is the slots of a day, open and filled.
type sitDay struct {
	Name  string
	Week  string // said on the first day of a week
	Slots []sitSlot
}

type sitSlot struct {
	Value   string // "channel.moment"
	Channel string
	Time    string
	For     string        // what will come to it by itself
	Stands  *kit.Sentence // of the idea in hand
	Misfit  string        // why the idea in hand cannot go there
	Seen    string        // which partner sees at once what is put there
	Placed  *sitPlaced
	at      day.Moment
}

type sitPlaced struct {
	Title, Format string
	Stands        kit.Sentence
	Who           []string // the legs with person and date
	Effects       []kit.Sentence
	Without       string // the address without it
}

type sitTarget struct {
	Name, Says string
	Tone       string
}

// sittingWeeks are for how many weeks ahead a sitting plans, the usual first.
var sittingWeeks = []string{"5", "13", "26", "52"}

// shownAtSitting is how many ideas are listed at once.
const shownAtSitting = 30

// likedAtSitting is how many pieces and ideas like the one in hand are named.
const likedAtSitting = 3

// sitting is the planning sitting. What is put is in the address: the way back in the
// browser is the way back here.
func (s *Section) sitting(c *echo.Context) error {
	q := c.QueryParams()
	if v := q.Get("slot"); v != "" { // an idea was put into it
		q.Add("put", fmt.Sprintf("%d.%d.%s.%d.%d", kit.Int[int64](q, "idea"), kit.Int[int64](q, "format"), v, kit.Int[int64](q, "topic"), kit.Int[int64](q, "campaign")))
		q.Del("slot")
		q.Del("idea")
		return c.Redirect(http.StatusSeeOther, "/sitting?"+q.Encode())
	}
	return s.showSitting(c, http.StatusOK, q, nil)
}

// readPuts reads what was put: "idea.format.channel.moment.topic.campaign".
func readPuts(all []string) ([]intake.Put, error) {
	var out []intake.Put
	for _, v := range all {
		var n [6]int64
		parts := strings.Split(v, ".")
		for i, p := range parts {
			x, err := strconv.ParseInt(p, 10, 64)
			if err != nil || len(parts) != len(n) {
				return nil, kit.Input("put", "This address is not one of a planning sitting. Start over.")
			}
			n[i] = x
		}
		out = append(out, intake.Put{Idea: ref.Idea(n[0]), Format: ref.Format(n[1]), Channel: ref.Channel(n[2]), At: day.Moment(n[3]), Topic: ref.Topic(n[4]), Campaign: ref.Campaign(n[5])})
	}
	if len(out) > intake.MostPuts {
		return nil, kit.Input("put", fmt.Sprintf("Confirm these first; %d at once are the most.", intake.MostPuts))
	}
	return out, nil
}

func (s *Section) showSitting(c *echo.Context, status int, q url.Values, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	d := kit.Here(c)
	puts, err := readPuts(q["put"])
	if err != nil {
		return err
	}
	held := intake.Put{Idea: kit.Int[ref.Idea](q, "idea"), Format: kit.Int[ref.Format](q, "format"), Topic: kit.Int[ref.Topic](q, "topic"), Campaign: kit.Int[ref.Campaign](q, "campaign")}
	v := sittingView{Formats: b.FormatsOf(d), Topics: b.TopicsOf(d), Campaigns: b.CampaignsOf(d), Form: q, Text: q.Get("text"), Puts: q["put"]}
	if v.Weeks, err = strconv.Atoi(kit.OneOf(q, "weeks", sittingWeeks...)); err != nil {
		return err
	}
	v.Spans = kit.Address{Path: "/sitting", Q: q}.Settings("weeks", fmt.Sprint(v.Weeks), "5", "5 weeks", "13", "Quarter", "26", "Half a year", "52", "Year")
	sat, err := s.Intake.Sitting(ctx, kit.Me(c).ID, d, puts, held, v.Weeks)
	if r := new(relay.Refusal); errors.As(err, &r) && r.Reason == relay.ErrNotNow || errors.Is(err, newsroom.ErrNotFound) && len(puts) > 0 {
		if refusal, v.Stale = r, true; r.Text == "" {
			refusal = &relay.Refusal{Text: "One of the ideas is no longer there. Undo the last step, or start over."}
		}
		sat, err = s.Intake.Sitting(ctx, kit.Me(c).ID, d, nil, held, v.Weeks)
	}
	if err != nil {
		return err
	}
	if refusal != nil {
		v.Problem, status = refusal.Text, max(status, http.StatusConflict)
	}
	at := kit.Address{Path: "/sitting", Q: q}
	if n := len(puts); n > 0 {
		v.Back = withPuts(q, q["put"][:n-1])
	}
	if err := s.sitIdeas(c, b, &v, at, puts, held.Idea); err != nil {
		return err
	}
	for i, p := range sat.Placed {
		v.Placed = append(v.Placed, newSitPlaced(b, p, withPuts(q, slices.Delete(slices.Clone(q["put"]), i, i+1))))
	}
	var placed []relay.Piece
	for _, p := range sat.Placed {
		placed = append(placed, p.Piece)
	}
	if v.Over, err = s.Fees.Over(ctx, kit.Me(c).ID, d, placed); err != nil {
		return err
	}
	v.days(b, d, sat)
	v.Mix = draw.NewMix(b, b.Zones[d], v.Weeks, sat.Mix, nil)
	for _, x := range v.Campaigns {
		p := sat.Progress[x.ID]
		if left := x.Target - p.Out - p.Placed - p.NoDay; x.Target > 0 {
			t := sitTarget{Name: x.Name, Says: fmt.Sprintf("%d of %d", x.Target-max(left, 0), x.Target), Tone: "good"}
			if left > 0 {
				t.Says += fmt.Sprintf(", %d to go", left)
				t.Tone = "noroom"
			}
			v.Targets = append(v.Targets, t)
		}
	}
	v.answer(b, sat)
	return s.Show(c, status, "sitting", "Planning sitting", &v)
}

// withPuts is the address of a sitting with other ideas put.
func withPuts(q url.Values, puts []string) string {
	next := url.Values{}
	for k, v := range q {
		next[k] = v
	}
	next["put"] = puts
	next.Del("idea")
	return "/sitting?" + next.Encode()
}

func (s *Section) sitIdeas(c *echo.Context, b *newsroom.Setup, v *sittingView, at kit.Address, puts []intake.Put, held ref.Idea) error {
	l, err := s.Intake.Ideas(c.Request().Context(), kit.Me(c).ID, intake.IdeaFilter{Desk: kit.Here(c), State: idea.Waiting, Text: v.Text, Order: "score"})
	if err != nil {
		return err
	}
	for _, r := range l.Rows {
		if slices.ContainsFunc(puts, func(p intake.Put) bool { return p.Idea == r.ID }) {
			continue
		}
		if len(v.Ideas) == shownAtSitting {
			break
		}
		x := sitIdea{ID: r.ID, Title: r.Title, Says: strings.Join(append([]string{b.Name(r.By)}, r.TagList()...), " · "), Score: scoreText(r), Take: at.With("idea", kit.Str(r.ID)), On: r.ID == held}
		v.Ideas = append(v.Ideas, x)
		if x.On {
			v.Held = &x
		}
	}
	v.More = l.Total - len(v.Ideas) - len(puts)
	v.Empty = "No idea is like this."
	if l.Counts[idea.Waiting] == 0 {
		v.Empty = "No idea waits. Catch some, or take up those that rest."
	}
	if held != 0 && v.Held == nil {
		r, _, err := s.Intake.Idea(c.Request().Context(), kit.Me(c).ID, held)
		if err != nil {
			return err
		}
		v.Held = &sitIdea{ID: r.ID, Title: r.Title, On: true}
	}
	if v.Held == nil {
		return nil
	}
	likes, err := s.Intake.Likes(c.Request().Context(), kit.Me(c).ID, kit.Here(c), v.Held.Title, held, likedAtSitting)
	v.Likes = kit.NewLikes(b, likes, s.Newsroom.Now())
	return err
}

func newSitPlaced(b *newsroom.Setup, p intake.Placed, without string) sitPlaced {
	st := store.Standing{Pace: p.Plan.Pace, InHand: p.Plan.InHand}
	v := sitPlaced{Title: p.Title, Format: b.Format(p.Format).Name, Stands: kit.SaidPace(st), Effects: kit.SaidShifts(b, p.Weight.People), Without: without}
	for i := range p.Piece.Legs {
		if l := &p.Piece.Legs[i]; l.State != relay.Skipped {
			v.Who = append(v.Who, fmt.Sprintf("%s %s, %s", l.Name, b.Name(l.Holder), english.Date(l.Due)))
		}
	}
	return v
}

// days lists the slots of the coming weeks, those that are open and those that were filled.
func (v *sittingView) days(b *newsroom.Setup, d ref.Desk, sat intake.Sitting) {
	zone := b.Zones[d]
	var all []sitSlot
	for _, o := range sat.Slots {
		x := sitSlot{Value: fmt.Sprintf("%d.%d", o.Channel, o.At), Channel: b.Channel(o.Channel).Name, Time: o.At.In(zone).Format("15:04"), For: sat.Comes(o.Channel, o.At), at: o.At}
		if f := b.Format(kit.Int[ref.Format](v.Form, "format")); v.Held != nil && f.ID != 0 && !f.GoesOn(o.Channel) {
			x.Misfit = "not for " + english.A(strings.ToLower(f.Name))
		}
		if n, ok := sat.InHand[o]; ok {
			x.Seen = b.SeenAtOnce(o.Channel)
			st := store.Standing{Pace: b.Planned[d].PaceOf(n), InHand: n}
			stands := kit.SaidPace(st)
			x.Stands = &stands
		}
		all = append(all, x)
	}
	for i, p := range sat.Placed {
		all = append(all, sitSlot{Channel: b.Channel(p.Piece.ChannelID).Name, Time: p.At.In(zone).Format("15:04"), Placed: &v.Placed[i], at: p.At})
	}
	slices.SortStableFunc(all, func(x, y sitSlot) int { return int(x.at - y.at) })
	week := ""
	for _, x := range all {
		on := x.at.Date(zone)
		name := english.Date(on)
		if n := len(v.Days); n == 0 || v.Days[n-1].Name != name {
			y := sitDay{Name: name}
			if w := "Week of " + english.Date(on.Monday()); w != week {
				y.Week, week = w, w
			}
			v.Days = append(v.Days, y)
		}
		last := &v.Days[len(v.Days)-1]
		last.Slots = append(last.Slots, x)
	}
}

func (v *sittingView) answer(b *newsroom.Setup, sat intake.Sitting) {
	ahead := strings.ToLower(english.Count(v.Weeks, "week"))
	open := english.Plural(len(sat.Slots), "slot") + english.Verb(len(sat.Slots), " is open", " are open")
	switch {
	case v.Held != nil && kit.Int[int64](v.Form, "format") == 0:
		v.Answer = kit.Sentence{Text: fmt.Sprintf("“%s” is in hand. Choose its format, and each open slot says how it would stand.", v.Held.Title), Tone: "plain"}
	case v.Held != nil:
		v.Answer = kit.Sentence{Text: fmt.Sprintf("“%s” is in hand. Choose one of the %s.", v.Held.Title, english.Plural(len(sat.Slots), "open slot")), Tone: "plain"}
	case len(sat.Placed) > 0:
		v.Answer = kit.Sentence{Text: fmt.Sprintf("%s placed, nothing made yet. %s in the next %s.", english.UpperFirst(english.Plural(len(sat.Placed), "idea"))+english.Verb(len(sat.Placed), " is", " are"), english.UpperFirst(open), ahead), Tone: "good"}
		var names []string
		for _, id := range sat.People {
			names = append(names, b.Name(id))
		}
		if len(names) > 0 {
			v.Answer = kit.Sentence{Text: fmt.Sprintf("%s placed, nothing made yet. %s %s over the hours they work.", english.UpperFirst(english.Plural(len(sat.Placed), "idea"))+english.Verb(len(sat.Placed), " is", " are"), english.And(names), english.Verb(len(names), "goes", "go")), Tone: "short"}
		}
	case len(sat.Slots) == 0:
		v.Answer = kit.Sentence{Text: "Every slot of the next " + ahead + " is taken.", Tone: "good"}
	default:
		v.Answer = kit.Sentence{Text: english.UpperFirst(open) + " in the next " + ahead + ". Take an idea, choose its format, and put it into one.", Tone: "plain"}
	}
}

// placeIdeas makes the pieces of a sitting.
func (s *Section) placeIdeas(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	puts, err := readPuts(form["put"])
	if err != nil {
		return err
	}
	says := "%s made, and their first legs have begun."
	if form.Get("do") == "park" {
		says = "%s kept without beginning; nobody was told."
		for i := range puts {
			puts[i].Park = true
		}
	}
	ids, err := s.Intake.PlaceIdeas(c.Request().Context(), kit.Me(c).ID, puts)
	return s.Answered(c, err, fmt.Sprintf(says, english.UpperFirst(english.Plural(len(ids), "piece"))+english.Verb(len(ids), " is", " are")), "/lineup?weeks=5",
		func(status int, r *relay.Refusal) error { return s.showSitting(c, status, form, r) })
}
