package relay

import (
	"greenbaton/core/ref"
	"os"
	"slices"
	"strings"
	"testing"
)

// docs/access.md is what the table says.
func TestTheTableOfAccessIsPrinted(t *testing.T) {
	const file = "../../docs/access.md"
	if os.Getenv("PRINT_ACCESS") != "" {
		if err := os.WriteFile(file, []byte(AccessTable()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if is, err := os.ReadFile(file); err != nil || string(is) != AccessTable() {
		t.Errorf("%s is not current (%v): run PRINT_ACCESS=1 go test ./core/relay, and commit it", file, err)
	}
}

// Who may do what: every act against every kind of person, on a piece whose
// draft runs with person 2 and whose pictures are open.
func TestWhoMayDoWhat(t *testing.T) {
	p := passed(t, begun(t), "brief")
	p.Owner = 10
	p.Leg("pics").Holder = 0
	person := func(id ref.Person, a Access, roles ...string) Who {
		return Who{ID: id, Access: a, Roles: roles, OnDesk: true}
	}
	who := map[string]Who{
		"lead":     person(20, Lead),
		"owner":    person(10, Staff),
		"holder":   person(2, Staff, "write"),
		"staff":    person(30, Staff, "pictures"),
		"freeHeld": person(2, Freelance, "write"),
		"freeOpen": person(31, Freelance, "pictures"),
		"free":     person(32, Freelance, "welsh"),
		"outHeld":  person(2, Outside, "write"),
		"outside":  person(33, Outside, "write"),
		"stranger": {ID: 34, Access: Staff, Roles: []string{"pictures"}},
		"lead2":    {ID: 35, Access: Lead},
		"program":  {System: true},
	}
	may := map[Act]string{ // on the running draft; ActTake is on the open pictures
		ActSee:      "lead owner holder staff freeHeld freeOpen outHeld program",
		ActReadLog:  "lead owner holder staff program",
		ActWrite:    "lead owner holder freeHeld program",
		ActTick:     "lead owner holder freeHeld outHeld program",
		ActPass:     "lead owner holder freeHeld outHeld program",
		ActSendBack: "lead owner holder freeHeld outHeld program",
		ActSkip:     "lead owner holder freeHeld outHeld program",
		ActGive:     "lead owner holder freeHeld program",
		ActNeed:     "lead owner program",
		ActPlan:     "lead owner program",
		ActRelease:  "lead owner program",
		ActTake:     "staff freeOpen",
	}
	restricted := map[Act]string{ActPass: "lead owner program", ActSendBack: "lead owner program", ActSkip: "lead owner program", ActTick: may[ActTick]}
	check := func(rule PassBy, table map[Act]string) {
		for act, names := range table {
			leg := p.Leg("draft")
			if act == ActTake {
				leg = p.Leg("pics")
			}
			for name, w := range who {
				if got, want := May(act, w, &p, leg, rule) == nil, slices.Contains(strings.Fields(names), name); got != want {
					t.Errorf("passing by %s: may %s %s? %v, want %v", rule, name, act, got, want)
				}
			}
		}
	}
	check(ByHolder, may)
	check(ByOwner, restricted)
}
