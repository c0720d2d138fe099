package planning

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Draft is a piece about to be made.
type Draft struct {
	Title              string
	Format             ref.Format
	Channel            ref.Channel     // 0 is the format's own
	GoesOut            day.Moment      // none while it has no day
	Owner              ref.Person      // 0 is whom the format says, or whoever makes it
	Priority           *relay.Priority // nil is as the format says
	Brief              string
	WordsFrom, WordsTo int
	Topic              ref.Topic
	Campaign           ref.Campaign
	Idea               ref.Idea               // of which the piece is made; 0 for none
	Answers            map[string]string      // of the brief, by part
	From               ref.Piece              // the piece whose shape it takes; 0 for none
	Edition            bool                   // it is another edition of that piece, with its copy
	Tags               string                 // in order, with commas
	Needed             map[string]bool        // legs that may be skipped and are to be run, by key, where Legs says nothing of them
	Batch              ref.Batch              // the list it is brought in with
	Legs               map[string]DraftLeg    // what was changed from the route, by key
	Holders            map[string]ref.Person  // who runs which leg where Legs says nothing of it, as long as they may
	Derived            ref.Piece              // the piece from which it is begun by a leg after release; 0 for none
	DerivedLeg         string                 // and that leg
	Park               bool                   // it is kept without beginning
	Fields             map[ref.Field][]string // answers to extra fields; for those that are not in it, what the format says
}

// DraftLeg is what was changed on one leg of a draft.
type DraftLeg struct {
	Holder ref.Person
	Days   int
	Needed bool
}

// Named reports whether the draft says who runs a leg.
func (d Draft) Named(leg string) bool {
	_, ok := d.Legs[leg]
	return ok || d.Holders[leg] != 0
}

// Prospect is what would follow from a draft: the legs with their dates.
type Prospect struct {
	Piece      relay.Piece
	Projection plan.Projection
	CouldGoOut day.Moment // the earliest free time, by the route as drafted
	Slots      []day.Moment
	Weight     plan.Weight // what it does to people
	Place      string      // who is on its time already, or that there is no slot then; "" where nothing is amiss
}

// MayCreate reports whether somebody may make pieces: leads and staff of a desk.
func MayCreate(w relay.Who) bool {
	return relay.MayHouse(relay.MakePieces, w)
}

// Prospect works out what would follow from a draft, without making anything.
func (h Moves) Prospect(ctx context.Context, by ref.Person, d Draft) (Prospect, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Prospect{}, err
	}
	now := h.Now()
	m, err := DraftMove(b, by, d, now)
	if err != nil {
		return Prospect{}, err
	}
	board, err := h.BoardAt(ctx, b, now)
	if err != nil {
		return Prospect{}, err
	}
	r, err := h.Record(ctx, m.Piece.DeskID, m.Piece.FormatID)
	if err != nil {
		return Prospect{}, err
	}
	board.FillIn(&m.Piece, b.Route(m.Piece.RouteID).Way, d.Named, r.Series)
	house := b.Planned[m.Piece.DeskID]
	out := Prospect{Piece: m.Piece, Projection: house.Forward(&m.Piece, now.Date(house.Zone)), Weight: board.Weigh(&m.Piece, r.Series)}
	free := board.FreeSlots(m.Piece.ChannelID)
	out.CouldGoOut = house.Earliest(out.Projection.Lands, free)
	out.Slots = free[:min(8, len(free))]
	if c, slot := board.Look(&out.Piece, 0); c.With != nil || !slot {
		out.Place = SayPlace(b, c)
	}
	return out, nil
}

// DraftMove makes the piece of a draft, begun but not stored.
func DraftMove(b *newsroom.Setup, by ref.Person, d Draft, now day.Moment) (relay.Move, error) {
	f := b.Format(d.Format)
	bad := func(field, text string) (relay.Move, error) {
		return relay.Move{}, &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: text}
	}
	if f.ID == 0 || f.Retired {
		return bad("format", "Choose a format; it brings the route with it.")
	}
	if !MayCreate(b.Who(by, f.DeskID)) {
		return relay.Move{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: "Only leads and staff of the desk make pieces."}
	}
	if err := relay.CheckTime(d.GoesOut, now); err != nil {
		return relay.Move{}, err
	}
	channel := b.Channel(f.ChannelID)
	if d.Channel != 0 {
		channel = b.Channel(d.Channel)
	}
	if channel.DeskID != f.DeskID || channel.Retired {
		return bad("channel", "Choose one of the desk's channels.")
	}
	if !f.GoesOn(channel.ID) {
		return bad("channel", fmt.Sprintf("%s does not go out on %s, but on %s. Choose one of these.", english.UpperFirst(english.A(strings.ToLower(f.Name))), channel.Name, english.Or(names(b.ChannelsFor(f)))))
	}
	if d.Owner == 0 {
		d.Owner = OwnerBy(b, f, by)
	}
	priority := f.Priority
	if d.Priority != nil {
		priority = *d.Priority
	}
	r := b.Latest(f.ID)
	p := relay.Piece{
		DeskID: f.DeskID, FormatID: f.ID, RouteID: r.ID, ChannelID: channel.ID, Title: strings.TrimSpace(d.Title), Owner: d.Owner, GoesOut: d.GoesOut,
		TopicID: d.Topic, CampaignID: d.Campaign, Priority: priority, DerivedFrom: d.Derived, DerivedLeg: d.DerivedLeg,
		Stage: relay.UnderWay, Brief: strings.TrimSpace(d.Brief), WordsFrom: d.WordsFrom, WordsTo: d.WordsTo, CreatedAt: now, Legs: relay.NewLegs(r.Way), After: relay.NewAfter(r.Way),
	}
	needed := map[string]bool{}
	maps.Copy(needed, d.Needed)
	for l := range p.Every() {
		if who := d.Holders[l.Key]; who != 0 && b.MayHold(who, f.DeskID, l.Role) == "" {
			l.Holder = who
		}
		if b.MayHold(l.Holder, f.DeskID, l.Role) != "" {
			l.Holder = 0
		}
		c, ok := d.Legs[l.Key]
		if !ok {
			continue
		}
		if c.Days < 0 || c.Days > 250 {
			return bad("days-"+l.Key, fmt.Sprintf("The days for %s lie between 0 and 250.", l.Name))
		}
		if why := b.MayHold(c.Holder, f.DeskID, l.Role); why != "" {
			return bad("holder-"+l.Key, l.Name+": "+english.LowerFirst(why))
		}
		l.Holder, l.Allowance, needed[l.Key] = c.Holder, c.Days, c.Needed
		l.Least = min(l.Least, l.Allowance)
	}
	house := b.Planned[f.DeskID]
	scene := relay.Scene{Now: now, Today: now.Date(house.Zone), Calendar: house.Calendar}
	m := relay.Park(p, needed)
	if !d.Park {
		m = relay.Start(p, needed, scene)
	}
	values, err := d.values(b)
	if err != nil {
		return relay.Move{}, err
	}
	for _, x := range b.FieldsOf(f.ID) {
		if v := values[x.ID]; v != "" {
			if m, err = m.Heed(r.Way, x.Key, v, scene); err != nil {
				return relay.Move{}, err
			}
		}
	}
	return m, nil
}

// OwnerBy gives who owns a piece of a format that somebody makes, unless they say otherwise:
// whom the format says, as long as they may own pieces of its desk, or whoever makes it.
func OwnerBy(b *newsroom.Setup, f store.Format, by ref.Person) ref.Person {
	if slices.ContainsFunc(b.Owners(f.DeskID), func(p store.Person) bool { return p.ID == f.Owner }) {
		return f.Owner
	}
	return by
}

// values reads the answers to extra fields of a draft, those that say something.
func (d Draft) values(b *newsroom.Setup) (map[ref.Field]string, error) {
	out, usual := map[ref.Field]string{}, b.Format(d.Format).UsualAnswers()
	for _, x := range b.FieldsOf(d.Format) {
		if _, said := d.Fields[x.ID]; !said {
			if out[x.ID] = usual[x.ID]; out[x.ID] == "" {
				delete(out, x.ID)
			}
			continue
		}
		v, err := x.Field().Read(d.Fields[x.ID]...)
		if err != nil {
			return nil, newsroom.Invalid("field-"+x.Key, "%s.", english.UpperFirst(err.Error()))
		}
		if v != "" {
			out[x.ID] = v
		}
	}
	return out, nil
}

func names(channels []store.Channel) []string {
	out := make([]string, len(channels))
	for i, c := range channels {
		out[i] = c.Name
	}
	return out
}

// BoardNow gives the board as it is within a command, with what was stored by it.
func BoardNow(a *newsroom.Command) (*plan.Board, error) {
	board, err := a.Newsroom.BoardAt(a, a.Setup, a.Now)
	if err != nil {
		return nil, err
	}
	return board.Replace(a.Put.Pieces), nil
}

// CreateOn makes a piece whose people are chosen by how things stand on a board.
func CreateOn(a *newsroom.Command, board *plan.Board, d Draft) (ref.Piece, error) {
	m, err := DraftMove(a.Setup, a.Actor, d, a.Now)
	if err != nil {
		return 0, err
	}
	p := &m.Piece
	if err := Check(a.Setup, p); err != nil {
		return 0, err
	}
	r, err := a.Newsroom.Record(a, p.DeskID, p.FormatID)
	if err != nil {
		return 0, err
	}
	way := a.Setup.Route(p.RouteID).Way
	board.FillIn(p, way, d.Named, r.Series)
	p.Tags, p.BatchID, p.Version = d.Tags, d.Batch, 1
	was, err := model(a, d, p)
	if err != nil {
		return 0, err
	}
	if err := d.add(a, p); err != nil {
		return 0, err
	}
	if err := begin(a, p, d, was); err != nil {
		return 0, err
	}
	if err := addSteps(a, p.ID, way); err != nil {
		return 0, err
	}
	if err := logCreated(a, m); err != nil {
		return 0, err
	}
	if err := a.Moved(relay.Piece{}, m); err != nil {
		return 0, err
	}
	a.Undo.Made = append(a.Undo.Made, p.ID)
	a.Did = append(a.Did, fmt.Sprintf("made “%s”", p.Title))
	return p.ID, a.Stand(*p)
}

func addSteps(a *newsroom.Command, piece ref.Piece, r route.Route) error {
	for _, l := range slices.Concat(r.Legs, r.After) {
		for _, s := range l.Steps {
			if err := AddStep(a, piece, l.Key, s); err != nil {
				return err
			}
		}
	}
	return nil
}

// AddStep puts a step on the checklist of a leg.
func AddStep(a *newsroom.Command, piece ref.Piece, leg string, s route.Step) error {
	return a.Tx.AddStep(a, store.Step{PieceID: piece, Leg: leg, Text: s.Text, Must: s.Must, Role: s.Role, Before: s.Before})
}

func logCreated(a *newsroom.Command, m relay.Move) error {
	p := &m.Piece
	after := []string{"title: " + p.Title, "format: " + a.Setup.Format(p.FormatID).Name, "owner: " + a.Setup.Name(p.Owner), "goes out: " + a.Setup.At(p.GoesOut, p.DeskID)}
	for l := range p.Every() {
		after = append(after, l.Name+": "+a.SayLeg(l))
	}
	return a.LogEvents(p, store.Entry{
		DeskID: p.DeskID, PieceID: p.ID, Act: string(relay.Created), Version: p.Version,
		What: fmt.Sprintf("made “%s”, No. %d, a %s", p.Title, p.Number, strings.ToLower(a.Setup.Format(p.FormatID).Name)), After: strings.Join(after, "\n"),
	}, newsroom.EventsOf(m))
}

// DropPiece takes a piece off its way that was made and not worked on.
func DropPiece(a *newsroom.Command, row store.Row) error {
	is, err := relay.Drop(row.Piece)
	if err != nil {
		return err
	}
	is.Version++
	if a.Unmade == nil {
		a.Unmade = map[ref.Piece]bool{}
	}
	a.Unmade[row.ID] = true
	if err := a.Save(row.Piece, is); err != nil {
		return err
	}
	if err := a.Stand(is); err != nil {
		return err
	}
	return a.Log(store.Entry{DeskID: row.DeskID, PieceID: row.ID, Act: "withdrew", What: "took back the making of it", Version: is.Version})
}

// NotUsed takes a piece off its way that will not be used, for whatever reason: what was not passed
// is skipped, and who has a leg of it is told.
func (h Moves) NotUsed(ctx context.Context, by ref.Person, piece ref.Piece, version int, why string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		row, err := a.Load(newsroom.Order{Act: relay.ActRelease, Piece: piece, Version: version})
		if err != nil {
			return err
		}
		if why = strings.TrimSpace(why); why == "" || len([]rune(why)) > 500 {
			return newsroom.Invalid("why", "Say in up to 500 characters why it is not used. Who worked on it reads it.")
		}
		is, err := relay.Drop(row.Piece)
		if err != nil {
			return err
		}
		is.Version++
		if err := errors.Join(a.Save(row.Piece, is), a.Stand(is)); err != nil {
			return err
		}
		told := map[ref.Person]bool{by: true, 0: true}
		for l := range row.Every() {
			if l.State != relay.Running && l.State != relay.Passed || told[l.Holder] || a.Setup.Person(l.Holder).Retired {
				continue
			}
			told[l.Holder] = true
			item := store.Item{PersonID: l.Holder, PieceID: piece, Kind: "withdrawn", Text: newsroom.First(a.Setup.Actor(by)) + " took it off: it will not be used.", Why: why, At: a.Now}
			if err := a.Notify(item, true); err != nil {
				return err
			}
		}
		a.Remember(fmt.Sprintf("taking off “%s”", row.Title), newsroom.UndoPiece{Version: is.Version, Was: row.Piece})
		return a.Log(store.Entry{DeskID: row.DeskID, PieceID: piece, Act: "withdrew", What: "took it off: it will not be used", Why: why, Version: is.Version})
	})
}

// undoMade takes pieces away again.
func undoMade(a *newsroom.Command, s *newsroom.UndoState) ([]ref.Piece, error) {
	for _, piece := range s.Made {
		if err := dropMade(a, piece); err != nil {
			return nil, err
		}
	}
	return s.Made, nil
}

// dropMade takes back a piece that was just made, as long as nobody has worked on it.
func dropMade(a *newsroom.Command, id ref.Piece) error {
	row, err := store.Piece(a, a.Tx, id)
	if err != nil {
		return err
	}
	if row.Version > 1 || row.Stage != relay.UnderWay {
		return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("Somebody has worked on “%s” since it was made, so it can no longer be taken back. Withdraw it by hand.", row.Title)}
	}
	return DropPiece(a, row)
}

// add stores a new piece under the next number, with what its fields say.
func (d Draft) add(a *newsroom.Command, p *relay.Piece) (err error) {
	if p.Number, err = a.Tx.NextNumber(a); err != nil {
		return err
	}
	if p.ID, err = a.Tx.AddPiece(a, *p); err != nil {
		return err
	}
	for l := range p.Every() {
		l.PieceID = p.ID
	}
	a.Put.Pieces[p.ID] = *p
	values, err := d.values(a.Setup)
	if err != nil {
		return err
	}
	for field, v := range values {
		if err := a.SetValue(p.ID, field, v, map[ref.Field]string{}); err != nil {
			return err
		}
	}
	return nil
}
