package desk

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
	"greenbaton/core/relay"
	"greenbaton/store"
)

// LinkTrier tells whether what an address leads to answers; the error says why it does
// not, in a few words.
type LinkTrier interface {
	Try(ctx context.Context, address string) error
}

// CheckSheet is what was found in a copy.
type CheckSheet struct {
	Found   []check.Finding
	Reading check.Reading
	Rules   check.Rules
	Links   int // to other sites, in the copy
	TriedAt day.Moment
	Seq     int // the newest edit of the copy that was looked at
}

// addChecks works out what copies are checked by.
func (b *Books) addChecks() error {
	b.spellers, b.styles, b.rules = map[int64]*check.Speller{}, map[int64][]check.Say{}, map[int64]check.Rules{}
	for _, d := range b.Desks {
		b.spellers[d.ID] = check.NewSpeller(d.Language, strings.Fields(d.OwnWords))
		says, err := check.ReadStyle(d.HouseStyle)
		if err != nil {
			return fmt.Errorf("house style of %s: %w", d.Name, err)
		}
		b.styles[d.ID] = says
	}
	for _, f := range b.Formats {
		rules, err := check.ReadRules(f.Checks)
		if err != nil {
			return fmt.Errorf("format %s: %w", f.Name, err)
		}
		b.rules[f.ID] = rules
	}
	return nil
}

// ChecksOf gives what a format makes of the checks.
func (b *Books) ChecksOf(format int64) check.Rules { return b.rules[format] }

// looked holds the copy of a piece against what is asked of it.
func (b *Books) looked(ctx context.Context, r store.Reader, p *relay.Piece, text copy.Text, says map[string]string) (CheckSheet, error) {
	out := CheckSheet{Rules: b.rules[p.FormatID], Reading: check.Read(text)}
	a := check.Asked{
		Title: p.Title, Description: p.Summary, Phrase: says["phrase"], Style: b.styles[p.DeskID], Speller: b.spellers[p.DeskID],
		Proposals: len(text.Proposals()), WordsFrom: p.WordsFrom, WordsTo: p.WordsTo,
	}
	if _, err := fmt.Sscan(says["headings"], &a.Headings); err != nil {
		a.Headings = 0
	}
	for _, s := range b.outlines[p.FormatID] {
		if s.Heading != "" {
			a.Sections = append(a.Sections, s.Heading)
		}
	}
	open, err := store.OpenQueries(ctx, r, []int64{p.ID})
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
func (h *House) Checks(ctx context.Context, who, piece int64) (CheckSheet, store.Row, error) {
	row, err := h.see(ctx, who, piece, relay.ActAsk)
	if err != nil {
		return CheckSheet{}, row, err
	}
	b, err := h.Books(ctx)
	if err != nil {
		return CheckSheet{}, row, err
	}
	_, text, seq, err := newest(ctx, h.DB.View(), &row)
	if err != nil {
		return CheckSheet{}, row, err
	}
	says, err := store.BriefsOf(ctx, h.DB.View(), []int64{piece})
	if err != nil {
		return CheckSheet{}, row, err
	}
	out, err := b.looked(ctx, h.DB.View(), &row.Piece, text, says[piece].Answers)
	out.Seq = seq
	return out, row, err
}

// failing says in phrases which checks that have to hold before a leg is passed do not.
func (a *asked) failing(ctx context.Context, r store.Reader, p *relay.Piece) error {
	if !a.b.rules[p.FormatID].Strict() {
		return nil
	}
	if !slices.ContainsFunc(p.Running(), func(l *relay.Leg) bool { return len(a.b.rules[p.FormatID].Musts(l.Key)) > 0 }) {
		return nil
	}
	row := store.Row{Piece: *p}
	_, text, _, err := newest(ctx, r, &row)
	if err != nil {
		return err
	}
	says, ok := a.briefs[p.ID]
	if !ok {
		all, err := store.BriefsOf(ctx, r, []int64{p.ID})
		if err != nil {
			return err
		}
		says = all[p.ID]
	}
	sheet, err := a.b.looked(ctx, r, p, text, says.Answers)
	if err != nil {
		return err
	}
	if a.found == nil {
		a.found = map[int64][]check.Finding{}
	}
	a.found[p.ID] = sheet.Found
	return nil
}

// Condition is something that has to hold before a leg is passed.
type Condition struct {
	Text string
	Met  bool
}

// held says what has to hold of the copy before a leg is passed, and whether it does.
func (a asked) held(p *relay.Piece, l *relay.Leg) []Condition {
	var out []Condition
	for _, owed := range a.sayOwed(p, l) {
		out = append(out, Condition{Text: owed})
	}
	for _, k := range a.b.rules[p.FormatID].Musts(l.Key) {
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

// musts says in phrases which checks a leg still fails.
func (a asked) musts(p *relay.Piece, leg string) []string {
	var out []string
	for _, k := range a.b.rules[p.FormatID].Musts(leg) {
		out = append(out, a.failingKind(p, k)...)
	}
	return out
}

func (a asked) failingKind(p *relay.Piece, k check.Kind) []string {
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
func (h *House) SaveFormatChecks(ctx context.Context, by, format int64, rules check.Rules) error {
	return h.onFormat(ctx, by, format, func(a *act, was store.Format) error {
		if err := rules.Check(a.b.Latest(format).Way); err != nil {
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
		if err := a.tx.SaveFormatChecks(a, is); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: was.DeskID, Act: "set up", What: "changed the checks of " + was.Name, Before: was.Checks, After: is.Checks})
	})
}

// AddWord makes a word one of those that are spelt right on the desk of a piece, by
// somebody of its staff.
func (h *House) AddWord(ctx context.Context, by, piece int64, word string) error {
	return h.act(ctx, by, func(a *act) error {
		was, err := a.load(order{act: relay.ActAsk, piece: piece})
		if err != nil {
			return err
		}
		if !a.b.Person(by).Access.May(relay.TeachWords) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Words of the desk are added by its staff. Ask about it on the copy."}
		}
		word = strings.TrimSpace(word)
		if word == "" || len([]rune(word)) > 60 || len(strings.Fields(word)) != 1 {
			return bad("word", "One word at a time can be added.")
		}
		d := a.b.Desk(was.DeskID)
		if slices.Contains(strings.Fields(d.OwnWords), word) {
			return nil
		}
		d.OwnWords = strings.TrimSpace(d.OwnWords + "\n" + word)
		if len(d.OwnWords) > mostLexicon {
			return bad("word", "The desk has all the words it can keep. Drop some first.")
		}
		a.setUp = true
		if err := a.tx.SaveDesk(a, d); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: d.ID, Act: "set up", What: fmt.Sprintf("added “%s” to the words of the desk", word)})
	})
}

// mostLexicon is how many bytes the words of a desk and its house style have at most.
const mostLexicon = 200_000

// mostLinks is how many links of a copy are tried at once.
const mostLinks = 100

// TryLinks tries the links of a copy, and gives how many do not answer.
func (h *House) TryLinks(ctx context.Context, by, piece int64) (dead int, err error) {
	row, err := h.see(ctx, by, piece, relay.ActAsk)
	if err != nil {
		return 0, err
	}
	if h.Links == nil {
		return 0, &relay.Refusal{Reason: relay.ErrNotNow, Text: "Links cannot be tried in this house: nothing is set up that could."}
	}
	_, text, _, err := newest(ctx, h.DB.View(), &row)
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
