package pieces

import (
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
	"greenbaton/web/views"
)

type listView struct {
	views.ViewHead
	Table   listTable
	Text    string
	Export  kit.Export
	Columns []views.FilterOption // which are shown
	Groups  []views.FilterOption // by what they can be grouped
	Sorts   [2]string            // the first two keys of the order
	Keys    []views.FilterOption // what can be sorted by
	Carried kit.Address
}

// listTable is the part of the list that follows from the pieces.
type listTable struct {
	Heads   []listHead
	Lines   []listLine
	Sums    []string // by column; nil where nothing is added up
	Total   int
	Short   int
	From    int
	To      int
	Page    int
	Pages   int
	Earlier string
	Later   string
	Empty   string
	Edits   bool // something can be changed here
	Wide    int  // how many cells a line has
}

type listHead struct{ Key, Name, Link, Sorted, Class string }

type listLine struct {
	ID      ref.Piece
	Version int
	Group   *listGroup // begins with this line
	Cells   []listCell
	Strip   draw.Strip
	Edits   bool
	Title   string
}

type listGroup struct {
	Value string
	Count int
}

type listCell struct {
	Key, Text, Class string
	Href             string // of the title
	Tag              string // a pace is shown as a tag of a tone
	Quiet            string
	Edit             string // the address at which it is changed
	Name             string // of the column, for a screen reader
}

// usualColumns are shown where nothing else is chosen, and staffColumns only to the
// desk's own people.
var usualColumns = []string{"number", "title", "format", "who", "due", "out", "pace"}

var editable = []string{"title", "owner", "topic", "campaign", "priority", "tags", "out", "who"}

// asked reads what a list is asked for: which pieces, in which order, with which columns.
func (s *Section) asked(c *echo.Context) (at views.Viewing, f planning.Filter, shown []*sift.Column, err error) {
	q := c.QueryParams()
	if len(q) == 0 {
		q = url.Values{"pace": {"running"}}
	}
	if at, err = s.ViewsPage.Viewing(c, "/pieces", q); err != nil {
		return at, f, nil, err
	}
	f = planning.Filter{Look: at.Look, Text: q.Get("text"), Page: kit.Int[int](q, "page"), Sort: sift.Order(at.Columns, strings.Join(views.Values(q, "sort"), ","))}
	if len(f.Sort) == 0 {
		f.Sort = sift.Order(at.Columns, usualOrder(q))
	}
	f.Group = sift.Find(at.Columns, q.Get("group"))
	return at, f, shownColumns(at.Columns, views.Values(q, "cols")), nil
}

func (s *Section) list(c *echo.Context) error {
	at, f, shown, err := s.asked(c)
	if err != nil {
		return err
	}
	for _, x := range shown {
		if x.Sums() {
			f.Sums = append(f.Sums, x)
		}
	}
	l, err := s.Planning.List(c.Request().Context(), kit.Me(c).ID, f)
	if err != nil {
		return err
	}
	v := listView{Text: f.Text, Carried: at.At, Export: kit.ExportOf(at.At)}
	v.Export.Calendar = "/calendars?what=query&query=" + url.QueryEscape(at.Q.Encode())
	if err := s.ViewsPage.Head(c, &v.ViewHead, &at, nil); err != nil {
		return err
	}
	v.choose(at.Columns, shown, f)
	v.Table = newListTable(at.B, at.At, kit.Me(c), l, shown, f, s.Server)
	return s.ShowView(c, "list", "Pieces", &v, []kit.Part{{Key: "table", Template: "list-table", Data: v.Table, Has: nil}})
}

// usualOrder is the order of a list for which none is chosen: by the day they go out,
// and where pieces that are out are among them, the newest first.
func usualOrder(q url.Values) string {
	if p := q.Get("pace"); p == "" || p == string(plan.Out) {
		return "-number"
	}
	return "out"
}

func shownColumns(columns []sift.Column, chosen []string) []*sift.Column {
	if len(chosen) == 0 {
		chosen = usualColumns
	}
	if !slices.Contains(chosen, "title") {
		chosen = append([]string{"title"}, chosen...)
	}
	var out []*sift.Column
	for _, k := range chosen {
		if c := sift.Find(columns, k); c != nil && c.Key != "person" {
			out = append(out, c)
		}
	}
	return out
}

// choose fills in what can be chosen of columns, order and groups.
func (v *listView) choose(columns []sift.Column, shown []*sift.Column, f planning.Filter) {
	for i, b := range f.Sort[:min(2, len(f.Sort))] {
		if v.Sorts[i] = b.Column.Key; b.Down {
			v.Sorts[i] = "-" + v.Sorts[i]
		}
	}
	for i := range columns {
		c := &columns[i]
		if c.Key == "person" {
			continue
		}
		v.Columns = append(v.Columns, views.FilterOption{Value: c.Key, Name: c.Name, On: slices.Contains(shown, c)})
		v.Keys = append(v.Keys, views.FilterOption{Value: c.Key, Name: c.Name}, views.FilterOption{Value: "-" + c.Key, Name: c.Name + ", turned round"})
		if c.Kind != sift.Text && c.Key != "number" {
			v.Groups = append(v.Groups, views.FilterOption{Value: c.Key, Name: c.Name, On: c == f.Group})
		}
	}
}

func newListTable(b *newsroom.Setup, at kit.Address, who store.Person, l planning.Listing, shown []*sift.Column, f planning.Filter, s *kit.Server) listTable {
	t := listTable{Total: l.Total, Short: l.Short, Page: l.Page, Pages: l.Pages, From: (l.Page-1)*planning.PerPage + 1}
	t.To = t.From + len(l.Rows) - 1
	t.Heads = listHeads(at, shown, f.Sort)
	for i, r := range l.Rows {
		x := listed(b, who, r.Entry, shown, s)
		if f.Group != nil && (i == 0 || l.Rows[i-1].Group != r.Group) {
			x.Group = &listGroup{r.Group, l.Groups[r.Group]}
			if x.Group.Value == "" {
				x.Group.Value = "None"
			}
		}
		t.Edits = t.Edits || x.Edits
		t.Lines = append(t.Lines, x)
	}
	if len(f.Sums) > 0 && len(l.Rows) > 0 {
		k := 0
		for _, c := range shown {
			sum := ""
			if c.Sums() {
				sum = strconv.FormatFloat(float64(int64(l.Sums[k]*100+0.5))/100, 'f', -1, 64)
				k++
			}
			t.Sums = append(t.Sums, sum)
		}
	}
	if l.Page > 1 {
		t.Earlier = at.With("page", strconv.Itoa(l.Page-1))
	}
	if l.Page < l.Pages {
		t.Later = at.With("page", strconv.Itoa(l.Page+1))
	}
	if t.Empty = "No piece is like this. Take a filter away to see more."; len(at.Q) == 1 && at.Q.Get("pace") == "running" {
		t.Empty = "No piece is under way. Make the first one, and its legs and dates follow."
	}
	t.Wide = len(shown) + 2
	return t
}

// listHeads are the heads of the list, each a link that sorts by it or turns it round;
// what was sorted by before comes second then.
func listHeads(at kit.Address, shown []*sift.Column, order []sift.By) []listHead {
	var out []listHead
	for _, c := range shown {
		h := listHead{Key: c.Key, Name: c.Name}
		to := c.Key
		if len(order) > 0 && order[0].Column.Key == c.Key {
			if h.Sorted = "ascending"; order[0].Down {
				h.Sorted = "descending"
			} else {
				to = "-" + to
			}
		}
		keys := []string{to}
		for _, b := range order[:min(2, len(order))] {
			if k := b.Column.Key; k != c.Key && len(keys) < 3 {
				if b.Down {
					k = "-" + k
				}
				keys = append(keys, k)
			}
		}
		h.Link = at.With("sort", strings.Join(keys, ","))
		if c.Kind == sift.Number {
			h.Class = "text-right"
		}
		out = append(out, h)
	}
	return out
}

func listed(b *newsroom.Setup, who store.Person, e *newsroom.Entry, shown []*sift.Column, s *kit.Server) listLine {
	x := listLine{ID: e.ID, Version: e.Version, Title: e.Title, Strip: draw.NewStrip(b, e.Row, draw.NarrowStrip)}
	passBy := b.Desk(e.DeskID).PassBy
	w := b.Who(who.ID, e.DeskID)
	may := map[relay.Act]bool{relay.ActPlan: relay.May(relay.ActPlan, w, &e.Piece, nil, passBy) == nil, relay.ActWrite: relay.May(relay.ActWrite, w, &e.Piece, nil, passBy) == nil}
	f := e.Facts()
	for _, c := range shown {
		y := listCell{Key: c.Key, Name: c.Name, Text: cellText(b, e, c, &f)}
		switch c.Key {
		case "title":
			y.Href = fmt.Sprintf("/pieces/%d", e.ID)
		case "pace":
			y.Tag = kit.Tone(e.Standing)
			if e.IsQuiet {
				y.Quiet = fmt.Sprintf("%d d quiet", e.Quiet)
			}
		case "due":
			if e.NextDue != 0 && e.NextDue < s.Newsroom.Now().Date(b.Zones[e.DeskID]) && e.Stage == relay.UnderWay {
				y.Class = "text-short font-semibold"
			}
		}
		if c.Kind == sift.Number {
			y.Class = "text-right"
		}
		if slices.Contains(editable, c.Key) && may[relay.ActPlan] || c.Field != 0 && may[relay.ActWrite] && b.Field(c.Field).Of(e.FormatID) {
			if (c.Key != "out" && c.Key != "who" && c.Key != "title") || e.Stage == relay.UnderWay {
				y.Edit = fmt.Sprintf("/cells/%s?pieces=%d", c.Key, e.ID)
			}
		}
		x.Edits = x.Edits || y.Edit != ""
		x.Cells = append(x.Cells, y)
	}
	return x
}

// cellText says the value of a column as lists show it.
func cellText(b *newsroom.Setup, e *newsroom.Entry, c *sift.Column, f *sift.Facts) string {
	switch c.Key {
	case "number":
		return strconv.Itoa(e.Number)
	case "who":
		return e.Holders
	case "pace":
		return newsroom.SayPace(e.Standing)
	case "priority":
		if e.Priority == relay.Usual {
			return ""
		}
		return newsroom.SayPriority(e.Priority)
	case "due":
		if e.NextDue == 0 || e.Stage != relay.UnderWay {
			return ""
		}
		return english.Date(e.NextDue)
	case "out":
		if e.Pace == plan.Unplaced && e.CouldGoOut != 0 {
			return "could go out " + english.Date(e.CouldGoOut.Date(b.Zones[e.DeskID]))
		}
		return b.At(e.GoesOut, e.DeskID)
	case "fee":
		n, ok := c.Sum(f)
		if !ok {
			return ""
		}
		cur := b.Currency(e.DeskID)
		return cur.Full(int64(math.Round(n * math.Pow10(cur.Digits))))
	case "left":
		if e.Stage != relay.UnderWay {
			return ""
		}
	case "overdue", "quiet", "open", "back":
		if v := c.Group(f); v == "No" {
			return ""
		}
	}
	return c.Group(f)
}
