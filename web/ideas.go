package web

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/idea"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/intake"
	"greenbaton/store"
)

type ideasView struct {
	Says    sentence // the answer first
	States  []setting
	Rows    []ideaRow
	Total   int
	Page    int
	Pages   int
	Earlier string
	Later   string
	Empty   string
	Form    url.Values // what is looked for
	Tags    []string
	People  []store.Person
	Sifted  bool
	Staff   bool
	Lead    bool
	Asked   int // requests that wait for a decision
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

// ideas lists the ideas of the desk.
func (s *Server) ideas(c *echo.Context) error {
	ctx, q := c.Request().Context(), c.QueryParams()
	if len(q) == 0 {
		q = url.Values{"state": {string(idea.Waiting)}, "order": {"score"}}
	}
	if q.Get("state") == "all" {
		q.Set("state", "")
	}
	f := intake.IdeaFilter{
		Desk: here(c), State: idea.State(q.Get("state")), Source: idea.Source(q.Get("source")), Tag: q.Get("tag"), By: int64At(q, "by"), Within: int(int64At(q, "within")),
		Least: int(int64At(q, "least")), Text: q.Get("text"), Order: q.Get("order"), Page: int(int64At(q, "page")),
	}
	l, err := s.Newsroom.Intake.Ideas(ctx, me(c).ID, f)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	at := address{path: "/ideas", q: q}
	v := ideasView{Form: q, Total: l.Total, Page: l.Page, Pages: l.Pages, Tags: l.Tags, Staff: me(c).Access.May(relay.MakePieces), Lead: me(c).Access.May(relay.SetUpDesk)}
	for _, id := range l.People {
		v.People = append(v.People, b.Person(id))
	}
	v.Sifted = f.Source != "" || f.Tag != "" || f.By != 0 || f.Within > 0 || f.Least > 0 || f.Text != ""
	all := 0
	for _, x := range idea.States {
		v.States = append(v.States, setting{x.Name + " " + number(l.Counts[x.State]), at.with("state", string(x.State)), f.State == x.State})
		all += l.Counts[x.State]
	}
	v.States = append(v.States, setting{"All " + number(all), at.with("state", "all"), f.State == ""})
	for _, r := range l.Rows {
		v.Rows = append(v.Rows, newIdeaRow(b, me(c), r, s.Newsroom.Now()))
	}
	if l.Page > 1 {
		v.Earlier = at.with("page", str(l.Page-1))
	}
	if l.Page < l.Pages {
		v.Later = at.with("page", str(l.Page+1))
	}
	v.Empty = "No idea is like this. Take a filter away to see more."
	if all == 0 {
		v.Empty = "Nothing is caught yet. Press i and type a title; everything else can wait."
	}
	if v.Staff {
		open, err := s.Newsroom.Intake.OpenSlots(ctx, here(c), ideaWeeks)
		if err != nil {
			return err
		}
		v.Says = openSlots(len(open), l.Counts[idea.Waiting])
		asked, err := s.Newsroom.Intake.Requests(ctx, me(c).ID, here(c), store.Asked)
		if err != nil {
			return err
		}
		v.Asked = asked.Counts[store.Asked]
	}
	return s.showView(c, "ideas", "Ideas", &v, []part{{"ideas", "ideas-list", &v, nil}})
}

// ideaWeeks is for how many weeks ahead open slots are counted beside ideas.
const ideaWeeks = 5

// openSlots says how many slots wait for how many ideas.
func openSlots(open, waiting int) sentence {
	text := fmt.Sprintf("%s in the next five weeks, %s.", newsroom.Plural(open, "slot")+map[bool]string{true: " is open", false: " are open"}[open == 1],
		newsroom.Plural(waiting, "idea")+map[bool]string{true: " waits", false: " wait"}[waiting == 1])
	return sentence{text, map[bool]string{true: "short", false: "plain"}[open > waiting]}
}

func newIdeaRow(b *newsroom.Setup, who store.Person, r intake.IdeaRow, now day.Moment) ideaRow {
	w := b.Who(who.ID, r.DeskID)
	v := ideaRow{IdeaRow: r, Judges: judges(r.Idea), MaySettle: r.State != idea.Used && idea.May(idea.ActSettle, w, r.Idea) == nil, MayJudge: idea.May(idea.ActJudge, w, r.Idea) == nil}
	from := r.Source.Name()
	if r.Origin != "" {
		from = r.Origin
	}
	says := []string{from, b.Name(r.By) + ", " + ago(r.CaughtAt, now)}
	if r.Phrase != "" {
		p := "“" + r.Phrase + "”"
		if r.Volume > 0 {
			p += ", " + number(r.Volume) + " a month"
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
			v.Stands += " until " + newsroom.Short(r.Until)
		}
	case idea.Turned:
		v.Stands = "Turned down by " + b.Name(r.SettledBy)
	}
	if r.Why != "" {
		v.Stands += ": " + r.Why
	}
	return v
}

// ago says how long ago a moment was, in the largest unit that tells.
func ago(then, now day.Moment) string {
	switch days := int(now-then) / 86400; {
	case now-then < 60:
		return "just now"
	case now-then < 3600:
		return newsroom.Plural(int(now-then)/60, "minute") + " ago"
	case days == 0:
		return newsroom.Plural(int(now-then)/3600, "hour") + " ago"
	case days < 14:
		return newsroom.Plural(days, "day") + " ago"
	case days < 70:
		return newsroom.Plural(days/7, "week") + " ago"
	case days < 700:
		return newsroom.Plural(days/30, "month") + " ago"
	default:
		return newsroom.Plural(days/365, "year") + " ago"
	}
}

type ideaView struct {
	ideaRow
	May     map[string]bool
	Form    url.Values
	Sources []struct {
		Source idea.Source
		Name   string
	}
	Likes   []likeView
	Problem string
	Field   string
	Opened  string // the form that was refused
	Weighs  string
	Today   string
}

// likeView is a piece or an idea that may be about the same.
type likeView struct {
	Href, Title, Says string
	Snippet           template.HTML
	Near              bool // so alike that it is likely the same
}

func (s *Server) idea(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	return s.showIdea(c, http.StatusOK, id, nil, nil)
}

func (s *Server) showIdea(c *echo.Context, status int, id int64, refusal *relay.Refusal, typed url.Values) error {
	ctx := c.Request().Context()
	r, may, err := s.Newsroom.Intake.Idea(ctx, me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := ideaView{ideaRow: newIdeaRow(b, me(c), r, s.Newsroom.Now()), Sources: idea.Sources, May: map[string]bool{}, Form: ideaForm(r.Idea), Today: s.Newsroom.Now().Date(b.Zones[r.DeskID]).String()}
	for a, ok := range may {
		v.May[string(a)] = ok
	}
	v.May["use"] = me(c).Access.May(relay.MakePieces) && r.State != idea.Used
	w := intake.Weights(b, r.DeskID)
	v.Weighs = fmt.Sprintf("Reach weighs %d, fit %d, little effort %d.", w.Reach, w.Fit, w.Effort)
	if refusal != nil {
		v.Problem, v.Field, v.Opened = refusal.Text, refusal.Field, typed.Get("form")
		if v.Opened == "" {
			v.Form = typed
			v.Form.Set("version", str(r.Version))
		}
	}
	likes, err := s.Newsroom.Intake.Likes(ctx, me(c).ID, r.DeskID, r.Title, r.ID, 8)
	if err != nil {
		return err
	}
	v.Likes = newLikes(b, likes, s.Newsroom.Now())
	return s.show(c, status, "idea", r.Title, v)
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
		"difficulty": {n(i.Difficulty)}, "tags": {strings.Join(i.TagList(), ", ")}, "reach": {n(i.Reach)}, "fit": {n(i.Fit)}, "effort": {n(i.Effort)}, "version": {str(i.Version)},
	}
}

// readIdea reads the form of an idea.
func readIdea(form url.Values) (idea.Idea, error) {
	i := idea.Idea{Title: form.Get("title"), Notes: form.Get("notes"), Links: form.Get("links"), Source: idea.Source(form.Get("source")), Origin: form.Get("origin"),
		Phrase: form.Get("phrase"), Tags: form.Get("tags"), Version: version(form)}
	for _, n := range []struct {
		field, what string
		into        *int
	}{{"volume", "how often it is looked for", &i.Volume}, {"difficulty", "the difficulty", &i.Difficulty}, {"reach", "the reach", &i.Reach}, {"fit", "the fit", &i.Fit}, {"effort", "the effort", &i.Effort}} {
		v, err := whole(form, n.field, n.field, n.what, 0)
		if err != nil {
			return i, err
		}
		*n.into = v
	}
	return i, nil
}

func (s *Server) saveIdea(c *echo.Context) error {
	id, form, err := sent(c)
	if err != nil {
		return err
	}
	i, err := readIdea(form)
	if err == nil {
		i.ID = id
		err = s.Newsroom.Intake.EditIdea(c.Request().Context(), me(c).ID, i)
	}
	return s.answered(c, err, "Saved.", fmt.Sprintf("/ideas/%d", id), func(status int, r *relay.Refusal) error { return s.showIdea(c, status, id, r, form) })
}

// judgeIdea says the reach, fit or effort of an idea from a list.
func (s *Server) judgeIdea(c *echo.Context) error {
	id, form, err := sent(c)
	if err != nil {
		return err
	}
	for _, k := range []string{"reach", "fit", "effort"} {
		if form.Has(k) && err == nil {
			err = s.Newsroom.Intake.JudgeIdea(c.Request().Context(), me(c).ID, id, k, int(int64At(form, k)))
		}
	}
	if err == nil && wantsJSON(c) {
		r, _, err := s.Newsroom.Intake.Idea(c.Request().Context(), me(c).ID, id)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{"score": scoreText(r)})
	}
	return s.answered(c, err, "", back(form, "/ideas"), func(status int, r *relay.Refusal) error { return s.showIdea(c, status, id, r, form) })
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
func (s *Server) settleIdeas(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	var ids []int64
	for _, v := range form["idea"] {
		if id, err := strconv.ParseInt(v, 10, 64); err == nil && !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 {
		return input("idea", "Tick the ideas first.")
	}
	to := idea.State(form.Get("to"))
	until, err := dateOf(form, "until", "the day until which it rests")
	if err == nil {
		err = s.Newsroom.Intake.SettleIdeas(c.Request().Context(), me(c).ID, ids, to, form.Get("why"), until)
	}
	form.Set("form", string(to))
	return s.answered(c, err, "", back(form, fmt.Sprintf("/ideas/%d", ids[0])), func(status int, r *relay.Refusal) error { return s.showIdea(c, status, ids[0], r, form) })
}

// like gives the pieces and ideas that may be about what is typed, as a part of a page.
func (s *Server) like(c *echo.Context) error {
	title := idea.Cut(c.QueryParam("title"), idea.MaxTitle)
	likes, err := s.Newsroom.Intake.Likes(c.Request().Context(), me(c).ID, here(c), title, int64At(c.QueryParams(), "except"), 5)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "idea", "likes", newLikes(b, likes, s.Newsroom.Now()))
}

func newLikes(b *newsroom.Setup, likes []intake.Like, now day.Moment) []likeView {
	var out []likeView
	for _, l := range likes {
		v := likeView{Near: l.Alike >= 0.6}
		if l.Piece != nil {
			v.Href, v.Title = fmt.Sprintf("/pieces/%d", l.Piece.ID), l.Piece.Title
			v.Says = fmt.Sprintf("%s, %s", b.Format(l.Piece.FormatID).Name, newsroom.LowerFirst(newsroom.SayPace(l.Piece.Standing)))
			if l.Piece.GoesOut != 0 {
				v.Says += ", " + l.Piece.GoesOut.In(b.Zones[l.Piece.DeskID]).Format("Mon 2 Jan 2006")
			}
			if l.Snippet != "" {
				v.Snippet = marked(l.Snippet)
			}
		} else {
			v.Href, v.Title = fmt.Sprintf("/ideas/%d", l.Idea.ID), l.Idea.Title
			v.Says = fmt.Sprintf("Idea of %s, %s, %s", b.Name(l.Idea.By), ago(l.Idea.CaughtAt, now), l.Idea.State)
		}
		out = append(out, v)
	}
	return out
}
