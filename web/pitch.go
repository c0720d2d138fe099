package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

type pitchesView struct {
	Answer   sentence
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
func (s *Server) pitches(c *echo.Context) error {
	return s.showPitches(c, http.StatusOK, c.QueryParams(), nil)
}

func (s *Server) showPitches(c *echo.Context, status int, typed url.Values, refusal *relay.Refusal) error {
	ctx, d := c.Request().Context(), here(c)
	all, err := s.Newsroom.Intake.Pitches(ctx, me(c).ID, d)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := pitchesView{Staff: me(c).Access.May(relay.TakeRequests), Typed: typed, Formats: b.FormatsOf(d), Empty: "Nothing is pitched yet."}
	v.Partners = slices.DeleteFunc(b.OnDesk(d), func(p store.Person) bool { return !p.Access.May(relay.AnswerAsked) })
	if id := int64At(typed, "idea"); id != 0 && v.Staff && !typed.Has("title") {
		r, _, err := s.Newsroom.Intake.Idea(ctx, me(c).ID, id)
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
		r.Says = fmt.Sprintf("%s, %s, by %s", b.Format(p.Format).Name, ago(p.At, s.Newsroom.Now()), b.Name(p.By))
		if p.Month != 0 {
			r.Says += ", wanted for " + p.Month.Format("January 2006")
		}
		r.May = p.State == store.Pitched && (p.Partner == me(c).ID || me(c).Access.May(relay.LeadDesk) || p.By == me(c).ID)
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
	v.Answer = sentence{"No pitch waits for an answer.", "good"}
	switch {
	case waiting > 0 && v.Staff:
		v.Answer = sentence{newsroom.UpperFirst(countPitches(waiting)) + verb(waiting, " waits", " wait") + " for a partner’s answer.", "plain"}
	case waiting > 0:
		v.Answer = sentence{"You are asked about " + countPitches(waiting) + ".", "noroom"}
	case !v.Staff:
		v.Answer = sentence{"Nothing waits for your answer.", "good"}
	}
	if refusal != nil {
		v.Problem, v.Field, v.Open = refusal.Text, refusal.Field, typed.Get("do") == "pitch"
	}
	return s.show(c, status, "pitches", "Pitches", v)
}

func countPitches(n int) string {
	if n == 1 {
		return "one pitch"
	}
	return number(n) + " pitches"
}

// savePitch sends a pitch to a partner.
func (s *Server) savePitch(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	p := store.Pitch{DeskID: here(c), Partner: int64At(form, "partner"), Title: form.Get("title"), Text: form.Get("text"), Format: int64At(form, "format"), IdeaID: int64At(form, "idea")}
	if m := form.Get("month"); m != "" {
		if p.Month, err = day.ParseDate(m + "-01"); err != nil {
			err = input("month", "Write the month like 2027-01, or leave it out.")
		}
	}
	if err == nil {
		_, err = s.Newsroom.Intake.Pitch(c.Request().Context(), me(c).ID, p)
	}
	return s.answered(c, err, "It is pitched; they get a mail.", "/pitches", func(status int, r *relay.Refusal) error { return s.showPitches(c, status, form, r) })
}

// answerPitch says yes or no to a pitch.
func (s *Server) answerPitch(c *echo.Context) error {
	id, form, err := sent(c)
	if err != nil {
		return err
	}
	piece, err := s.Newsroom.Intake.AnswerPitch(c.Request().Context(), me(c).ID, id, form.Get("answer") == "yes", form.Get("why"))
	said := "Your answer is noted."
	if piece != 0 {
		said = "Yes: the piece is made, and its route has begun."
	}
	return s.answered(c, err, said, "/pitches", func(status int, r *relay.Refusal) error { return s.showPitches(c, status, url.Values{}, r) })
}
