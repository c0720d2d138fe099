package copyroom

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/check"
	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// CheckSheet is what was found in a copy.
type CheckSheet struct {
	Found   []check.Finding
	Reading check.Reading
	Rules   check.Rules
	Links   int // to other sites, in the copy
	TriedAt day.Moment
	Seq     int // the newest edit of the copy that was looked at
}

// ChecksOf gives what a format makes of the checks.
func ChecksOf(b *newsroom.Setup, format ref.Format) check.Rules { return b.Rules[format] }

// looked holds the copy of a piece against what is asked of it.
func looked(b *newsroom.Setup, ctx context.Context, r store.Reader, p *relay.Piece, text copy.Text, says map[string]string) (CheckSheet, error) {
	out := CheckSheet{Rules: b.Rules[p.FormatID], Reading: check.Read(text)}
	a := check.Asked{
		Title: p.Title, Description: p.Summary, Phrase: says["phrase"], Style: b.Styles[p.DeskID], Speller: b.Spellers[p.DeskID],
		Proposals: len(text.Proposals()), WordsFrom: p.WordsFrom, WordsTo: p.WordsTo,
	}
	if _, err := fmt.Sscan(says["headings"], &a.Headings); err != nil {
		a.Headings = 0
	}
	for _, s := range b.Outlines[p.FormatID] {
		if s.Heading != "" {
			a.Sections = append(a.Sections, s.Heading)
		}
	}
	open, err := store.OpenQueries(ctx, r, []ref.Piece{p.ID})
	if err != nil {
		return out, err
	}
	a.Queries = open[p.ID]
	links := check.LinksOf(text)
	out.Links = len(links)
	tried, err := store.LinksTried(ctx, r, links)
	if err != nil {
		return out, err
	}
	for _, l := range links {
		switch t, ok := tried[l]; {
		case !ok:
			a.Untried++
		case t.Problem != "":
			a.Dead = append(a.Dead, l)
		}
		out.TriedAt = max(out.TriedAt, tried[l].At)
	}
	for _, f := range check.Copy(text, a) {
		if !out.Rules[f.Kind].Off {
			out.Found = append(out.Found, f)
		}
	}
	return out, nil
}

// Checks gives what is found in the copy of a piece, for those who work on it.
func (h Room) Checks(ctx context.Context, who ref.Person, piece ref.Piece) (CheckSheet, store.Row, error) {
	row, err := h.See(ctx, who, piece, relay.ActAsk)
	if err != nil {
		return CheckSheet{}, row, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return CheckSheet{}, row, err
	}
	_, text, seq, err := newsroom.Newest(ctx, h.DB.View(), &row)
	if err != nil {
		return CheckSheet{}, row, err
	}
	says, err := store.BriefsOf(ctx, h.DB.View(), []ref.Piece{piece})
	if err != nil {
		return CheckSheet{}, row, err
	}
	out, err := looked(b, ctx, h.DB.View(), &row.Piece, text, says[piece].Answers)
	out.Seq = seq
	return out, row, err
}

// failing says in phrases which checks that have to hold before a leg is passed do not.
func (a *Asked) failing(ctx context.Context, r store.Reader, p *relay.Piece) error {
	if !a.B.Rules[p.FormatID].Strict() {
		return nil
	}
	if !slices.ContainsFunc(p.Running(), func(l *relay.Leg) bool { return len(a.B.Rules[p.FormatID].Musts(l.Key)) > 0 }) {
		return nil
	}
	row := store.Row{Piece: *p}
	_, text, _, err := newsroom.Newest(ctx, r, &row)
	if err != nil {
		return err
	}
	says, ok := a.briefs[p.ID]
	if !ok {
		all, err := store.BriefsOf(ctx, r, []ref.Piece{p.ID})
		if err != nil {
			return err
		}
		says = all[p.ID]
	}
	sheet, err := looked(a.B, ctx, r, p, text, says.Answers)
	if err != nil {
		return err
	}
	if a.found == nil {
		a.found = map[ref.Piece][]check.Finding{}
	}
	a.found[p.ID] = sheet.Found
	return a.readTurns(ctx, r, p)
}

// readTurns reads whose turn it is on each open query about a piece.
func (a *Asked) readTurns(ctx context.Context, r store.Reader, p *relay.Piece) error {
	if !slices.ContainsFunc(a.found[p.ID], func(f check.Finding) bool { return f.Kind == check.Queries }) {
		return nil
	}
	queries, err := store.QueriesOf(ctx, r, p.ID)
	if err != nil {
		return err
	}
	answers, err := AnswersTo(ctx, r, queries)
	if err != nil {
		return err
	}
	if a.turns == nil {
		a.turns = map[ref.Piece][]ref.Person{}
	}
	for _, q := range queries {
		if !q.Settled() {
			a.turns[p.ID] = append(a.turns[p.ID], q.Turn(answers[q.ID]))
		}
	}
	return nil
}

// Condition is something that has to hold before a leg is passed.
type Condition struct {
	Text string
	Met  bool
}

// Held says what has to hold of the copy before a leg is passed, and whether it does.
func (a Asked) Held(p *relay.Piece, l *relay.Leg) []Condition {
	var out []Condition
	for _, owed := range a.sayOwed(p, l) {
		out = append(out, Condition{Text: owed})
	}
	for _, k := range a.B.Rules[p.FormatID].Musts(l.Key) {
		failing := a.failingKind(p, k)
		if len(failing) == 0 {
			out = append(out, Condition{Text: check.NameOf(k) + " in order", Met: true})
		}
		for _, f := range failing {
			out = append(out, Condition{Text: f})
		}
	}
	return out
}

// mostTold is how many findings of one check stand in the way of a pass by name.
const mostTold = 2

// musts says in phrases which checks a leg still fails, as far as its holder sees to them: a
// query that waits for somebody else is said of them.
func (a Asked) musts(p *relay.Piece, l *relay.Leg) []string {
	var out []string
	for _, k := range a.B.Rules[p.FormatID].Musts(l.Key) {
		others := a.waiting(p, l)
		if k == check.Queries && len(others) > 0 && !slices.ContainsFunc(a.turns[p.ID], func(who ref.Person) bool { return who == 0 || who == l.Holder }) {
			continue
		}
		out = append(out, a.failingKind(p, k)...)
	}
	return out
}

func (a Asked) failingKind(p *relay.Piece, k check.Kind) []string {
	var out []string
	n := 0
	for _, f := range a.found[p.ID] {
		if f.Kind != k || slices.Contains(out, f.Text) {
			continue
		}
		if n++; n <= mostTold {
			out = append(out, f.Text)
		}
	}
	if n > mostTold {
		out[len(out)-1] = fmt.Sprintf("%s, and %d more like it", out[len(out)-1], n-mostTold)
	}
	return out
}

// SaveFormatChecks stores what a format makes of the checks.
func (h Room) SaveFormatChecks(ctx context.Context, by ref.Person, format ref.Format, rules check.Rules) error {
	return h.OnFormat(ctx, by, format, func(a *newsroom.Command, was store.Format) error {
		if err := rules.Check(a.Setup.Latest(format).Way); err != nil {
			return err
		}
		text, err := json.Marshal(rules)
		if err != nil {
			return fmt.Errorf("write the checks of a format: %w", err)
		}
		is := was
		if is.Checks = string(text); is == was {
			return nil
		}
		if err := a.Tx.SaveFormatChecks(a, is); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: was.DeskID, Act: "set up", What: "changed the checks of " + was.Name, Before: was.Checks, After: is.Checks})
	})
}

// AddWord makes a word one of those that are spelt right on the desk of a piece, by
// somebody of its staff.
func (h Room) AddWord(ctx context.Context, by ref.Person, piece ref.Piece, word string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActAsk, Piece: piece})
		if err != nil {
			return err
		}
		if !a.Setup.Person(by).Access.May(relay.TeachWords) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Words of the desk are added by its staff. Ask about it on the copy."}
		}
		word = strings.TrimSpace(word)
		if word == "" || len([]rune(word)) > 60 || len(strings.Fields(word)) != 1 {
			return newsroom.Invalid("word", "One word at a time can be added.")
		}
		d := a.Setup.Desk(was.DeskID)
		if slices.Contains(strings.Fields(d.OwnWords), word) {
			return nil
		}
		d.OwnWords = strings.TrimSpace(d.OwnWords + "\n" + word)
		if len(d.OwnWords) > MostLexicon {
			return newsroom.Invalid("word", "The desk has all the words it can keep. Drop some first.")
		}
		a.SetUp = true
		if err := a.Tx.SaveDesk(a, d); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: d.ID, Act: "set up", What: fmt.Sprintf("added “%s” to the words of the desk", word)})
	})
}

// MostLexicon is how many bytes the words of a desk and its house style have at most.
const MostLexicon = 200_000

// mostLinks is how many links of a copy are tried at once.
const mostLinks = 100

// TryLinks tries the links of a copy, and gives how many do not answer.
func (h Room) TryLinks(ctx context.Context, by ref.Person, piece ref.Piece) (dead int, err error) {
	row, err := h.See(ctx, by, piece, relay.ActAsk)
	if err != nil {
		return 0, err
	}
	if h.Links == nil {
		return 0, &relay.Refusal{Reason: relay.ErrNotNow, Text: "Links cannot be tried in this house: nothing is set up that could."}
	}
	_, text, _, err := newsroom.Newest(ctx, h.DB.View(), &row)
	if err != nil {
		return 0, err
	}
	links := check.LinksOf(text)
	var tried []store.LinkTried
	for _, l := range links[:min(len(links), mostLinks)] {
		t := store.LinkTried{Address: l, At: h.Now()}
		if err := h.Links.Try(ctx, l); err != nil {
			if errors.Is(err, context.Canceled) {
				return 0, err
			}
			t.Problem = err.Error()
			dead++
		}
		tried = append(tried, t)
	}
	return dead, h.DB.Write(ctx, func(tx *store.Tx) error { return tx.SaveLinks(ctx, tried) })
}
