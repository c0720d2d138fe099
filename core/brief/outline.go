package brief

import (
	"encoding/json"
	"fmt"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/english"
)

// Section is a part of an outline: a heading, and a word of advice for what stands
// under it. Without a heading the advice stands at the beginning.
type Section struct {
	Heading string `json:"heading"`
	Level   int    `json:"level,omitempty"` // 2 or 3; 0 is 2
	Advice  string `json:"advice,omitempty"`
}

// Outline is the sections with which a copy begins.
type Outline []Section

// MaxSections is how many sections an outline can have.
const MaxSections = 40

// ReadOutline reads an outline as it is stored.
func ReadOutline(stored string) (Outline, error) {
	var o Outline
	if stored == "" {
		return nil, nil
	}
	if err := json.Unmarshal([]byte(stored), &o); err != nil {
		return nil, fmt.Errorf("read an outline: %w", err)
	}
	return o, nil
}

// Check drops empty sections and reads the others into the form in which they are kept.
// A *relay.Refusal names what is wrong; its field is "heading-2", counted from 0.
func (o Outline) Check() (Outline, error) {
	var out Outline
	for i, s := range o {
		s.Heading, s.Advice = strings.Join(strings.Fields(s.Heading), " "), strings.Join(strings.Fields(s.Advice), " ")
		switch {
		case s.Heading == "" && s.Advice == "":
			continue
		case s.Heading == "" && len(out) > 0:
			return o, refuse(fmt.Sprintf("heading-%d", i), "Only the first section can be without a heading. Give this one a heading, or take its advice away.")
		case len([]rune(s.Heading)) > 120:
			return o, refuse(fmt.Sprintf("heading-%d", i), "Keep the heading “%s” under 120 characters.", english.Cut(s.Heading, 60))
		case len([]rune(s.Advice)) > 400:
			return o, refuse(fmt.Sprintf("advice-%d", i), "Keep the advice for “%s” under 400 characters; the rest belongs into the guide.", english.Cut(s.Heading, 60))
		}
		if s.Level != 3 {
			s.Level = 2
		}
		out = append(out, s)
	}
	if len(out) > MaxSections {
		return o, refuse("heading-0", "An outline has up to %d sections.", MaxSections)
	}
	return out, nil
}

// Text gives the copy with which a piece begins: each heading, and under it an empty
// paragraph that carries the advice. It has no words but those of the headings.
func (o Outline) Text() copy.Text {
	var t copy.Text
	for _, s := range o {
		if s.Heading != "" {
			t = append(t, copy.Op{Insert: s.Heading}, copy.Op{Insert: "\n", Attributes: copy.Set("header", max(2, s.Level))})
		}
		line := copy.Op{Insert: "\n"}
		if s.Advice != "" {
			line.Attributes = copy.Set("advice", s.Advice)
		}
		t = append(t, line)
	}
	return t
}

// OutlineOf gives the shape of a copy: its headings, without the words between them.
func OutlineOf(t copy.Text) Outline {
	var o Outline
	for _, l := range t.Lines() {
		var b strings.Builder
		for _, s := range l.Spans {
			b.WriteString(s.Insert)
		}
		if h := strings.Join(strings.Fields(b.String()), " "); l.Header() != 0 && h != "" && len(o) < MaxSections {
			o = append(o, Section{Heading: english.Cut(h, 60), Level: min(3, l.Header())})
		}
	}
	return o
}
