package browser

import (
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/review"
	"greenbaton/store"
)

// goesRounds lets the house go its round as it does when it runs.
func (s *site) goesRounds() {
	stop := make(chan struct{})
	var wg sync.WaitGroup
	wg.Go(func() {
		for {
			select {
			case <-stop:
				return
			case <-time.After(300 * time.Millisecond):
				if err := s.Newsroom.Tick(ctx); err != nil {
					s.t.Error(err)
				}
			}
		}
	})
	s.t.Cleanup(func() { close(stop); wg.Wait() })
}

// What a leg asks for is shown as it is, whoever changes it: words as they are written, steps,
// queries, verdicts; and the button that passes it with it.
func TestWhatALegAsksForFollowsWhatChanges(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	id := s.titled("Millstone grit")
	path := fmt.Sprintf("/pieces/%d", id)
	s.goesRounds()
	holder, other := s.as(yusuf, 1280), s.as(maren, 1280)
	holder.openCopy(path)
	asks := func() string { return holder.eval(`() => document.querySelector("[data-asks=before]").innerText`) }
	was := asks()
	if !strings.Contains(was, "words") {
		t.Fatalf("it asks for no words: %q", was)
	}
	other.openCopy(path)
	holder.eval(`() => { const q = document.querySelector("[data-copy]").copy.quill; q.setContents([{ insert: "\n" }], "user"); q.focus(); q.setSelection(0, 0) }`)
	holder.must(holder.page.InsertText(strings.Repeat("stone ", 37)))
	for _, u := range []*user{holder, other} {
		u.seeIn("[data-asks=before]", "37 words")
	}
	holder.must(holder.find("[data-asks=go] summary[data-pass]").Click("left", 1))
	holder.seeIn("[data-asks=go]", "Before it can be passed")

	steps, err := store.StepsOf(ctx, s.Newsroom.DB.View(), []ref.Piece{id})
	s.must(err)
	ticked := ""
	for _, x := range steps[id] {
		if row := s.stored(id); x.DoneBy == 0 && row.Leg("draft") != nil && x.Leg == "draft" {
			s.must(s.Newsroom.Planning.TickStep(ctx, maren, id, x.ID, true))
			ticked = x.Text
			break
		}
	}
	if ticked != "" {
		holder.waits(`() => [...document.querySelectorAll("[data-asks=before] [role=checkbox][aria-checked=true], [data-asks=before] .tickbox-met")].length > 0`, "the step that somebody ticked")
	}
	if open := holder.eval(`() => String(document.querySelector("[data-asks=go] details.pop [data-pass]").parentElement.open)`); open != "true" {
		t.Error("what was unfolded is folded up")
	}
	holder.eval(`() => { const q = document.querySelector("[data-copy]").copy.quill; q.insertText(0, "stone ".repeat(2000), "user") }`)
	other.seeIn("[data-asks=before]", "2,037")
}

// What is typed where a leg is passed all the same is not drawn over.
func TestAReasonThatIsTypedStaysWhenWhatIsAskedForChanges(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	id := s.titled("Millstone grit")
	u := s.as(maren, 1280)
	u.openCopy(fmt.Sprintf("/pieces/%d", id))
	u.must(u.find("[data-asks=go] summary[data-pass]").Click("left", 1))
	u.focus("#why")
	u.must(u.page.InsertText("The printer waits"))
	_, err := s.Newsroom.Copyroom.SaveCopy(ctx, yusuf, id, copyroom.OnNewest, copy.FromPlain("Fifteen words are here, which is not enough, but more than there were before.").JSON())
	s.must(err)
	u.must(u.page.InsertText(" for it"))
	u.must(u.find("h1").Click("left", 1))
	u.seeIn("[data-asks=before]", "14")
	if got := u.eval(`() => document.querySelector("#why").value`); got != "The printer waits for it" {
		t.Errorf("typed is %q", got)
	}
}

// A reviewer without an account points at a picture, and settles what only they may.
func TestAGuestAsksAboutAPictureAndSettles(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	id := s.titled("The last tide mill on the Severn")
	_, err := s.Newsroom.Review.Invite(ctx, maren, review.Invite{Piece: id, Name: "Joan Arkell", Mail: "joan@skelder.example", May: store.MayComment})
	s.must(err)
	link := s.newLink("joan@skelder.example")
	var joan ref.Person
	s.must(s.Newsroom.DB.Get(ctx, &joan, "SELECT id FROM person WHERE mail = 'joan@skelder.example'"))
	_, err = s.Newsroom.Copyroom.AskAbout(ctx, maren, id, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "Is the lease of 1794?", ForID: joan, Only: true}})
	s.must(err)
	u := s.visitor(390)
	u.open(link)
	u.see("Is the lease of 1794?")
	u.press("Settle it")
	u.see("settled")
	u.see("Open it again")

	m := s.as(maren, 1280)
	m.openCopy(fmt.Sprintf("/pieces/%d", id))
	if got := m.eval(`() => [...document.querySelectorAll("#ask-for option")].map((o) => o.textContent).join()`); !strings.Contains(got, "Joan Arkell, asked from outside") {
		t.Errorf("somebody from outside cannot be asked: %s", got)
	}
}
