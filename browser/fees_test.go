package browser

import (
	"strings"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/newsroom/planning"
)

// A freelancer takes an open draft, by their rate for a word, writes and passes it; it is accepted,
// checked, stated and paid. A second draft is not used and gets its half. A budget that would go over
// is said before the piece is saved.
func TestAFreelancerIsPaid(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	made := func(title string, draft ref.Person) ref.Piece {
		id, err := s.Newsroom.Intake.Create(ctx, maren, planning.Draft{Title: title, Format: 1, Owner: maren, WordsFrom: 5, WordsTo: 10, GoesOut: s.Newsroom.Now() + 20*86400, Legs: map[string]planning.DraftLeg{"draft": {Holder: draft, Days: 5}}})
		s.must(err)
		s.must(s.Newsroom.Planning.PassLeg(ctx, maren, planning.Pass{Piece: id, Leg: "brief", Why: "said"}))
		return id
	}
	weir := made("The weir at night", 0)
	lead, writer := s.as(maren, 1280), s.as(petra, 390)
	writer.open("/open")
	writer.see("Draft: The weir at night")
	writer.eval(`() => [...document.querySelectorAll("li, article, section")].filter((x) => x.textContent.includes("The weir at night") && [...x.querySelectorAll("button")].some((b) => b.textContent.includes("Take it"))).at(-1).querySelector("button").id = "mine"`)
	writer.act(func() { writer.eval(`() => document.getElementById("mine").click()`) })
	writer.see("It is yours now.")
	writer.open("/fees/mine")
	writer.see("The weir at night")
	writer.see("£0.15 a word")

	s.must(s.Newsroom.Planning.PassLeg(ctx, maren, planning.Pass{Piece: weir, Leg: "draft", Why: "written elsewhere"}))
	lead.open(s.pieceNamed("The weir at night"))
	lead.write("One two three four five six seven eight nine ten eleven twelve thirteen.")
	s.must(s.Newsroom.Planning.PassLeg(ctx, maren, planning.Pass{Piece: weir, Leg: "edit", Why: "read"}))
	lead.open("/fees")
	lead.see("The weir at night")
	lead.see("13 words at £0.15, to 10")
	lead.see("£1.50")
	lead.act(func() {
		lead.eval(`() => [...document.querySelectorAll("button[name=one]")].find((b) => b.textContent.includes("The weir at night")).click()`)
	})
	lead.see("1 fee is checked.")
	lead.press("Make the statements")
	lead.see("1 statement is made")
	lead.press("Statement 7")
	lead.see("The weir at night")
	lead.see("To be paid by")
	writer.open("/fees/mine")
	writer.see("Statement 7")
	lead.open("/fees")
	lead.eval(`() => { document.querySelector("[aria-label='Statement 7, Petra Vance']").checked = true }`)
	lead.press("Note those ticked as paid")
	lead.see("1 statement is noted as paid.")
	writer.open("/fees/mine")
	if got := writer.eval(`() => [...document.querySelectorAll("li")].find((x) => x.textContent.includes("Statement 7")).textContent`); !strings.Contains(got, "paid Tue 24 Nov") {
		t.Errorf("the freelancer reads %q", got)
	}

	made("The ledger that got wet", petra)
	path := s.pieceNamed("The ledger that got wet")
	lead.open(path)
	lead.unfold("Not used")
	lead.press("^Take it off$")
	lead.see("Say in up to 500 characters why it is not used.")
	lead.fill("#notused-why", "Somebody else had it first.")
	lead.press("^Take it off$")
	lead.see("It is taken off, and who worked on it is told.")
	writer.open("/fees/mine")
	writer.see("half of it, not used")
	writer.open("/inbox")
	writer.see("it will not be used")

	lead.open("/fees/budgets")
	lead.choose("#for", "f1")
	lead.fill("#amount", "much")
	lead.press("Set the budget")
	lead.see("“much” is no amount")
	lead.fill("#amount", "10")
	lead.press("Set the budget")
	lead.see("There is a budget for this already. Change that one.")
	lead.act(func() {
		lead.eval(`() => [...document.querySelectorAll("a.title")].find((a) => a.textContent == "Feature").click()`)
	})
	lead.fill("#amount", "600")
	lead.press("Set the budget")
	lead.see("The budget is set.")
	lead.open("/pieces/new?format=1&date=2026-12-01")
	before := s.pieces()
	lead.fill("#title", "Late for November")
	lead.choose("[name=holder-draft]", "4")
	lead.see("over its budget of £600 for November 2026.")
	if s.pieces() != before {
		t.Error("it was made before it was said")
	}
	staff := s.as(yusuf, 1280)
	staff.open("/pieces/new?format=1&date=2026-12-01")
	staff.choose("[name=holder-draft]", "4")
	staff.see("Petra")
	if got := staff.eval(`() => document.body.textContent.includes("budget")`); got == "true" {
		t.Error("who may not see money is told of a budget")
	}
}
