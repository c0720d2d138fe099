package rules

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/figure"
	"greenbaton/core/ref"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// readRule reads a rule from its form. Numbers that are none are left out, which the
// rule then says of itself.
func readRule(form url.Values) rule.Rule {
	r := rule.Rule{When: rule.Kind(form.Get("when")), Any: form.Get("any") == "yes"}
	if r.When.Timed() {
		n, err := figure.Whole(form.Get("n"))
		if r.N = n; err != nil {
			r.N = -1
		}
	}
	for i := range partsOf(form, "ifs", rule.MaxConds) {
		at := func(part string) string { return fmt.Sprintf("if-%d-%s", i, part) }
		c := rule.Cond{Field: form.Get(at("field")), Op: form.Get(at("op")), Values: chosen(form[at("value")])}
		if form.Get(at("was")) != c.Field { // another fact is compared with other things
			c.Op, c.Values = "", nil
		}
		if f := factKind(c.Field); c.Field != "" && !f.Takes(c.Op) {
			c.Op = f.Ops()[0]
		}
		if len(c.Values) == 0 && factKind(c.Field).Kind == "text" && c.Op != rule.Contains && c.Op != "" && form.Has(at("value")) {
			c.Values = []string{""}
		}
		r.If = append(r.If, c)
	}
	for i := range partsOf(form, "thens", rule.MaxActions) {
		at := func(part string) string { return fmt.Sprintf("then-%d-%s", i, part) }
		a := rule.Action{Do: rule.Do(form.Get(at("do"))), Leg: form.Get(at("leg")), To: chosen(form[at("to")]), Field: form.Get(at("field")), Value: strings.TrimSpace(form.Get(at("value"))),
			Words: strings.TrimSpace(strings.ReplaceAll(form.Get(at("words")), "\r\n", "\n")), Format: kit.Int[ref.Format](form, at("format"))}
		n, err := figure.Whole(form.Get(at("days")))
		if a.Days = n; err != nil && a.Do == rule.SetDue {
			a.Days = -1
		}
		if rule.Do(form.Get(at("was"))) != a.Do {
			a = rule.Action{Do: a.Do}
		}
		r.Then = append(r.Then, a)
	}
	return r
}

func partsOf(form url.Values, name string, most int) int {
	n, err := strconv.Atoi(form.Get(name))
	if err != nil {
		return 0
	}
	return min(max(0, n), most+1)
}

func chosen(xs []string) []string {
	return slices.DeleteFunc(slices.Clone(xs), func(s string) bool { return strings.TrimSpace(s) == "" })
}

// factKind is how a fact is asked about; extra fields are texts.
func factKind(field string) rule.Field {
	if f := rule.FieldOf(field); f.Key != "" {
		return f
	}
	return rule.Field{Kind: "text"}
}

// editRule does to a rule what a button of its form says; what it does not know changes
// nothing.
func editRule(r rule.Rule, do string) rule.Rule {
	what, at, _ := strings.Cut(do, ":")
	i, err := strconv.Atoi(at)
	switch {
	case what == "add-if":
		r.If = append(r.If, rule.Cond{})
	case what == "add-then":
		r.Then = append(r.Then, rule.Action{})
	case err != nil || i < 0:
	case what == "drop-if" && i < len(r.If):
		r.If = slices.Delete(r.If, i, i+1)
	case what == "drop-then" && i < len(r.Then):
		r.Then = slices.Delete(r.Then, i, i+1)
	}
	return r
}

// control is one thing to choose or write within the sentence of a form.
type control struct {
	Kind    string // select, number, text, words or said, which is only read
	Name    string
	Label   string
	Value   string
	Options []pick
	Wide    bool
	Names   []kit.FieldName // that may stand in the words
}

type pick struct {
	Value, Name string
	Is          bool
}

// clause is one condition or action of the form.
type clause struct {
	N        int
	Was      string
	Controls []control
	Gap      string
}

type ruleForm struct {
	When   []control
	If     []clause
	Then   []clause
	Any    bool
	GapIn  map[string]string // of the event and of the whole
	Reads  string
	Runs   string // what is to be said about whether it can run
	Tone   string
	MoreIf bool
	More   bool
}

// ruleChooser offers what there is on a desk.
type ruleChooser struct {
	b    *newsroom.Setup
	desk ref.Desk
}

func choose(value string, xs ...pick) []pick {
	for i := range xs {
		xs[i].Is = xs[i].Value == value
	}
	return xs
}

func idOption[T any, K ~int64](xs []T, of func(T) (K, string)) []pick {
	out := make([]pick, len(xs))
	for i, x := range xs {
		id, name := of(x)
		out[i] = pick{Value: kit.Str(id), Name: name}
	}
	return out
}

func textOptions(xs []string) []pick {
	out := make([]pick, len(xs))
	for i, x := range xs {
		out[i] = pick{Value: x, Name: x}
	}
	return out
}

func pairOptions(xs [][2]string) []pick {
	out := make([]pick, len(xs))
	for i, x := range xs {
		out[i] = pick{Value: x[0], Name: x[1]}
	}
	return out
}

func (c ruleChooser) people() []pick {
	return idOption(c.b.OnDesk(c.desk), func(p store.Person) (ref.Person, string) { return p.ID, p.Name })
}

func (c ruleChooser) formats(everywhere bool) []pick {
	var out []pick
	for _, d := range c.b.Desks {
		if d.ID != c.desk && (!everywhere || d.Retired) {
			continue
		}
		for _, f := range c.b.FormatsOf(d.ID) {
			name := f.Name
			if everywhere && d.ID != c.desk {
				name += ", " + d.Name
			}
			out = append(out, pick{Value: kit.Str(f.ID), Name: name})
		}
	}
	return out
}

// extra gives the extra fields of all formats of the desk.
func (c ruleChooser) extra() []pick {
	var out []pick
	for _, x := range c.b.Fields {
		if f := c.b.Format(x.FormatID); f.DeskID == c.desk && !x.Retired && (!f.Retired || x.Also != "") {
			out = append(out, pick{Value: rule.FieldPrefix + kit.Str(x.ID), Name: c.b.NameOfField(x)})
		}
	}
	return out
}

// values offers what a fact can be compared with.
func (c ruleChooser) values(f rule.Field) []pick {
	switch f.Kind {
	case "person":
		none := "nobody"
		if f.Key == "by" {
			none = "Green Baton itself"
		}
		return append([]pick{{Value: "0", Name: none}}, c.people()...)
	case "format":
		return c.formats(false)
	case "channel":
		return idOption(c.b.ChannelsOf(c.desk), func(x store.Channel) (ref.Channel, string) { return x.ID, x.Name })
	case "topic":
		return append([]pick{{Value: "0", Name: "none"}}, idOption(c.b.TopicsOf(c.desk), func(x store.Topic) (ref.Topic, string) { return x.ID, x.Name })...)
	case "campaign":
		return append([]pick{{Value: "0", Name: "none"}}, idOption(c.b.CampaignsOf(c.desk), func(x store.Campaign) (ref.Campaign, string) { return x.ID, x.Name })...)
	case "leg":
		return textOptions(c.b.LegNames(c.desk))
	case "role":
		return textOptions(c.b.RolesOf(c.desk))
	case "changed":
		return append(pairOptions(rule.Changeable), c.extra()...)
	}
	return pairOptions(f.Says)
}

// kindNames are the events as they are offered.
var kindNames = map[rule.Kind]string{
	rule.Created: "a piece is made", rule.Requested: "a request comes in", rule.Begins: "a piece enters a leg", rule.Passed: "a leg is passed", rule.SentBack: "a piece is sent back",
	rule.DayMoved: "the day of a piece is moved", rule.Changed: "a field is changed", rule.Asked: "a query is asked", rule.Proposed: "changes are proposed", rule.Verdict: "a verdict is given",
	rule.Published: "a piece goes out", rule.Accepted: "a leg is accepted, to be paid", rule.Spent: "a budget is nearly spent, or over", rule.DueIn: "a leg is due in … working days", rule.Overdue: "a leg has been overdue for … working days", rule.Quiet: "nothing was recorded on a leg for … working days",
	rule.Unanswered: "a query has waited … working days for an answer", rule.NoVerdict: "there is no verdict after … working days",
}

var doNames = map[rule.Do]string{
	rule.Give: "give a leg", rule.SetDue: "make a leg due", rule.SetDay: "give the piece the next free slot", rule.AddSteps: "add to the checklist of", rule.SetField: "set",
	rule.Send: "send it on as", rule.Tell: "tell", rule.FollowUp: "make another piece, a",
}

// ruleForm makes the form of a rule.
func (s *Section) ruleForm(b *newsroom.Setup, r newsroom.HouseRule) ruleForm {
	c := ruleChooser{b, r.DeskID}
	out := ruleForm{Any: r.Any, Reads: r.Sentence, GapIn: map[string]string{}, MoreIf: len(r.If) < rule.MaxConds, More: len(r.Then) < rule.MaxActions, Tone: "good", Runs: "Nothing is missing."}
	for _, g := range r.Gaps {
		if out.GapIn[g.Where] == "" {
			out.GapIn[g.Where] = english.UpperFirst(g.Text) + "."
		}
	}
	if n := len(r.Gaps); n > 0 {
		out.Runs, out.Tone = "It does not run yet: "+r.Gaps[0].Text+".", "noroom"
	}
	kinds := []pick{{Name: "choose…"}}
	for _, k := range rule.Kinds {
		kinds = append(kinds, pick{Value: string(k), Name: kindNames[k]})
	}
	out.When = []control{{Kind: "select", Name: "when", Label: "What happens", Options: choose(string(r.When), kinds...)}}
	if r.When.Timed() {
		out.When = append(out.When, control{Kind: "number", Name: "n", Label: "Working days", Value: days(r.N)}, control{Kind: "said", Value: "working days"})
	}
	for i, x := range r.If {
		out.If = append(out.If, clause{i, x.Field, c.condition(i, x), out.GapIn[fmt.Sprint("if ", i)]})
	}
	for i, x := range r.Then {
		out.Then = append(out.Then, clause{i, string(x.Do), c.action(i, r.When, x), out.GapIn[fmt.Sprint("then ", i)]})
	}
	return out
}

func days(n int) string {
	if n < 0 {
		return ""
	}
	return strconv.Itoa(n)
}

func (c ruleChooser) condition(i int, x rule.Cond) []control {
	at := func(part string) string { return fmt.Sprintf("if-%d-%s", i, part) }
	facts := []pick{{Name: "choose…"}}
	for _, f := range rule.Fields {
		facts = append(facts, pick{Value: f.Key, Name: f.Name})
	}
	facts = append(facts, c.extra()...)
	out := []control{{Kind: "select", Name: at("field"), Label: "What is asked", Options: choose(x.Field, facts...)}}
	if x.Field == "" {
		return out
	}
	f := factKind(x.Field)
	out = append(out, control{Kind: "select", Name: at("op"), Label: "How it is compared", Options: choose(x.Op, textOptions(f.Ops())...)})
	switch f.Kind {
	case "number":
		return append(out, control{Kind: "number", Name: at("value"), Label: "Number", Value: strings.Join(x.Values, "")})
	case "text":
		return append(out, control{Kind: "text", Name: at("value"), Label: "Text, empty for not filled in", Value: strings.Join(x.Values, "")})
	}
	return append(out, c.several(at("value"), "or", x.Values, c.values(f))...)
}

// several offers a choice for each of the chosen, and one more.
func (c ruleChooser) several(name, joiner string, values []string, options []pick) []control {
	var out []control
	for i, v := range append(slices.Clone(values), "") {
		label, first := "Compared with", "choose…"
		if i > 0 {
			label, first = "And this", joiner+" …"
		}
		out = append(out, control{Kind: "select", Name: name, Label: label, Options: choose(v, append([]pick{{Name: first}}, slices.Clone(options)...)...)})
	}
	return out
}

func (c ruleChooser) action(i int, when rule.Kind, x rule.Action) []control {
	at := func(part string) string { return fmt.Sprintf("then-%d-%s", i, part) }
	does := []pick{{Name: "choose…"}}
	for _, d := range rule.Dos {
		does = append(does, pick{Value: string(d), Name: doNames[d]})
	}
	out := []control{{Kind: "select", Name: at("do"), Label: "What is done", Options: choose(string(x.Do), does...)}}
	here := "choose the leg…"
	if when.OfLeg() {
		here = "the leg it is about"
	}
	leg := control{Kind: "select", Name: at("leg"), Label: "Which leg", Options: choose(x.Leg, append([]pick{{Name: here}}, textOptions(c.b.LegNames(c.desk))...)...)}
	words := func(label, value string) control {
		w := control{Kind: "words", Name: at("words"), Label: label, Value: value, Wide: true}
		for _, f := range rule.Named {
			w.Names = append(w.Names, kit.FieldName{Name: "{" + f.Name + "}", Says: f.Says})
		}
		return w
	}
	switch x.Do {
	case rule.Give:
		to := append([]pick{{Name: "choose…"}, {Value: rule.ToRoom, Name: "whoever has most room"}, {Value: rule.ToUsual, Name: "whoever usually runs it"}, {Value: rule.ToLast, Name: "whoever ran it last time"}, {Value: rule.ToOwner, Name: "the owner"}}, c.people()...)
		out = append(out, leg, control{Kind: "said", Value: "to"}, control{Kind: "select", Name: at("to"), Label: "To whom", Options: choose(strings.Join(x.To, ""), to...)})
	case rule.SetDue:
		out = append(out, leg, control{Kind: "said", Value: "in"}, control{Kind: "number", Name: at("days"), Label: "Working days from now", Value: days(x.Days)}, control{Kind: "said", Value: "working days"})
	case rule.AddSteps:
		w := words("Steps, a line each", x.Words)
		w.Names = nil
		out = append(out, leg, w)
	case rule.SetField:
		out = append(out, c.setField(at, x)...)
	case rule.Send:
		out = append(out, control{Kind: "select", Name: at("format"), Label: "As which format", Options: choose(fmt.Sprint(x.Format), append([]pick{{Name: "choose…"}}, c.formats(true)...)...)})
	case rule.FollowUp:
		out = append(out, control{Kind: "select", Name: at("format"), Label: "Of which format", Options: choose(fmt.Sprint(x.Format), append([]pick{{Name: "choose…"}}, c.formats(true)...)...)}, words("Its title", x.Words))
	case rule.Tell:
		whom := []pick{{Value: rule.TellHolder, Name: "whoever has it"}, {Value: rule.TellOwner, Name: "the owner"}, {Value: rule.TellLeads, Name: "the leads"}, {Value: rule.TellAsked, Name: "whoever is asked"}, {Value: rule.TellEverybody, Name: "everybody on it"}}
		for _, role := range c.b.RolesOf(c.desk) {
			whom = append(whom, pick{Value: rule.RolePrefix + role, Name: "whoever runs " + role})
		}
		out = append(append(out, c.several(at("to"), "and", x.To, append(whom, c.people()...))...), words("What is said", x.Words))
	}
	return out
}

func (c ruleChooser) setField(at func(string) string, x rule.Action) []control {
	fields := []pick{{Name: "choose…"}, {Value: "priority", Name: "its priority"}, {Value: "topic", Name: "its topic"}, {Value: "campaign", Name: "its campaign"}, {Value: "owner", Name: "its owner"}, {Value: "tag", Name: "a tag"}}
	out := []control{{Kind: "select", Name: at("field"), Label: "Which field", Options: choose(x.Field, append(fields, c.extra()...)...)}}
	if x.Field == "" {
		return out
	}
	out = append(out, control{Kind: "said", Value: "to"})
	switch x.Field {
	case "priority", "topic", "campaign", "owner":
		return append(out, control{Kind: "select", Name: at("value"), Label: "To what", Options: choose(x.Value, append([]pick{{Name: "choose…"}}, c.values(rule.FieldOf(x.Field))...)...)})
	}
	return append(out, control{Kind: "text", Name: at("value"), Label: "To what", Value: x.Value})
}
