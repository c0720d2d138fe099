package requests

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type pitchesView struct {
	Answer   kit.Sentence
	Rows     []pitchRow
	Staff    bool
	Partners []store.Person
	Formats  []store.Format
	Typed    url.Values
	Problem  string
	Field    string
	Open     bool // the form of a new one
	Empty    string
}

type pitchRow struct {
	store.Pitch
	Says    string
	Stands  string
	Tone    string
	May     bool // whoever looks may say the answer
	Piece   string
	Partner string
}

// pitches shows what partners are asked: to a partner their own, to the desk all.
func (s *Section) pitches(c *echo.Context) error {
	return s.showPitches(c, http.StatusOK, c.QueryParams(), nil)
}

func (s *Section) showPitches(c *echo.Context, status int, typed url.Values, refusal *relay.Refusal) error {
	ctx, d := c.Request().Context(), kit.Here(c)
	all, err := s.Intake.Pitches(ctx, kit.Me(c).ID, d)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := pitchesView{Staff: kit.Me(c).Access.May(relay.TakeRequests), Typed: typed, Formats: b.FormatsOf(d), Empty: "Nothing is pitched yet."}
	v.Partners = slices.DeleteFunc(b.OnDesk(d), func(p store.Person) bool { return !p.Access.May(relay.AnswerAsked) })
	if id := kit.Int[int64](typed, "idea"); id != 0 && v.Staff && !typed.Has("title") {
		r, _, err := s.Intake.Idea(ctx, kit.Me(c).ID, ref.Idea(id))
		if err != nil {
			return err
		}
		v.Open = true
		typed.Set("title", r.Title)
		typed.Set("text", r.Notes)
	}
	waiting := 0
	for _, p := range all {
		r := pitchRow{Pitch: p, Partner: b.Person(p.Partner).Name, Tone: "noroom", Stands: "Waits for their answer"}
		r.Says = fmt.Sprintf("%s, %s, by %s", b.Format(p.Format).Name, english.Ago(p.At, s.Newsroom.Now()), b.Name(p.By))
		if p.Month != 0 {
			r.Says += ", wanted for " + p.Month.Format("January 2006")
		}
		r.May = p.State == store.Pitched && (p.Partner == kit.Me(c).ID || kit.Me(c).Access.May(relay.LeadDesk) || p.By == kit.Me(c).ID)
		switch p.State {
		case store.SaidYes:
			r.Stands, r.Tone = "Yes", "good"
		case store.SaidNo:
			r.Stands, r.Tone = "No", "short"
		default:
			waiting++
		}
		if p.PieceID != 0 && v.Staff {
			r.Piece = fmt.Sprintf("/pieces/%d", p.PieceID)
		}
		v.Rows = append(v.Rows, r)
	}
	v.Answer = kit.Sentence{Text: "No pitch waits for an answer.", Tone: "good"}
	switch {
	case waiting > 0 && v.Staff:
		v.Answer = kit.Sentence{Text: english.UpperFirst(countPitches(waiting)) + english.Verb(waiting, " waits", " wait") + " for a partner’s answer.", Tone: "plain"}
	case waiting > 0:
		v.Answer = kit.Sentence{Text: "You are asked about " + countPitches(waiting) + ".", Tone: "noroom"}
	case !v.Staff:
		v.Answer = kit.Sentence{Text: "Nothing waits for your answer.", Tone: "good"}
	}
	if refusal != nil {
		v.Problem, v.Field, v.Open = refusal.Text, refusal.Field, typed.Get("do") == "pitch"
	}
	return s.Show(c, status, "pitches", "Pitches", v)
}

func countPitches(n int) string {
	if n == 1 {
		return "one pitch"
	}
	return english.Number(n) + " pitches"
}

// savePitch sends a pitch to a partner.
func (s *Section) savePitch(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	p := store.Pitch{DeskID: kit.Here(c), Partner: kit.Int[ref.Person](form, "partner"), Title: form.Get("title"), Text: form.Get("text"), Format: kit.Int[ref.Format](form, "format"), IdeaID: kit.Int[ref.Idea](form, "idea")}
	if m := form.Get("month"); m != "" {
		if p.Month, err = day.ParseDate(m + "-01"); err != nil {
			err = kit.Input("month", "Write the month like 2027-01, or leave it out.")
		}
	}
	if err == nil {
		_, err = s.Intake.Pitch(c.Request().Context(), kit.Me(c).ID, p)
	}
	return s.Answered(c, err, "It is pitched; they get a mail.", "/pitches", func(status int, r *relay.Refusal) error { return s.showPitches(c, status, form, r) })
}

// answerPitch says yes or no to a pitch.
func (s *Section) answerPitch(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Pitch](c)
	if err != nil {
		return err
	}
	piece, err := s.Intake.AnswerPitch(c.Request().Context(), kit.Me(c).ID, id, form.Get("answer") == "yes", form.Get("why"))
	said := "Your answer is noted."
	if piece != 0 {
		said = "Yes: the piece is made, and its route has begun."
	}
	return s.Answered(c, err, said, "/pitches", func(status int, r *relay.Refusal) error { return s.showPitches(c, status, url.Values{}, r) })
}
