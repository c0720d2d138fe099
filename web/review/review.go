package review

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"greenbaton/core/copy"
	"greenbaton/core/english"
	asking "greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/review"
	"greenbaton/store"
	copypage "greenbaton/web/copy"
	"greenbaton/web/kit"
)

type reviewView struct {
	Base     string // the address of this page
	Signed   bool   // whoever reads has an account
	Desk     string
	Name     string
	Of       string // the partner they belong to
	Answer   kit.Sentence
	Note     string
	NoteBy   string
	Row      store.Row
	HTML     template.HTML
	Words    int
	Seq      int
	Comments bool
	Queries  []reviewQuery
	Turn     bool
	Said     string
	SaidTone string
	Earlier  []saidLine
	Since    string
	Lines    []copypage.ComparedLine
	Whole    bool // the whole copy is shown rather than what changed
	Pictures bool // there are some in it
	Goes     string
	Until    string
	Problem  string
	Field    string
	Typed    url.Values
}

type saidLine struct {
	When, Says, Text, Tone string
	File, Address          string // a file that came with it
}

type reviewQuery struct {
	ID      ref.Query
	Quote   string
	Text    string
	When    string
	Answers []saidLine
	Settled bool
	Gone    bool
	Settles bool // whoever reads may settle it, or open it again
	Picture bool // it is about one
	Only    bool // only whoever reads may settle it
	By      string
}

// reviewKey is what opens a review: the link of the address, or who is signed in.
func reviewKey(c *echo.Context) (review.Key, string, error) {
	if t := c.Param("token"); t != "" {
		return review.Key{Token: t}, "/review/" + t, nil
	}
	id, err := kit.ID[ref.Piece](c)
	return review.Key{Who: kit.Me(c).ID, Piece: id}, fmt.Sprintf("/pieces/%d/review", id), err
}

func (s *Section) review(c *echo.Context) error {
	return s.showReview(c, http.StatusOK, nil, url.Values{})
}

// openedReview notes that a reviewer has a copy before them; the page says so once it is shown.
func (s *Section) openedReview(c *echo.Context) error {
	k, _, err := reviewKey(c)
	if err != nil {
		return err
	}
	if err := s.Review.Opened(c.Request().Context(), k, seqSent(c)); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// noteRead notes that somebody has the copy of a piece before them.
func (s *Section) noteRead(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	if err := s.Copyroom.NoteRead(c.Request().Context(), kit.Me(c).ID, id, seqSent(c)); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// seqSent is the edit that a page shows; none that there is if it does not say.
func seqSent(c *echo.Context) int {
	seq, err := strconv.Atoi(c.FormValue("seq"))
	if err != nil {
		return -1
	}
	return seq
}

func (s *Section) showReview(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values) error {
	k, base, err := reviewKey(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, err := s.Review.Review(ctx, k)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := reviewView{Base: base, Signed: k.Token == "", Desk: b.Desk(r.Row.DeskID).Name, Name: b.Person(r.Reviewer.PersonID).Name, Of: b.Partner(b.Person(r.Reviewer.PersonID).PartnerID).Name, Row: r.Row, Words: r.Words, Seq: r.Seq,
		Comments: r.Reviewer.May == store.MayComment && r.Row.Stage == relay.UnderWay, Note: r.Reviewer.Note, NoteBy: b.Person(r.Reviewer.AskedBy).Name, Turn: r.Turn, Typed: typed, Whole: c.QueryParam("whole") != "" || r.Since == nil}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	if r.Reviewer.Ends != 0 {
		v.Until = b.At(r.Reviewer.Ends, r.Row.DeskID)
	}
	own := map[ref.Query]bool{}
	for _, q := range r.Queries {
		own[q.ID] = true
		v.Queries = append(v.Queries, reviewQueryOf(b, r, q, base))
	}
	picture := func(file ref.File) string { return fmt.Sprintf("%s/pictures/%d", base, file) }
	v.HTML = template.HTML(format.Reading(r.Text, picture, own))
	v.Pictures = len(copy.Change(r.Text).Pictures()) > 0
	v.say(b, r)
	if v.Signed {
		return s.Show(c, status, "review", r.Row.Title, v)
	}
	return s.ShowPlain(c, status, "review", r.Row.Title, v.Desk, v)
}

func reviewQueryOf(b *newsroom.Setup, r review.Reading, q copyroom.QuerySheet, base string) reviewQuery {
	out := reviewQuery{ID: q.ID, Quote: q.Quote, Text: q.Text, When: b.At(q.At, r.Row.DeskID), Settled: q.Settled(), Gone: q.Gone, Settles: q.MaySettle, Picture: q.About == asking.Picture, Only: q.Only && q.ForID == r.Reviewer.PersonID}
	if q.By != r.Person {
		out.By = b.Name(q.By)
	}
	for _, a := range q.Answers {
		who := b.Desk(r.Row.DeskID).Name
		if a.By == r.Person {
			who = "You"
		}
		line := saidLine{When: b.At(a.At, r.Row.DeskID), Says: who, Text: a.Text}
		if a.FileID != 0 {
			line.File, line.Address = q.Files[a.FileID].Name, fmt.Sprintf("%s/files/%d", base, a.FileID)
		}
		out.Answers = append(out.Answers, line)
	}
	return out
}

// say says what is asked, what was said, and what changed since.
func (v *reviewView) say(b *newsroom.Setup, r review.Reading) {
	d := r.Row.DeskID
	goes := ""
	if r.Row.GoesOut != 0 {
		goes = " It goes out " + b.At(r.Row.GoesOut, d) + "."
	}
	due := ""
	if r.Leg != nil && r.Leg.Due != 0 {
		due = ", by " + english.Date(r.Leg.Due)
	}
	v.Goes = "It goes on by itself." + goes
	switch {
	case r.Row.Stage == relay.Out:
		v.Answer = kit.Sentence{Text: "It is out since " + b.At(r.Row.OutAt, d) + ". Thank you.", Tone: "good"}
	case r.Turn && len(r.Earlier) > 0:
		v.Answer = kit.Sentence{Text: "It comes to you once more" + due + ". What changed since you last said something is below.", Tone: "noroom"}
	case r.Turn:
		v.Answer = kit.Sentence{Text: v.Desk + " asks for your verdict" + due + ".", Tone: "noroom"}
	case r.Leg != nil && r.Said.ID != 0:
		v.Answer = kit.Sentence{Text: "You " + newsroom.SayWhat(r.Said.Say) + ". Thank you; nothing more is asked of you now." + next(r) + goes, Tone: "good"}
	case r.Leg != nil && r.Leg.State == relay.Passed:
		v.Answer = kit.Sentence{Text: "It is signed off." + goes, Tone: "good"}
	case r.Leg != nil:
		v.Answer = kit.Sentence{Text: "It is being worked on. You are asked when it comes round to you.", Tone: "plain"}
	default:
		v.Answer = kit.Sentence{Text: v.Desk + " asks you to read this.", Tone: "plain"}
	}
	for _, x := range r.Earlier {
		line := saidLine{When: b.At(x.At, d), Says: "You " + newsroom.SayWhat(x.Say), Text: x.Text, Tone: verdictTone(x.Say)}
		if x.By != x.PersonID {
			line.Says = b.Person(x.By).Name + " " + newsroom.SayWhat(x.Say) + " for you"
		}
		v.Earlier = append(v.Earlier, line)
	}
	if r.Since != nil {
		v.Since = copypage.SayComparison(*r.Since)
		v.Lines = copypage.ComparedLines(r.Since.Lines, true)
		for _, l := range r.Since.Lines {
			if l.Fate != copy.Same {
				return
			}
		}
		v.Whole = true // nothing is different
	}
}

// next says where a piece is after a verdict.
func next(r review.Reading) string {
	var names []string
	for _, l := range r.Row.Running() {
		names = append(names, l.Name)
	}
	switch {
	case r.Leg.State == relay.Running:
		return " Others are asked still."
	case len(names) > 0 && r.Said.Say == relay.NotYet:
		return " It is in " + english.And(names) + " again; you are asked once more when it comes round."
	case len(names) > 0:
		return " It is in " + english.And(names) + " now."
	}
	return ""
}

// onReview carries out something that a reviewer does, and shows their page again.
func (s *Section) onReview(c *echo.Context, do func(k review.Key, form url.Values) (string, error)) error {
	k, base, err := reviewKey(c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	said, err := do(k, form)
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
		return s.showReview(c, kit.StatusOf(refusal), refusal, form)
	} else if err != nil {
		return err
	}
	s.Say(c, "%s", said)
	return c.Redirect(http.StatusSeeOther, base)
}

func (s *Section) sayVerdict(c *echo.Context) error {
	return s.onReview(c, func(k review.Key, form url.Values) (string, error) {
		v := review.Verdict{Say: relay.Say(form.Get("say")), Text: form.Get("text"), Seq: kit.Int[int](form, "seq")}
		err := s.Review.SayVerdict(c.Request().Context(), k, v)
		return map[relay.Say]string{relay.SignedIt: "You signed it off. Thank you.", relay.WithNotes: "You signed it off with notes. Thank you; they are seen to.", relay.NotYet: "You sent it back. You are asked again when it was worked over."}[v.Say], err
	})
}

func (s *Section) askInReview(c *echo.Context) error {
	return s.onReview(c, func(k review.Key, form url.Values) (string, error) {
		q := asking.Query{About: asking.Piece, Text: form.Get("query")}
		at := copy.Place{At: kit.Int[int](form, "at"), Len: kit.Int[int](form, "len")}
		switch {
		case form.Get("file") != "":
			q.About, q.FileID, q.X, q.Y = asking.Picture, kit.Int[ref.File](form, "file"), kit.Int[int](form, "x"), kit.Int[int](form, "y")
		case at.Len > 0:
			q.About = asking.Words
		}
		_, err := s.Review.AskInReview(c.Request().Context(), k, copyroom.Ask{Query: q, Seq: kit.Int[int](form, "seq"), Place: at})
		return "It is asked. The answer is shown here.", err
	})
}

func (s *Section) answerInReview(c *echo.Context) error {
	return s.onReview(c, func(k review.Key, form url.Values) (string, error) {
		return "It is sent.", s.Review.AnswerInReview(c.Request().Context(), k, kit.Int[ref.Query](form, "id"), form.Get("answer"))
	})
}

func (s *Section) settleInReview(c *echo.Context) error {
	return s.onReview(c, func(k review.Key, form url.Values) (string, error) {
		settled := form.Get("settled") == "yes"
		return map[bool]string{true: "It is settled.", false: "It is open again."}[settled], s.Review.SettleInReview(c.Request().Context(), k, kit.Int[ref.Query](form, "id"), settled)
	})
}

func (s *Section) reviewPicture(c *echo.Context) error {
	return sendReviewed(c, s.Review.ReviewPicture)
}

func (s *Section) reviewFile(c *echo.Context) error {
	return sendReviewed(c, s.Review.ReviewFile)
}

// sendReviewed sends a file that a reviewer may have.
func sendReviewed(c *echo.Context, get func(context.Context, review.Key, ref.File) (store.File, error)) error {
	k, _, err := reviewKey(c)
	if err != nil {
		return err
	}
	file, err := strconv.ParseInt(c.Param("file"), 10, 64)
	if err != nil {
		return newsroom.ErrNotFound
	}
	f, err := get(c.Request().Context(), k, ref.File(file))
	if err != nil {
		return err
	}
	return kit.SendFile(c, f)
}

// invite asks somebody about a piece, reminds them, or no longer asks them.
func (s *Section) invite(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		ctx, by := c.Request().Context(), kit.Me(c).ID
		switch form.Get("do") {
		case "nudge":
			return "They are asked once more.", s.Review.Nudge(ctx, by, id, kit.Int[ref.Reviewer](form, "reviewer"))
		case "drop":
			return "They are no longer asked, and their links open nothing any more.", s.Review.Uninvite(ctx, by, id, kit.Int[ref.Reviewer](form, "reviewer"))
		}
		o := review.Invite{Piece: id, Leg: form.Get("leg"), Person: kit.Int[ref.Person](form, "person"), Name: form.Get("name"), Mail: form.Get("mail"), May: form.Get("may"), Note: form.Get("note"), Instead: kit.Int[ref.Person](form, "instead")}
		ends, err := kit.DateOf(form, "ends", "the day")
		if err != nil {
			return "", err
		}
		o.Ends = ends
		_, err = s.Review.Invite(ctx, by, o)
		return "They are asked. Whoever has no account gets a private link by mail.", err
	})
}
