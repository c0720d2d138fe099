package logbook

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/newsroom/logbook"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type logView struct {
	Title    string
	Piece    ref.Piece
	Lines    []LogLine
	More     string // the address of the next page
	MoreSay  string
	Story    bool // the oldest first, with what came before
	Turn     string
	Origins  []logbook.Origin
	Whens    []string // of the origins
	Acts     []kit.Option
	People   []kit.Option
	Q        url.Values
	Filtered bool
	Exports  string // what the addresses of exports go on with
	Chain    kit.Sentence
	Answer   string
}

// LogLine is an entry of the logbook as it is read.
type LogLine struct {
	Seq     int64
	When    string
	Who     string
	What    string
	Why     string
	Changes []change
	Piece   ref.Piece
	Title   string // of the piece, where the lines are of several
}

type change struct{ Before, After string }

// LogLines shows entries of the logbook, with names and clocks of their desk.
func LogLines(b *newsroom.Setup, es []store.Entry) []LogLine {
	var out []LogLine
	for _, e := range es {
		out = append(out, LogLine{e.Seq, b.At(e.At, e.DeskID), kit.ActorName(b, e.Actor), e.What, e.Why, changes(e), e.PieceID, ""})
	}
	return out
}

// changes pairs the lines of what was before with those of what is after.
func changes(e store.Entry) []change {
	before, after := strings.Split(e.Before, "\n"), strings.Split(e.After, "\n")
	var out []change
	for i := range max(len(before), len(after)) {
		var x change
		if i < len(before) {
			x.Before = before[i]
		}
		if i < len(after) {
			x.After = after[i]
		}
		if x != (change{}) {
			out = append(out, x)
		}
	}
	return out
}

// sieve reads which entries of a logbook are asked for.
func (s *Section) sieve(c *echo.Context, b *newsroom.Setup, d ref.Desk) (store.LogSieve, error) {
	q := c.QueryParams()
	x := store.LogSieve{Desk: d, Actor: kit.Int[ref.Person](q, "who"), Words: strings.TrimSpace(q.Get("words")), Below: kit.Int[int64](q, "below"), Behind: kit.Int[int64](q, "behind"), Limit: kit.PerPage}
	if k := q.Get("act"); k != "" {
		x.Kinds = []string{k}
	}
	from, err := kit.DateOf(q, "from", "the day")
	if err != nil {
		return x, err
	}
	to, err := kit.DateOf(q, "to", "the day")
	if err != nil {
		return x, err
	}
	zone := b.Zones[d]
	if from != 0 {
		x.From = day.Wall(from, 0, zone)
	}
	if to != 0 {
		x.To = day.Wall(to+1, 0, zone)
	}
	return x, nil
}

// pieceLog tells the story of a piece, or shows its logbook with the newest first.
func (s *Section) pieceLog(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx, who := c.Request().Context(), kit.Me(c).ID
	sheet, err := s.Planning.Sheet(ctx, who, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	x, err := s.sieve(c, b, sheet.Row.DeskID)
	if err != nil {
		return err
	}
	x.Piece, x.Oldest = id, c.QueryParam("newest") == ""
	es, err := s.Logbook.OfPiece(ctx, who, x)
	if err != nil {
		return err
	}
	v := logView{Title: sheet.Row.Title, Piece: id, Story: x.Oldest, Turn: "?newest=yes", Answer: "The story of this piece"}
	if !x.Oldest {
		v.Turn = "?"
	}
	if x.Oldest && x.Behind == 0 && !filtered(c.QueryParams()) {
		if v.Origins, err = s.Logbook.Origins(ctx, who, id); err != nil {
			return err
		}
		for _, o := range v.Origins {
			v.Whens = append(v.Whens, b.At(o.At, sheet.Row.DeskID))
		}
	}
	return s.showLog(c, b, sheet.Row.DeskID, v, es, nil, fmt.Sprintf("/pieces/%d/logbook", id))
}

func (s *Section) deskLog(c *echo.Context) error {
	ctx, p := c.Request().Context(), kit.Me(c)
	if len(p.Desks) == 0 {
		return newsroom.ErrNotFound
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	x, err := s.sieve(c, b, kit.Here(c))
	if err != nil {
		return err
	}
	es, titles, err := s.Logbook.OfDesk(ctx, p.ID, x)
	if err != nil {
		return err
	}
	return s.showLog(c, b, kit.Here(c), logView{Title: "Logbook", Answer: "All that happened on the desk"}, es, titles, "/logbook")
}

func filtered(q url.Values) bool {
	for _, k := range []string{"who", "act", "words", "from", "to"} {
		if q.Get(k) != "" {
			return true
		}
	}
	return false
}

func (s *Section) showLog(c *echo.Context, b *newsroom.Setup, d ref.Desk, v logView, es []store.Entry, titles map[ref.Piece]string, address string) error {
	q := c.QueryParams()
	v.Q, v.Filtered = q, filtered(q)
	v.Lines = LogLines(b, es)
	for i := range v.Lines {
		v.Lines[i].Title = titles[v.Lines[i].Piece]
	}
	keep := url.Values{}
	for _, k := range []string{"who", "act", "words", "from", "to", "newest"} {
		if x := q.Get(k); x != "" {
			keep.Set(k, x)
		}
	}
	v.Exports = keep.Encode()
	if len(es) == kit.PerPage {
		v.MoreSay = "Older"
		if keep.Set("below", fmt.Sprint(es[len(es)-1].Seq)); v.Story {
			keep.Del("below")
			keep.Set("behind", fmt.Sprint(es[len(es)-1].Seq))
			v.MoreSay = "What came then"
		}
		v.More = address + "?" + keep.Encode()
	}
	acts, err := s.Logbook.Acts(c.Request().Context(), kit.Me(c).ID, d)
	if err != nil {
		return err
	}
	v.Acts = []kit.Option{{Value: "", Name: "anything"}}
	for _, a := range acts {
		v.Acts = append(v.Acts, kit.Option{Value: a, Name: a})
	}
	v.People = []kit.Option{{Value: "", Name: "anybody"}, {Value: "-1", Name: "Green Baton itself"}}
	for _, p := range b.OnDesk(d) {
		v.People = append(v.People, kit.Option{Value: fmt.Sprint(p.ID), Name: p.Name})
	}
	if k := s.Logbook.LastChain(); k != nil {
		v.Chain = kit.Sentence{Text: fmt.Sprintf("Checked %s: %s, each as it was written.", b.At(k.At, d), english.Plural(int(k.Entries), "entry")), Tone: "good"}
		v.Chain.Text = strings.Replace(v.Chain.Text, "entrys", "entries", 1)
		if k.Problem != "" {
			v.Chain = kit.Sentence{Text: "Checked " + b.At(k.At, d) + ": " + k.Problem + ". Compare it with a backup.", Tone: "short"}
		}
	}
	return s.Show(c, http.StatusOK, "logbook", "Logbook", v)
}

// mostExported is how many entries an export reads at once.
const mostExported = 2_000

// exportLog writes a logbook as CSV or JSON, the oldest first, as far as it is sifted.
func (s *Section) exportLog(c *echo.Context) error {
	ctx, who, d := c.Request().Context(), kit.Me(c).ID, kit.Here(c)
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	as := c.Param("as")
	if as != "csv" && as != "json" {
		return newsroom.ErrNotFound
	}
	piece := ref.Piece(0)
	if c.Param("id") != "" {
		if piece, err = kit.ID[ref.Piece](c); err != nil {
			return err
		}
		sheet, err := s.Planning.Sheet(ctx, who, piece)
		if err != nil {
			return err
		}
		d = sheet.Row.DeskID
	}
	x, err := s.sieve(c, b, d)
	if err != nil {
		return err
	}
	x.Piece, x.Oldest, x.Below, x.Limit = piece, true, 0, mostExported
	next := func() ([]format.LogEntry, error) {
		es, err := []store.Entry(nil), error(nil)
		if piece != 0 {
			es, err = s.Logbook.OfPiece(ctx, who, x)
		} else {
			es, _, err = s.Logbook.OfDesk(ctx, who, x)
		}
		out := make([]format.LogEntry, len(es))
		for i, e := range es {
			x.Behind = e.Seq
			out[i] = format.LogEntry{Seq: e.Seq, At: e.At.In(b.Zones[d]).Format(time.RFC3339), Who: kit.ActorName(b, e.Actor), Act: e.Act, What: e.What, Why: e.Why, Before: e.Before, After: e.After, Piece: e.PieceID, Version: e.Version, Prev: e.Prev, Hash: e.Hash}
		}
		return out, err
	}
	first, err := next()
	if err != nil {
		return err
	}
	w := c.Response()
	w.Header().Set("Content-Type", map[string]string{"csv": "text/csv; charset=utf-8", "json": "application/json"}[as])
	w.Header().Set("Content-Disposition", `attachment; filename="logbook.`+as+`"`)
	return format.Log(w, as, first, next)
}
