package ideas

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/intake"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type ideasView struct {
	Says     kit.Sentence // the answer first
	States   []kit.Setting
	Rows     []ideaRow
	Total    int
	Page     int
	Pages    int
	Earlier  string
	Later    string
	Empty    string
	Form     url.Values // what is looked for
	Tags     []string
	People   []store.Person
	Filtered bool
	Staff    bool
	Lead     bool
	Asked    int // requests that wait for a decision
	Export   kit.Export
}

type ideaRow struct {
	intake.IdeaRow
	Says      string // where it comes from, and when
	Stands    string // what became of it
	Judges    []judge
	MaySettle bool
	MayJudge  bool
}

// judge is one of reach, fit and effort.
type judge struct {
	Key, Name string
	Value     int
	Steps     []int
}

func judges(i *idea.Idea) []judge {
	steps := []int{1, 2, 3, 4, 5}
	return []judge{{"reach", "Reach", i.Reach, steps}, {"fit", "Fit", i.Fit, steps}, {"effort", "Effort", i.Effort, steps}}
}

// asked reads which ideas a list is asked for.
func asked(c *echo.Context) (url.Values, intake.IdeaFilter) {
	q := c.QueryParams()
	if len(q) == 0 {
		q = url.Values{"state": {string(idea.Waiting)}, "order": {"score"}}
	}
	if q.Get("state") == "all" {
		q.Set("state", "")
	}
	return q, intake.IdeaFilter{
		Desk: kit.Here(c), State: idea.State(q.Get("state")), Source: idea.Source(q.Get("source")), Tag: q.Get("tag"), By: kit.Int[ref.Person](q, "by"), Within: kit.Int[int](q, "within"),
		Least: kit.Int[int](q, "least"), Text: q.Get("text"), Order: q.Get("order"), Page: kit.Int[int](q, "page"),
	}
}

// ideas lists the ideas of the desk.
func (s *Section) ideas(c *echo.Context) error {
	ctx := c.Request().Context()
	q, f := asked(c)
	l, err := s.Intake.Ideas(ctx, kit.Me(c).ID, f)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	at := kit.Address{Path: "/ideas", Q: q}
	v := ideasView{Form: q, Export: kit.ExportOf(at), Total: l.Total, Page: l.Page, Pages: l.Pages, Tags: l.Tags, Staff: kit.Me(c).Access.May(relay.MakePieces), Lead: kit.Me(c).Access.May(relay.SetUpDesk)}
	for _, id := range l.People {
		v.People = append(v.People, b.Person(id))
	}
	v.Filtered = f.Source != "" || f.Tag != "" || f.By != 0 || f.Within > 0 || f.Least > 0 || f.Text != ""
	all := 0
	for _, x := range idea.States {
		v.States = append(v.States, kit.Setting{Name: x.Name + " " + english.Number(l.Counts[x.State]), Link: at.With("state", string(x.State)), On: f.State == x.State})
		all += l.Counts[x.State]
	}
	v.States = append(v.States, kit.Setting{Name: "All " + english.Number(all), Link: at.With("state", "all"), On: f.State == ""})
	for _, r := range l.Rows {
		v.Rows = append(v.Rows, newIdeaRow(b, kit.Me(c), r, s.Newsroom.Now()))
	}
	if l.Page > 1 {
		v.Earlier = at.With("page", kit.Str(l.Page-1))
	}
	if l.Page < l.Pages {
		v.Later = at.With("page", kit.Str(l.Page+1))
	}
	v.Empty = "No idea is like this. Take a filter away to see more."
	if all == 0 {
		v.Empty = "Nothing is caught yet. Press i and type a title; everything else can wait."
	}
	if v.Staff {
		open, err := s.Intake.OpenSlots(ctx, kit.Here(c), ideaWeeks)
		if err != nil {
			return err
		}
		v.Says = openSlots(len(open), l.Counts[idea.Waiting])
		asked, err := s.Intake.Requests(ctx, kit.Me(c).ID, kit.Here(c), store.Asked)
		if err != nil {
			return err
		}
		v.Asked = asked.Counts[store.Asked]
	}
	return s.ShowView(c, "ideas", "Ideas", &v, []kit.Part{{Key: "ideas", Template: "ideas-list", Data: &v, Has: nil}})
}

// ideaWeeks is for how many weeks ahead open slots are counted beside ideas.
const ideaWeeks = 5

// openSlots says how many slots wait for how many ideas.
func openSlots(open, waiting int) kit.Sentence {
	text := fmt.Sprintf("%s in the next five weeks, %s.", english.Plural(open, "slot")+map[bool]string{true: " is open", false: " are open"}[open == 1],
		english.Plural(waiting, "idea")+map[bool]string{true: " waits", false: " wait"}[waiting == 1])
	return kit.Sentence{Text: text, Tone: map[bool]string{true: "short", false: "plain"}[open > waiting]}
}

func newIdeaRow(b *newsroom.Setup, who store.Person, r intake.IdeaRow, now day.Moment) ideaRow {
	w := b.Who(who.ID, r.DeskID)
	v := ideaRow{IdeaRow: r, Judges: judges(r.Idea), MaySettle: r.State != idea.Used && idea.May(idea.ActSettle, w, r.Idea) == nil, MayJudge: idea.May(idea.ActJudge, w, r.Idea) == nil}
	from := r.Source.Name()
	if r.Origin != "" {
		from = r.Origin
	}
	says := []string{from, b.Name(r.By) + ", " + english.Ago(r.CaughtAt, now)}
	if r.Phrase != "" {
		p := "“" + r.Phrase + "”"
		if r.Volume > 0 {
			p += ", " + english.Number(r.Volume) + " a month"
		}
		if r.Difficulty > 0 {
			p += fmt.Sprintf(", difficulty %d", r.Difficulty)
		}
		says = append(says, p)
	}
	v.Says = strings.Join(append(says, r.TagList()...), " · ")
	switch r.State {
	case idea.Used:
		v.Stands = "Used by " + b.Name(r.SettledBy)
	case idea.Resting:
		v.Stands = "Rests"
		if r.Until != 0 {
			v.Stands += " until " + english.Date(r.Until)
		}
	case idea.Turned:
		v.Stands = "Turned down by " + b.Name(r.SettledBy)
	}
	if r.Why != "" {
		v.Stands += ": " + r.Why
	}
	return v
}

type ideaView struct {
	ideaRow
	May     map[string]bool
	Form    url.Values
	Sources []struct {
		Source idea.Source
		Name   string
	}
	Likes   []kit.LikeView
	Problem string
	Field   string
	Opened  string // the form that was refused
	Weighs  string
	Today   string
}

func (s *Section) idea(c *echo.Context) error {
	id, err := kit.ID[ref.Idea](c)
	if err != nil {
		return err
	}
	return s.showIdea(c, http.StatusOK, id, nil, nil)
}

func (s *Section) showIdea(c *echo.Context, status int, id ref.Idea, refusal *relay.Refusal, typed url.Values) error {
	ctx := c.Request().Context()
	r, may, err := s.Intake.Idea(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := ideaView{ideaRow: newIdeaRow(b, kit.Me(c), r, s.Newsroom.Now()), Sources: idea.Sources, May: map[string]bool{}, Form: ideaForm(r.Idea), Today: s.Newsroom.Now().Date(b.Zones[r.DeskID]).String()}
	for a, ok := range may {
		v.May[string(a)] = ok
	}
	v.May["use"] = kit.Me(c).Access.May(relay.MakePieces) && r.State != idea.Used
	w := intake.Weights(b, r.DeskID)
	v.Weighs = fmt.Sprintf("Reach weighs %d, fit %d, little effort %d.", w.Reach, w.Fit, w.Effort)
	if refusal != nil {
		v.Problem, v.Field, v.Opened = refusal.Text, refusal.Field, typed.Get("form")
		if v.Opened == "" {
			v.Form = typed
			v.Form.Set("version", kit.Str(r.Version))
		}
	}
	likes, err := s.Intake.Likes(ctx, kit.Me(c).ID, r.DeskID, r.Title, r.ID, 8)
	if err != nil {
		return err
	}
	v.Likes = kit.NewLikes(b, likes, s.Newsroom.Now())
	return s.Show(c, status, "idea", r.Title, v)
}

func ideaForm(i *idea.Idea) url.Values {
	n := func(n int) string {
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	return url.Values{
		"title": {i.Title}, "notes": {i.Notes}, "links": {i.Links}, "source": {string(i.Source)}, "origin": {i.Origin}, "phrase": {i.Phrase}, "volume": {n(i.Volume)},
		"difficulty": {n(i.Difficulty)}, "tags": {strings.Join(i.TagList(), ", ")}, "reach": {n(i.Reach)}, "fit": {n(i.Fit)}, "effort": {n(i.Effort)}, "version": {kit.Str(i.Version)},
	}
}

// readIdea reads the form of an idea.
func readIdea(form url.Values) (idea.Idea, error) {
	i := idea.Idea{Title: form.Get("title"), Notes: form.Get("notes"), Links: form.Get("links"), Source: idea.Source(form.Get("source")), Origin: form.Get("origin"),
		Phrase: form.Get("phrase"), Tags: form.Get("tags"), Version: kit.Version(form)}
	for _, n := range []struct {
		field, what string
		into        *int
	}{{"volume", "how often it is looked for", &i.Volume}, {"difficulty", "the difficulty", &i.Difficulty}, {"reach", "the reach", &i.Reach}, {"fit", "the fit", &i.Fit}, {"effort", "the effort", &i.Effort}} {
		v, err := kit.Whole(form, n.field, n.field, n.what, 0)
		if err != nil {
			return i, err
		}
		*n.into = v
	}
	return i, nil
}

func (s *Section) saveIdea(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Idea](c)
	if err != nil {
		return err
	}
	i, err := readIdea(form)
	if err == nil {
		i.ID = id
		err = s.Intake.EditIdea(c.Request().Context(), kit.Me(c).ID, i)
	}
	return s.Answered(c, err, "Saved.", fmt.Sprintf("/ideas/%d", id), func(status int, r *relay.Refusal) error { return s.showIdea(c, status, id, r, form) })
}

// judgeIdea says the reach, fit or effort of an idea from a list.
func (s *Section) judgeIdea(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Idea](c)
	if err != nil {
		return err
	}
	for _, k := range []string{"reach", "fit", "effort"} {
		if form.Has(k) && err == nil {
			err = s.Intake.JudgeIdea(c.Request().Context(), kit.Me(c).ID, id, k, kit.Int[int](form, k))
		}
	}
	if err == nil && kit.WantsJSON(c) {
		r, _, err := s.Intake.Idea(c.Request().Context(), kit.Me(c).ID, id)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{"score": scoreText(r)})
	}
	return s.Answered(c, err, "", kit.Back(form, "/ideas"), func(status int, r *relay.Refusal) error { return s.showIdea(c, status, id, r, form) })
}

// scoreText is the score of an idea as it is shown, empty for none.
func scoreText(r intake.IdeaRow) string {
	if !r.Scored {
		return ""
	}
	return strconv.Itoa(r.Score)
}

// ScoreText is the score as it is shown.
func (r ideaRow) ScoreText() string { return scoreText(r.IdeaRow) }

// settleIdeas decides what becomes of one idea or of several.
func (s *Section) settleIdeas(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	var ids []ref.Idea
	for _, v := range form["idea"] {
		if id, err := strconv.ParseInt(v, 10, 64); err == nil && !slices.Contains(ids, ref.Idea(id)) {
			ids = append(ids, ref.Idea(id))
		}
	}
	if len(ids) == 0 {
		return kit.Input("idea", "Tick the ideas first.")
	}
	to := idea.State(form.Get("to"))
	until, err := kit.DateOf(form, "until", "the day until which it rests")
	if err == nil {
		err = s.Intake.SettleIdeas(c.Request().Context(), kit.Me(c).ID, ids, to, form.Get("why"), until)
	}
	form.Set("form", string(to))
	return s.Answered(c, err, "", kit.Back(form, fmt.Sprintf("/ideas/%d", ids[0])), func(status int, r *relay.Refusal) error { return s.showIdea(c, status, ids[0], r, form) })
}

// like gives the pieces and ideas that may be about what is typed, as a part of a page.
func (s *Section) like(c *echo.Context) error {
	title := english.Cut(c.QueryParam("title"), idea.MaxTitle)
	likes, err := s.Intake.Likes(c.Request().Context(), kit.Me(c).ID, kit.Here(c), title, kit.Int[ref.Idea](c.QueryParams(), "except"), 5)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	return s.Render(c, http.StatusOK, "idea", "likes", kit.NewLikes(b, likes, s.Newsroom.Now()))
}
