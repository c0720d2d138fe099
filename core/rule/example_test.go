package rule_test

import (
	"fmt"

	"greenbaton/core/rule"
)

// names gives what there is to name in a rule: here whatever it is called.
type names struct{}

func (names) Name(_, key string) (string, bool) { return key, true }

// A rule is data, and says itself what it does.
func ExampleRule_Say() {
	r := rule.Rule{When: rule.Passed, If: []rule.Cond{{Field: "leg", Op: rule.Is, Values: []string{"Draft"}}}, Then: []rule.Action{{Do: rule.Tell, To: []string{rule.TellOwner}, Words: "{piece} is drafted."}}}
	fmt.Println(r.Say(names{}))
	// Output:
	// When Draft of a piece is passed, tell the owner “{piece} is drafted.”
}
