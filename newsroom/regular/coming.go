package regular

import (
	"context"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/regular"
	"greenbaton/core/relay"
	"greenbaton/core/words"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// State is how it stands with one day of a regular.
type State string

// The states.
const (
	Made    State = "made"     // its piece was made
	Taken   State = "taken"    // another piece has its time
	Past    State = "past"     // it was over before a piece was made
	Due     State = "due"      // its piece is to be made now
	Later   State = "later"    // it is made when its weeks begin
	LeftOut State = "left out" // it does not come
)

// Coming is one day of a regular and how it stands with it.
type Coming struct {
	regular.Comes
	At      day.Moment
	State   State
	Piece   ref.Piece      // that was made for it
	N       int            // its number
	Title   string         // that it has, or would have
	Holiday string         // why it does not come on its day, if it is that
	With    []*relay.Piece // what has its time already
	NoSlot  bool           // its channel has no slot then
	Pace    plan.Pace      // of one that is to be made now: how it would stand
	InHand  int
}

// Outlook is what follows from a regular.
type Outlook struct {
	Days   []Coming
	Shifts []load.Shift // what those that are to be made now would do to people
	Needs  int          // working days that its route takes
	Again  int          // pieces that were made, not begun, and would be made anew
}

// Fields are the named fields in the title of a regular.
var Fields = []words.Field{{Name: "n", Says: "its number"}, {Name: "date", Says: "its day: 3 December 2026"}, {Name: "month", Says: "its month: December 2026"}}

// TitleOf gives the title of a piece of a regular.
func TitleOf(title string, n int, on day.Date) string {
	return strings.TrimSpace(words.Fill(title, map[string]string{"n": strconv.Itoa(n), "date": on.Format("2 January 2006"), "month": on.Format("January 2006")}))
}

// draftOf gives the piece of a regular for a day.
func draftOf(r store.Regular, c Coming) (planning.Draft, error) {
	people, err := r.LegPeople()
	return planning.Draft{
		Title: c.Title, Format: r.FormatID, Channel: r.ChannelID, GoesOut: c.At, Owner: r.Owner, Brief: r.Brief, WordsFrom: r.WordsFrom, WordsTo: r.WordsTo,
		Topic: r.TopicID, Campaign: r.CampaignID, Holders: people,
	}, err
}

// scene is what the days of a regular are looked at by.
type scene struct {
	setup *newsroom.Setup
	board *plan.Board
	now   day.Moment
}

// look gives how it stands with the days of a regular up to one, in order: of those from the
// day on which its dates count, and of what was made before.
func (s scene) look(r store.Regular, known map[day.Date]store.RegularDate, until day.Date) ([]Coming, error) {
	rule, err := r.Recurs()
	if err != nil {
		return nil, err
	}
	zone := s.setup.Zones[r.DeskID]
	today := s.now.Date(zone)
	horizon := today + day.Date(7*r.Ahead)
	channel := channelOf(s.setup, r)
	n := r.NextN
	var out []Coming
	for _, c := range rule.Between(r.Since, until, s.setup.FreeOf(r.DeskID)) {
		x := Coming{Comes: c, At: s.time(r, channel, c.On)}
		if c.Why == regular.ByHoliday {
			x.Holiday = s.setup.DayOff(r.DeskID, c.Key)
		}
		d, is := known[c.Key]
		switch {
		case is && d.State == store.RegularMade:
			x.State, x.Piece, x.N = Made, d.PieceID, d.N
		case c.Out:
			x.State = LeftOut
		case is && d.State == store.RegularPast, x.At <= s.now:
			x.State = Past
		default:
			if x.State = Later; c.On <= horizon {
				x.State = Due
			}
			clash, slot := s.board.Look(&relay.Piece{DeskID: r.DeskID, ChannelID: channel, GoesOut: x.At}, 0)
			if x.NoSlot, x.With = !slot, clash.With; x.With != nil && slot && s.hasSlots(channel) {
				x.State = Taken
			} else {
				x.N = n
				n++
			}
		}
		if x.N != 0 {
			x.Title = TitleOf(r.Title, x.N, c.On)
		}
		out = append(out, x)
	}
	return out, nil
}

// channelOf gives the channel on which the pieces of a regular go out.
func channelOf(b *newsroom.Setup, r store.Regular) ref.Channel {
	if r.ChannelID != 0 {
		return r.ChannelID
	}
	return b.Format(r.FormatID).ChannelID
}

func (s scene) hasSlots(channel ref.Channel) bool { return len(s.setup.Slots(channel, s.now)) > 0 }

// time gives when a piece of a regular goes out on a day.
func (s scene) time(r store.Regular, channel ref.Channel, on day.Date) day.Moment {
	at := r.At
	if at < 0 {
		at = s.setup.Minutes(channel, on, newsroom.Morning)
	}
	return day.Wall(on, at, s.setup.Zones[r.DeskID])
}

// Preview gives what would follow from a regular if it were kept as it is now, up to a day;
// not before it, where nothing more is to be shown. It refuses what Save would refuse.
func (h Room) Preview(ctx context.Context, by ref.Person, r store.Regular, weeks int) (Outlook, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return Outlook{}, err
	}
	if err := b.MayLead(by, r.DeskID); err != nil {
		return Outlook{}, err
	}
	now := h.Now()
	was, known, err := kept(ctx, h.DB.View(), r)
	if err != nil {
		return Outlook{}, err
	}
	if err := check(b, by, &r, was, now); err != nil {
		return Outlook{}, err
	}
	var out Outlook
	for _, d := range known {
		if p := board.Piece(d.PieceID); r.Runs() && d.State == store.RegularMade && p != nil && p.GoesOut > now {
			fresh, err := notBegun(ctx, h.DB.View(), p)
			if err != nil {
				return out, err
			}
			out.Again += newsroom.Count(fresh)
		}
	}
	s := scene{b, board, now}
	if out.Days, err = s.look(r, known, now.Date(b.Zones[r.DeskID])+day.Date(7*max(weeks, r.Ahead))); err != nil {
		return out, err
	}
	return out, h.weigh(ctx, by, s, r, &out)
}

// weigh works out how the pieces that are to be made now would stand, and what they do to people.
func (h Room) weigh(ctx context.Context, by ref.Person, s scene, r store.Regular, out *Outlook) error {
	record, err := h.Record(ctx, r.DeskID, r.FormatID)
	if err != nil {
		return err
	}
	house := s.setup.Planned[r.DeskID]
	today := s.now.Date(house.Zone)
	after := s.board
	for i := range out.Days {
		c := &out.Days[i]
		if p := s.board.Piece(c.Piece); c.State == Made && p != nil {
			c.Title = p.Title
		}
		if c.State != Due {
			continue
		}
		d, err := draftOf(r, *c)
		if err != nil {
			return err
		}
		m, err := planning.DraftMove(s.setup, by, d, s.now)
		if err != nil {
			return err
		}
		after.FillIn(&m.Piece, s.setup.Route(m.Piece.RouteID).Way, d.Named, record.Series)
		pr := house.Forward(&m.Piece, today)
		c.Pace, c.InHand = pr.Pace, pr.InHand
		after = after.Add(m.Piece)
	}
	for _, l := range s.setup.Latest(r.FormatID).Way.Legs {
		out.Needs += l.Allowance
	}
	if after != s.board {
		out.Shifts = load.Compare(s.board.Load(), after.Load(), s.board.People)
	}
	return nil
}

// kept gives a regular as it is kept, nothing where it is new, and what became of its days.
func kept(ctx context.Context, r store.Reader, x store.Regular) (store.Regular, map[day.Date]store.RegularDate, error) {
	if x.ID == 0 {
		return store.Regular{}, nil, nil
	}
	was, err := store.RegularByID(ctx, r, x.ID)
	if err != nil {
		return was, nil, err
	}
	if was.DeskID != x.DeskID {
		return was, nil, newsroom.ErrNotFound
	}
	known, err := store.RegularDates(ctx, r, x.ID)
	return was, known, err
}
