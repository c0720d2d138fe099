package copy_test

import (
	"fmt"

	"greenbaton/core/copy"
)

// Two who edit at once: each edit is transformed past the other, and both come to the same.
func ExampleChange_Transform() {
	text := copy.FromPlain("The mill stands.")
	hers := copy.Change{}.Keep(4, nil).Put("old ", nil)
	his := copy.Change{}.Keep(9, nil).Cut(6).Put("turns", nil)
	one, _ := text.Apply(hers)
	one, _ = one.Apply(hers.Transform(his, true))
	other, _ := text.Apply(his)
	other, _ = other.Apply(his.Transform(hers, false))
	fmt.Print(one.Plain())
	fmt.Print(other.Plain())
	// Output:
	// The old mill turns.
	// The old mill turns.
}

// A proposal is an edit laid on the text as marks: left, it is the text before; taken, the
// text that was meant.
func ExampleText_Propose() {
	text := copy.FromPlain("It goes quick.")
	proposal := text.Propose(copy.Change{}.Keep(8, nil).Cut(5).Put("quickly", nil), "7.a")
	marked, _ := text.Apply(proposal)
	fmt.Print(marked.Left().Plain())
	fmt.Print(marked.Taken().Plain())
	for _, p := range marked.Proposals() {
		fmt.Printf("%s becomes %s\n", p.Was(), p.Becomes())
	}
	// Output:
	// It goes quick.
	// It goes quickly.
	// quick becomes quickly
}
