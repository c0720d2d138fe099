package copy

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/copy"
	"greenbaton/core/english"
	asking "greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// MarginView is what stands beside a copy.
type MarginView struct {
	Piece     ref.Piece
	Seq       int
	Notes     []noteOn // open queries and proposals in the order of the copy
	Settled   []QueryView
	Count     string // "2 queries · 1 change"
	MayAsk    bool
	Decides   bool
	Proposals int
	Authors   []author // when several people propose
	People    []kit.Choice
}

// author is somebody who proposes, with the keys of all of theirs.
type author struct {
	Name, Keys string
	N          int
}

// authorsOf gives who proposes, where that is more than one.
func authorsOf(b *newsroom.Setup, ps []copy.Proposal) []author {
	at := map[ref.Person]int{}
	var out []author
	for _, p := range ps {
		i, ok := at[p.By]
		if !ok {
			i = len(out)
			at[p.By] = i
			out = append(out, author{Name: newsroom.First(b.Name(p.By))})
		}
		out[i].N++
		out[i].Keys = strings.TrimSpace(out[i].Keys + " " + strings.Join(p.Keys, " "))
	}
	if len(out) < 2 {
		return nil
	}
	return out
}

// noteOn is a query or a proposal.
type noteOn struct {
	Query    *QueryView
	Proposal *proposalView
	at       int
}

// QueryView is a query with its answers, and what whoever looks at it may do with it.
type QueryView struct {
	copyroom.QuerySheet
	No        int // in the margin and on the words
	Who       string
	When      string
	Answers   []replyView
	SettledAs string // "settled by Ruth, Mon 23 Nov"
	Piece     *store.Row
	Back      string
	May       bool // answer it
	Replied   bool // somebody else has said something
}

type replyView struct {
	Who, Text, When string
	File            *store.File
}

type proposalView struct {
	copy.Proposal
	Keys  string
	Who   string
	When  string
	Was   string
	New   string
	Says  []string // "in bold", "a heading"
	Mine  bool
	Break string // "two paragraphs become one"
}

// MarginFor gives what stands beside the copy of a piece: queries and proposals.
func (s *Section) MarginFor(c *echo.Context, id ref.Piece) (MarginView, error) {
	ctx := c.Request().Context()
	m, row, err := s.Copyroom.MarginOf(ctx, kit.Me(c).ID, id)
	if err != nil {
		return MarginView{}, err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return MarginView{}, err
	}
	v := MarginView{Piece: id, Seq: m.Seq, MayAsk: m.MayAsk, Decides: m.Hand.Decides, Proposals: len(m.Proposals)}
	for _, p := range b.OnDesk(row.DeskID) {
		v.People = append(v.People, kit.Choice{Key: kit.Str(p.ID), Name: p.Name})
	}
	from, err := s.Copyroom.Reviewers(ctx, &row)
	if err != nil {
		return v, err
	}
	for _, p := range from {
		v.People = append(v.People, kit.Choice{Key: kit.Str(p.ID), Name: p.Name + ", asked from outside"})
	}
	for _, q := range m.Queries {
		x := NewQueryView(b, q, row.DeskID, s.Newsroom.Now().Date(b.Zones[row.DeskID]).String())
		x.May, x.Back = m.MayAsk, fmt.Sprintf("/pieces/%d", id)
		if q.Settled() {
			v.Settled = append(v.Settled, x)
			continue
		}
		v.Notes = append(v.Notes, noteOn{Query: &x, at: q.Where})
	}
	for _, p := range m.Proposals {
		x := newProposalView(b, p, row.DeskID, kit.Me(c).ID)
		v.Notes = append(v.Notes, noteOn{Proposal: &x, at: p.At})
	}
	slices.SortStableFunc(v.Notes, func(x, y noteOn) int { return x.at - y.at })
	no := 0
	for _, n := range v.Notes {
		if n.Query != nil {
			no++
			n.Query.No = no
		}
	}
	v.Count, v.Authors = sayMargin(no, len(m.Proposals)), authorsOf(b, m.Proposals)
	return v, nil
}

// Open gives the open queries.
func (v MarginView) Open() []*QueryView {
	var out []*QueryView
	for _, n := range v.Notes {
		if n.Query != nil {
			out = append(out, n.Query)
		}
	}
	return out
}

// Reasons gives the queries with which a run of a leg came back.
func (v MarginView) Reasons(leg string, run int) []*QueryView {
	var out []*QueryView
	all := v.Open()
	for i := range v.Settled {
		all = append(all, &v.Settled[i])
	}
	for _, q := range all {
		if q.Leg == leg && q.Reason == run {
			out = append(out, q)
		}
	}
	return out
}

func sayMargin(queries, changes int) string {
	var out []string
	if queries == 1 {
		out = append(out, "1 query")
	} else if queries > 1 {
		out = append(out, fmt.Sprintf("%d queries", queries))
	}
	if changes > 0 {
		out = append(out, english.Plural(changes, "change"))
	}
	return strings.Join(out, " · ")
}

// NewQueryView shows a query on the clocks of a desk; today is left out of its times.
func NewQueryView(b *newsroom.Setup, q copyroom.QuerySheet, deskID ref.Desk, today string) QueryView {
	v := QueryView{QuerySheet: q, Replied: q.Query.Answered(q.Answers), Who: newsroom.First(b.Name(q.By)), When: b.At(q.At, deskID)}
	if at := q.At.In(b.Zones[deskID]); at.Format("2006-01-02") == today {
		v.When = at.Format("15:04")
	}
	switch {
	case q.ForID == q.By:
		v.Who += ", a note to self"
	case q.ForID != 0:
		v.Who += ", for " + newsroom.First(b.Name(q.ForID))
	}
	for _, a := range q.Answers {
		x := replyView{Who: newsroom.First(b.Name(a.By)), Text: a.Text, When: b.At(a.At, deskID)}
		if f, ok := q.Files[a.FileID]; ok {
			x.File = &f
		}
		v.Answers = append(v.Answers, x)
	}
	if q.Settled() {
		v.SettledAs = "settled by " + newsroom.First(b.Name(q.SettledBy)) + ", " + b.At(q.SettledAt, deskID)
	}
	return v
}

// setWords says what a proposal sets.
var setWords = map[string]string{
	"bold true": "in bold", "bold null": "not in bold", "italic true": "in italics", "italic null": "not in italics", "link null": "without its link",
	"header 2": "a heading", "header 3": "a smaller heading", "header 4": "the smallest heading", "header null": "no heading",
	`list "bullet"`: "in a list", `list "ordered"`: "in a numbered list", "list null": "not in a list", "blockquote true": "a quotation", "blockquote null": "no quotation",
}

func newProposalView(b *newsroom.Setup, p copy.Proposal, deskID ref.Desk, who ref.Person) proposalView {
	v := proposalView{Proposal: p, Keys: strings.Join(p.Keys, " "), Who: newsroom.First(b.Name(p.By)), Mine: p.By == who}
	if _, token, ok := strings.Cut(p.Keys[0], "."); ok {
		if ms, err := strconv.ParseInt(token, 36, 64); err == nil && ms > 1e12 && ms < 1e13 {
			v.When = time.UnixMilli(ms).In(b.Zones[deskID]).Format("15:04")
		}
	}
	v.Was, v.New = p.Was(), p.Becomes()
	switch {
	case v.Was == "\n" && strings.TrimSpace(v.New) == "":
		v.Break = "Two paragraphs become one"
	case v.New == "\n" && v.Was == "":
		v.Break = "A new paragraph begins here"
	}
	for _, x := range p.Parts {
		for _, a := range x.Sets {
			says := setWords[a.Name+" "+a.Value]
			if a.Name == "link" && says == "" {
				says = "a link to " + x.Sets.Text("link")
			}
			if says != "" && !slices.Contains(v.Says, says) {
				v.Says = append(v.Says, says)
			}
		}
	}
	if len(v.Says) > 0 && v.Was == "" && v.New == "" {
		for _, x := range p.Parts {
			v.New += strings.TrimRight(x.Insert, "\n")
		}
	}
	v.Was, v.New = english.Cut(strings.ReplaceAll(v.Was, "\n", " ¶ "), 160), english.Cut(strings.ReplaceAll(v.New, "\n", " ¶ "), 160)
	return v
}

// margin gives what stands beside a copy, for a page that is open.
func (s *Section) margin(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	v, err := s.MarginFor(c, id)
	if err != nil {
		return err
	}
	return s.Render(c, http.StatusOK, "piece", "margin", v)
}

// ask asks about the copy of a piece.
func (s *Section) askQuery(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		file, err := kit.Upload(c, "file")
		if err != nil {
			return "", err
		}
		o := copyroom.Ask{Query: asking.Query{About: asking.About(form.Get("about")), Text: form.Get("text"), ForID: kit.Int[ref.Person](form, "for"), Only: form.Get("only") != "",
			FileID: kit.Int[ref.File](form, "picture"), X: kit.Int[int](form, "x"), Y: kit.Int[int](form, "y")},
			Seq: kit.Int[int](form, "seq"), Place: copy.Place{At: kit.Int[int](form, "at"), Len: kit.Int[int](form, "len")}, File: file}
		_, err = s.Copyroom.AskAbout(c.Request().Context(), kit.Me(c).ID, id, o)
		return "The query is on the copy.", err
	})
}

// onQuery carries out an act on a query, and goes back to where its form stands.
func (s *Section) onQuery(c *echo.Context, do func(ctx context.Context, id ref.Query, form url.Values) (string, error)) error {
	id, form, err := kit.Sent[ref.Query](c)
	if err != nil {
		return err
	}
	said, err := do(c.Request().Context(), id, form)
	if err == nil && kit.WantsJSON(c) {
		return s.Done(c, said)
	}
	to := kit.Back(form, "/queries")
	return s.Answered(c, err, said, to+fmt.Sprintf("#query-%d", id), func(_ int, r *relay.Refusal) error {
		s.Say(c, "%s", r.Text)
		return c.Redirect(http.StatusSeeOther, to)
	})
}

func (s *Section) answerQuery(c *echo.Context) error {
	return s.onQuery(c, func(ctx context.Context, id ref.Query, form url.Values) (string, error) {
		file, err := kit.Upload(c, "file")
		if err != nil {
			return "", err
		}
		return "Your answer is there.", s.Copyroom.AnswerQuery(ctx, kit.Me(c).ID, id, form.Get("text"), file)
	})
}

func (s *Section) settleQuery(c *echo.Context) error {
	return s.onQuery(c, func(ctx context.Context, id ref.Query, form url.Values) (string, error) {
		settled := form.Get("do") != "open"
		return map[bool]string{true: "The query is settled.", false: "The query is open again."}[settled], s.Copyroom.SettleQuery(ctx, kit.Me(c).ID, id, settled)
	})
}

// decideProposals takes or leaves what is proposed.
func (s *Section) decideProposals(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		take := form.Get("do") == "take"
		keys := strings.Fields(form.Get("keys"))
		if len(keys) == 0 && form.Get("all") == "" {
			return "", &relay.Refusal{Reason: relay.ErrInput, Text: "Choose what is to be taken or left."}
		}
		n, err := s.Review.Decide(c.Request().Context(), kit.Me(c).ID, id, take, keys)
		return fmt.Sprintf("%s %s.", english.Plural(n, "proposed change"), map[bool]string{true: "taken", false: "left"}[take]), err
	})
}

// takenCopy gives the copy as it would be with all proposals taken, to be read.
func (s *Section) takenCopy(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	m, _, err := s.Copyroom.MarginOf(c.Request().Context(), kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	return c.HTML(http.StatusOK, string(kit.CopyHTML(m.Text.Taken().Clean(), id)))
}

// queriesView is the page of queries across pieces.
type queriesView struct {
	Export       kit.Export
	Which, Words string
	Queries      []QueryView
	Older        bool
	Tabs         []kit.Tab
}

// mostQueries is how many queries a page lists.
const mostQueries = 100

// whichAsked gives which queries are asked for.
func whichAsked(c *echo.Context) string {
	if w := c.QueryParam("which"); slices.Contains([]string{copyroom.QueriesAsked, copyroom.QueriesAll, copyroom.QueriesPiece, copyroom.QueriesDone}, w) {
		return w
	}
	return copyroom.QueriesMine
}

func (s *Section) queries(c *echo.Context) error {
	ctx := c.Request().Context()
	v := queriesView{Which: whichAsked(c), Words: c.QueryParam("text")}
	v.Export = kit.ExportOf(kit.Address{Path: "/queries", Q: url.Values{"which": {v.Which}, "text": {v.Words}}})
	for _, t := range [][2]string{{copyroom.QueriesMine, "Mine to answer"}, {copyroom.QueriesAsked, "That I asked"}, {copyroom.QueriesAll, "All open"}, {copyroom.QueriesPiece, "By piece"}, {copyroom.QueriesDone, "Settled"}} {
		v.Tabs = append(v.Tabs, kit.Tab{Key: t[0], Name: t[1], Is: t[0] == v.Which, Link: template.URL("/queries?" + url.Values{"which": {t[0]}, "text": {v.Words}}.Encode())})
	}
	list, err := s.Copyroom.Queries(ctx, kit.Me(c).ID, v.Which, v.Words, mostQueries)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v.Older = list.Older
	for _, q := range list.Queries {
		row := list.Rows[q.PieceID]
		x := NewQueryView(b, q, row.DeskID, s.Newsroom.Now().Date(b.Zones[row.DeskID]).String())
		x.Piece, x.May, x.Back = &row, true, "/queries?which="+v.Which
		v.Queries = append(v.Queries, x)
	}
	return s.Show(c, http.StatusOK, "queries", "Queries", v)
}
