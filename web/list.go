package web

import (
	"net/http"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"greenbaton/core/plan"
	"greenbaton/desk"
	"greenbaton/store"
)

type listView struct {
	Listing desk.Listing
	Lines   []listLine
	Formats []store.Format
	People  []store.Person
	Paces   []option
	Columns []column
	Filter  desk.Filter
	From    int
	To      int
	Earlier string
	Later   string
	Empty   string
}

type listLine struct {
	Row    store.Row
	Strip  strip
	Format string
	Who    string
	Due    string
	Out    string
	Pace   string
	Tone   string
	Late   bool
}

type option struct{ Value, Name string }

type column struct{ Key, Name, Link, Sorted string }

var paces = []option{
	{"", "Any pace"}, {"running", "Under way"}, {string(plan.Short), "Short"}, {string(plan.NoRoom), "No room"}, {string(plan.InHand), "In hand"}, {"quiet", "Quiet"},
	{"open", "Nobody has it"}, {"missed", "Missed its time"}, {string(plan.Ready), "Ready"}, {string(plan.Unplaced), "No day"}, {string(plan.Out), "Out"}, {string(plan.Withdrawn), "Withdrawn"},
}

func (s *Server) list(c *echo.Context) error {
	ctx := c.Request().Context()
	q := c.QueryParams()
	f := desk.Filter{
		Format: int64At(q, "format"), Person: int64At(q, "person"), Pace: q.Get("pace"), Text: q.Get("text"), Sort: q.Get("sort"), Page: int(int64At(q, "page")),
	}
	if len(q) == 0 {
		f.Pace = "running"
	}
	l, err := s.House.List(ctx, me(c).ID, here(c), f)
	if err != nil {
		return err
	}
	b, err := s.House.Books(ctx)
	if err != nil {
		return err
	}
	v := listView{Listing: l, Filter: l.Filter, Paces: paces, From: (l.Filter.Page-1)*desk.PerPage + 1}
	v.To = v.From + len(l.Rows) - 1
	if p := me(c); len(p.Desks) > 0 {
		v.Formats = b.FormatsOf(here(c))
		if p.Access.OnStaff() {
			v.People = b.OnDesk(here(c))
		}
	}
	for _, r := range l.Rows {
		v.Lines = append(v.Lines, listed(b, r))
	}
	v.Columns = columns(q, l.Filter.Sort)
	if l.Filter.Page > 1 {
		v.Earlier = with(q, "page", strconv.Itoa(l.Filter.Page-1))
	}
	if l.Filter.Page < l.Pages {
		v.Later = with(q, "page", strconv.Itoa(l.Filter.Page+1))
	}
	if v.Empty = "No piece is like this. Take a filter away to see more."; f == (desk.Filter{Pace: "running"}) {
		v.Empty = "No piece is under way. Make the first one, and its legs and dates follow."
	}
	return s.show(c, http.StatusOK, "list", "Pieces", v)
}

func listed(b *desk.Books, r store.Row) listLine {
	x := listLine{Row: r, Strip: newStrip(b, r, narrowStrip), Format: b.Format(r.FormatID).Name, Who: r.Holders, Out: b.At(r.GoesOut, r.DeskID), Pace: desk.SayPace(r.Standing), Tone: tone(r.Standing)}
	if r.NextDue != 0 && r.Pace != plan.Out {
		x.Due, x.Late = desk.Short(r.NextDue), r.NextDue < r.WorkedOut
	}
	if r.Pace == plan.Unplaced && r.CouldGoOut != 0 {
		x.Out = "could go out " + desk.Short(r.CouldGoOut.Date(b.Zones[r.DeskID]))
	}
	return x
}

// columns are the heads of the list, each a link that sorts by it or turns it round.
func columns(q url.Values, sorted string) []column {
	out := []column{{Key: "number", Name: "No."}, {Key: "title", Name: "Piece"}, {Key: "format", Name: "Format"}, {Key: "who", Name: "Who has it"},
		{Key: "due", Name: "Due"}, {Key: "out", Name: "Goes out"}, {Key: "pace", Name: "Pace"}}
	for i := range out {
		to := out[i].Key
		switch sorted {
		case to:
			to, out[i].Sorted = "-"+to, "ascending"
		case "-" + to:
			out[i].Sorted = "descending"
		}
		out[i].Link = with(q, "sort", to)
	}
	return out
}

// with gives the address of the list with one parameter changed, on its first
// page unless that is the one.
func with(q url.Values, key, value string) string {
	out := url.Values{}
	for k, v := range q {
		if k != "page" {
			out[k] = v
		}
	}
	if len(q) == 0 {
		out.Set("pace", "running")
	}
	out.Set(key, value)
	return "/pieces?" + out.Encode()
}

func int64At(q url.Values, key string) int64 {
	n, err := strconv.ParseInt(q.Get(key), 10, 64)
	if err != nil {
		return 0
	}
	return n
}
