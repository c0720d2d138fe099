package rule

import (
	"encoding/json"
	"greenbaton/core/ref"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// told names everything by its kind and key.
type told struct{}

func (told) Name(kind, key string) (string, bool) {
	switch kind {
	case "leg", "role":
		return key, true
	}
	return strings.ToUpper(kind[:1]) + kind[1:] + " " + key, true
}

// meant is a rule without what says nothing: in which order conditions are, how a single one
// is joined, and figures that its event does not have.
func meant(r Rule) string {
	if len(r.If) < 2 {
		r.Any = false
	}
	if !r.When.Timed() {
		r.N = 0
	}
	r.If = slices.Clone(r.If) // in whatever order they hold
	slices.SortFunc(r.If, func(x, y Cond) int {
		return strings.Compare(x.Field+x.Op+strings.Join(x.Values, "|"), y.Field+y.Op+strings.Join(y.Values, "|"))
	})
	b, err := json.Marshal(r)
	if err != nil {
		panic(err)
	}
	return string(b)
}

func someRule(d *rand.Rand) Rule {
	pick := func(xs ...string) string { return xs[d.IntN(len(xs))] }
	r := Rule{When: Kinds[d.IntN(len(Kinds))], Any: d.IntN(2) == 0}
	if r.When.Timed() {
		r.N = 1 + d.IntN(2)
	}
	for range d.IntN(4) {
		var c Cond
		if d.IntN(8) == 0 {
			c = Cond{Field: FieldPrefix + pick("1", "2"), Op: pick(Is, IsNot, Contains), Values: []string{pick("a", "b", "")}}
		} else {
			f := Fields[d.IntN(len(Fields))]
			if d.IntN(3) > 0 {
				f = Fields[d.IntN(2)] // format and leg, which the event may say
			}
			c = Cond{Field: f.Key, Op: f.Ops()[d.IntN(len(f.Ops()))]}
			for range 1 + d.IntN(2) {
				v := pick("1", "2")
				switch f.Kind {
				case "choice":
					v = f.Says[d.IntN(len(f.Says))][0]
				case "leg", "role":
					v = pick("Draft", "Edit")
				case "changed":
					v = Changeable[d.IntN(len(Changeable))][0]
				case "text":
					v = pick("a", "b", "a” or “b")
				case "number":
					c.Values = nil
				case "person":
					v = pick("0", "1", "2")
				}
				if !slices.Contains(c.Values, v) {
					c.Values = append(c.Values, v)
				}
			}
		}
		r.If = append(r.If, c)
	}
	for range 1 + d.IntN(2) {
		var a Action
		switch a.Do = Dos[d.IntN(len(Dos))]; a.Do {
		case Give:
			a.To = []string{pick(ToUsual, ToRoom, ToLast, ToOwner, "1", "2")}
		case SetDue:
			a.Days = d.IntN(3)
		case AddSteps:
			a.Words = pick("x", "y", "x\ny", "x” and “y")
		case SetField:
			a.Field, a.Value = pick("priority", "topic", "campaign", "owner"), pick("1", "2")
		case Send, FollowUp:
			a.Format = ref.Format(1 + d.IntN(2))
		case Tell:
			a.To, a.Words = []string{pick(TellHolder, TellOwner, TellLeads, TellAsked, TellEverybody, TellHook, RolePrefix+"edit", "1")}, pick("", "x", "y")
		}
		if a.Do == Give || a.Do == SetDue || a.Do == AddSteps {
			a.Leg = pick("Draft", "Edit")
			if r.When.OfLeg() && d.IntN(2) == 0 {
				a.Leg = ""
			}
		}
		if a.Do == FollowUp {
			a.Words = pick("", "x")
		}
		r.Then = append(r.Then, a)
	}
	return r
}

// Two rules that differ never read the same: all that a rule asks and does stands in its
// sentence, whatever its event is.
func TestTwoRulesThatDifferNeverReadTheSame(t *testing.T) {
	d := rand.New(rand.NewPCG(14, 14))
	said := map[string]string{}
	for range 60_000 {
		r := someRule(d)
		s, is := r.Say(told{}), meant(r)
		if was, found := said[s]; found && was != is {
			t.Fatalf("%s\nis\n%s\nand\n%s", s, was, is)
		}
		said[s] = is
	}
}

// Every event says every single condition, by name.
func TestEveryConditionStandsInTheSentence(t *testing.T) {
	for _, k := range Kinds {
		for _, f := range Fields {
			for _, op := range f.Ops() {
				with := func(v string) string {
					r := Rule{When: k, N: 1, If: []Cond{{Field: f.Key, Op: op, Values: []string{v}}}, Then: []Action{{Do: Tell, To: []string{TellOwner}}}}
					return r.Say(told{})
				}
				values := []string{"1", "2"}
				if len(f.Says) > 0 {
					values = []string{f.Says[0][0], f.Says[1][0]}
				}
				if f.Kind == "changed" {
					values = []string{"title", "owner"}
				}
				if with(values[0]) == with(values[1]) || strings.Contains(with(values[0]), Blank) {
					t.Errorf("%s, %s %s: %s", k, f.Key, op, with(values[0]))
				}
			}
		}
		if a, b := (&Rule{When: k, N: 1}).Say(told{}), (&Rule{When: k, N: 2}).Say(told{}); k.Timed() != (a != b) {
			t.Errorf("%s: %s", k, a+strconv.Itoa(len(b)))
		}
	}
}
