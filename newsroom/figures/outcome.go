package figures

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/find"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Aim is what a piece is to reach, and how far it is.
type Aim struct {
	store.Aim
	Measure store.Measure
	Until   day.Date // that counts, 0 while the piece is not out
	Is      float64  // so far, or until then
	Known   bool     // there are figures
	Over    bool     // the day is past
}

// Reached reports whether an aim is reached.
func (a Aim) Reached() bool {
	if a.Measure.Better == measure.Fewer {
		return a.Known && a.Is <= a.Value
	}
	return a.Known && a.Is >= a.Value
}

// checkAim refuses what an aim cannot be.
func checkAim(a *newsroom.Command, x *store.Aim, desk ref.Desk, from day.Date) error {
	m := a.Setup.Measure(x.MeasureID)
	switch {
	case x.MeasureID == 0 && x.PieceID != 0, x.MeasureID != 0 && m.DeskID != desk:
		return newsroom.Invalid("measure", "Choose one of the desk's measures.")
	case x.Value <= 0 || x.Value > Absurd:
		return newsroom.Invalid("value", "An aim is above zero. Say how many it is to reach.")
	case x.MeasureID == 0 && (x.Value != float64(int(x.Value)) || x.Value > 5000):
		return newsroom.Invalid("value", "The pieces aimed at are a whole number up to 5,000.")
	case x.ByDay != 0 && (x.ByDay < from || x.ByDay > from+10*366):
		return newsroom.Invalid("by", "Choose a day within the next ten years.")
	}
	return nil
}

// SaveAim notes what a piece or a campaign is to reach.
func (h Room) SaveAim(ctx context.Context, by ref.Person, x store.Aim) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		on, desk, err := h.aimAt(a, x)
		if err != nil {
			return err
		}
		if err := checkAim(a, &x, desk, a.Now.Date(a.Setup.Zones[desk])-366); err != nil {
			return err
		}
		if err := newAim(a, x); err != nil {
			return err
		}
		if _, err := a.Tx.SaveAim(a, x); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, PieceID: x.PieceID, Act: "aim", What: fmt.Sprintf("set an aim for %s: %s", on, sayAim(a.Setup, x))})
	})
}

// newAim refuses an aim that is set already: a form that was sent twice sets one.
func newAim(a *newsroom.Command, x store.Aim) error {
	read := func() ([]store.Aim, error) { return store.AimsOfCampaign(a, a.Tx, x.CampaignID) }
	if x.PieceID != 0 {
		read = func() ([]store.Aim, error) { return store.AimsOf(a, a.Tx, x.PieceID) }
	}
	all, err := read()
	if slices.ContainsFunc(all, func(is store.Aim) bool { return is.MeasureID == x.MeasureID && is.ByDay == x.ByDay }) {
		return newsroom.Invalid("value", "There is an aim of this kind already. Take that one away first.")
	}
	return err
}

func sayAim(b *newsroom.Setup, x store.Aim) string {
	out := english.Plural(int(x.Value), "piece") + " out"
	if x.MeasureID != 0 {
		out = Say(b.Measure(x.MeasureID), x.Value)
	}
	if x.ByDay != 0 {
		out += " by " + english.Date(x.ByDay)
	}
	return out
}

// aimAt refuses who may set aims for a piece or a campaign, and names it.
func (h Room) aimAt(a *newsroom.Command, x store.Aim) (on string, desk ref.Desk, err error) {
	if x.PieceID != 0 {
		row, err := a.Load(newsroom.Order{Act: relay.ActPlan, Piece: x.PieceID})
		return "“" + row.Title + "”", row.DeskID, err
	}
	c := a.Setup.Campaign(x.CampaignID)
	if c.ID == 0 {
		return "", 0, newsroom.ErrNotFound
	}
	return c.Name, c.DeskID, mayOwnCampaign(a, c)
}

// mayOwnCampaign refuses who neither leads the desk of a campaign nor owns it.
func mayOwnCampaign(a *newsroom.Command, c store.Campaign) error {
	if w := a.Who(c.DeskID); w.System || w.OnDesk && w.ID == c.Owner && c.Owner != 0 {
		return nil
	}
	return a.Setup.MayLead(a.Actor, c.DeskID)
}

// DropAim takes an aim away.
func (h Room) DropAim(ctx context.Context, by ref.Person, id ref.Aim) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		x, err := store.AimByID(a, a.Tx, id)
		if errors.Is(err, store.ErrNone) {
			return newsroom.ErrNotFound
		} else if err != nil {
			return err
		}
		on, desk, err := h.aimAt(a, x)
		if err != nil {
			return err
		}
		if err := a.Tx.DropAim(a, id); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, PieceID: x.PieceID, Act: "aim", What: fmt.Sprintf("took an aim away from %s: %s", on, sayAim(a.Setup, x))})
	})
}

// aimsOf gives the aims of a piece and how far it is.
func (h Room) aimsOf(ctx context.Context, b *newsroom.Setup, p *relay.Piece) ([]Aim, error) {
	all, err := store.AimsOf(ctx, h.DB.View(), p.ID)
	if err != nil {
		return nil, err
	}
	today, out := h.Now().Date(b.Zones[p.DeskID]), outDay(b, p)
	var aims []Aim
	for _, x := range all {
		a := Aim{Aim: x, Measure: b.Measure(x.MeasureID), Until: x.ByDay}
		if a.Until == 0 && out != 0 {
			a.Until = out + day.Date(measure.Windows[2]) - 1
		}
		a.Over = a.Until != 0 && a.Until < today
		points, _, _, err := days(ctx, h.DB.View(), a.Measure, p.ID)
		if err != nil {
			return nil, err
		}
		to := today
		if a.Until != 0 {
			to = min(to, a.Until)
		}
		a.Is, a.Known = a.Measure.How.Over(points, out, to)
		aims = append(aims, a)
	}
	return aims, nil
}

// SaveOutcome notes how a piece that is out did, or a campaign, and what was learnt. It is for the
// owner and leads; what was said before is replaced.
func (h Room) SaveOutcome(ctx context.Context, by ref.Person, x store.Outcome) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		x.Learnt = strings.TrimSpace(strings.ReplaceAll(x.Learnt, "\r\n", "\n"))
		on, desk, err := h.aimAt(a, store.Aim{PieceID: x.PieceID, CampaignID: x.CampaignID})
		if err != nil {
			return err
		}
		if x.PieceID != 0 {
			if row, err := store.Piece(a, a.Tx, x.PieceID); err != nil {
				return err
			} else if row.OutAt == 0 {
				return &relay.Refusal{Reason: relay.ErrNotNow, Text: "It is not out yet, so nobody can say how it did."}
			}
		}
		switch {
		case !slices.Contains([]string{store.Worked, store.Partly, store.Failed}, x.Said):
			return newsroom.Invalid("said", "Say whether it worked, partly, or did not.")
		case len([]rune(x.Learnt)) > 2000:
			return newsroom.Invalid("learnt", "Keep what was learnt under 2,000 characters.")
		}
		was, err := store.OutcomeOf(a, a.Tx, x.PieceID, x.CampaignID)
		if err != nil && !errors.Is(err, store.ErrNone) {
			return err
		}
		x.ID, x.By, x.At = was.ID, a.Actor, a.Now
		if _, err := a.Tx.SaveOutcome(a, x); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, PieceID: x.PieceID, Act: "outcome", What: "said how " + on + " did: " + SayOutcome(x.Said), After: x.Learnt})
	})
}

// SayOutcome says how something did, as somebody said it.
func SayOutcome(said string) string {
	return map[string]string{store.Worked: "it worked", store.Partly: "it worked partly", store.Failed: "it did not work"}[said]
}

// ask asks the owner of each piece with an aim how it did, once, so many days after it went out.
func (h Room) ask(ctx context.Context) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	due := newsroom.PartOf[asked](h.Newsroom)
	today := map[ref.Desk]day.Date{}
	fresh := false
	for _, d := range b.Desks {
		today[d.ID] = h.Now().Date(b.Zones[d.ID])
		fresh = fresh || due.day[d.ID] != today[d.ID]
	}
	if !fresh { // each day it is looked at once
		return nil
	}
	open, err := h.unanswered(ctx, b)
	if err != nil {
		return err
	}
	for _, e := range open {
		err := h.Alone(ctx, newsroom.Errand{What: "ask how it did", Piece: e.ID}, func() error {
			return h.Do(ctx, 0, func(a *newsroom.Command) error {
				link := fmt.Sprintf("/pieces/%d#did", e.ID)
				if told, err := store.ToldOf(a, a.Tx, e.ID, "outcome"); err != nil || told {
					return err
				}
				return a.Notify(store.Item{PersonID: e.Owner, PieceID: e.ID, Kind: "outcome", Text: fmt.Sprintf("How did “%s” do? It is out since %s.", e.Title, english.Date(outDay(b, &e.Piece))), Link: link, At: a.Now}, true)
			})
		})
		if err != nil {
			return err
		}
	}
	due.day = today
	return nil
}

// asked is the day on which it was last looked whom to ask how pieces did.
type asked struct{ day map[ref.Desk]day.Date }

// unanswered gives the pieces with an aim that are out long enough and of which nobody said how
// they did, the longest out first.
func (h Room) unanswered(ctx context.Context, b *newsroom.Setup) ([]*newsroom.Entry, error) {
	ids, err := store.Unanswered(ctx, h.DB.View())
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	var out []*newsroom.Entry
	for _, id := range ids {
		e := newsroom.EntryOf(entries, id)
		if e == nil || e.Stage != relay.Out {
			continue
		}
		if n := b.Desk(e.DeskID).AskAfter; n > 0 && outDay(b, &e.Piece)+day.Date(n) <= h.Now().Date(b.Zones[e.DeskID]) {
			out = append(out, e)
		}
	}
	slices.SortStableFunc(out, func(x, y *newsroom.Entry) int { return cmp.Compare(x.OutAt, y.OutAt) })
	return out, nil
}

// AskedOf gives the pieces of somebody of which it is asked how they did, the longest out first.
func (h Room) AskedOf(ctx context.Context, who ref.Person, desk ref.Desk) ([]*newsroom.Entry, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	all, err := h.unanswered(ctx, b)
	return slices.DeleteFunc(all, func(e *newsroom.Entry) bool { return e.Owner != who || e.DeskID != desk }), err
}

// Lesson is what was learnt of a piece that is out.
type Lesson struct {
	store.Outcome
	Entry *newsroom.Entry
}

// Lessons gives what was learnt on a desk, the newest first; with words, only where these stand in
// it or in the title of its piece. It is for leads and staff.
func (h Room) Lessons(ctx context.Context, who ref.Person, desk ref.Desk, words string) ([]Lesson, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if w := b.Who(who, desk); !w.OnDesk || !w.Access.May(relay.SeeAll) {
		return nil, newsroom.ErrNotFound
	}
	all, err := store.Outcomes(ctx, h.DB.View())
	if err != nil {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	var out []Lesson
	for _, o := range all {
		e := newsroom.EntryOf(entries, o.PieceID)
		if e == nil || e.DeskID != desk || o.Learnt == "" {
			continue
		}
		low := strings.ToLower(o.Learnt) + " " + e.Low
		if !slices.ContainsFunc(find.Words(words), func(w string) bool { return !strings.Contains(low, w) }) {
			out = append(out, Lesson{o, e})
		}
	}
	return out, nil
}

// Learnt gives how pieces did and what was learnt, by piece, for those who plan the like again and
// see all of their desks.
func (h Room) Learnt(ctx context.Context, who ref.Person, pieces []ref.Piece) (map[ref.Piece]store.Outcome, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	return store.OutcomesOf(ctx, h.DB.View(), slices.DeleteFunc(slices.Clone(pieces), func(id ref.Piece) bool {
		e := newsroom.EntryOf(entries, id)
		return e == nil || !b.Who(who, e.DeskID).Access.May(relay.SeeAll) || !b.Who(who, e.DeskID).OnDesk
	}))
}
