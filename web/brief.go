package web

import (
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/brief"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

type briefView struct {
	planning.BriefSheet
	ID        int64
	Kind      string
	Answer    sentence // what is missing, or from when on it is locked
	Notes     []sentence
	Parts     []briefPart
	Form      url.Values
	Words     string
	Owner     string
	Owners    []store.Person
	Facts     []labelView // when it goes out and who runs it
	GuideHTML template.HTML
	GuideNo   int
	Titles    []candidateView
	Pictures  []candidateView
	Research  researchView
	Sent      url.Values // of the form that was refused
	Likes     []likeView
	Kin       []likeView
	Drafted   string        // what the brief writer has to say about its draft
	Outline   []sectionView // that it drafted
	Problem   string
	Field     string
}

// briefPart is a part of a brief on the page.
type briefPart struct {
	brief.Part
	Must    bool
	Value   string
	Lines   []refView // of a list
	Drafted bool
}

// refView is an entry of a list, with the piece it names.
type refView struct{ Text, Href string }

type candidateView struct {
	store.Candidate
	By     string
	Votes  int
	Mine   bool // the one who looks is for it
	Voters string
	Chosen string // by whom
	Drop   bool
}

func (s *Server) briefPage(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	return s.showBrief(c, http.StatusOK, id, nil, nil, nil)
}

// showBrief shows the brief of a piece: as a form to who may change it, otherwise to read.
func (s *Server) showBrief(c *echo.Context, status int, id int64, refusal *relay.Refusal, typed url.Values, drafted *newsroom.BriefDraft) error {
	v, err := s.briefFor(c, id)
	if err != nil {
		return err
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	v.Sent, v.Research.Sent = typed, typed
	if v.Edit && typed.Has("title") { // it was the form of the brief
		for k := range typed {
			v.Form[k] = typed[k]
		}
		for i := range v.Parts {
			v.Parts[i].Value = typed.Get(v.Parts[i].Key)
		}
	}
	if drafted != nil {
		v.fillIn(drafted)
	}
	page := "briefsheet"
	if v.Edit {
		page = "brief"
	}
	return s.show(c, status, page, "Brief: "+v.Row.Title, v)
}

// briefSheet shows the brief of a piece to read and to print.
func (s *Server) briefSheet(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	v, err := s.briefFor(c, id)
	if err != nil {
		return err
	}
	return s.show(c, http.StatusOK, "briefsheet", "Brief: "+v.Row.Title, v)
}

func (s *Server) briefFor(c *echo.Context, id int64) (briefView, error) {
	ctx := c.Request().Context()
	sheet, err := s.Newsroom.Planning.BriefSheet(ctx, me(c).ID, id)
	if err != nil {
		return briefView{}, err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return briefView{}, err
	}
	r := sheet.Row
	v := briefView{
		BriefSheet: sheet, ID: id, Kind: fmt.Sprintf("No. %d · %s · %s", r.Number, b.Format(r.FormatID).Name, b.Channel(r.ChannelID).Name),
		Words: sheet.Brief.Words(), Owner: b.Person(r.Owner).Name, Owners: b.Owners(r.DeskID),
	}
	v.Form = url.Values{
		"title": {r.Title}, "brief": {sheet.Brief.About}, "from": {str(sheet.Brief.WordsFrom)}, "words_to": {str(sheet.Brief.WordsTo)}, "summary": {r.Summary}, "owner": {str(r.Owner)}, "version": {str(r.Version)},
	}
	for _, a := range sheet.Asks {
		p, ok := brief.PartOf(a.Key)
		if !ok {
			continue
		}
		if a.Help != "" {
			p.Help = a.Help
		}
		v.Parts = append(v.Parts, briefPart{Part: p, Must: a.Must, Value: sheet.Brief.Answers[a.Key]})
	}
	for _, p := range brief.Parts { // what was answered and is no longer asked
		if x := sheet.Brief.Answers[p.Key]; x != "" && !asks(sheet.Asks, p.Key) {
			v.Parts = append(v.Parts, briefPart{Part: p, Value: x})
		}
	}
	if err := s.refer(c, r.DeskID, v.Parts); err != nil {
		return v, err
	}
	v.say(b)
	if sheet.Guide != nil {
		v.GuideHTML, v.GuideNo = toHTML(sheet.GuideText), sheet.Guide.Version
	}
	who := me(c).ID
	for _, x := range sheet.Candidates {
		y := newCandidate(b, x, who, sheet.Edit)
		if x.Kind == "title" {
			v.Titles = append(v.Titles, y)
		} else {
			v.Pictures = append(v.Pictures, y)
		}
	}
	v.Research = newResearch(b, &r.Piece, sheet.Findings, sheet.Files, who, sheet.Edit, s.Newsroom.Now())
	if !me(c).Access.May(relay.SeeAll) {
		return v, nil
	}
	likes, err := s.Newsroom.Intake.Likes(ctx, who, r.DeskID, r.Title, 0, 6)
	if err != nil {
		return v, err
	}
	for i, l := range newLikes(b, likes, s.Newsroom.Now()) {
		if likes[i].Piece == nil || likes[i].Piece.ID != id {
			v.Likes = append(v.Likes, l)
		}
	}
	kin, err := s.Newsroom.Planning.Kin(ctx, who, id)
	for _, e := range kin {
		says := "Has its shape"
		switch {
		case e.Edition > 1:
			says = fmt.Sprintf("Edition %d", e.Edition)
		case e.ID == r.FromPiece && r.Edition > 1:
			says = "The first edition"
		case e.ID == r.FromPiece:
			says = "This piece has its shape"
		}
		v.Kin = append(v.Kin, likeView{Href: fmt.Sprintf("/pieces/%d", e.ID), Title: e.Title, Says: says + ", " + newsroom.LowerFirst(newsroom.SayPace(e.Standing))})
	}
	return v, err
}

func asks(f brief.Form, key string) bool {
	for _, a := range f {
		if a.Key == key {
			return true
		}
	}
	return false
}

var numbered = regexp.MustCompile(`\bNo\. ?(\d{1,7})\b`)

// numberIn gives the number of a piece that an entry of a list names, 0 for none.
func numberIn(line string) int {
	m := numbered.FindStringSubmatch(line)
	if m == nil {
		return 0
	}
	n, err := strconv.Atoi(m[1])
	if err != nil {
		return 0
	}
	return n
}

// refer leads from the entries of lists to addresses, and to the pieces whose numbers
// they name, when there are some that may be seen.
func (s *Server) refer(c *echo.Context, d int64, parts []briefPart) error {
	var numbers []int
	for _, p := range parts {
		if p.Kind != brief.List {
			continue
		}
		for _, l := range brief.Lines(p.Value) {
			if n := numberIn(l); n != 0 {
				numbers = append(numbers, n)
			}
		}
	}
	ids, err := s.Newsroom.Intake.Numbered(c.Request().Context(), me(c).ID, d, numbers...)
	if err != nil {
		return err
	}
	for i := range parts {
		p := &parts[i]
		if p.Kind != brief.List && p.Kind != brief.Links {
			continue
		}
		for _, l := range brief.Lines(p.Value) {
			x := refView{Text: l}
			if id := ids[numberIn(l)]; p.Kind == brief.Links {
				x.Href = l
			} else if id != 0 {
				x.Href = fmt.Sprintf("/pieces/%d", id)
			}
			p.Lines = append(p.Lines, x)
		}
	}
	return nil
}

// say puts the answer on top: what is missing before the writing can begin, or what
// changed since.
func (v *briefView) say(b *newsroom.Setup) {
	w := v.Writing
	need := append([]string(nil), v.Must...)
	if v.Titled && !v.Chosen {
		need = append(need, "a chosen title")
	}
	lower := func(xs []string) string {
		var out []string
		for _, x := range xs {
			out = append(out, newsroom.LowerFirst(x))
		}
		return newsroom.Names(out)
	}
	switch {
	case w != nil && v.Locked != 0:
		v.Answer = sentence{fmt.Sprintf("Version %d went to %s, when %s began.", v.Locked, b.Name(w.Holder), w.Name), "plain"}
		if len(v.Since) > 0 {
			v.Answer = sentence{fmt.Sprintf("It changed since %s began, last by %s %s.", w.Name, b.Name(v.SinceBy), b.At(v.At, v.Row.DeskID)), "noroom"}
		}
		if len(need) > 0 {
			v.Notes = append(v.Notes, sentence{"Still missing: " + lower(need) + ".", "short"})
		}
	case len(need) > 0 && w != nil:
		v.Answer = sentence{fmt.Sprintf("Before %s can begin, it needs: %s.", w.Name, lower(need)), "short"}
	case len(need) > 0:
		v.Answer = sentence{"It needs: " + lower(need) + ".", "short"}
	case len(v.Rest) > 0:
		v.Answer = sentence{"Someone can start on it. Not said yet: " + lower(v.Rest) + ".", "plain"}
	default:
		v.Answer = sentence{"Everything that is asked for is said.", "good"}
	}
	if v.GuideChanged() {
		v.Notes = append(v.Notes, sentence{fmt.Sprintf("The guide was changed since %s began: it is version %d now.", w.Name, v.Guide.Version), "noroom"})
	}
	if v.Row.GoesOut != 0 {
		v.Facts = append(v.Facts, labelView{Name: "Goes out", Value: b.At(v.Row.GoesOut, v.Row.DeskID)})
	}
	if w != nil && !w.Done() {
		x := labelView{Name: w.Name, Value: "nobody yet"}
		if w.Holder != 0 {
			x.Value = b.Person(w.Holder).Name
		}
		if w.Due != 0 {
			x.Value += ", due " + newsroom.Short(w.Due)
		}
		v.Facts = append(v.Facts, x)
	}
}

// GuideChanged reports whether the guide is another than when the writing began.
func (v *briefView) GuideChanged() bool {
	return v.Locked != 0 && v.Guide != nil && v.GuideThen != v.Guide.Version
}

// fillIn puts a draft of the brief writer into what is empty.
func (v *briefView) fillIn(d *newsroom.BriefDraft) {
	v.Drafted = d.Says
	for i, s := range d.Outline {
		v.Outline = append(v.Outline, sectionView{s, i})
	}
	if strings.TrimSpace(v.Form.Get("brief")) == "" {
		v.Form.Set("brief", d.About)
	}
	for i := range v.Parts {
		if p := &v.Parts[i]; strings.TrimSpace(p.Value) == "" && d.Answers[p.Key] != "" {
			p.Value, p.Drafted = d.Answers[p.Key], true
		}
	}
}

func newCandidate(b *newsroom.Setup, x store.Candidate, who int64, edit bool) candidateView {
	v := candidateView{Candidate: x, By: b.Name(x.By), Votes: len(x.Votes), Drop: edit || x.By == who}
	var names []string
	for _, id := range x.Votes {
		v.Mine = v.Mine || id == who
		names = append(names, b.Name(id))
	}
	v.Voters = newsroom.Names(names)
	if x.ChosenBy != 0 {
		v.Chosen = b.Name(x.ChosenBy)
	}
	return v
}

// brief stores what was typed into the form of a brief.
func (s *Server) brief(c *echo.Context) error {
	id, form, err := sent(c)
	if err != nil {
		return err
	}
	if form.Get("do") == "draft" {
		d, err := s.Newsroom.Intake.DraftBrief(c.Request().Context(), me(c).ID, id)
		var refusal *relay.Refusal
		if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
			return s.showBrief(c, statusOf(refusal), id, refusal, form, nil)
		} else if err != nil {
			return err
		}
		return s.showBrief(c, http.StatusOK, id, nil, form, &d)
	}
	n := planning.Brief{Title: form.Get("title"), Brief: form.Get("brief"), Summary: form.Get("summary"), Owner: int64At(form, "owner")}
	if n.WordsFrom, err = whole(form, "from", "words", "the words asked for", 0); err == nil {
		n.WordsTo, err = whole(form, "words_to", "words", "the words asked for", 0)
	}
	for _, p := range brief.Parts {
		if form.Has(p.Key) {
			if n.Answers == nil {
				n.Answers = map[string]string{}
			}
			n.Answers[p.Key] = form.Get(p.Key)
		}
	}
	if err == nil {
		err = s.Newsroom.Planning.EditBrief(c.Request().Context(), me(c).ID, id, version(form), n)
	}
	if err == nil && form.Get("outline") != "" {
		_, _, outline := readBriefForm(form)
		err = s.Newsroom.Intake.BeginWith(c.Request().Context(), me(c).ID, id, outline)
	}
	return s.answered(c, err, "The brief is saved.", fmt.Sprintf("/pieces/%d/brief", id), func(status int, r *relay.Refusal) error {
		return s.showBrief(c, status, id, r, form, nil)
	})
}
