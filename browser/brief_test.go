package browser

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// briefed answers what the format of a piece needs before the writing begins.
func (s *site) briefed(id ref.Piece) {
	s.t.Helper()
	row, err := store.Piece(ctx, s.Newsroom.DB.View(), id)
	s.must(err)
	s.must(s.Newsroom.Planning.EditBrief(ctx, maren, id, 0, planning.Brief{Title: row.Title, Brief: row.Brief, WordsFrom: row.WordsFrom, WordsTo: row.WordsTo, Owner: row.Owner, Answers: map[string]string{"angle": "Told by who does it.", "audience": "Readers"}}))
}

// A lead makes a brief somebody can start on: what is missing is said, a machine drafts
// it, a person corrects it, and a title is chosen.
func TestABriefIsMadeSomebodyCanStartOn(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	path := s.pieceNamed("Bolting cloth, thread by thread")
	u.open(path)
	u.see("The brief does not say “Angle”")
	u.press("Edit brief")
	u.see("Before Draft can begin, it needs: angle and audience.")
	u.press("Draft what is missing")
	u.see("A machine drafted this from its title and 3 notes")
	u.see("drafted, correct it")
	if n := u.eval(`() => document.querySelectorAll("[name=heading]").length`); n != "5" {
		t.Errorf("%s headings are drafted", n)
	}
	u.fill("#p-audience", "Readers who sieve their own flour")
	u.press("Save")
	u.see("The brief is saved.")
	u.see("Not said yet:")
	u.fill("#c-new", "The roll of silk")
	u.press("Propose")
	u.see("The roll of silk")
	u.must(u.find("[aria-label='Choose “What holds the bran back”']").Click("left", 1))
	u.see("Chosen by Maren")
	u.see("Brief: What holds the bran back")

	file := filepath.Join(t.TempDir(), "silk.txt")
	if err := os.WriteFile(file, []byte("Nine finenesses, No. 0 to No. 16."), 0o600); err != nil {
		t.Fatal(err)
	}
	u.unfold("Add a note, link or file")
	u.fill("#n-text", "The list itself")
	u.must(u.find("#n-file").SetFiles([]string{file}))
	u.press("Add it")
	u.see("silk.txt")
	if got := u.eval(`async () => (await fetch(document.querySelector("[href^='/files/']").href)).headers.get("Content-Disposition")`); !strings.HasPrefix(got, "attachment; filename*=UTF-8''silk.txt") {
		t.Errorf("it is sent as %s", got)
	}
}

// A writer finds the outline in the copy, and its advice goes where they write.
func TestTheOutlineAdvisesUntilSomebodyWrites(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	path := s.pieceNamed("Winter bread letter")
	u.open(path)
	advice := func() string {
		return u.eval(`() => [...document.querySelectorAll(".ql-editor [data-advice]")].filter((p) => getComputedStyle(p, "::before").content !== "none").map((p) => p.dataset.advice).join("|")`)
	}
	all := "Greet nobody. Begin with what happened this week.|One recipe, three sentences.|One date, one place, how to get in."
	if got := advice(); got != all {
		t.Fatalf("advised %q", got)
	}
	u.must(u.find(".ql-editor").Focus())
	u.eval(`() => { const p = document.querySelector(".ql-editor p"); getSelection().collapse(p, 0) }`)
	u.must(u.page.InsertText("The ovens are on."))
	u.keys(input.Enter)
	u.must(u.page.InsertText("All of them."))
	u.keys(input.Enter)
	u.seeIn("[data-state]", "Saved")
	if got := advice(); got != strings.SplitN(all, "|", 2)[1] {
		t.Errorf("advised still %q", got)
	}
	u.open(path)
	if got := u.eval(`() => [...document.querySelectorAll(".ql-editor > *")].slice(0, 4).map((p) => p.tagName + ":" + p.textContent).join("|")`); got != "P:The ovens are on.|P:All of them.|P:|H2:From the oven" {
		t.Errorf("stored as %s", got)
	}
	s.must(s.Newsroom.Copyroom.Recover(ctx)) // what was written becomes a version at once
	var words int
	s.must(s.Newsroom.DB.Get(ctx, &words, "SELECT words FROM copy WHERE piece_id = ? ORDER BY version DESC", strings.TrimPrefix(path, "/pieces/")))
	if words != 13 { // seven written, six in headings
		t.Errorf("%d words", words)
	}
}

// A brief changes under its writer, who sees what; a guide is written, and goes with it.
func TestABriefThatChangesIsShownToWhoWrites(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	lead, writer := s.as(maren, 1280), s.as(petra, 1280)
	path := s.pieceNamed("How a stone is dressed")
	lead.open(path + "/brief")
	lead.see("went to Petra, when Draft began")
	lead.fill("#p-call", "Visit Col on a Thursday.")
	lead.press("Save")
	lead.see("It changed since Draft began")
	writer.open(path)
	writer.see("Changed since Draft began")
	writer.press("The whole brief")
	writer.seeIn("ins", "Visit Col on a Thursday.")
	writer.see("How to write one")
	writer.see("What goes back")
	if n := writer.printed(); n != 1 {
		t.Errorf("the brief is printed on %d pages", n)
	}

	lead.open("/formats/1/guide")
	lead.must(lead.find(".ql-editor").Focus())
	lead.eval(`() => getSelection().selectAllChildren(document.querySelector(".ql-editor"))`)
	lead.must(lead.page.InsertText("One place, one person, one question."))
	lead.fill("#example", "999999")
	lead.press("Save as version 3")
	lead.see("There is no piece of the number “999999”")
	lead.seeIn(".ql-editor", "one question.")
	lead.fill("#example", "")
	lead.press("Save as version 3")
	lead.see("The guide is saved, version 3.")
	writer.open(path + "/brief")
	writer.see("One place, one person, one question.")
}

// printed is on how many pages of A4 the page would be printed.
func (u *user) printed() int {
	u.t.Helper()
	return u.printedOn(8.27, 11.69)
}

// printedOn is on how many pages of a size in inches the page would be printed.
func (u *user) printedOn(wide, high float64) int {
	u.t.Helper()
	pdf, err := u.page.PDF(&proto.PagePrintToPDF{PaperWidth: &wide, PaperHeight: &high, PreferCSSPageSize: true})
	u.must(err)
	b, err := io.ReadAll(pdf)
	u.must(err)
	return len(regexp.MustCompile(`/Type\s*/Page\b[^s]`).FindAll(b, -1))
}

// A new edition begins with the old copy; the old piece stays as it was.
func TestAnotherEditionGoesThroughTheRouteAgain(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	old := s.pieceNamed("Bread without a mill")
	u.open(old)
	u.unfold("Another like it…")
	u.press("Another edition of it")
	u.see("it begins with its copy and its whole brief")
	u.act(func() { u.must(u.named("Make it, and begin its first leg").Click("left", 1)) })
	u.see("is made, and its first leg has begun")
	var p relay.Piece
	s.must(s.Newsroom.DB.Get(ctx, &p, "SELECT id, edition, from_piece, copy_version, title FROM piece ORDER BY id DESC LIMIT 1"))
	if fmt.Sprintf("/pieces/%d", p.FromPiece) != old || p.Edition != 2 || p.CopyVersion != 1 || p.Title != "Bread without a mill" {
		t.Errorf("%+v", p)
	}
	u.open(fmt.Sprintf("/pieces/%d/brief", p.ID))
	u.see("The first edition")
}
