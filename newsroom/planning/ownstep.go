package planning

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// OwnStep is a step that belongs to no leg, as it is shown.
type OwnStep struct {
	store.OwnStep
	On   string // the title of its piece or the name of its campaign
	Link string
	Late bool // its day is past
	May  bool // who looks may tick and drop it
}

// ownStepAt reads a step and refuses who may not touch it: it is for whoever does it, whoever
// wrote it down, the owner of its piece, and leads.
func ownStepAt(a *newsroom.Command, id ref.OwnStep) (store.OwnStep, error) {
	s, err := store.OwnStepByID(a, a.Tx, id)
	if errors.Is(err, store.ErrNone) {
		return s, newsroom.ErrNotFound
	} else if err != nil {
		return s, err
	}
	if s.PieceID != 0 {
		row, err := a.Load(newsroom.Order{Act: relay.ActSee, Piece: s.PieceID})
		if err != nil {
			return s, err
		}
		if !mayTickOwn(a.Who(s.DeskID), s, row.Owner) {
			return s, &relay.Refusal{Reason: relay.ErrNotYours, Text: "This step is for who does it, the owner of the piece, and leads."}
		}
		return s, nil
	}
	if !mayTickOwn(a.Who(s.DeskID), s, 0) {
		return s, &relay.Refusal{Reason: relay.ErrNotYours, Text: "This step is for who does it, and for leads."}
	}
	return s, nil
}

func mayTickOwn(w relay.Who, s store.OwnStep, owner ref.Person) bool {
	return w.System || w.OnDesk && (w.Access.May(relay.LeadDesk) || w.ID == s.PersonID || w.ID == s.By || w.ID == owner && owner != 0)
}

// SaveOwnStep stores a step of a piece or of a campaign, a new one where it has no id.
func (h Moves) SaveOwnStep(ctx context.Context, by ref.Person, s store.OwnStep) (ref.OwnStep, error) {
	var id ref.OwnStep
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		s.Text = strings.Join(strings.Fields(s.Text), " ")
		on, err := checkOwnStep(a, &s)
		if err != nil {
			return err
		}
		if err := newStep(a, s); err != nil {
			return err
		}
		a.Steps = true
		if id, err = a.Tx.SaveOwnStep(a, s); err != nil {
			return err
		}
		if s.PersonID != 0 && s.PersonID != by {
			text := fmt.Sprintf("%s asks you: %s%s.", newsroom.First(a.Setup.Actor(by)), s.Text, byDay(s.Day))
			if err := a.Notify(store.Item{PersonID: s.PersonID, PieceID: s.PieceID, Kind: "step", Text: text, Link: linkToStep(s), At: a.Now}, true); err != nil {
				return err
			}
		}
		return a.Log(store.Entry{DeskID: s.DeskID, PieceID: s.PieceID, Act: "step", What: "wrote down a step of " + on + ": " + s.Text + byDay(s.Day), After: "with: " + a.Setup.Name(s.PersonID)})
	})
	return id, err
}

// newStep refuses a step that is written down already and still to be done: a form that was sent
// twice writes one.
func newStep(a *newsroom.Command, s store.OwnStep) error {
	read := func() ([]store.OwnStep, error) { return store.OwnStepsOfCampaign(a, a.Tx, s.CampaignID) }
	if s.PieceID != 0 {
		read = func() ([]store.OwnStep, error) { return store.OwnStepsOf(a, a.Tx, s.PieceID) }
	}
	all, err := read()
	if slices.ContainsFunc(all, func(x store.OwnStep) bool {
		return x.ID != s.ID && x.DoneAt == 0 && strings.EqualFold(x.Text, s.Text) && x.PersonID == s.PersonID
	}) {
		return newsroom.Invalid("text", "This step is written down already.")
	}
	return err
}

func byDay(d day.Date) string {
	if d == 0 {
		return ""
	}
	return ", by " + english.Date(d)
}

func linkToStep(s store.OwnStep) string {
	if s.PieceID != 0 {
		return fmt.Sprintf("/pieces/%d#steps", s.PieceID)
	}
	return fmt.Sprintf("/campaigns/%d", s.CampaignID)
}

// checkOwnStep refuses what a step cannot be, fills in its desk, and names what it belongs to.
func checkOwnStep(a *newsroom.Command, s *store.OwnStep) (on string, err error) {
	if s.ID != 0 {
		was, err := ownStepAt(a, s.ID)
		if err != nil {
			return "", err
		}
		s.PieceID, s.CampaignID, s.By, s.At, s.DoneAt, s.DoneBy = was.PieceID, was.CampaignID, was.By, was.At, was.DoneAt, was.DoneBy
	} else {
		s.By, s.At = a.Actor, a.Now
	}
	switch {
	case s.PieceID != 0:
		row, err := a.Load(newsroom.Order{Act: relay.ActPrepare, Piece: s.PieceID})
		if err != nil {
			return "", err
		}
		on, s.DeskID = "“"+row.Title+"”", row.DeskID
		if s.PersonID != 0 && relay.May(relay.ActSee, a.Setup.Who(s.PersonID, row.DeskID), &row.Piece, nil, "") != nil {
			return on, newsroom.Invalid("person", "%s does not see this piece. Choose somebody who does.", newsroom.First(a.Setup.Name(s.PersonID)))
		}
	default:
		c := a.Setup.Campaign(s.CampaignID)
		if c.ID == 0 {
			return "", newsroom.ErrNotFound
		}
		if !MayCreate(a.Who(c.DeskID)) {
			return "", &relay.Refusal{Reason: relay.ErrNotYours, Text: "Only leads and staff of the desk write down steps of a campaign."}
		}
		on, s.DeskID = c.Name, c.DeskID
	}
	today := a.Now.Date(a.Setup.Zones[s.DeskID])
	switch {
	case s.Text == "" || len([]rune(s.Text)) > 200:
		return on, newsroom.Invalid("text", "Say what is to be done, in up to 200 characters.")
	case s.PersonID != 0 && !a.Setup.Available(s.PersonID, s.DeskID):
		return on, newsroom.Invalid("person", "Choose somebody of the desk.")
	case s.Minutes < 0 || s.Minutes > 400*60:
		return on, newsroom.Invalid("hours", "The hours lie between 0 and 400.")
	case s.Day != 0 && (s.Day < today-366 || s.Day > today+5*366):
		return on, newsroom.Invalid("day", "Choose a day within the next five years.")
	}
	return on, nil
}

// TickOwnStep marks a step done, or open again.
func (h Moves) TickOwnStep(ctx context.Context, by ref.Person, id ref.OwnStep, done bool) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		s, err := ownStepAt(a, id)
		if err != nil || done == (s.DoneAt != 0) {
			return err
		}
		what := "opened again the step “"
		if s.DoneAt, s.DoneBy = 0, 0; done {
			s.DoneAt, s.DoneBy, what = a.Now, by, "did the step “"
		}
		a.Steps = true
		if _, err := a.Tx.SaveOwnStep(a, s); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: s.DeskID, PieceID: s.PieceID, Act: "step", What: what + s.Text + "”"})
	})
}

// DropOwnStep takes a step away.
func (h Moves) DropOwnStep(ctx context.Context, by ref.Person, id ref.OwnStep) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		s, err := ownStepAt(a, id)
		if err != nil {
			return err
		}
		a.Steps = true
		if err := a.Tx.DropOwnStep(a, id); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: s.DeskID, PieceID: s.PieceID, Act: "step", What: "took away the step “" + s.Text + "”"})
	})
}

// remind tells those who do a step that is due on a working day, once.
func (h Moves) remind(ctx context.Context) error {
	open, err := h.OpenSteps(ctx)
	if err != nil || len(open) == 0 {
		return err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	for _, s := range open {
		today := h.Now().Date(b.Zones[s.DeskID])
		if s.PersonID == 0 || s.Day == 0 || s.Day > today || s.ToldDay == s.Day || !b.Planned[s.DeskID].Calendar.Working(today) {
			continue
		}
		err := h.Alone(ctx, newsroom.Errand{What: "remind somebody of a step", Person: s.PersonID, Piece: s.PieceID}, func() error {
			return h.Do(ctx, 0, func(a *newsroom.Command) error {
				is, err := store.OwnStepByID(a, a.Tx, s.ID)
				if err != nil || is.DoneAt != 0 || is.ToldDay == is.Day {
					return err
				}
				a.Steps = true
				is.ToldDay = is.Day
				if _, err := a.Tx.SaveOwnStep(a, is); err != nil {
					return err
				}
				when := "is due today"
				if is.Day < today {
					when = "was due " + english.Date(is.Day)
				}
				return a.Notify(store.Item{PersonID: is.PersonID, PieceID: is.PieceID, Kind: "due", Text: fmt.Sprintf("“%s” %s.", is.Text, when), Link: linkToStep(is), At: a.Now}, true)
			})
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// OwnSteps gives the steps of a piece that belong to no leg, for those who see its preparation.
func (h Overview) OwnSteps(ctx context.Context, who ref.Person, piece ref.Piece) ([]OwnStep, error) {
	row, err := h.See(ctx, who, piece, relay.ActSee)
	if err != nil {
		return nil, err
	}
	all, err := store.OwnStepsOf(ctx, h.DB.View(), piece)
	if err != nil {
		return nil, err
	}
	return h.shownSteps(ctx, who, all, row.Owner)
}

// StepsOfCampaign gives the steps of a campaign, for those who see it.
func (h Overview) StepsOfCampaign(ctx context.Context, who ref.Person, c ref.Campaign) ([]OwnStep, error) {
	all, err := store.OwnStepsOfCampaign(ctx, h.DB.View(), c)
	if err != nil {
		return nil, err
	}
	return h.shownSteps(ctx, who, all, 0)
}

func (h Overview) shownSteps(ctx context.Context, who ref.Person, all []store.OwnStep, owner ref.Person) ([]OwnStep, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	var out []OwnStep
	for _, s := range all {
		x := OwnStep{OwnStep: s, Link: linkToStep(s), May: mayTickOwn(b.Who(who, s.DeskID), s, owner)}
		x.Late = s.DoneAt == 0 && s.Day != 0 && s.Day < h.Now().Date(b.Zones[s.DeskID])
		out = append(out, x)
	}
	return out, nil
}

// MySteps gives the open steps of somebody on a desk, the first due first.
func (h Overview) MySteps(ctx context.Context, who ref.Person, desk ref.Desk) ([]OwnStep, error) {
	open, err := h.OpenSteps(ctx)
	if err != nil {
		return nil, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	var mine []store.OwnStep
	for _, s := range open {
		if s.PersonID == who && s.DeskID == desk {
			mine = append(mine, s)
		}
	}
	out, err := h.shownSteps(ctx, who, mine, 0)
	if err != nil {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	for i := range out {
		if s := &out[i]; s.PieceID == 0 {
			s.On = b.Campaign(s.CampaignID).Name
		} else if e := newsroom.EntryOf(entries, s.PieceID); e != nil {
			s.On = e.Title
		}
	}
	return out, nil
}
