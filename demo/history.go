package demo

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// player plays the history of Millrace.
type player struct {
	h      *rooms.Newsroom
	b      *newsroom.Setup
	cal    *day.Calendar
	zone   *time.Location
	r      *rand.Rand
	now    time.Time
	deeds  []deed
	taken  map[day.Moment]bool
	kinds  map[string]store.Format
	chans  map[string]ref.Channel
	caught map[string]int64 // caught for pieces, by the title of the piece
}

// deed is one act at its time.
type deed struct {
	at day.Moment
	do func(context.Context) error
}

// story is one piece while its history is played.
type story struct {
	id     ref.Piece
	kind   kind
	format store.Format
	holder map[string]ref.Person
	owner  ref.Person
	text   func(*rand.Rand, int) copy.Text
	open   string // a leg that nobody in particular runs
}

// runs gives who has a leg.
func (p *player) runs(ctx context.Context, s *story, leg string) (ref.Person, error) {
	if leg != s.open {
		return s.holder[leg], nil
	}
	row, err := store.Piece(ctx, p.h.DB.View(), s.id)
	if err != nil {
		return 0, err
	}
	return row.Leg(leg).Holder, nil
}

func (p *player) add(at day.Moment, do func(context.Context) error) {
	p.deeds = append(p.deeds, deed{at, do})
}

// Play fills an empty house with Millrace and its history up to Start.
func Play(ctx context.Context, h *rooms.Newsroom) error {
	p := &player{h: h, r: rand.New(rand.NewPCG(1747, 2026)), taken: map[day.Moment]bool{}, kinds: map[string]store.Format{}, chans: map[string]ref.Channel{}, caught: map[string]int64{}}
	clock := h.Clock
	h.Clock = func() time.Time { return p.now }
	defer func() { h.Clock = clock }()
	p.now = day.Wall(firstSlot-7, 9*60, time.UTC).In(time.UTC)
	return h.DB.Batch(ctx, func() error {
		if err := setUp(ctx, h); err != nil {
			return fmt.Errorf("set up: %w", err)
		}
		if err := p.prepare(ctx); err != nil {
			return err
		}
		for _, s := range scripts {
			p.script(s)
		}
		p.simulate()
		p.ideas()
		p.briefing()
		p.penciled()
		p.requests()
		p.rules()
		p.partners()
		p.telling()
		p.following()
		p.asked()
		p.sketched()
		p.recurring()
		p.steps()
		p.paying()
		if err := p.play(ctx); err != nil {
			return err
		}
		p.now = Start
		if err := p.delivered(ctx); err != nil {
			return fmt.Errorf("deliver: %w", err)
		}
		if err := p.figured(ctx); err != nil {
			return fmt.Errorf("figures: %w", err)
		}
		if err := p.learns(ctx); err != nil {
			return fmt.Errorf("what was learnt: %w", err)
		}
		return errors.Join(h.Tick(ctx), h.Notify.DeliverMail(ctx), h.Notify.DeliverPosts(ctx))
	})
}

func (p *player) prepare(ctx context.Context) (err error) {
	if p.b, err = p.h.Setup(ctx); err != nil {
		return err
	}
	house := p.b.Planned[p.b.Desks[0].ID]
	p.cal, p.zone = house.Calendar, house.Zone
	for _, f := range p.b.Formats {
		p.kinds[f.Name] = f
	}
	for _, c := range p.b.Channels {
		p.chans[c.Slug] = c.ID
	}
	return nil
}

// play carries out all deeds up to Start in the order of their times, and sends
// out what is due in between.
func (p *player) play(ctx context.Context) error {
	end := day.MomentOf(Start)
	sort.SliceStable(p.deeds, func(i, k int) bool { return p.deeds[i].at < p.deeds[k].at })
	for _, d := range p.deeds {
		if d.at > end {
			break
		}
		p.now = d.at.In(time.UTC)
		if err := d.do(ctx); err != nil {
			return fmt.Errorf("%s: %w", p.now.Format(time.DateTime), err)
		}
	}
	return nil
}

// slotOn gives the time of a channel's slot on a date.
func (p *player) slotOn(slug string, d day.Date) day.Moment {
	for _, c := range channels {
		if c.slug == slug {
			return day.Wall(d, c.at, p.zone)
		}
	}
	return 0
}

func kindNamed(name string) kind {
	return kinds[slices.IndexFunc(kinds, func(k kind) bool { return k.name == name })]
}

// create plans the making of a piece.
func (p *player) create(s *story, at day.Moment, d planning.Draft, needs string) {
	d.Format, d.Owner = s.format.ID, s.owner
	d.WordsFrom, d.WordsTo = s.kind.from, s.kind.to
	d.Legs = map[string]planning.DraftLeg{}
	for _, l := range s.kind.legs {
		x := planning.DraftLeg{Holder: s.holder[l.Key], Days: l.Allowance, Needed: l.Key == needs}
		if l.Key == s.open {
			x.Holder = 0
		}
		d.Legs[l.Key] = x
	}
	if d.GoesOut != 0 {
		p.taken[d.GoesOut] = true
		p.add(d.GoesOut, p.h.SendDue)
	}
	d.Topic, d.Campaign = about(d, s.kind)
	p.add(at, func(ctx context.Context) (err error) {
		d.Idea = ref.Idea(p.caught[d.Title])
		if s.id, err = p.h.Intake.Create(ctx, s.owner, d); err != nil {
			return err
		}
		return p.label(ctx, s, d.Title)
	})
}

// save plans a save of the copy by the holder of a leg, as far as it has got.
func (p *player) save(s *story, leg string, at day.Moment, share float64) {
	words := int(float64(s.kind.from)*share*(1+0.25*p.r.Float64())) + 10
	t := s.text(rand.New(rand.NewPCG(uint64(at), 7)), words).JSON()
	p.add(at, func(ctx context.Context) error {
		if _, err := p.h.Copyroom.SaveCopy(ctx, s.holder[leg], s.id, copyroom.OnNewest, t); err != nil {
			return fmt.Errorf("piece %d, save in %s: %w", s.id, leg, err)
		}
		return nil
	})
}

// tick plans ticking the steps of a leg; all of them, or the first only.
func (p *player) tick(s *story, leg string, at day.Moment, all bool) {
	p.add(at, func(ctx context.Context) error {
		steps, err := store.Steps(ctx, p.h.DB.View(), s.id)
		if err != nil {
			return err
		}
		holder, err := p.runs(ctx, s, leg)
		if err != nil {
			return err
		}
		for _, x := range steps {
			if x.Leg == leg && x.DoneBy == 0 {
				if err := p.h.Planning.TickStep(ctx, holder, s.id, x.ID, true); err != nil {
					return err
				}
				if !all {
					return nil
				}
			}
		}
		return nil
	})
}

// pass plans passing a leg, with the writing and ticking that comes before it.
func (p *player) pass(s *story, l route.Leg, at day.Moment) {
	if l.Words {
		p.save(s, l.Key, at-1500, 1.02)
	}
	if len(l.Steps) > 0 {
		p.tick(s, l.Key, at-600, true)
	}
	if len(l.Requires) > 0 {
		p.fill(s, l, at-300)
	}
	p.add(at, func(ctx context.Context) error {
		holder, err := p.runs(ctx, s, l.Key)
		if err != nil {
			return err
		}
		if err := p.h.Planning.PassLeg(ctx, holder, planning.Pass{Piece: s.id, Leg: l.Key}); err != nil {
			return fmt.Errorf("piece %d, pass %s: %w", s.id, l.Key, err)
		}
		return nil
	})
}

// shortTitles are those under which pieces stand in lists.
var shortTitles = []string{"The tide mill", "Stone-ground", "The village oven", "Rye", "Old wheats", "Dressing a stone", "The wheel"}

// fill plans filling in what a leg asks for.
func (p *player) fill(s *story, l route.Leg, at day.Moment) {
	title := shortTitles[p.r.IntN(len(shortTitles))]
	p.add(at, func(ctx context.Context) error {
		typed := map[ref.Field][]string{}
		for _, f := range p.b.FieldsOf(s.format.ID) {
			if slices.Contains(l.Requires, f.Key) {
				typed[f.ID] = []string{title}
			}
		}
		return p.h.Planning.Fill(ctx, s.holder[l.Key], s.id, 0, typed)
	})
}

// left plans that the holder of a leg notes how much work is left in it.
func (p *player) left(s *story, l route.Leg, at day.Moment, share float64) {
	p.add(at, func(ctx context.Context) error {
		holder, err := p.runs(ctx, s, l.Key)
		if err != nil {
			return err
		}
		err = p.h.Planning.Report(ctx, holder, s.id, l.Key, int(float64(l.Effort)*share)/30*30, 0)
		if errors.Is(err, relay.ErrNotNow) { // it was noted like that already
			return nil
		}
		return err
	})
}

// back plans sending a piece back.
func (p *player) back(s *story, from, to string, at day.Moment) {
	why := []string{
		"The opening tells us about the wheel; begin with Joan instead. The third section repeats the first.",
		"Two of the figures don’t agree with the notes. Please check them with the mill.",
		"It is lovely, and a third too long. Lose the history of the lease.",
		"The quotation in the fourth paragraph needs its speaker. And what happened in May?",
	}[p.r.IntN(4)]
	p.add(at, func(ctx context.Context) error {
		return p.h.Planning.SendBack(ctx, s.holder[from], planning.Back{Piece: s.id, From: from, To: to, Reasons: why})
	})
}

// script plans the deeds of a scripted piece.
func (p *player) script(x scripted) {
	s := &story{kind: kindNamed(x.kind), format: p.kinds[x.kind], holder: map[string]ref.Person{}, owner: byInitials("MH"), text: text}
	if x.kind == "Recipe" {
		s.owner = byInitials("AB")
	}
	if strings.Contains(x.title, "tide mill") {
		s.text = tideMill
	}
	for _, l := range s.kind.legs {
		s.holder[l.Key] = l.Usual
	}
	for _, w := range strings.Split(x.who, ",") {
		if leg, who, ok := strings.Cut(w, "="); ok {
			s.holder[leg] = byInitials(who)
		}
	}
	d := planning.Draft{Title: x.title, Brief: x.brief}
	slug := s.kind.channel
	if x.channel != "" {
		slug, d.Channel = x.channel, p.chans[x.channel]
	}
	if x.out != 0 {
		d.GoesOut = p.slotOn(slug, x.out)
	}
	p.create(s, p.offset(-x.made, -1), d, x.needs)
	for i, w := range strings.Fields(x.deeds) {
		p.deed(s, w, i)
	}
}

// offset gives a time of day, later for a higher turn, on a working day counted from Start.
func (p *player) offset(days, turn int) day.Moment {
	today := p.cal.Start(day.MomentOf(Start).Date(p.zone))
	minutes := 10*60 + 45*(turn+1)
	if days == 0 {
		minutes = 8*60 + 40 + 5*(turn+1)
	}
	return day.Wall(p.cal.Day(today+day.Boundary(days)), minutes, p.zone)
}

// deed plans one deed of a script.
func (p *player) deed(s *story, w string, turn int) {
	what, when, _ := strings.Cut(w, "@")
	n, err := strconv.Atoi(when)
	if err != nil {
		panic("demo script: " + w)
	}
	at := p.offset(n, turn)
	verb, arg, ok := strings.Cut(what, ":")
	switch {
	case what == "save":
		i := slices.IndexFunc(s.kind.legs, func(l route.Leg) bool { return l.Words })
		p.save(s, s.kind.legs[i].Key, at, 0.2+0.1*float64(turn))
		p.left(s, s.kind.legs[i], at+600, max(0.2, 0.9-0.25*float64(turn)))
	case !ok:
		i := slices.IndexFunc(s.kind.legs, func(l route.Leg) bool { return l.Key == what })
		p.pass(s, s.kind.legs[i], at)
	case verb == "back":
		from, to, _ := strings.Cut(arg, "<")
		p.back(s, from, to, at)
	case verb == "open":
		p.add(at, func(ctx context.Context) error { return p.h.Planning.GiveLeg(ctx, s.owner, s.id, arg, 0, 0) })
	case verb == "tick":
		p.tick(s, arg, at, false)
	}
}

// read empties the inboxes now and then, as people do.
func (p *player) read(d day.Date) {
	for i := range people {
		p.add(day.Wall(d, 17*60+30+i, p.zone), func(ctx context.Context) error { return p.h.Notify.ReadAll(ctx, ref.Person(i+1)) })
	}
}

// lateRelease plans sending out by hand what missed its time, once it is ready.
func (p *player) lateRelease(s *story, at day.Moment) {
	p.add(at, func(ctx context.Context) error {
		row, err := store.Piece(ctx, p.h.DB.View(), s.id)
		if err != nil || row.Stage != relay.UnderWay || row.MissedAt == 0 || !row.Ready() {
			return err
		}
		return p.h.Review.SendOut(ctx, byInitials("MH"), s.id, 0, "")
	})
}
