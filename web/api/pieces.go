package api

import (
	"context"
	"encoding/base64"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/scope"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/programs"
	"greenbaton/store"
)

// Piece is a piece as programs get it. What somebody does not see on its page is left out.
type Piece struct {
	ID        int64             `json:"id"`
	Number    int               `json:"number" doc:"As people speak of it."`
	Desk      int64             `json:"desk"`
	Format    int64             `json:"format"`
	Channel   int64             `json:"channel,omitempty"`
	Title     string            `json:"title"`
	Owner     int64             `json:"owner,omitempty" doc:"Of the piece; for the desk's own people."`
	GoesOut   *time.Time        `json:"goes_out,omitempty" doc:"Missing while it has no day."`
	OutAt     *time.Time        `json:"out_at,omitempty"`
	CreatedAt time.Time         `json:"created_at"`
	Stage     string            `json:"stage" enum:"running,out,withdrawn"`
	Pace      string            `json:"pace" doc:"How it stands: in hand, no room, short, no day, ready, out, withdrawn."`
	InHand    *int              `json:"in_hand,omitempty" doc:"Working days in hand; below nothing it is short by so many."`
	NextDue   string            `json:"next_due,omitempty" format:"date" doc:"The first due date of a running leg."`
	Priority  string            `json:"priority,omitempty" enum:"first,high,usual,can wait"`
	Tags      []string          `json:"tags"`
	Topic     int64             `json:"topic,omitempty"`
	Campaign  int64             `json:"campaign,omitempty"`
	WordsFrom int               `json:"words_from,omitempty"`
	WordsTo   int               `json:"words_to,omitempty"`
	Brief     string            `json:"brief,omitempty" doc:"Of a single piece."`
	Summary   string            `json:"summary,omitempty" doc:"The description that goes out with it; of a single piece."`
	Address   string            `json:"address,omitempty" doc:"Where readers find it, once it is out."`
	Page      string            `json:"page" format:"uri" doc:"Its page in the newsroom."`
	Fields    map[string]string `json:"fields,omitempty" doc:"What is filled in, by the number of the extra field."`
	Version   int               `json:"version" doc:"Grows with every act on the piece; its ETag begins with it."`
	Legs      []Leg             `json:"legs" doc:"Its way; those that are somebody's own where they do not see the whole of it."`
}

// Leg is a leg as programs get it.
type Leg struct {
	Key       string     `json:"key" doc:"What it is called in addresses."`
	Name      string     `json:"name"`
	Role      string     `json:"role"`
	Holder    int64      `json:"holder,omitempty" doc:"Who has it; missing while nobody has."`
	State     string     `json:"state" enum:"waiting,running,passed,skipped"`
	Run       int        `json:"run" doc:"How often it was begun."`
	Due       string     `json:"due,omitempty" format:"date"`
	Pinned    bool       `json:"pinned,omitempty" doc:"Its due date is set by hand."`
	Allowance int        `json:"allowance" doc:"Working days."`
	Effort    int        `json:"effort" doc:"Minutes of work."`
	Worked    int        `json:"worked" doc:"Minutes of that which are done, as its holder says."`
	After     []string   `json:"after" doc:"The legs it waits for."`
	SignOff   bool       `json:"sign_off,omitempty" doc:"Passing it signs the copy off."`
	Later     bool       `json:"later,omitempty" doc:"It is run after release."`
	StartedAt *time.Time `json:"started_at,omitempty"`
	Ended     string     `json:"ended,omitempty" format:"date"`
}

var priorityNames = map[relay.Priority]string{relay.First: "first", relay.High: "high", relay.Usual: "usual", relay.CanWait: "can wait"}

func priorityOf(name string) (relay.Priority, error) {
	for p, n := range priorityNames {
		if n == name {
			return p, nil
		}
	}
	return 0, newsroom.Invalid("priority", "A priority is first, high, usual or can wait.")
}

func timeOf(m day.Moment) *time.Time {
	if m == 0 {
		return nil
	}
	return new(time.Unix(int64(m), 0).UTC())
}

// pieceOf gives a piece as somebody may see it in a list, without its legs.
func (s *Section) pieceOf(b *newsroom.Setup, who store.Person, r *store.Row, values map[ref.Field]string) Piece {
	p := Piece{
		ID: int64(r.ID), Number: r.Number, Desk: int64(r.DeskID), Format: int64(r.FormatID), Channel: int64(r.ChannelID), Title: r.Title, GoesOut: timeOf(r.GoesOut), OutAt: timeOf(r.OutAt),
		CreatedAt: *timeOf(max(r.CreatedAt, 1)), Stage: string(r.Stage), Pace: string(r.Pace), NextDue: r.NextDue.String(), WordsFrom: r.WordsFrom, WordsTo: r.WordsTo,
		Page: fmt.Sprintf("%s/pieces/%d", s.Base, r.ID), Version: r.Version, Tags: []string{}, Legs: []Leg{},
	}
	if r.Pace == plan.Short || r.Pace == plan.NoRoom || r.Pace == plan.InHand {
		p.InHand = new(r.InHand)
	}
	if r.Stage == relay.Out {
		p.Address = newsroom.AddressOf(b, s.Base, &r.Piece)
	}
	if !who.Access.May(relay.SeeAll) {
		return p
	}
	p.Owner, p.Topic, p.Campaign, p.Priority = int64(r.Owner), int64(r.TopicID), int64(r.CampaignID), priorityNames[r.Priority]
	p.Tags = append(p.Tags, r.TagList()...)
	for id, v := range values {
		if v == "" {
			continue
		}
		if p.Fields == nil {
			p.Fields = map[string]string{}
		}
		p.Fields[strconv.FormatInt(int64(id), 10)] = v
	}
	return p
}

// legsOf gives the legs of a piece that somebody sees.
func legsOf(who store.Person, r *store.Row) []Leg {
	out := []Leg{}
	for l := range r.Every() {
		if !who.Access.May(relay.SeeAll) && l.Holder != who.ID {
			continue
		}
		x := Leg{
			Key: l.Key, Name: l.Name, Role: l.Role, Holder: int64(l.Holder), State: string(l.State), Run: l.Run, Due: l.Due.String(), Pinned: l.Pin != 0, Allowance: l.Allowance,
			Effort: l.Effort, Worked: l.Worked, After: []string{}, SignOff: l.SignOff, Later: l.Later, StartedAt: timeOf(l.StartedAt), Ended: l.EndDay.String(),
		}
		for _, k := range strings.Split(l.After, ",") {
			if k = strings.TrimSpace(k); k != "" {
				x.After = append(x.After, k)
			}
		}
		out = append(out, x)
	}
	return out
}

// tagOf gives the ETag of a piece: its version, and when it was found how it stands.
func tagOf(r *store.Row) string { return fmt.Sprintf(`"%d-%s"`, r.Version, r.WorkedOut) }

// versionOf reads the version that an If-Match names; 0 where it names none, or any.
func versionOf(match string) (int, error) {
	if match == "" || match == "*" {
		return 0, nil
	}
	first, _, _ := strings.Cut(strings.Trim(strings.TrimPrefix(match, "W/"), `"`), "-")
	n, err := strconv.Atoi(first)
	if err != nil || n <= 0 {
		return 0, newProblem(http.StatusPreconditionFailed, "If-Match names no version of this. Give the ETag with which it was read.")
	}
	return n, nil
}

type (
	OnePiece struct {
		ID int64 `path:"id" minimum:"1" doc:"Of the piece, not its number."`
	}
	Changes struct {
		IfMatch string `header:"If-Match" maxLength:"100" doc:"The ETag with which the piece was read; where it was changed since, nothing is done (412)."`
	}
	pieceOut struct {
		ETag string `header:"ETag"`
		Body Piece
	}
)

// Page is which part of a list is asked for.
type Page struct {
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
	Cursor string `query:"cursor" maxLength:"200" doc:"That of the answer before; the first ones without it."`
}

// after reads a cursor: the number after which a list goes on.
func (p Page) after() (int64, error) {
	if p.Cursor == "" {
		return 0, nil
	}
	b, err := base64.RawURLEncoding.DecodeString(p.Cursor)
	if err == nil {
		var n int64
		if n, err = strconv.ParseInt(string(b), 36, 64); err == nil && n >= 0 {
			return n, nil
		}
	}
	return 0, newProblem(http.StatusUnprocessableEntity, "This cursor was not given by a list here. Begin without one.")
}

func cursorAfter(n int64) string {
	return base64.RawURLEncoding.EncodeToString([]byte(strconv.FormatInt(n, 36)))
}

// deskOf gives the desk that is asked about: the only one of somebody where none is named.
func deskOf(k programs.Key, asked int64) (ref.Desk, error) {
	switch {
	case asked != 0 && slices.Contains(k.Person.Desks, ref.Desk(asked)):
		return ref.Desk(asked), nil
	case asked == 0 && len(k.Person.Desks) > 0:
		return k.Person.Desks[0], nil
	}
	return 0, newsroom.ErrNotFound
}

// onDesk gives the set-up, and a desk of whoever asks.
func (s *Section) onDesk(ctx context.Context, k programs.Key, asked int64) (*newsroom.Setup, ref.Desk, error) {
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return nil, 0, err
	}
	d, err := deskOf(k, asked)
	return b, d, err
}

// Filters are what a list of pieces can be filtered by, as in the addresses of views.
type Filters struct {
	Desk     int64  `query:"desk" doc:"One of yours; without it the first."`
	Text     string `query:"text" maxLength:"200" doc:"In the title, or the number."`
	Pace     string `query:"pace" doc:"One or several, with commas: running, short, in hand, no room, ready, no day, out, withdrawn, quiet, open, missed. A ! before it turns it round; so it does with the next ones."`
	Format   string `query:"format" doc:"Numbers, with commas."`
	Channel  string `query:"channel" doc:"Numbers, with commas."`
	Topic    string `query:"topic" doc:"Numbers, with commas."`
	Campaign string `query:"campaign" doc:"Numbers, with commas."`
	Owner    string `query:"owner" doc:"Numbers of people, with commas."`
	Who      string `query:"who" doc:"Who has a running leg: numbers of people, with commas."`
	Leg      string `query:"leg" doc:"Names of running legs, with commas."`
	Tags     string `query:"tags" doc:"With commas."`
	Due      string `query:"due" doc:"When the next leg is due: a day, or a span like 2026-11-01..2026-11-30, or today, week."`
	Out      string `query:"out" doc:"When it goes out, likewise."`
	Went     string `query:"went" doc:"When it went out, likewise."`
	query    url.Values
}

// Resolve keeps all that was asked, extra fields among it.
func (f *Filters) Resolve(c huma.Context) []error {
	u := c.URL()
	f.query = u.Query()
	for _, k := range []string{"desk", "limit", "cursor", "text"} {
		f.query.Del(k)
	}
	return nil
}

func (s *Section) pieces(a huma.API) {
	type piecesOut struct {
		Link string `header:"Link" doc:"Where the next ones are (RFC 8288)."`
		Body struct {
			Pieces []Piece `json:"pieces"`
			Next   string  `json:"next,omitempty" doc:"The cursor of the next ones; missing where there are none."`
		}
	}
	type listIn struct {
		Filters
		Page
	}
	add(s, a, ask{method: http.MethodGet, path: "/pieces", id: "listPieces", says: "Pieces, by number", area: scope.Pieces, right: scope.Read, tag: "Pieces"},
		func(ctx context.Context, k programs.Key, in *listIn) (*piecesOut, error) {
			b, l, err := s.looked(ctx, k, &in.Filters)
			if err != nil {
				return nil, err
			}
			after, err := in.after()
			if err != nil {
				return nil, err
			}
			all, more, err := s.Planning.PageAfter(ctx, k.Person.ID, l, in.Text, ref.Piece(after), in.Limit)
			if err != nil {
				return nil, err
			}
			out := &piecesOut{}
			out.Body.Pieces = []Piece{}
			for _, e := range all {
				p := s.pieceOf(b, k.Person, &e.Row, e.Values)
				p.Legs = legsOf(k.Person, &e.Row)
				out.Body.Pieces = append(out.Body.Pieces, p)
			}
			if more {
				out.Body.Next = cursorAfter(int64(all[len(all)-1].ID))
				q := in.query
				for name, v := range map[string]string{"desk": strconv.FormatInt(in.Desk, 10), "limit": strconv.Itoa(in.Limit), "cursor": out.Body.Next, "text": in.Text} {
					if v != "" && v != "0" {
						q.Set(name, v)
					}
				}
				out.Link = fmt.Sprintf(`<%s%s/pieces?%s>; rel="next"`, s.Base, Base, q.Encode())
			}
			return out, nil
		})
	type oneIn struct {
		OnePiece
		IfNoneMatch string `header:"If-None-Match" maxLength:"100" doc:"An ETag; where it is the same still, the answer is 304."`
	}
	add(s, a, ask{method: http.MethodGet, path: "/pieces/{id}", id: "getPiece", says: "A piece with its legs", area: scope.Pieces, right: scope.Read, tag: "Pieces"},
		func(ctx context.Context, k programs.Key, in *oneIn) (*pieceOut, error) {
			out, err := s.piece(ctx, k, in.ID)
			if err == nil && in.IfNoneMatch != "" && strings.TrimPrefix(in.IfNoneMatch, "W/") == out.ETag {
				return nil, huma.ErrorWithHeaders(huma.Status304NotModified(), http.Header{"ETag": {out.ETag}})
			}
			return out, err
		})
	s.makesPieces(a)
}

// looked gives at which pieces a list looks.
func (s *Section) looked(ctx context.Context, k programs.Key, f *Filters) (*newsroom.Setup, planning.Look, error) {
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return nil, planning.Look{}, err
	}
	d, err := deskOf(k, f.Desk)
	if err != nil {
		return nil, planning.Look{}, err
	}
	for key := range f.query {
		if sift.Find(planning.ColumnsFor(b, k.Person.ID, d), key) == nil && key != "desks" {
			return nil, planning.Look{}, newsroom.Invalid(key, "%q is nothing that pieces can be asked for by. What there is stands in the description.", key)
		}
	}
	l, err := planning.LookOf(b, k.Person.ID, d, f.query, s.Newsroom.Now().Date(b.Zones[d]))
	return b, l, err
}

// piece gives a piece as it is now.
func (s *Section) piece(ctx context.Context, k programs.Key, id int64) (*pieceOut, error) {
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return nil, err
	}
	x, err := s.Planning.Plain(ctx, k.Person.ID, ref.Piece(id))
	if err != nil {
		return nil, err
	}
	out := &pieceOut{ETag: tagOf(&x.Row), Body: s.pieceOf(b, k.Person, &x.Row, x.Values)}
	if x.Inside {
		out.Body.Brief, out.Body.Summary = x.Row.Brief, x.Row.Summary
	}
	out.Body.Legs = legsOf(k.Person, &x.Row)
	return out, nil
}
