package intake

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/brief"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/request"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// RequestList is the requests of a desk.
type RequestList struct {
	Rows   []store.Request
	Counts map[string]int // by state
}

// mostRequests is how many requests a list shows.
const mostRequests = 200

// Requests gives the requests of a desk in a state, those that wait longest first, for
// its leads and staff; in no state all of them, the newest first.
func (h Inquiries) Requests(ctx context.Context, who ref.Person, d ref.Desk, state string) (RequestList, error) {
	return h.requests(ctx, who, d, state, mostRequests)
}

// AllRequests gives those requests however many there are.
func (h Inquiries) AllRequests(ctx context.Context, who ref.Person, d ref.Desk, state string) (RequestList, error) {
	return h.requests(ctx, who, d, state, -1)
}

func (h Inquiries) requests(ctx context.Context, who ref.Person, d ref.Desk, state string, most int) (RequestList, error) {
	var out RequestList
	b, err := h.Setup(ctx)
	if err != nil {
		return out, err
	}
	if !planning.MayCreate(b.Who(who, d)) {
		return out, errNoTriage
	}
	if out.Counts, err = store.CountRequests(ctx, h.DB.View(), d); err != nil {
		return out, err
	}
	query, args := "WHERE desk_id = ? AND state = ? ORDER BY id LIMIT ?", []any{d, state, most}
	if state == "" {
		query, args = "WHERE desk_id = ? ORDER BY id DESC LIMIT ?", []any{d, most}
	}
	out.Rows, err = store.Requests(ctx, h.DB.View(), query, args...)
	return out, err
}

// Triage is one request with what is needed to decide on it.
type Triage struct {
	store.Request
	Form   request.Form
	Words  []store.Word
	Files  []store.File
	Likes  []Like
	Before ref.Request
	On     ref.Request // the requests before and after it in its state; 0 for none
	Left   int         // in its state
}

// Triage gives a request to leads and staff of its desk.
func (h Inquiries) Triage(ctx context.Context, who ref.Person, id ref.Request) (Triage, error) {
	x, err := h.request(ctx, h.DB.View(), who, id)
	if err != nil {
		return Triage{}, err
	}
	t, r := Triage{Request: x}, h.DB.View()
	forms, err := store.Forms(ctx, r, "WHERE id = ?", x.FormID)
	if err != nil {
		return t, err
	}
	t.Form = newsroom.FirstOf(forms).Form
	if t.Words, err = store.Words(ctx, r, id); err != nil {
		return t, err
	}
	if t.Files, err = store.FilesOf(ctx, r, 0, id); err != nil {
		return t, err
	}
	l, err := h.Requests(ctx, who, x.DeskID, x.State)
	if err != nil {
		return t, err
	}
	at := slices.IndexFunc(l.Rows, func(y store.Request) bool { return y.ID == id })
	if at > 0 {
		t.Before = l.Rows[at-1].ID
	}
	if at >= 0 && at+1 < len(l.Rows) {
		t.On = l.Rows[at+1].ID
	}
	t.Left = l.Counts[x.State]
	t.Likes, err = At(h.Newsroom).Likes(ctx, who, x.DeskID, x.Title, 0, 6)
	return t, err
}

func (h Inquiries) request(ctx context.Context, r store.Reader, who ref.Person, id ref.Request) (store.Request, error) {
	x, err := store.RequestByID(ctx, r, id)
	if errors.Is(err, store.ErrNone) {
		return x, newsroom.ErrNotFound
	} else if err != nil {
		return x, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return x, err
	}
	if !planning.MayCreate(b.Who(who, x.DeskID)) {
		return store.Request{}, newsroom.ErrNotFound
	}
	return x, nil
}

// Take is how a request is taken.
type Take struct {
	Title    string
	Format   ref.Format
	GoesOut  day.Moment // none without a day
	Writer   ref.Person // who runs the leg in which it is written; 0 leaves it to the route
	Owner    ref.Person
	Priority *relay.Priority // nil is as the format says
	Word     string          // to whoever asked
	Park     bool            // the piece is kept without beginning
}

// draftOf makes the draft of the piece that a request becomes.
func requestDraft(b *newsroom.Setup, x store.Request, t Take) planning.Draft {
	about, parts := request.Brief(x.Said)
	f := b.Format(t.Format)
	d := planning.Draft{Title: t.Title, Format: t.Format, GoesOut: t.GoesOut, Owner: t.Owner, Priority: t.Priority, Brief: strings.TrimSpace(fmt.Sprintf("%s\n\nAsked by %s.", about, x.Name)), WordsFrom: f.WordsFrom, WordsTo: f.WordsTo, Answers: parts, Park: t.Park}
	if t.Writer != 0 {
		d.Legs = map[string]planning.DraftLeg{}
		p := relay.Piece{Legs: relay.NewLegs(b.Latest(f.ID).Way)}
		if l := p.Leg(brief.Writing(&p)); l != nil {
			d.Legs[l.Key] = planning.DraftLeg{Holder: t.Writer, Days: l.Allowance, Needed: true}
		}
	}
	return d
}

// TakeRequest makes a piece of a request, with everything its form brought. Whoever asked
// is told. It gives the id of the piece.
func (h Inquiries) TakeRequest(ctx context.Context, by ref.Person, id ref.Request, version int, t Take) (ref.Piece, error) {
	var piece ref.Piece
	err := h.settleRequest(ctx, by, id, version, func(a *newsroom.Command, x *store.Request) (string, string, error) {
		if t.Title = strings.TrimSpace(t.Title); t.Title == "" {
			t.Title = x.Title
		}
		var err error
		if piece, err = create(a, requestDraft(a.Setup, *x, t)); err != nil {
			return "", "", err
		}
		if err := a.Tx.GiveFiles(a, id, piece); err != nil {
			return "", "", err
		}
		if err := researchFiles(a, id, piece); err != nil {
			return "", "", err
		}
		if word := strings.TrimSpace(t.Word); word != "" {
			if err := say(a, *x, by, word); err != nil {
				return "", "", err
			}
		}
		x.State, x.PieceID = store.Taken, piece
		said := "We take it."
		if t.GoesOut != 0 {
			said = "We take it. It is to go out " + a.Setup.At(t.GoesOut, x.DeskID) + "."
		}
		return strings.TrimSpace(said + " " + strings.TrimSpace(t.Word)), fmt.Sprintf("took the request “%s” of %s", x.Title, x.Name), nil
	})
	return piece, err
}

// researchFiles lists the files of a request among the research of its piece.
func researchFiles(a *newsroom.Command, id ref.Request, piece ref.Piece) error {
	files, err := store.FilesOf(a, a.Tx, 0, id)
	for _, f := range files {
		if _, err := a.Tx.AddFinding(a, store.Finding{PieceID: piece, Text: "Came with the request.", FileID: f.ID, By: a.Actor, At: a.Now}); err != nil {
			return err
		}
	}
	return err
}

// AskBack asks whoever asked something; the request waits for the answer.
func (h Inquiries) AskBack(ctx context.Context, by ref.Person, id ref.Request, version int, text string) error {
	return h.settleRequest(ctx, by, id, version, func(a *newsroom.Command, x *store.Request) (string, string, error) {
		x.State = store.AskedBack
		return strings.TrimSpace(text), fmt.Sprintf("asked %s back about “%s”", x.Name, x.Title), say(a, *x, by, text)
	})
}

// TurnDown says no to a request, for a reason that whoever asked sees.
func (h Inquiries) TurnDown(ctx context.Context, by ref.Person, id ref.Request, version int, why string) error {
	return h.settleRequest(ctx, by, id, version, func(a *newsroom.Command, x *store.Request) (string, string, error) {
		why = strings.TrimSpace(why)
		if why == "" || len([]rune(why)) > 2_000 {
			return "", "", newsroom.Invalid("why", "Say why in up to 2,000 characters; %s reads it.", x.Name)
		}
		x.State, x.Why = store.TurnedDown, why
		return "We cannot do it. " + why, fmt.Sprintf("turned down the request “%s” of %s", x.Title, x.Name), nil
	})
}

// settleRequest carries out a decision on a request that is not decided yet, stores it and
// writes to whoever asked.
func (h Inquiries) settleRequest(ctx context.Context, by ref.Person, id ref.Request, version int, decide func(*newsroom.Command, *store.Request) (mail, what string, err error)) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := h.request(a, a.Tx, by, id)
		if err != nil {
			return err
		}
		if was.State == store.Taken || was.State == store.TurnedDown {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("“%s” was decided already, by %s.", was.Title, a.Setup.Name(was.SettledBy))}
		}
		if version != 0 && version != was.Version {
			return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("Something was said about “%s” since you opened it. Read it, and decide then; what you typed is still here.", was.Title)}
		}
		is := was
		text, what, err := decide(a, &is)
		if err != nil {
			return err
		}
		is.Version, is.SettledBy, is.SettledAt = was.Version+1, by, a.Now
		if _, err := a.Tx.SaveRequest(a, is); err != nil {
			return err
		}
		if err := write(a, is, "", "About your request: "+is.Title, text); err != nil {
			return err
		}
		if len(a.Undo.Made) > 0 {
			a.Undo.Request = id
		}
		return a.Log(store.Entry{DeskID: is.DeskID, PieceID: is.PieceID, Act: "request", What: what, Why: is.Why})
	})
}

// reopenRequest puts a request back on the desk whose piece was taken back.
func reopenRequest(a *newsroom.Command, id ref.Request) error {
	x, err := store.RequestByID(a, a.Tx, id)
	if err != nil {
		return err
	}
	x.State, x.PieceID, x.SettledBy, x.SettledAt, x.Version = store.Asked, 0, 0, 0, x.Version+1
	if _, err = a.Tx.SaveRequest(a, x); err != nil {
		return err
	}
	return write(a, x, "", "About your request: "+x.Title, "Our answer was sent too early. We look at it again, and you hear from us.")
}

// Capacity says whether a piece can be made for a day, and when otherwise.
type Capacity struct {
	Says  string     // "Yusuf is full until Wed 9 Dec; Fri 11 Dec works."
	Works bool       // on the day itself
	At    day.Moment // when it works: on the day, or the first slot after it; none in the looked-at slots
}

// lookedAt is how many slots after the wanted day are tried.
const lookedAt = 24

// Capacity works out whether a format can be made for a wanted day (none: as soon as
// may be), written by somebody (0: whom the route names), from plan and load.
func (h Inquiries) Capacity(ctx context.Context, who ref.Person, t Take, wanted day.Date) (Capacity, error) {
	var out Capacity
	b, err := h.Setup(ctx)
	if err != nil {
		return out, err
	}
	f := b.Format(t.Format)
	if f.ID == 0 {
		return out, newsroom.Invalid("format", "Choose a format first.")
	}
	zone := b.Zones[f.DeskID]
	try := func(at day.Moment) (planning.Prospect, error) {
		t.GoesOut = at
		d := requestDraft(b, store.Request{Title: "x", Name: "x"}, t)
		if d.Title = "x"; d.Owner == 0 {
			d.Owner = who
		}
		return planning.At(h.Newsroom).Prospect(ctx, who, d)
	}
	var times []day.Moment
	if wanted != 0 {
		times = append(times, day.Wall(wanted, b.Minutes(f.ChannelID, wanted, newsroom.Morning), zone))
	}
	_, board, err := h.Board(ctx)
	if err != nil {
		return out, err
	}
	for _, at := range board.FreeSlots(f.ChannelID) {
		if len(times) <= lookedAt && (wanted == 0 || at.Date(zone) > wanted) {
			times = append(times, at)
		}
	}
	why, lands := "", day.Boundary(0)
	for i, at := range times {
		if i > 0 && b.Planned[f.DeskID].Ready(at.Date(zone)) < lands {
			continue // it would be short, whoever has time
		}
		p, err := try(at)
		var r *relay.Refusal
		if errors.As(err, &r) {
			why = r.Text
			continue
		} else if err != nil {
			return out, err
		}
		lands = p.Projection.Lands
		reason := tooFull(b, &p)
		if reason == "" {
			out.Works, out.At = i == 0 && wanted != 0, at
			break
		}
		if i == 0 {
			why = reason
		}
	}
	switch {
	case out.Works:
		out.Says = b.At(out.At, f.DeskID) + " works; everybody has time for it."
	case out.At == 0:
		out.Says = strings.TrimSuffix(why, ".") + "; no slot of the next weeks works."
	case wanted == 0:
		out.Says = "The first slot that works is " + b.At(out.At, f.DeskID) + "."
	default:
		out.Says = fmt.Sprintf("%s; %s works.", strings.TrimSuffix(why, "."), english.Date(out.At.Date(zone)))
	}
	return out, nil
}

// tooFull says why a piece does not fit: somebody who runs a leg of it has no time, it would be
// short, or its time is taken or no slot. Empty: it fits.
func tooFull(b *newsroom.Setup, p *planning.Prospect) string {
	if who, until := p.Weight.Full(&p.Piece); who != 0 {
		return fmt.Sprintf("%s is full until %s", b.Name(who), english.Date(until))
	}
	if p.Projection.Pace == plan.Short {
		return fmt.Sprintf("It would be %s short on %s", english.Plural(-p.Projection.InHand, "day"), b.At(p.Piece.GoesOut, p.Piece.DeskID))
	}
	return strings.TrimSuffix(p.Place, ".")
}
