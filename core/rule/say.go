package rule

import (
	"greenbaton/core/english"
	"strconv"
	"strings"
)

// Blank stands in a sentence for what is not chosen yet.
const Blank = "…"

// speaker writes the sentence of a rule.
type speaker struct {
	r    *Rule
	k    Known
	said map[int]bool // conditions that the event says
}

// Say reads a rule as one English sentence: "When a feature enters Pictures and nobody
// has it, give it to whoever has most room, and tell the owner." What is missing is Blank.
func (r *Rule) Say(k Known) string {
	s := speaker{r, k, map[int]bool{}}
	out := "When " + s.event()
	if cs := s.conditions(); len(cs) > 0 {
		joiner := " and "
		if r.Any && len(cs) > 1 {
			out, joiner = out+", if ", " or "
		} else {
			out += " and "
		}
		out += strings.Join(cs, joiner)
	}
	out += ", "
	var does []string
	for i := range r.Then {
		does = append(does, s.action(&r.Then[i]))
	}
	switch len(does) {
	case 0:
		out += Blank
	case 1:
		out += does[0]
	default:
		out += strings.Join(does[:len(does)-1], ", ") + ", and " + does[len(does)-1]
	}
	for _, ends := range []string{".”", "?”", "!”"} {
		if strings.HasSuffix(out, ends) {
			return out
		}
	}
	return out + "."
}

func (s speaker) name(kind, key string) string {
	switch {
	case key == "" || key == "0":
		switch kind {
		case "person":
			return "nobody"
		case "topic", "campaign":
			return "none"
		}
		return Blank
	}
	if n, ok := s.k.Name(kind, key); ok {
		return n
	}
	return Blank
}

// folded gives a condition within the event: a format as its noun, a leg by its name. What
// only one of several conditions has to hold of is not said there, nor a second condition.
func (s speaker) folded(field string) (string, bool) {
	if s.r.Any && len(s.r.If) > 1 {
		return "", false
	}
	for i, c := range s.r.If {
		if c.Field == field && c.Op == Is && len(c.Values) > 0 && c.Values[0] != "" {
			var names []string
			for _, v := range c.Values {
				n := s.name(field, v)
				if field == "format" {
					n = english.A(strings.ToLower(n))
				}
				names = append(names, n)
			}
			s.said[i] = true
			return strings.Join(names, " or "), true
		}
	}
	return "", false
}

// subject is the piece as the rule speaks of it.
func (s speaker) subject() string {
	if n, ok := s.folded("format"); ok {
		return n
	}
	return "a piece"
}

func (s speaker) leg() string {
	if n, ok := s.folded("leg"); ok {
		return n
	}
	return "a leg"
}

func (s speaker) days() string {
	switch {
	case s.r.N == 1:
		return "1 working day"
	case s.r.N <= 0:
		return Blank + " working days"
	}
	return strconv.Itoa(s.r.N) + " working days"
}

// event says what has to happen. A format or leg that a condition asks for is named there
// if the event speaks of one; otherwise the condition says so itself.
func (s speaker) event() string {
	switch s.r.When {
	case Requested:
		if n, ok := s.folded("format"); ok {
			return "a request for " + n + " comes in"
		}
		return "a request comes in"
	case SentBack:
		piece := s.subject()
		if leg, ok := s.folded("leg"); ok {
			return piece + " is sent back to " + leg
		}
		return piece + " is sent back"
	case Begins:
		return s.subject() + " enters " + s.leg()
	case Passed:
		return s.legOf() + " is passed"
	case Spent:
		return "a budget is nearly spent, or over"
	case Accepted:
		return s.legOf() + " is accepted, to be paid"
	case DueIn:
		if s.r.N == 0 {
			return s.legOf() + " is due today"
		}
		return s.legOf() + " is due in " + s.days()
	case Overdue:
		return s.legOf() + " has been overdue for " + s.days()
	case Quiet:
		return "nothing was recorded on " + s.legOf() + " for " + s.days()
	case Verdict:
		return "a verdict on " + s.subject() + s.inLeg() + " is given"
	case NoVerdict:
		return "there is no verdict on " + s.subject() + s.inLeg() + " after " + s.days()
	}
	piece := s.subject()
	switch s.r.When {
	case Created:
		return piece + " is made"
	case DayMoved:
		return "the day of " + piece + " is moved"
	case Changed:
		return "a field of " + piece + " is changed"
	case Asked:
		return "a query is asked on " + piece
	case Proposed:
		return "changes are proposed to " + piece
	case Published:
		return piece + " goes out"
	case Unanswered:
		return "a query on " + piece + " has waited " + s.days() + " for an answer"
	}
	clear(s.said) // nothing is said yet
	return Blank
}

func (s speaker) legOf() string { return s.leg() + " of " + s.subject() }

// inLeg names the leg of a verdict where a condition asks for one.
func (s speaker) inLeg() string {
	if leg, ok := s.folded("leg"); ok {
		return " in " + leg
	}
	return ""
}

// conditions says what is asked besides.
func (s speaker) conditions() []string {
	var out []string
	for i := range s.r.If {
		if !s.said[i] {
			out = append(out, s.condition(&s.r.If[i]))
		}
	}
	return out
}

func (s speaker) condition(c *Cond) string {
	f := FieldOf(c.Field)
	name := f.Name
	if id, ok := strings.CutPrefix(c.Field, FieldPrefix); ok {
		name, f.Kind = s.name("field", id), "text"
	}
	if c.Field == "" {
		return Blank
	}
	vs := make([]string, len(c.Values))
	for i, v := range c.Values {
		vs[i] = s.value(f, v)
	}
	is := strings.Join(vs, " or ")
	if len(vs) == 0 {
		is = Blank
	}
	switch c.Field {
	case "holder":
		if is == "nobody" {
			return map[string]string{Is: "nobody has it", IsNot: "somebody has it"}[c.Op]
		}
		if c.Op == IsNot {
			return "it is not with " + is
		}
		return is + " has it"
	case "by":
		if is == "nobody" {
			is = "Green Baton itself"
		}
		if c.Op == IsNot {
			return "it was not " + is + " who did it"
		}
		return "it was " + is + " who did it"
	case "pace":
		return map[string]string{IsNot: "it is not "}[c.Op] + map[string]string{Is: "it is "}[c.Op] + is
	case "holds as":
		if c.Op == IsNot {
			return "it is not so that whoever has the leg " + is
		}
		return "whoever has the leg " + is
	case "run":
		return "the leg has begun " + map[string]string{AtLeast: "at least ", AtMost: "at most "}[c.Op] + is + " times"
	case "tag":
		return "one of its tags " + s.op(c) + " " + is
	}
	if f.Kind == "text" && len(c.Values) == 1 && c.Values[0] == "" && c.Op != Contains {
		return name + map[string]string{Is: " is empty", IsNot: " is filled in"}[c.Op]
	}
	return name + " " + s.op(c) + " " + is
}

func (s speaker) op(c *Cond) string {
	switch c.Op {
	case AtLeast:
		return "is at least"
	case AtMost:
		return "is at most"
	case "":
		return Blank
	}
	return c.Op
}

// value says what something is compared with.
func (s speaker) value(f Field, v string) string {
	switch f.Kind {
	case "number":
		return v
	case "text":
		if v == "" {
			return "nothing"
		}
		return english.Quoted(v)
	case "choice":
		for _, x := range f.Says {
			if x[0] == v {
				return x[1]
			}
		}
		return Blank
	case "changed":
		return s.changed(v)
	}
	return s.name(f.Kind, v)
}

// Changeable are what can be changed on a piece, beside its extra fields.
var Changeable = [][2]string{{"title", "its title"}, {"owner", "its owner"}, {"priority", "its priority"}, {"topic", "its topic"}, {"campaign", "its campaign"}, {"tag", "its tags"}}

func (s speaker) changed(v string) string {
	if id, ok := strings.CutPrefix(v, FieldPrefix); ok {
		return s.name("field", id)
	}
	for _, x := range Changeable {
		if x[0] == v {
			return x[1]
		}
	}
	return Blank
}

// SayAction says what a rule does, as in its sentence.
func (r *Rule) SayAction(i int, k Known) string { return speaker{r: r, k: k}.action(&r.Then[i]) }

func (s speaker) action(a *Action) string {
	it := "it"
	if a.Leg != "" {
		it = a.Leg
	} else if !s.r.When.OfLeg() && (a.Do == Give || a.Do == SetDue || a.Do == AddSteps) {
		it = Blank
	}
	switch a.Do {
	case Give:
		return "give " + it + " to " + s.receiver(a)
	case SetDue:
		if a.Days == 0 {
			return "make " + it + " due today"
		}
		return "make " + it + " due in " + english.Plural(a.Days, "working day")
	case SetDay:
		return "give it the next free slot that works"
	case AddSteps:
		var steps []string
		for l := range strings.Lines(a.Words) {
			if l = strings.TrimSpace(l); l != "" {
				steps = append(steps, english.Quoted(l))
			}
		}
		return "add " + listed(steps) + " to the checklist of " + it
	case SetField:
		return s.setField(a)
	case Send:
		return "send it on as " + english.A(strings.ToLower(s.name("format", id(a.Format))))
	case Tell:
		if a.Words != "" {
			return "tell " + s.told(a) + " " + english.Quoted(a.Words)
		}
		return "tell " + s.told(a)
	case FollowUp:
		noun := s.name("format", id(a.Format))
		if a.Words != "" {
			return "make " + english.A(strings.ToLower(noun)) + " that follows it, " + english.Quoted(a.Words)
		}
		return "make " + english.A(strings.ToLower(noun)) + " that follows it"
	}
	return Blank
}

func (s speaker) setField(a *Action) string {
	switch a.Field {
	case "tag":
		return "tag it " + english.Quoted(a.Value)
	case "owner":
		return "make " + s.name("person", a.Value) + " its owner"
	case "priority":
		return "set its priority to " + s.value(FieldOf("priority"), a.Value)
	case "":
		return "set " + Blank
	case "topic", "campaign":
		return "set its " + a.Field + " to " + s.name(a.Field, a.Value)
	}
	name := s.changed(a.Field)
	if a.Value == "" {
		return "empty " + name
	}
	return "set " + name + " to " + english.Quoted(a.Value)
}

func (s speaker) receiver(a *Action) string {
	if len(a.To) == 0 {
		return Blank
	}
	switch a.To[0] {
	case ToUsual:
		return "whoever usually runs it"
	case ToRoom:
		return "whoever has most room"
	case ToLast:
		return "whoever ran it last time"
	case ToOwner:
		return "the owner"
	}
	return s.name("person", a.To[0])
}

func (s speaker) told(a *Action) string {
	var out []string
	for _, t := range a.To {
		switch t {
		case TellHolder:
			out = append(out, "whoever has it")
		case TellOwner:
			out = append(out, "the owner")
		case TellAsked:
			out = append(out, "whoever is asked")
		case TellLeads:
			out = append(out, "the leads")
		case TellEverybody:
			out = append(out, "everybody on it")
		case TellHook:
			out = append(out, "the chat")
		default:
			if role, ok := strings.CutPrefix(t, RolePrefix); ok {
				out = append(out, "whoever runs "+role)
			} else {
				out = append(out, s.name("person", t))
			}
		}
	}
	return listed(out)
}

// listed joins what is listed as one does in a sentence; nothing is Blank.
func listed(out []string) string {
	if len(out) == 0 {
		return Blank
	}
	return english.And(out)
}
