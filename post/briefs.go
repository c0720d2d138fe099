package post

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strings"
	"time"
	"unicode"

	"greenbaton/core/brief"
	"greenbaton/core/find"
	"greenbaton/newsroom"
)

// Briefs is the stand-in for a brief writer: it puts together what it is told, always in
// the same way, and makes nothing up.
type Briefs struct{}

// WriteBrief drafts a brief from title, notes, search phrases and like pieces.
func (Briefs) WriteBrief(_ context.Context, ask newsroom.BriefAsk) (newsroom.BriefDraft, error) {
	says := sentences(ask.Notes)
	d := newsroom.BriefDraft{Answers: map[string]string{}, About: strings.Join(firstOf(says, 3), " ")}
	set := func(key, value string) {
		if value != "" {
			d.Answers[key] = value
		}
	}
	if fresh := unsaid(ask); len(fresh) > 0 {
		set("angle", fmt.Sprintf("What “%s” does not say yet: %s.", ask.Like[0].Title, strings.Join(fresh, ", ")))
	} else if len(says) > 0 {
		set("angle", says[0])
	}
	if len(ask.Phrases) > 0 {
		set("phrase", ask.Phrases[0])
		set("audience", fmt.Sprintf("Readers who look for “%s”.", ask.Phrases[0]))
		set("goal", fmt.Sprintf("A reader who came with “%s” has the answer.", ask.Phrases[0]))
	}
	set("musts", strings.Join(firstOf(facts(says), 6), "\n"))
	set("links", strings.Join(firstOf(links(ask.Notes), 8), "\n"))
	var like, next []string
	for _, p := range ask.Like {
		line := fmt.Sprintf("No. %d, %s", p.Number, p.Title)
		if like = append(like, line); p.Out {
			next = append(next, line)
		}
	}
	set("like", strings.Join(firstOf(like, 5), "\n"))
	set("next", strings.Join(firstOf(next, 3), "\n"))
	d.Outline = outline(ask, says)
	set("headings", fmt.Sprint(max(1, len(d.Outline)-1)))
	return d, nil
}

// outline takes the sections of the format, or makes one of each of the first notes.
func outline(ask newsroom.BriefAsk, says []string) brief.Outline {
	o := brief.Outline{{Advice: "Open on what only this piece has: a place, a person, a figure."}}
	for _, h := range ask.Sections {
		o = append(o, brief.Section{Heading: h})
	}
	if len(ask.Sections) == 0 {
		for _, s := range firstOf(says, 4) {
			o = append(o, brief.Section{Heading: heading(s), Advice: s})
		}
	}
	if len(o) > 1 {
		return o
	}
	return append(o, brief.Section{Heading: ask.Title, Advice: "Answer the title."})
}

// heading makes a heading of a sentence: its first words, without the full stop.
func heading(s string) string {
	words := strings.Fields(strings.TrimRight(s, ".!?"))
	return strings.Join(firstOf(words, 7), " ")
}

var sentence = regexp.MustCompile(`[^.!?\n]+[.!?]*`)
var address = regexp.MustCompile(`https?://[^\s<>"]+`)

func sentences(notes []string) []string {
	var out []string
	for _, n := range notes {
		for _, s := range sentence.FindAllString(address.ReplaceAllString(n, ""), -1) {
			if s = strings.TrimSpace(s); len(strings.Fields(s)) > 2 {
				out = append(out, s)
			}
		}
	}
	return out
}

func links(notes []string) []string {
	var out []string
	for _, n := range notes {
		out = append(out, address.FindAllString(n, -1)...)
	}
	return out
}

// facts gives the sentences with a figure, or with a name: a capital inside.
func facts(says []string) []string {
	var out []string
	for _, s := range says {
		rest := strings.Fields(s)[1:]
		if strings.ContainsFunc(s, unicode.IsDigit) || strings.ContainsFunc(strings.Join(rest, " "), unicode.IsUpper) {
			out = append(out, s)
		}
	}
	return out
}

// unsaid gives the telling words of the title that no like piece has in its own.
func unsaid(ask newsroom.BriefAsk) []string {
	if len(ask.Like) == 0 {
		return nil
	}
	said := map[string]bool{}
	for _, p := range ask.Like {
		for _, w := range find.Words(p.Title) {
			said[w] = true
		}
	}
	var out []string
	for _, w := range find.Words(ask.Title) {
		if len([]rune(w)) > 3 && !said[w] {
			out = append(out, w)
		}
	}
	return out
}

func firstOf[T any](xs []T, n int) []T { return xs[:min(n, len(xs))] }

// RemoteBriefs is a brief writer at an address: it is sent a desk.BriefAsk as JSON by
// POST and answers with a desk.BriefDraft as JSON.
type RemoteBriefs struct{ URL string }

// maxAnswer is how much of an answer is read, in bytes.
const maxAnswer = 1 << 20

// WriteBrief asks the service, for twenty seconds at most.
func (r RemoteBriefs) WriteBrief(ctx context.Context, ask newsroom.BriefAsk) (d newsroom.BriefDraft, err error) {
	return d, askWriter(ctx, "brief writer", r.URL, ask, &d)
}

// askWriter sends what is asked of a service as JSON, and reads its answer into a draft.
func askWriter(ctx context.Context, who, url string, ask, draft any) error {
	body, err := json.Marshal(ask)
	if err != nil {
		return fmt.Errorf("ask the %s: %w", who, err)
	}
	ctx, stop := context.WithTimeout(ctx, 20*time.Second)
	defer stop()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, url, bytes.NewReader(body))
	if err != nil {
		return fmt.Errorf("ask the %s: %w", who, err)
	}
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return fmt.Errorf("ask the %s: %w", who, err)
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("the %s answered %s", who, res.Status)
	}
	if err := json.NewDecoder(io.LimitReader(res.Body, maxAnswer)).Decode(draft); err != nil {
		return fmt.Errorf("read the answer of the %s: %w", who, err)
	}
	return nil
}
