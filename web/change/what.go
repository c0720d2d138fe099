package change

import (
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/web/kit"
)

// what says in a few lines what a change would do, while a hand holds it.
func (s *Section) what(c *echo.Context) error {
	id, err := kit.ID[int64](c)
	if err != nil {
		return err
	}
	form := url.Values{}
	for k, v := range c.QueryParams() {
		form[k] = v
	}
	form.Set("piece", strconv.FormatInt(id, 10))
	v, status := s.previewOf(c, form)
	lines := []kit.Sentence{{Text: v.Problem, Tone: "short"}}
	out := map[string]any{"lines": lines, "pieces": []int64{id}}
	if v.Problem == "" {
		first := v.Options[0]
		out["lines"] = append([]kit.Sentence{{Text: v.Title, Tone: "title"}}, inLines(first)...)
		if first.To != 0 {
			out["sketch"] = first.To
		}
		out["changes"], out["seal"], out["ask"] = first.Changes, first.Seal, first.Ask || len(first.Clashes) > 0
	}
	return c.JSON(status, out)
}

// mostPeople is of how many people a held card says what would become of them.
const mostPeople = 3

// worst gives what is said of the people who go over, as far as there is room.
func worst(people []kit.Sentence) []kit.Sentence {
	bad := slices.DeleteFunc(slices.Clone(people), func(s kit.Sentence) bool { return s.Tone == "good" })
	if n := len(bad) - mostPeople; n > 0 {
		bad = append(bad[:mostPeople:mostPeople], kit.Sentence{Text: "And " + english.Plural(n, "line") + " more about people.", Tone: ""})
	}
	return bad
}

// inLines says a consequence in lines, the answer first.
func inLines(o consequence) []kit.Sentence {
	var out []kit.Sentence
	say := func(text, tone string) {
		if text != "" {
			out = append(out, kit.Sentence{Text: text, Tone: tone})
		}
	}
	for _, e := range o.Effects {
		if e.Was != e.Is {
			say(e.Is+", instead of "+english.LowerFirst(e.Was), e.Tone)
		} else {
			say(e.Is, e.Tone)
		}
		var dates []string
		for _, d := range e.Dates {
			dates = append(dates, d.Leg+" "+d.To)
		}
		if dates != nil {
			say("Due: "+strings.Join(dates, " · "), "")
		}
		for _, m := range e.Misfits {
			say(m, "noroom")
		}
	}
	say(o.AlsoSays, "")
	out = append(out, worst(o.People)...)
	for _, cl := range slices.Concat(o.Clashes, o.Off) {
		if cl.Free != "" {
			cl.Text += " Free: " + cl.Free + "."
		}
		say(cl.Text, "short")
	}
	for _, run := range o.Runs {
		say(run, "noroom")
	}
	say(o.Calm, "")
	return out
}
