// Package rule knows house rules: when something happens to a piece, and if what
// is asked of it holds, then things are done. A rule is data, made of choices, and
// reads as one sentence (say.go). What it is asked about is a State, which is what
// the logbook keeps of a piece after every act, so that a rule can be tried on
// what already happened (trial.go) exactly as it is followed when it happens
// (follow.go). Events of time, such as overdue, are worked out in time.go.
package rule

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/words"
)

// Kind names what happened.
type Kind string

// What rules are about.
const (
	Created    Kind = "created"
	Requested  Kind = "requested"
	Begins     Kind = "leg begins"
	Passed     Kind = "passed"
	SentBack   Kind = "sent back"
	DayMoved   Kind = "day moved"
	Changed    Kind = "field changed"
	Asked      Kind = "query"
	Proposed   Kind = "proposal"
	Verdict    Kind = "verdict"
	Published  Kind = "published"
	Accepted   Kind = "accepted" // what a leg gave, so that it is to be paid
	Spent      Kind = "spent"    // a budget, nearly or wholly; it is about no piece
	DueIn      Kind = "due in"
	Overdue    Kind = "overdue"
	Quiet      Kind = "quiet"
	Unanswered Kind = "unanswered"
	NoVerdict  Kind = "no verdict"
)

// Kinds are all of them, in the order in which they are offered.
var Kinds = []Kind{Created, Requested, Begins, Passed, SentBack, DayMoved, Changed, Asked, Proposed, Verdict, Published, Accepted, Spent, DueIn, Overdue, Quiet, Unanswered, NoVerdict}

// Timed reports whether the event comes with time, a number of working days after or
// before something.
func (k Kind) Timed() bool {
	return k == DueIn || k == Overdue || k == Quiet || k == Unanswered || k == NoVerdict
}

// OfLeg reports whether the event is about one leg of a piece.
func (k Kind) OfLeg() bool {
	switch k {
	case Begins, Passed, SentBack, Verdict, Accepted, DueIn, Overdue, Quiet, NoVerdict:
		return true
	}
	return false
}

// The ways in which a condition asks.
const (
	Is       = "is"       // one of the values
	IsNot    = "is not"   // none of them
	AtLeast  = "at least" // of a number
	AtMost   = "at most"
	Contains = "contains" // of a text
)

// Cond is something that is asked before a rule does anything.
type Cond struct {
	Field  string   `json:"field,omitempty"` // as in Fields, or "field:" and the id of an extra field
	Op     string   `json:"op,omitempty"`
	Values []string `json:"values,omitempty"`
}

// Do names what a rule does.
type Do string

// What rules do.
const (
	Give     Do = "give"      // the leg to somebody
	SetDue   Do = "set due"   // of the leg, in working days from now
	SetDay   Do = "set day"   // of a piece without one: the next free slot that works
	AddSteps Do = "add steps" // to the checklist of the leg
	SetField Do = "set field"
	Send     Do = "send" // to a format of another desk
	Tell     Do = "tell"
	FollowUp Do = "follow up" // make another piece
)

// Dos are all of them, in the order in which they are offered.
var Dos = []Do{Give, SetDue, SetDay, AddSteps, SetField, Send, Tell, FollowUp}

// To whom a leg is given, where it is no person by their number.
const (
	ToUsual = "usual" // of the route
	ToRoom  = "room"  // whoever has most room
	ToLast  = "last"  // who ran the last one
	ToOwner = "owner"
)

// Who is told, where it is no person by their number, and no role.
const (
	TellHolder    = "holder" // of the leg; of all that run, where the event is about none
	TellOwner     = "owner"
	TellLeads     = "leads"
	TellAsked     = "asked"     // whom a query is for
	TellEverybody = "everybody" // who holds, held or will hold a leg
	TellHook      = "hook"      // the desk's chat
	RolePrefix    = "role:"
)

// Action is one thing that a rule does.
type Action struct {
	Do     Do         `json:"do,omitempty"`
	Leg    string     `json:"leg,omitempty"` // by name; none is the leg of the event
	To     []string   `json:"to,omitempty"`  // Give: one of the above or a person's number; Tell: several
	Days   int        `json:"days,omitempty"`
	Field  string     `json:"field,omitempty"` // SetField: priority, topic, campaign, tag, owner or field: and an id
	Value  string     `json:"value,omitempty"`
	Words  string     `json:"words,omitempty"`  // Tell: what is said; AddSteps: a step a line; FollowUp: its title
	Format ref.Format `json:"format,omitempty"` // Send, FollowUp
}

// Rule is one house rule.
type Rule struct {
	ID       ref.Rule `json:"-"`
	DeskID   ref.Desk `json:"-"`
	Position int      `json:"-"` // rules are followed in this order
	On       bool     `json:"-"`
	When     Kind     `json:"when,omitempty"`
	N        int      `json:"n,omitempty"`   // working days, of events that come with time
	Any      bool     `json:"any,omitempty"` // one condition is enough
	If       []Cond   `json:"if,omitempty"`
	Then     []Action `json:"then,omitempty"`
}

// Read reads a stored rule.
func Read(data string) (r Rule, err error) {
	if err = json.Unmarshal([]byte(data), &r); err != nil {
		err = fmt.Errorf("read a house rule: %w", err)
	}
	return r, err
}

// Data writes a rule as it is stored.
func (r Rule) Data() string {
	b, err := json.Marshal(r)
	if err != nil { // texts and numbers always encode
		return "{}"
	}
	return string(b)
}

// The largest figures of a rule.
const (
	MaxDays    = 60
	MaxConds   = 12
	MaxActions = 12
	MaxWords   = 600
)

// Gap is something that is missing in a rule, or no longer there, and where:
// "when", "if 0", "then 2". A rule with gaps does not run.
type Gap struct{ Where, Text string }

// Known tells what there is on a desk. Of "person", "format", "channel", "topic",
// "campaign" and "field" an id is asked, of "leg" and "role" a name.
type Known interface {
	Name(kind, key string) (string, bool)
}

// Gaps gives what is missing in the rule, in its order.
func (r Rule) Gaps(k Known) []Gap {
	var out []Gap
	gap := func(where, text string, args ...any) { out = append(out, Gap{where, fmt.Sprintf(text, args...)}) }
	if r.When == "" {
		gap("when", "choose what has to happen")
	} else if r.When.Timed() && (r.N < 0 || r.N > MaxDays || r.N == 0 && r.When != DueIn) {
		gap("when", "say after how many working days, 1 to %d", MaxDays)
	}
	for i, c := range r.If {
		if text := c.gap(r.When, k); text != "" {
			gap("if "+strconv.Itoa(i), "%s", text)
		}
	}
	if len(r.Then) == 0 {
		gap("then", "choose what is to be done")
	}
	for i, a := range r.Then {
		if text := a.gap(r.When, k); text != "" {
			gap("then "+strconv.Itoa(i), "%s", text)
		}
	}
	return out
}

func (c Cond) gap(when Kind, k Known) string {
	f := FieldOf(c.Field)
	switch {
	case c.Field == "":
		return "choose what is asked"
	case f.Key == "":
		if _, ok := k.Name("field", strings.TrimPrefix(c.Field, FieldPrefix)); !ok {
			return "this field is no longer in use; choose another"
		}
		f = Field{Kind: "text"}
	case f.Only != "" && f.Only != when:
		return fmt.Sprintf("this is only known of “%s”", f.Only)
	}
	switch {
	case !f.Takes(c.Op):
		return "choose how it is compared"
	case len(c.Values) == 0 || c.Values[0] == "" && c.Op != Is && c.Op != IsNot:
		return "choose what it is compared with"
	}
	for _, v := range c.Values {
		if text := f.gap(v, k); text != "" {
			return text
		}
	}
	return ""
}

func (f Field) gap(v string, k Known) string {
	switch f.Kind {
	case "number":
		if n, err := strconv.Atoi(v); err != nil || n < -999 || n > 9_999 {
			return "write a number"
		}
	case "text":
	default:
		if v == "0" || v == "" { // nobody, none
			return ""
		}
		if f.choice(v) {
			return ""
		}
		if _, ok := k.Name(f.Kind, v); !ok {
			return "what it is compared with is no longer there; choose again"
		}
	}
	return ""
}

// Named are the fields that may stand in the words of rules, in braces.
var Named = []words.Field{
	{Name: "piece", Says: "the title of the piece"}, {Name: "leg", Says: "the leg it is about"}, {Name: "holder", Says: "who has it"}, {Name: "owner", Says: "who owns the piece"},
	{Name: "due", Says: "when the leg is due"}, {Name: "day", Says: "when the piece goes out"}, {Name: "pace", Says: "how the piece stands"}, {Name: "who", Says: "who did it"},
	{Name: "why", Says: "the reasons given"}, {Name: "fee", Says: "what an accepted leg comes to, for who may see it"}, {Name: "days", Says: "the working days of the rule"},
}

// NamedInMessages are those of them that can stand in the usual messages, which know of no rule and
// of no fee.
func NamedInMessages() []words.Field {
	return slices.DeleteFunc(slices.Clone(Named), func(f words.Field) bool { return f.Name == "days" || f.Name == "fee" })
}

func (a Action) gap(when Kind, k Known) string {
	if a.Leg != "" {
		if _, ok := k.Name("leg", a.Leg); !ok {
			return fmt.Sprintf("no format has a leg “%s” any more; choose another", a.Leg)
		}
	}
	if when == Requested && a.Do != Tell && a.Do != FollowUp && a.Do != Send && a.Do != "" {
		return "a request has no legs yet; it can be sent to another desk, made a piece, and told"
	}
	if when == Spent && a.Do != Tell && a.Do != "" {
		return "a budget is no piece; somebody can be told of it"
	}
	switch a.Do {
	case "":
		return "choose what is to be done"
	case Give:
		return a.giveGap(when, k)
	case SetDue:
		if a.Days < 0 || a.Days > 250 {
			return "say in how many working days it is due, 0 to 250"
		}
		return a.legGap(when)
	case AddSteps:
		if strings.TrimSpace(a.Words) == "" {
			return "write what is to be done, a step a line"
		}
		return a.legGap(when)
	case SetField:
		return a.fieldGap(k)
	case Send, FollowUp:
		if _, ok := k.Name("format", strconv.FormatInt(int64(a.Format), 10)); !ok {
			return "choose a format"
		}
		if a.Do == FollowUp {
			return a.wordsGap("write its title")
		}
	case Tell:
		return a.tellGap(when, k)
	}
	return ""
}

func (a Action) legGap(when Kind) string {
	if a.Leg == "" && !when.OfLeg() {
		return "choose the leg"
	}
	return ""
}

func (a Action) giveGap(when Kind, k Known) string {
	if text := a.legGap(when); text != "" {
		return text
	}
	if len(a.To) != 1 || a.To[0] == "" {
		return "choose to whom it is given"
	}
	switch a.To[0] {
	case ToUsual, ToRoom, ToLast, ToOwner:
		return ""
	}
	if _, ok := k.Name("person", a.To[0]); !ok {
		return "this person is no longer on the desk; choose somebody else"
	}
	return ""
}

func (a Action) tellGap(when Kind, k Known) string {
	if len(a.To) == 0 {
		return "choose who is told"
	}
	for _, t := range a.To {
		switch t {
		case TellAsked:
			if when != Asked && when != Unanswered {
				return "only of queries it is known who is asked; choose again who is told"
			}
			continue
		case TellHolder, TellOwner, TellLeads, TellEverybody, TellHook:
			continue
		}
		if role, ok := strings.CutPrefix(t, RolePrefix); ok {
			if _, known := k.Name("role", role); !known {
				return fmt.Sprintf("nobody runs “%s” any more; choose again who is told", role)
			}
		} else if _, known := k.Name("person", t); !known {
			return "one of those who are told is no longer on the desk; choose again"
		}
	}
	return a.wordsGap("write what is said")
}

func (a Action) wordsGap(missing string) string {
	if strings.TrimSpace(a.Words) == "" {
		return missing
	}
	if len([]rune(a.Words)) > MaxWords {
		return fmt.Sprintf("keep the words under %d characters", MaxWords)
	}
	if err := words.Check(a.Words, Named); err != nil {
		return err.Error()
	}
	return ""
}

// FieldPrefix begins the key of an extra field, before its id.
const FieldPrefix = "field:"

func (a Action) fieldGap(k Known) string {
	if id, ok := strings.CutPrefix(a.Field, FieldPrefix); ok {
		if _, known := k.Name("field", id); !known {
			return "this field is no longer in use; choose another"
		}
		return ""
	}
	switch a.Field {
	case "":
		return "choose the field"
	case "priority":
		if n, err := strconv.Atoi(a.Value); err != nil || n < -1 || n > 2 {
			return "choose the priority"
		}
	case "topic", "campaign", "owner":
		kind := a.Field
		if kind == "owner" {
			kind = "person"
		}
		if _, ok := k.Name(kind, a.Value); !ok {
			return "choose the " + a.Field
		}
	case "tag":
		if strings.TrimSpace(a.Value) == "" || strings.Contains(a.Value, ",") {
			return "write one tag, without a comma"
		}
	default:
		return "choose the field"
	}
	return ""
}
