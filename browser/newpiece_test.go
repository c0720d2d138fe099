package browser

import (
	"fmt"
	"strings"
	"testing"
)

// The form of a new piece offers what fits: channels on which the format goes out, people who
// run a leg; and says before anything is made what a partner will see of it.
func TestTheFormOfANewPieceOffersWhatFits(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/pieces/new")
	format := func(name string) {
		u.eval(`(n) => { const f = document.getElementById("format"); f.value = [...f.options].find((o) => o.text === n).value; f.dispatchEvent(new Event("change", { bubbles: true })) }`, name)
		u.waits(`() => document.querySelector("[name=planned]")?.value === document.getElementById("format").value`, "the legs of "+name+" do not come")
	}
	channels := `() => [...document.getElementById("channel").options].filter((o) => o.value && !o.disabled).map((o) => o.text).join()`
	for name, want := range map[string]string{"Recipe": "Web,Letter", "Audio": "Audio", "Partner piece": "Old Weir,Tern School"} {
		format(name)
		if got := u.eval(channels); got != want {
			t.Errorf("%s goes out on %v, want %v", name, got, want)
		}
	}
	format("Partner piece")
	u.seeIn("[data-seen]", "Old Weir Co-op will see this title at once")
	u.eval(`() => { const c = document.getElementById("channel"); c.value = [...c.options].find((o) => o.text === "Tern School").value; c.dispatchEvent(new Event("change", { bubbles: true })) }`)
	u.seeIn("[data-seen]", "Tern Bakery School will see this title at once")
	format("Feature") // a channel that does not fit goes with what it was chosen for
	u.waits(`() => document.getElementById("channel").value === "" && !document.querySelector("[data-seen]")`, "a channel stays on which the format does not go out")
	if got := u.eval(`() => [...document.querySelector("[name=holder-draft]").options].map((o) => o.text.split(",")[0]).join()`); !strings.Contains(got, "Yusuf") || strings.Contains(got, "Bram") || strings.Contains(got, "Hollis") {
		t.Errorf("for the draft are offered %v", got)
	}

	// From a slot: its channel is chosen, and formats of other channels stand apart.
	u.open("/pieces/new?channel=" + u.eval(`() => [...document.getElementById("channel").options].find((o) => o.text === "Letter").value`))
	if got := u.eval(`() => [...document.querySelectorAll("#format > option[data-channels]")].map((o) => o.text).sort().join()`); got != "Feature,Letter,Recipe" {
		t.Errorf("offered first are %v", got)
	}
	format("Audio")
	u.waits(`() => document.getElementById("channel").value === ""`, "the channel of the slot stays for what does not go out there")
}

// The three ends of a new piece: it begins, it is kept without beginning, or it begins and the
// form is there for another like it.
func TestTheThreeEndsOfANewPiece(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/pieces/new?format=1")
	u.fill("#title", "Rye in three fields")
	u.press("Make it, and another like it")
	u.see("Here is the form for the next")
	if got := u.eval(`() => [document.getElementById("title").value, document.getElementById("format").value, document.getElementById("date").value].join("|")`); got != "|1|" {
		t.Errorf("the form for the next has %v", got)
	}
	u.waits(`() => !!document.querySelector("[name=holder-draft]")`, "its legs are not there")
	u.fill("#title", "Rye in four fields")
	u.press("Keep it without beginning")
	u.see("Nothing of it runs, and nobody was told")
	u.see("Kept without beginning")
	u.open("/lineup")
	u.seeIn("[data-part=tray]", "Rye in four fields")
	u.seeIn("[data-part=tray]", "not begun")

	// Begun from its page, it is with whoever has its first leg.
	u.press("Rye in four fields")
	u.press("Begin it")
	u.see("Begun. Now")
	if got := u.eval(`() => document.body.textContent.includes("Kept without beginning")`); got == "true" {
		t.Error("it is still kept")
	}

	// A request is taken the same way.
	u.open("/requests/2")
	u.see("Take it without beginning")
}

// Somebody falls ill: what they have is shown with who could take it, and handed over with the
// days off in one act.
func TestSomebodyIsAwayAndHandsOver(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/load")
	u.eval(`() => { document.querySelector("a[href='/people/3/handover']").click() }`)
	u.see("Yusuf is away")
	u.seeIn("[data-answer]", "legs fall on these days")
	if got := u.eval(`() => [...document.querySelectorAll("select[name^='to ']")].filter((x) => x.selectedOptions[0].text.startsWith("waits for Yusuf")).length`); got == "0" {
		t.Error("nothing may wait")
	}
	grit := s.titled("Millstone grit")
	u.choose(fmt.Sprintf("select[name='to %d draft']", grit), "2")
	u.press("Enter the days off")
	u.see("off for Yusuf")
	u.see("Millstone grit")
	u.see("Answer readers: Yusuf, then ") // of pieces that are out
	u.press("Do it")
	var holder int
	s.must(s.Newsroom.DB.Get(ctx, &holder, "SELECT holder FROM leg WHERE piece_id = ? AND key = 'draft'", grit))
	if holder != 2 {
		t.Errorf("the draft is with %d", holder)
	}

	// Who is not there is said of themselves, and leads are told.
	v := s.as(yusuf, 390)
	v.open("/me")
	v.press("I am away…")
	v.see("You are away")
}
