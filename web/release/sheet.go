package release

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/format"
	"greenbaton/newsroom"
	room "greenbaton/newsroom/release"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// sheetView is the release sheet of a piece.
type sheetView struct {
	Row      store.Row
	Kind     string // what it is, and who runs its last legs
	Answer   kit.Sentence
	ToDo     []todo
	Fields   []fieldView
	Says     []fieldView  // with which it is said that it is out
	Ideas    room.Drafted // other titles and tags, where they were just drafted
	Pieces   []nearView
	Tags     string
	Typed    url.Values // the parts as they were typed, or as they are
	Field    string     // the part that was refused
	Problem  string
	Since    []string
	Asks     release.Asks
	Picture  store.Attachment
	Drafted  map[string]bool
	Usual    string // the address it has if none is chosen
	House    string // the address of this program
	Base     string // what stands before the address
	Seen     seen
	When     string
	Seal     string
	MaySave  bool
	May      bool // whoever looks may schedule it now
	MayBack  bool // or take that back
	ByHand   bool
	Out      bool
	After    []afterLeg
	Where    []whereView
	Sounds   []store.Attachment // the recordings among its files
	Others   []kit.Choice       // channels where it could go too
	Times    []kit.Choice       // when
	MayGo    bool               // whoever looks says where it goes
	Fixed    bool               // readers have it, so it cannot be changed
	Corrects string             // since when it is being corrected; none if it is not
	LeftOut  string             // of the correction, while nobody decides on it
	Links    []room.Link
}

// todo is something that is missing, with where it is filled in.
type todo struct{ Text, Jump string }

// fieldView is something that the channel asks besides.
type fieldView struct {
	release.Field
	Value  string
	sounds []store.Attachment // that it may be about
}

// Text gives what is said in a field as it is read: the name of a recording, not its number.
func (f fieldView) Text() string {
	for _, x := range f.sounds {
		if kit.Str(x.ID) == f.Value {
			return x.Name
		}
	}
	return f.Value
}

// Chosen gives the pieces that are chosen as related, or as those to which readers go next.
func (v sheetView) Chosen(as string) []nearView {
	var out []nearView
	for _, n := range v.Pieces {
		if as == "related" && n.Related || as == "next" && n.Next {
			out = append(out, n)
		}
	}
	return out
}

// nearView is a piece that could go with it.
type nearView struct {
	room.Near
	Related, Next bool
}

// seen is the piece as readers will see it.
type seen struct {
	House, Title, Description, When, Address, Host string
	HTML                                           template.HTML
	Plain                                          string // title, description and copy as plain text
	Picture                                        string
	Alt                                            string
}

// sheet shows the release sheet of a piece.
func (s *Section) sheet(c *echo.Context) error {
	return s.showSheet(c, http.StatusOK, nil, nil, room.Drafted{})
}

func (s *Section) showSheet(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values, ideas room.Drafted) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	x, err := s.Release.SheetFor(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := s.newSheetView(b, &x, typed)
	v.Ideas = ideas
	if v.Links, err = s.Release.Links(ctx, &x); err != nil {
		return err
	}
	places, err := s.Release.Places(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	s.where(b, &v, places, relay.May(relay.ActRelease, b.Who(kit.Me(c).ID, x.Row.DeskID), &x.Row.Piece, nil, "") == nil)
	if refusal != nil {
		v.Problem, v.Since, v.Field = refusal.Text, refusal.Unmet, refusal.Field
	}
	return s.Show(c, status, "sheet", "Release of “"+x.Row.Title+"”", v)
}

func (s *Section) newSheetView(b *newsroom.Setup, x *room.Sheet, typed url.Values) sheetView {
	r := &x.Row
	channel := b.Channel(r.ChannelID)
	v := sheetView{
		Row: x.Row, Asks: x.Asks, Picture: x.Picture, Drafted: x.Drafted, Seal: x.Seal, MaySave: x.MaySave, ByHand: x.Asks.ByHand, Out: r.Stage == relay.Out, Typed: typed,
		House: strings.TrimRight(s.Base, "/"), Usual: newsroom.Slug(r.Title, r.Number), Base: channel.Slug + "/", Tags: strings.Join(x.Tags, ", "), When: b.At(r.GoesOut, r.DeskID),
	}
	v.Kind = fmt.Sprintf("No. %d · %s · %s · %s", r.Number, b.Format(r.FormatID).Name, channel.Name, kit.RunsNow(b, x.Row))
	if typed == nil {
		v.Typed = url.Values{"title": {x.Title}, "description": {x.Description}, "slug": {x.Slug}, "tags": {v.Tags}, "alt": {x.Alt}}
	}
	field := func(f release.Field) fieldView {
		y := fieldView{Field: f, Value: x.Fields[f.Key]}
		if f.Kind == release.Recording {
			y.sounds = x.Sounds
		}
		if typed != nil {
			y.Value = typed.Get("field-" + f.Key)
		}
		return y
	}
	for _, f := range x.Asks.Fields {
		v.Fields = append(v.Fields, field(f))
	}
	for _, f := range release.Announcements {
		v.Says = append(v.Says, field(f))
	}
	for _, n := range x.Near {
		y := nearView{n, slices.Contains(x.Related, n.ID), slices.Contains(x.Next, n.ID)}
		if typed != nil {
			y.Related, y.Next = slices.Contains(typed["related"], kit.Str(n.ID)), slices.Contains(typed["next"], kit.Str(n.ID))
		}
		v.Pieces = append(v.Pieces, y)
	}
	if r.Fixed() { // it nags no more
		x.Stops, x.Lacks = nil, nil
	}
	for _, t := range x.Stops {
		v.ToDo = append(v.ToDo, todo{english.UpperFirst(t), fmt.Sprintf("/pieces/%d", r.ID)})
	}
	for _, l := range x.Lacks {
		v.ToDo = append(v.ToDo, todo{english.UpperFirst(l.Text), "#part-" + l.Part})
	}
	v.Answer = answer(b, x)
	v.May = x.May && r.Stage == relay.UnderWay && !r.Scheduled() && x.Complete() && r.GoesOut > s.Newsroom.Now()
	v.MayBack = x.May && r.Scheduled() && x.Asks.ByHand
	picture := func(file ref.File) string { return fmt.Sprintf("/pieces/%d/pictures/%d?small=yes", r.ID, file) }
	v.Seen = seen{
		House: b.Desk(r.DeskID).Name, Title: x.Title, Description: x.Description, When: "no day yet", Address: newsroom.AddressOf(b, s.Base, &r.Piece),
		HTML: template.HTML(format.Reading(x.Text, picture, nil)), Alt: x.Alt,
	}
	for _, part := range []string{x.Title, x.Description, x.Text.Plain()} {
		if part = strings.TrimSpace(part); part != "" {
			v.Seen.Plain += part + "\n\n"
		}
	}
	if at := max(r.GoesOut, r.OutAt); at != 0 {
		v.Seen.When = at.In(b.Zones[r.DeskID]).Format("2 January 2006")
	}
	if u, err := url.Parse(v.Seen.Address); err == nil {
		v.Seen.Host = u.Host
	}
	if x.Picture.ID != 0 {
		v.Seen.Picture = picture(x.Picture.FileID)
	}
	v.Sounds, v.Fixed = x.Sounds, r.Fixed()
	if r.Corrects != 0 {
		v.Corrects = b.At(r.Corrects, r.DeskID)
		if n := x.Proposed; n > 0 {
			v.LeftOut = english.UpperFirst(english.Count(n, "proposed change")) + english.Verb(n, " is", " are") + " not decided on, and left out."
		}
	}
	for _, l := range r.After {
		y := afterLeg{Key: l.Key, Name: l.Name, Who: b.Name(l.Holder), Open: l.Holder == 0}
		if l.Due != 0 {
			y.Due = english.Date(l.Due)
		}
		v.After = append(v.After, y)
	}
	return v
}

// answer says in a sentence how far a piece is on its way to its channel.
func answer(b *newsroom.Setup, x *room.Sheet) kit.Sentence {
	r := &x.Row
	at := b.At(r.GoesOut, r.DeskID)
	switch {
	case r.Corrects != 0:
		return kit.Sentence{Text: "It is out since " + b.At(r.OutAt, r.DeskID) + ", and being corrected: readers have it as it was until the correction is brought out.", Tone: "noroom"}
	case r.Stage == relay.Out:
		return kit.Sentence{Text: "It went out " + b.At(r.OutAt, r.DeskID) + ".", Tone: "good"}
	case r.Stage == relay.Withdrawn:
		return kit.Sentence{Text: "It is withdrawn, and goes nowhere.", Tone: "plain"}
	case r.Scheduled() && r.ScheduledBy == 0:
		return kit.Sentence{Text: "Nothing is missing; it is scheduled, and goes out " + at + ".", Tone: "good"}
	case r.Scheduled():
		return kit.Sentence{Text: fmt.Sprintf("%s scheduled it; it goes out %s.", b.Name(r.ScheduledBy), at), Tone: "good"}
	case r.GoesOut == 0:
		return kit.Sentence{Text: "It has no day yet, so it cannot be scheduled.", Tone: "noroom"}
	case x.Complete():
		return kit.Sentence{Text: "Nothing is missing. It has its place on " + at + ", and is not scheduled yet.", Tone: "noroom"}
	}
	return kit.Sentence{Text: "It has its place on " + at + ", and is not scheduled yet.", Tone: "noroom"}
}

// saveSheet stores the release sheet of a piece, schedules it, or takes that back.
func (s *Section) saveSheet(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx, me, version := c.Request().Context(), kit.Me(c).ID, kit.Version(form)
	said, typed := "", url.Values(nil)
	switch form.Get("do") {
	case "schedule":
		err, said = s.Release.Schedule(ctx, me, id, version, form.Get("seal")), "It is scheduled. What changes now takes that back."
	case "draft":
		ideas, err := s.Release.Draft(ctx, me, id, version)
		if err == nil && !kit.WantsJSON(c) {
			return s.showSheet(c, http.StatusOK, nil, nil, ideas)
		}
		return s.Answered(c, err, "Drafted.", fmt.Sprintf("/pieces/%d/sheet", id), func(status int, r *relay.Refusal) error {
			return s.showSheet(c, status, r, nil, room.Drafted{})
		})
	case "links":
		err, said = s.Release.Shorten(ctx, me, id, version), "The short links are made. They lead to the page as soon as it is out."
	case "again":
		err, said = s.Release.DeliverAgain(ctx, me, id, kit.Int[ref.Delivery](form, "delivery")), "It is tried again; below is what came of it."
	case "drop":
		err, said = s.Release.DropPlace(ctx, me, id, kit.Int[ref.Delivery](form, "delivery")), "It does not go there."
	case "also":
		b, setup := s.Newsroom.Setup(ctx)
		if err = setup; err != nil {
			return err
		}
		var x room.Also
		if x, err = alsoTyped(form, b.Zones[kit.Here(c)]); err == nil {
			err, said = s.Release.AddPlace(ctx, me, id, x), "It goes there too."
		}
		typed = nil
	case "correct":
		err, said = s.Release.Correct(ctx, me, id, version), "It can be corrected now. Readers have it as it was until you bring that out."
	case "dropcorrection":
		err, said = s.Release.DropCorrection(ctx, me, id, version), "The correction is dropped. Everything is as readers have it."
	case "bringout":
		if err, said = s.Release.BringOut(ctx, me, id, version, strings.TrimSpace(form.Get("note"))), "The correction is out, and follows wherever the piece went."; err == nil {
			if err := s.Release.DeliverHere(ctx); err != nil {
				s.Log.Error("bring a correction out", "problem", err)
			}
		}
	case "unschedule":
		err, said = s.Release.Unschedule(ctx, me, id, version, form.Get("why")), "It is scheduled no more."
	default:
		err, said, typed = s.Release.SaveSheet(ctx, me, id, version, typedSheet(form)), "The sheet is saved.", form
	}
	to := fmt.Sprintf("/pieces/%d/sheet", id)
	if form.Get("do") == "correct" {
		to = fmt.Sprintf("/pieces/%d", id)
	}
	return s.Answered(c, err, said, to, func(status int, r *relay.Refusal) error { return s.showSheet(c, status, r, typed, room.Drafted{}) })
}

// typedSheet reads a release sheet from its form.
func typedSheet(form url.Values) room.Typed {
	t := room.Typed{
		Title: form.Get("title"), Description: form.Get("description"), Slug: form.Get("slug"), Tags: form.Get("tags"), Alt: form.Get("alt"),
		Related: kit.IdsTyped[ref.Piece](form["related"]), Next: kit.IdsTyped[ref.Piece](form["next"]), Fields: map[string]string{}, Keep: form["keep"],
	}
	for k := range form {
		if key, ok := strings.CutPrefix(k, "field-"); ok {
			t.Fields[key] = form.Get(k)
		}
	}
	return t
}
