package brief

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
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// BriefView is the brief of a piece with what is told beside it, as its page and its sheet show it.
type BriefView struct {
	planning.BriefSheet
	ID        ref.Piece
	Kind      string
	Answer    kit.Sentence // what is missing, or from when on it is locked
	Notes     []kit.Sentence
	Parts     []briefPart
	Form      url.Values
	Words     string
	Owner     string
	Owners    []store.Person
	Facts     []kit.LabelView // when it goes out and who runs it
	GuideHTML template.HTML
	GuideNo   int
	Titles    []candidateView
	Pictures  []candidateView
	Research  researchView
	Sent      url.Values // of the form that was refused
	Likes     []kit.LikeView
	Kin       []kit.LikeView
	Drafted   string        // what the brief writer has to say about its draft
	Outline   []SectionView // that it drafted
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

func (s *Section) briefPage(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	return s.showBrief(c, http.StatusOK, id, nil, nil, nil)
}

// showBrief shows the brief of a piece: as a form to who may change it, otherwise to read.
func (s *Section) showBrief(c *echo.Context, status int, id ref.Piece, refusal *relay.Refusal, typed url.Values, drafted *newsroom.BriefDraft) error {
	v, err := s.BriefFor(c, id)
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
	return s.Show(c, status, page, "Brief: "+v.Row.Title, v)
}

// briefSheet shows the brief of a piece to read and to print.
func (s *Section) briefSheet(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	v, err := s.BriefFor(c, id)
	if err != nil {
		return err
	}
	return s.Show(c, http.StatusOK, "briefsheet", "Brief: "+v.Row.Title, v)
}

// BriefFor gives the brief of a piece that whoever is signed in may see; ErrNotFound otherwise.
func (s *Section) BriefFor(c *echo.Context, id ref.Piece) (BriefView, error) {
	ctx := c.Request().Context()
	sheet, err := s.Planning.BriefSheet(ctx, kit.Me(c).ID, id)
	if err != nil {
		return BriefView{}, err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return BriefView{}, err
	}
	r := sheet.Row
	v := BriefView{
		BriefSheet: sheet, ID: id, Kind: fmt.Sprintf("No. %d · %s · %s", r.Number, b.Format(r.FormatID).Name, b.Channel(r.ChannelID).Name),
		Words: sheet.Brief.Words(), Owner: b.Person(r.Owner).Name, Owners: b.Owners(r.DeskID),
	}
	v.Form = url.Values{
		"title": {r.Title}, "brief": {sheet.Brief.About}, "from": {kit.Str(sheet.Brief.WordsFrom)}, "words_to": {kit.Str(sheet.Brief.WordsTo)}, "summary": {r.Summary}, "owner": {kit.Str(r.Owner)}, "version": {kit.Str(r.Version)},
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
		v.GuideHTML, v.GuideNo = kit.ToHTML(sheet.GuideText), sheet.Guide.Version
	}
	who := kit.Me(c).ID
	for _, x := range sheet.Candidates {
		y := newCandidate(b, x, who, sheet.Edit)
		if x.Kind == "title" {
			v.Titles = append(v.Titles, y)
		} else {
			v.Pictures = append(v.Pictures, y)
		}
	}
	v.Research = newResearch(b, &r.Piece, sheet.Findings, sheet.Files, who, sheet.Edit, s.Newsroom.Now())
	if !kit.Me(c).Access.May(relay.SeeAll) {
		return v, nil
	}
	likes, err := s.Intake.Likes(ctx, who, r.DeskID, r.Title, 0, 6)
	if err != nil {
		return v, err
	}
	for i, l := range kit.NewLikes(b, likes, s.Newsroom.Now()) {
		if likes[i].Piece == nil || likes[i].Piece.ID != id {
			v.Likes = append(v.Likes, l)
		}
	}
	kin, err := s.Planning.Kin(ctx, who, id)
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
		v.Kin = append(v.Kin, kit.LikeView{Href: fmt.Sprintf("/pieces/%d", e.ID), Title: e.Title, Says: says + ", " + english.LowerFirst(newsroom.SayPace(e.Standing))})
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
func (s *Section) refer(c *echo.Context, d ref.Desk, parts []briefPart) error {
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
	ids, err := s.Intake.Numbered(c.Request().Context(), kit.Me(c).ID, d, numbers...)
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
func (v *BriefView) say(b *newsroom.Setup) {
	w := v.Writing
	need := append([]string(nil), v.Must...)
	if v.Titled && !v.Chosen {
		need = append(need, "a chosen title")
	}
	lower := func(xs []string) string {
		var out []string
		for _, x := range xs {
			out = append(out, english.LowerFirst(x))
		}
		return english.And(out)
	}
	switch {
	case w != nil && v.Locked != 0:
		v.Answer = kit.Sentence{Text: fmt.Sprintf("Version %d went to %s, when %s began.", v.Locked, b.Name(w.Holder), w.Name), Tone: "plain"}
		if len(v.Since) > 0 {
			v.Answer = kit.Sentence{Text: fmt.Sprintf("It changed since %s began, last by %s %s.", w.Name, b.Name(v.SinceBy), b.At(v.At, v.Row.DeskID)), Tone: "noroom"}
		}
		if len(need) > 0 {
			v.Notes = append(v.Notes, kit.Sentence{Text: "Still missing: " + lower(need) + ".", Tone: "short"})
		}
	case len(need) > 0 && w != nil:
		v.Answer = kit.Sentence{Text: fmt.Sprintf("Before %s can begin, it needs: %s.", w.Name, lower(need)), Tone: "short"}
	case len(need) > 0:
		v.Answer = kit.Sentence{Text: "It needs: " + lower(need) + ".", Tone: "short"}
	case len(v.Rest) > 0:
		v.Answer = kit.Sentence{Text: "Someone can start on it. Not said yet: " + lower(v.Rest) + ".", Tone: "plain"}
	default:
		v.Answer = kit.Sentence{Text: "Everything that is asked for is said.", Tone: "good"}
	}
	if v.GuideChanged() {
		v.Notes = append(v.Notes, kit.Sentence{Text: fmt.Sprintf("The guide was changed since %s began: it is version %d now.", w.Name, v.Guide.Version), Tone: "noroom"})
	}
	if v.Row.GoesOut != 0 {
		v.Facts = append(v.Facts, kit.LabelView{Name: "Goes out", Value: b.At(v.Row.GoesOut, v.Row.DeskID)})
	}
	if w != nil && !w.Done() {
		x := kit.LabelView{Name: w.Name, Value: "nobody yet"}
		if w.Holder != 0 {
			x.Value = b.Person(w.Holder).Name
		}
		if w.Due != 0 {
			x.Value += ", due " + english.Date(w.Due)
		}
		v.Facts = append(v.Facts, x)
	}
}

// GuideChanged reports whether the guide is another than when the writing began.
func (v *BriefView) GuideChanged() bool {
	return v.Locked != 0 && v.Guide != nil && v.GuideThen != v.Guide.Version
}

// fillIn puts a draft of the brief writer into what is empty.
func (v *BriefView) fillIn(d *newsroom.BriefDraft) {
	v.Drafted = d.Says
	for i, s := range d.Outline {
		v.Outline = append(v.Outline, SectionView{s, i})
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

func newCandidate(b *newsroom.Setup, x store.Candidate, who ref.Person, edit bool) candidateView {
	v := candidateView{Candidate: x, By: b.Name(x.By), Votes: len(x.Votes), Drop: edit || x.By == who}
	var names []string
	for _, id := range x.Votes {
		v.Mine = v.Mine || id == who
		names = append(names, b.Name(id))
	}
	v.Voters = english.And(names)
	if x.ChosenBy != 0 {
		v.Chosen = b.Name(x.ChosenBy)
	}
	return v
}

// brief stores what was typed into the form of a brief.
func (s *Section) brief(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Piece](c)
	if err != nil {
		return err
	}
	if form.Get("do") == "draft" {
		d, err := s.Intake.DraftBrief(c.Request().Context(), kit.Me(c).ID, id)
		var refusal *relay.Refusal
		if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
			return s.showBrief(c, kit.StatusOf(refusal), id, refusal, form, nil)
		} else if err != nil {
			return err
		}
		return s.showBrief(c, http.StatusOK, id, nil, form, &d)
	}
	n := planning.Brief{Title: form.Get("title"), Brief: form.Get("brief"), Summary: form.Get("summary"), Owner: kit.Int[ref.Person](form, "owner")}
	if n.WordsFrom, err = kit.Whole(form, "from", "words", "the words asked for", 0); err == nil {
		n.WordsTo, err = kit.Whole(form, "words_to", "words", "the words asked for", 0)
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
		err = s.Planning.EditBrief(c.Request().Context(), kit.Me(c).ID, id, kit.Version(form), n)
	}
	if err == nil && form.Get("outline") != "" {
		_, _, outline := ReadBriefForm(form)
		err = s.Intake.BeginWith(c.Request().Context(), kit.Me(c).ID, id, outline)
	}
	return s.Answered(c, err, "The brief is saved.", fmt.Sprintf("/pieces/%d/brief", id), func(status int, r *relay.Refusal) error {
		return s.showBrief(c, status, id, r, form, nil)
	})
}
