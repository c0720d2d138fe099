package browser

import (
	"sync"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// A lead offers a leg for a fee; two freelancers read the brief and press Take at once.
// One has it and writes, the other is told kindly; then it is given back, and is open again.
func TestTwoFreelancersTakeTheSameLegAtOnce(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	other, _, err := s.Newsroom.Settings.SavePerson(ctx, maren, 1, store.Person{Name: "Gwen Corran", Mail: "gwen@corran.example", Access: relay.Freelance, Does: "Writes, freelance", Roles: []string{"write"}, Hours: "0,240,240,240,240,0,0", Desks: []ref.Desk{1}})
	s.must(err)
	cloth := s.titled("Bolting cloth, thread by thread")
	s.briefed(cloth)
	lead, one, two := s.as(maren, 1280), s.as(petra, 1280), s.as(int(other), 390)
	lead.open("/open")
	lead.see("Nobody has these")
	lead.open(s.pieceNamed("Bolting cloth, thread by thread") + "/legs/draft")
	lead.unfold("Offer it for a fee")
	lead.eval(`() => { for (const x of document.querySelectorAll("[name=to]")) x.checked = x.parentElement.textContent.includes("freelance") }`)
	lead.fill("#fee", "240.50")
	lead.press("^Offer it$")
	lead.see("It is offered.")

	for _, u := range []*user{one, two} {
		u.open("/open")
		u.see("Draft: Bolting cloth")
		u.see("£240.50")
		u.press("Draft: Bolting cloth, thread by thread")
		u.see("How to write one")
		u.open("/open")
	}
	var wg sync.WaitGroup
	for _, u := range []*user{one, two} {
		wg.Add(1)
		go func() {
			defer wg.Done()
			u.press("Take it")
		}()
	}
	wg.Wait()
	winner, loser := one, two
	if s.leg(cloth, "draft").Holder == other {
		winner, loser = two, one
	}
	winner.see("It is yours now.")
	loser.see("was taken a moment ago. Thank you for offering.")
	loser.open("/inbox")
	loser.see("took Draft a moment ago")
	winner.open("/open")
	winner.see("Taken by you")
	winner.unfold("Give it back")
	winner.press("^Give it back$")
	winner.see("It is open again; the owner is told.")
	loser.open("/open")
	loser.see("Draft: Bolting cloth")
	lead.open("/inbox")
	lead.see("gave Draft back; nobody has it now.")
}

// A freelancer types every address of what they must not see, and is refused with a
// sentence; the page of the leg that is open to them shows brief and guide alone.
func TestAFreelancerIsRefusedWhatIsNotTheirs(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(petra, 1280)
	cloth, tide := s.pieceNamed("Bolting cloth, thread by thread"), s.pieceNamed("The last tide mill on the Severn")
	for _, path := range []string{tide, tide + "/brief", tide + "/brief/sheet", tide + "/logbook", cloth + "/logbook", cloth + "/ways", cloth + "/legs/edit", "/lineup", "/track", "/load", "/propose", "/requests", "/requests/2", "/forms", "/forms/1", "/sitting", "/bring", "/bring/1", "/pitches", "/ideas/5", "/logbook", "/post", "/people/3", "/formats/1", "/pieces/new"} {
		u.open(path)
		if got := u.eval(`() => document.querySelector("h1").innerText`); got != "There is nothing here" && got != "This is not yours to do" {
			t.Errorf("%s opens as %q", path, got)
		}
	}
	u.open(cloth)
	u.see("The copy is for those who work on the piece.")
	u.see("Silk, sieves and the people who mended them.")
	u.press("The whole brief")
	u.see("How to write one")
	for _, secret := range []string{"Titles to choose from", "Research", "A mill in Corran"} {
		if u.eval(`(t) => String(document.body.innerText.includes(t))`, secret) == "true" {
			t.Errorf("they read %q", secret)
		}
	}
}
