package pieces

import (
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type newPieceView struct {
	Title, Date, Time, Brief, From, To string
	Format                             int64
	Owner                              ref.Person
	Channel                            int64
	Topic                              int64
	Campaign                           int64
	Idea                               int64
	Like                               *relay.Piece // whose shape it takes
	Edition                            bool         // it is another edition of it
	Topics                             []store.Topic
	Campaigns                          []store.Campaign
	Formats                            []store.Format // that go out on the channel, or all
	Elsewhere                          []store.Format // that do not
	Channels                           []channelOption
	Owners                             []store.Person
	Priority                           string
	Plan                               planView
	Problem, Field                     string
}

// channelOption is a channel that is offered, unless the format does not go out there.
type channelOption struct {
	store.Channel
	Misfit bool
}

// On gives the channels that a format goes out on, as the page's script reads them.
func (v newPieceView) On(f store.Format) string {
	var out []string
	for _, c := range v.Channels {
		if f.GoesOn(c.ID) {
			out = append(out, kit.Str(c.ID))
		}
	}
	return strings.Join(out, " ")
}

// offer chooses what is offered: channels that the format goes out on, formats that go out
// on the channel.
func (v *newPieceView) offer(b *newsroom.Setup, desk ref.Desk) {
	f := b.Format(ref.Format(v.Format))
	for _, c := range b.ChannelsOf(desk) {
		v.Channels = append(v.Channels, channelOption{c, f.ID != 0 && !f.GoesOn(c.ID)})
	}
	for _, x := range b.FormatsOf(desk) {
		if v.Channel == 0 || x.GoesOn(ref.Channel(v.Channel)) {
			v.Formats = append(v.Formats, x)
		} else {
			v.Elsewhere = append(v.Elsewhere, x)
		}
	}
}

// planView is the part of the page that follows from format and day.
type planView struct {
	Shown   bool
	Format  ref.Format
	Answer  string // whether it makes its day, or the earliest it could go out
	Place   string // what is amiss with its time
	Tone    string
	Slots   []slotOption
	Owns    string           // who owns it, and its priority if it is not the usual one
	Seen    string           // which partner will see it at once
	Answers []kit.AnswerView // extra fields of the format
	Wrong   string           // the field that was refused
	Legs    []planLeg
	Problem string
	Effects []kit.Sentence // what it does to people
	Over    []string       // budgets that go over by it
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
	People            []store.Person
}

func (s *Section) newPiece(c *echo.Context) error {
	form := url.Values{}
	for _, k := range []string{"title", "format", "date", "time", "channel", "campaign"} {
		form.Set(k, c.QueryParam(k))
	}
	q := c.QueryParams()
	maps.Copy(form, sameLegs(q))
	for to, k := range map[string]string{"owner": "owner", "priority": "priority", "topic": "topic", "from": "least", "to": "most", "planned": "planned"} {
		if v := q.Get(k); v != "" {
			form.Set(to, v)
		}
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	if id := kit.Int[int64](c.QueryParams(), "idea"); id != 0 {
		r, _, err := s.Intake.Idea(c.Request().Context(), kit.Me(c).ID, ref.Idea(id))
		if err != nil {
			return err
		}
		form.Set("idea", kit.Str(id))
		form.Set("title", r.Title)
		form.Set("brief", r.Notes)
	}
	if id := kit.Int[ref.Piece](c.QueryParams(), "from"); id != 0 {
		d, err := s.Planning.Again(c.Request().Context(), kit.Me(c).ID, id, c.QueryParam("edition") != "")
		if err != nil {
			return err
		}
		fromPiece(form, d)
	}
	if ch := kit.Int[ref.Channel](form, "channel"); ch != 0 && form.Get("format") == "" { // the only format that goes out there
		fs := b.FormatsOn(kit.Here(c), ch)
		if own := slices.DeleteFunc(slices.Clone(fs), func(f store.Format) bool { return f.ChannelID != ch }); len(own) == 1 {
			fs = own
		}
		if len(fs) == 1 {
			form.Set("format", kit.Str(fs[0].ID))
		}
	}
	return s.showNewPiece(c, http.StatusOK, form, nil)
}

// again gives the address of the form for another piece like the one in a form: with its
// format, channel, owner, topic, campaign, words, the piece whose shape it takes, and who runs
// which leg for how long; with neither title, day nor brief.
func again(form url.Values) string {
	q := sameLegs(form)
	for k, to := range map[string]string{"format": "format", "planned": "planned", "channel": "channel", "owner": "owner", "priority": "priority", "topic": "topic", "campaign": "campaign", "from": "least", "to": "most", "piece": "from"} {
		if v := form.Get(k); v != "" {
			q.Set(to, v)
		}
	}
	return "/pieces/new?" + q.Encode()
}

// sameLegs gives what a form says of legs.
func sameLegs(form url.Values) url.Values {
	out := url.Values{}
	for k, v := range form {
		if strings.HasPrefix(k, "holder-") || strings.HasPrefix(k, "days-") || strings.HasPrefix(k, "needed-") {
			out[k] = v
		}
	}
	return out
}

// fromPiece fills a form in with a draft in the shape of another piece.
func fromPiece(form url.Values, d planning.Draft) {
	for k, v := range map[string]int64{"format": int64(d.Format), "channel": int64(d.Channel), "owner": int64(d.Owner), "topic": int64(d.Topic), "piece": int64(d.From)} {
		form.Set(k, kit.Str(v))
	}
	form.Set("title", d.Title)
	form.Set("brief", d.Brief)
	form.Set("from", kit.Str(d.WordsFrom))
	form.Set("to", kit.Str(d.WordsTo))
	if d.Edition {
		form.Set("edition", "yes")
	}
}

func (s *Section) makePiece(c *echo.Context) error {
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
	var id ref.Piece
	if err == nil {
		id, err = s.Intake.Create(c.Request().Context(), kit.Me(c).ID, d)
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		return s.showNewPiece(c, kit.StatusOf(refusal), form, refusal)
	} else if err != nil {
		return err
	}
	switch s.Say(c, "“%s” is made, and its first leg has begun.", d.Title); {
	case d.Park:
		s.Say(c, "“%s” is kept. Nothing of it runs, and nobody was told; begin it when its time comes.", d.Title)
	case form.Get("do") == "another":
		s.Say(c, "“%s” is made, and its first leg has begun. Here is the form for the next.", d.Title)
		return c.Redirect(http.StatusSeeOther, again(form))
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/pieces/%d", id))
}

// newPiecePlan gives the part of the page that follows from format and day.
func (s *Section) newPiecePlan(c *echo.Context) error {
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
	return s.Render(c, http.StatusOK, "newpiece", "plan", v)
}

func (s *Section) showNewPiece(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	v := newPieceView{
		Title: form.Get("title"), Date: form.Get("date"), Time: form.Get("time"), Brief: form.Get("brief"), From: form.Get("from"), To: form.Get("to"),
		Priority: form.Get("priority"), Format: kit.Int[int64](form, "format"), Owner: kit.Int[ref.Person](form, "owner"), Channel: kit.Int[int64](form, "channel"),
	}
	v.offer(b, kit.Here(c))
	v.Owners = b.Owners(kit.Here(c))
	if id := kit.Int[ref.Piece](form, "piece"); id != 0 {
		if v.Like, err = s.Planning.Example(c.Request().Context(), kit.Me(c).ID, id); err != nil {
			return err
		}
		v.Edition = form.Get("edition") != ""
	}
	v.Topic, v.Campaign, v.Idea = kit.Int[int64](form, "topic"), kit.Int[int64](form, "campaign"), kit.Int[int64](form, "idea")
	v.Topics, v.Campaigns = b.TopicsOf(kit.Here(c)), b.CampaignsOf(kit.Here(c))
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	if v.Plan, err = s.planView(c, b, form); err != nil {
		return err
	}
	return s.Show(c, status, "newpiece", "New piece", v)
}

func (s *Section) planView(c *echo.Context, b *newsroom.Setup, form url.Values) (planView, error) {
	var v planView
	if kit.Int[int64](form, "format") == 0 {
		return v, nil
	}
	d, err := s.draft(c, b, form)
	var p planning.Prospect
	if err == nil {
		p, err = s.Planning.Prospect(c.Request().Context(), kit.Me(c).ID, d)
	}
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && strings.HasPrefix(refusal.Field, "field-") { // the rest is worked out without it
		v.Problem, v.Wrong, d.Fields = refusal.Text, refusal.Field, nil
		p, err = s.Planning.Prospect(c.Request().Context(), kit.Me(c).ID, d)
	}
	if errors.As(err, &refusal) && err != nil {
		v.Problem = refusal.Text
		return v, nil
	} else if err != nil {
		return v, err
	}
	v.Answers = kit.Asked(b, b.Format(p.Piece.FormatID), form)
	v.Owns = b.Name(p.Piece.Owner)
	if p.Piece.Priority != relay.Usual {
		v.Owns += ", priority " + strings.ToLower(newsroom.SayPriority(p.Piece.Priority))
	}
	house := b.Planned[p.Piece.DeskID]
	v.Shown, v.Format, v.Seen = true, p.Piece.FormatID, b.SeenAtOnce(p.Piece.ChannelID)
	today := s.Newsroom.Now().Date(house.Zone)
	for _, t := range p.Slots {
		at := t.In(house.Zone)
		v.Slots = append(v.Slots, slotOption{at.Format("2006-01-02"), at.Format("15:04"), at.Format("Mon 2 Jan, 15:04"), house.Ready(t.Date(house.Zone)) < p.Projection.Lands})
	}
	for i, l := range p.Piece.Legs {
		starts, ends := house.Window(p.Projection.Start[i], p.Projection.End[i])
		x := planLeg{
			Leg: l, People: kit.Suited(b, p.Piece.DeskID, l.Role, l.Holder), Starts: english.Date(starts), Ends: english.Date(ends), Due: english.Date(l.Due),
			Past: l.Due != 0 && l.Due < today && l.State != relay.Skipped, Optional: l.Skip == route.SkipUnless, Needed: l.State != relay.Skipped,
		}
		if c, ok := p.Weight.Fits[l.Key]; ok {
			x.Fits, x.Tone = planning.SayCandidate(c), kit.ToneOfCandidate(c)
		}
		if c, ok := p.Weight.Better[l.Key]; ok {
			x.Better = b.Name(c.Person) + ": " + planning.SayCandidate(c)
		}
		v.Legs = append(v.Legs, x)
	}
	v.Effects = kit.SaidShifts(b, p.Weight.People)
	if v.Over, err = s.Fees.Over(c.Request().Context(), kit.Me(c).ID, p.Piece.DeskID, []relay.Piece{p.Piece}); err != nil {
		return v, err
	}
	v.Answer, v.Tone = answer(b, p)
	v.Place = p.Place
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
func (s *Section) draft(c *echo.Context, b *newsroom.Setup, form url.Values) (planning.Draft, error) {
	d, err := draftOf(b, kit.Me(c), form, s.Newsroom.Now())
	if err != nil || d.From == 0 {
		return d, err
	}
	was, err := s.Planning.Again(c.Request().Context(), kit.Me(c).ID, d.From, d.Edition)
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
	d := planning.Draft{Title: form.Get("title"), Format: kit.Int[ref.Format](form, "format"), Channel: kit.Int[ref.Channel](form, "channel"), Owner: kit.Int[ref.Person](form, "owner"), Priority: kit.PriorityOf(form), Brief: form.Get("brief"),
		Topic: kit.Int[ref.Topic](form, "topic"), Campaign: kit.Int[ref.Campaign](form, "campaign"), Idea: kit.Int[ref.Idea](form, "idea"), From: kit.Int[ref.Piece](form, "piece"), Edition: form.Get("edition") != "", Park: form.Get("do") == "park"}
	f := b.Format(d.Format)
	var err error
	channel := d.Channel
	if channel == 0 {
		channel = f.ChannelID
	}
	if d.GoesOut, err = kit.GoesOut(b, f, channel, form, newsroom.Morning, now); err != nil {
		return d, err
	}
	if d.WordsFrom, err = kit.Whole(form, "from", "words", "the words asked for", f.WordsFrom); err != nil {
		return d, err
	}
	if d.WordsTo, err = kit.Whole(form, "to", "words", "the words asked for", f.WordsTo); err != nil {
		return d, err
	}
	d.Fields = map[ref.Field][]string{}
	for _, x := range b.FieldsOf(f.ID) {
		if typed, ok := form["field-"+kit.Str(x.ID)]; ok {
			d.Fields[x.ID] = typed
		}
	}
	if kit.Int[ref.Format](form, "planned") != d.Format { // the legs in the form are those of another format, or none
		return d, nil
	}
	d.Legs = map[string]planning.DraftLeg{}
	for _, l := range b.Latest(f.ID).Way.Legs {
		n, err := kit.Whole(form, "days-"+l.Key, "days-"+l.Key, "the days for "+l.Name, l.Allowance)
		if err != nil {
			return d, err
		}
		d.Legs[l.Key] = planning.DraftLeg{Holder: kit.Int[ref.Person](form, "holder-"+l.Key), Days: n, Needed: form.Get("needed-"+l.Key) != ""}
	}
	return d, nil
}
