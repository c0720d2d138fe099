package bring

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/bring"
	"greenbaton/core/english"
	"greenbaton/core/figure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/format"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/intake"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type bringView struct {
	Kinds   []kit.Option
	Kind    string
	Pasted  string
	Address string // of a feed
	Lists   []bringLine
	Problem string
	Field   string
}

type bringLine struct {
	ID         ref.Batch
	Name, Says string
	State      string
}

// bringPage asks for a list, and shows those that came before.
func (s *Section) bringPage(c *echo.Context) error {
	return s.showBring(c, http.StatusOK, url.Values{"kind": {c.QueryParam("kind")}}, nil)
}

func (s *Section) showBring(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	all, err := s.Intake.Batches(ctx, kit.Me(c).ID, kit.Here(c))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := bringView{Kind: form.Get("kind"), Pasted: form.Get("pasted"), Address: form.Get("address")}
	if v.Kind == "" {
		v.Kind = string(bring.Ideas)
	}
	for _, k := range bring.Kinds {
		v.Kinds = append(v.Kinds, kit.Option{Value: string(k.Kind), Name: k.Name})
	}
	for _, x := range all {
		says := fmt.Sprintf("%s, %s", b.Name(x.By), b.At(x.At, x.DeskID))
		switch x.State {
		case store.In:
			says = rowsOf(x.Kind, x.Came) + " came in · " + says
		case store.TakenBack:
			says = "taken back · " + says
		case store.ComingIn:
			says = fmt.Sprintf("stopped after %s · %s", english.Plural(x.Done, "row"), says)
		default:
			says = "looked at, nothing came in · " + says
		}
		v.Lists = append(v.Lists, bringLine{x.ID, x.Name, says, x.State})
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "bring", "Import a list", v)
}

func rowsOf(kind bring.Kind, n int) string {
	for _, k := range bring.Kinds {
		if k.Kind == kind {
			return english.Plural(n, k.Row)
		}
	}
	return english.Plural(n, "row")
}

// bring takes a file or what was pasted, and looks at it.
func (s *Section) bring(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	id, err := s.lookAt(c, form)
	return s.Answered(c, err, "", fmt.Sprintf("/bring/%d", id), func(status int, r *relay.Refusal) error { return s.showBring(c, status, form, r) })
}

func (s *Section) lookAt(c *echo.Context, form url.Values) (ref.Batch, error) {
	name, data, err := kit.SentFile(c, "file", kit.OneArchive)
	if err != nil {
		return 0, err
	}
	if at := strings.TrimSpace(form.Get("address")); data == nil && at != "" {
		if name, data, err = at, nil, nil; s.Web == nil {
			return 0, kit.Input("address", "Nothing can be reached from here. Save the feed as a file, and choose that.")
		}
		if data, err = s.Web.Fetch(c.Request().Context(), at, copyroom.MaxFile); err != nil {
			return 0, kit.Input("address", "The feed could not be fetched: "+err.Error()+". Look at the address, or choose a file.")
		}
	}
	if data == nil {
		name, data = "what was pasted", []byte(form.Get("pasted"))
	}
	if len(data) == 0 && name == "what was pasted" {
		return 0, kit.Input("file", "Choose a CSV or XLSX file, or paste rows from a spreadsheet.")
	}
	read := format.ReadTable
	if bring.Kind(form.Get("kind")) == bring.History {
		read = format.ReadHistory
	}
	t, err := read(name, data)
	if err != nil {
		return 0, kit.Input("file", err.Error())
	}
	return s.Intake.LookAt(c.Request().Context(), kit.Me(c).ID, kit.Here(c), bring.Kind(form.Get("kind")), name, t)
}

// bringingView is a list and what becomes of its rows.
type bringingView struct {
	intake.Bringing
	Answer    kit.Sentence
	Fields    []matchView
	Header    []string
	Sample    [][]string
	OrderAsks []orderView
	MarkAsks  []markView
	Formats   []store.Format
	Owners    []store.Person
	People    []store.Person // of the desk, who may be meant by a name
	Show      string         // the fate of the rows that are shown
	Shown     []intake.BringRow
	More      int
	Fates     []kit.Setting
	New, All  int  // that can come in; none while it is not said how dates are written
	ToMend    bool // some rows do not come in by themselves
	Lineup    bool
	Problem   string
	Field     string
	Percent   int
	CameSays  string
	Mine      bool // the one who looks may take it back
	To        string
}

type matchView struct {
	bring.Field
	At     int // the column, -1 for none
	Sample string
}

type orderView struct {
	Order   bring.Order
	Name    string
	Reads   string // what the first doubtful date would be
	Checked bool
}

// markView is how figures of a list could be meant, and what that makes of one of them.
type markView struct {
	Mark    figure.Mark
	Name    string
	Reads   string
	Checked bool
}

// askMark shows how a figure that can be read in two ways would be read.
func (v *bringingView) askMark() {
	for _, m := range []struct {
		mark figure.Mark
		name string
	}{{figure.Comma, "a comma before the fraction"}, {figure.Point, "a point before the fraction"}} {
		x := markView{Mark: m.mark, Name: m.name, Checked: v.Plan.Mark == m.mark}
		if n, err := figure.Read(figure.Meant(v.Marks, m.mark)); err == nil {
			x.Reads = fmt.Sprintf("%s is %s", v.Marks, strings.TrimRight(strings.TrimRight(n.FloatString(4), "0"), "."))
		}
		v.MarkAsks = append(v.MarkAsks, x)
	}
}

// mostShown is how many rows of a list are shown at once.
const mostShown = 100

func (s *Section) bringingPage(c *echo.Context) error {
	id, err := kit.ID[ref.Batch](c)
	if err != nil {
		return err
	}
	return s.showBringing(c, http.StatusOK, id, nil)
}

func (s *Section) showBringing(c *echo.Context, status int, id ref.Batch, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	x, err := s.Intake.Bringing(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := bringingView{Bringing: x, Header: x.Table.Header, Formats: b.FormatsOf(x.DeskID), Owners: b.Owners(x.DeskID), People: b.OnDesk(x.DeskID), Show: c.QueryParam("show"), Lineup: x.Kind == bring.Lineup || x.Kind == bring.History,
		Percent: 100 * x.Done / max(1, len(x.Table.Rows)), CameSays: rowsOf(x.Kind, x.Came), Mine: x.By == kit.Me(c).ID || kit.Me(c).Access.May(relay.LeadDesk), To: "/ideas?state=all&order=newest"}
	if v.Lineup {
		v.To = "/pieces"
	}
	if x.Kind == bring.History {
		v.To = "/pieces?pace=out&sort=-number"
	}
	for i, h := range v.Header {
		if h == "" {
			v.Header[i] = fmt.Sprintf("Column %d", i+1)
		}
	}
	v.Sample = x.Table.Rows[:min(3, len(x.Table.Rows))]
	for _, f := range x.Fields(b) {
		m := matchView{Field: f, At: -1}
		if at, ok := x.Plan.Columns[f.Key]; ok {
			m.At = at
			for _, r := range x.Table.Rows {
				if r[at] != "" {
					m.Sample = english.Cut(r[at], 60)
					break
				}
			}
		}
		v.Fields = append(v.Fields, m)
	}
	v.askOrder()
	if v.Marks != "" {
		v.askMark()
	}
	v.sift()
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "bringing", "Import: "+x.Name, v)
}

// askOrder shows how the first date that can be read in several ways would be read.
func (v *bringingView) askOrder() {
	at, ok := v.Plan.Columns["day"]
	if !ok || len(v.Orders) == 0 {
		return
	}
	doubtful := ""
	for _, r := range v.Table.Rows {
		x, err1 := bring.Date(r[at], v.Orders[0])
		y, err2 := bring.Date(r[at], v.Orders[1])
		if err1 == nil && err2 == nil && x != y {
			doubtful = r[at]
			break
		}
	}
	for _, o := range bring.Orders {
		if !slices.Contains(v.Orders, o.Order) {
			continue
		}
		x := orderView{Order: o.Order, Name: o.Name, Checked: v.Plan.Order == o.Order}
		if d, err := bring.Date(doubtful, o.Order); err == nil {
			x.Reads = fmt.Sprintf("%s is %s", doubtful, d.Format("Monday 2 January 2006"))
		}
		v.OrderAsks = append(v.OrderAsks, x)
	}
}

// sift says what would become of the rows, and chooses those that are shown.
func (v *bringingView) sift() {
	v.New, v.All = v.Counts[intake.RowNew], v.Counts[intake.RowNew]+v.Counts[intake.RowClash]
	v.ToMend = v.Counts[intake.RowBad]+v.Counts[intake.RowClash] > 0
	if len(v.Rows) == 0 {
		return
	}
	v.Answer = kit.Sentence{Text: fmt.Sprintf("%s would come in, %s what is here, %s already, %s.", rowsOf(v.Kind, v.New),
		english.Plural(v.Counts[intake.RowClash], "row")+english.Verb(v.Counts[intake.RowClash], " clashes with", " clash with"),
		english.Number(v.Counts[intake.RowSame])+english.Verb(v.Counts[intake.RowSame], " is here", " are here"), english.Number(v.Counts[intake.RowBad])+" cannot be read"), Tone: "plain"}
	if v.Counts[intake.RowBad] > v.New {
		v.Answer.Tone = "short"
	}
	if len(v.OrderAsks) > 0 && v.Plan.Order == "" {
		v.Answer = kit.Sentence{Text: "Its dates can be read in more than one way. Say first how they are meant.", Tone: "noroom"}
		v.New, v.All = 0, 0
	}
	at := kit.Address{Path: fmt.Sprintf("/bring/%d", v.ID), Q: url.Values{}}
	for _, f := range []struct {
		fate intake.Fate
		name string
	}{{"", "All"}, {intake.RowNew, "New"}, {intake.RowClash, "Clashes"}, {intake.RowSame, "Here already"}, {intake.RowBad, "Unreadable"}} {
		n := v.Counts[f.fate]
		if f.fate == "" {
			n = len(v.Rows)
		}
		v.Fates = append(v.Fates, kit.Setting{Name: f.name + " " + english.Number(n), Link: at.With("show", string(f.fate)), On: v.Show == string(f.fate)})
	}
	for _, r := range v.Rows {
		if v.Show != "" && v.Show != string(r.Fate) {
			continue
		}
		if len(v.Shown) < mostShown {
			v.Shown = append(v.Shown, r)
		} else {
			v.More++
		}
	}
}

// matchColumns stores how the columns of a list are read.
func (s *Section) matchColumns(c *echo.Context) error {
	return s.onList(c, func(id ref.Batch, form url.Values) (string, error) {
		p := intake.BringPlan{Columns: bring.Map{}, Mark: figure.Mark(form.Get("mark")), Order: bring.Order(form.Get("order")), Format: kit.Int[ref.Format](form, "format"), Owner: kit.Int[ref.Person](form, "owner")}
		for i, name := range form["name"] {
			who := form.Get(fmt.Sprint("who-", i))
			if who == "" { // nothing is said of it
				continue
			}
			if p.People == nil {
				p.People = map[string]ref.Person{}
			}
			p.People[name] = kit.Int[ref.Person](form, fmt.Sprint("who-", i))
		}
		for i, name := range form["state"] {
			if said := form.Get(fmt.Sprint("out-", i)); said != "" {
				if p.States == nil {
					p.States = map[string]bool{}
				}
				p.States[name] = said == "yes"
			}
		}
		for k := range form {
			if at, err := strconv.Atoi(form.Get(k)); err == nil && len(k) > 4 && k[:4] == "col-" {
				p.Columns[k[4:]] = at
			}
		}
		return "", s.Intake.MatchColumns(c.Request().Context(), kit.Me(c).ID, id, p)
	})
}

// bringIn lets the rows of a list come in, while the page shows how far it is.
func (s *Section) bringIn(c *echo.Context) error {
	return s.onList(c, func(id ref.Batch, form url.Values) (string, error) {
		ctx := context.WithoutCancel(c.Request().Context())
		who, every := kit.Me(c).ID, form.Get("every") != ""
		first := make(chan error, 1)
		go func() {
			err := s.Intake.BringIn(ctx, who, id, every)
			if err != nil && !errors.As(err, new(*relay.Refusal)) {
				s.Log.Error("import", "list", id, "problem", err)
			}
			first <- err
		}()
		select {
		case err := <-first: // it is in, or was refused
			return "", err
		case <-c.Request().Context().Done():
			return "", nil
		case <-time.After(300 * time.Millisecond):
			return "", nil
		}
	})
}

// bringingNow says how far a list is.
func (s *Section) bringingNow(c *echo.Context) error {
	id, err := kit.ID[ref.Batch](c)
	if err != nil {
		return err
	}
	x, err := s.Intake.BringingNow(c.Request().Context(), kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"done": x.Done, "total": x.Total, "moving": x.Moving})
}

// takeBack takes back what came in with a list.
func (s *Section) takeBack(c *echo.Context) error {
	return s.onList(c, func(id ref.Batch, _ url.Values) (string, error) {
		said, err := s.Intake.TakeBack(c.Request().Context(), kit.Me(c).ID, id)
		return "Taken back: " + said + ".", err
	})
}

func (s *Section) onList(c *echo.Context, do func(id ref.Batch, form url.Values) (string, error)) error {
	id, form, err := kit.Sent[ref.Batch](c)
	if err != nil {
		return err
	}
	said, err := do(id, form)
	return s.Answered(c, err, said, fmt.Sprintf("/bring/%d", id), func(status int, r *relay.Refusal) error { return s.showBringing(c, status, id, r) })
}

// restOfList gives the rows that do not come in as CSV, with the reason, to be mended.
func (s *Section) restOfList(c *echo.Context) error {
	id, err := kit.ID[ref.Batch](c)
	if err != nil {
		return err
	}
	x, err := s.Intake.Bringing(c.Request().Context(), kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	header, rows := x.Rest()
	h := c.Response().Header()
	h.Set("Content-Type", "text/csv; charset=utf-8")
	h.Set("Content-Disposition", `attachment; filename="to-mend.csv"`)
	return format.WriteCSV(c.Response(), header, rows)
}
