package browser

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/proto"

	"greenbaton/core/notification"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/rules"
	"greenbaton/store"
)

// newLink is the newest private link that somebody got by mail.
func (s *site) newLink(mail string) string {
	s.t.Helper()
	path := s.link(mail)
	if path == "/review/" {
		s.t.Fatalf("%s got no private link", mail)
	}
	return path
}

// A partner's reader, without an account and on a phone, asks about words and sends back;
// the writer is told, changes it and passes; the reader sees what changed and signs off; the
// piece goes on by itself, a house rule gives the next leg to somebody and tells three
// people in three ways.
func TestAPartnerReviewsOnAPhoneWithoutAnAccount(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	var id ref.Piece
	s.must(s.Newsroom.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = 'Old Weir’s first harvest'"))
	path := fmt.Sprintf("/pieces/%d", id)
	for who, how := range map[ref.Person]notification.How{maren: notification.AtOnce, yusuf: notification.Chat, dao: notification.Daily} {
		x, err := s.Newsroom.Notify.TellingOf(ctx, who)
		s.must(err)
		x.How = map[notification.Topic]notification.How{notification.Nudge: how}
		s.must(s.Newsroom.Notify.SaveTelling(ctx, who, x))
	}
	next, err := s.Newsroom.Rules.SaveRule(ctx, maren, rule.Rule{DeskID: 1, When: rule.Begins, If: []rule.Cond{{Field: "format", Op: rule.Is, Values: []string{fmt.Sprint(s.stored(id).FormatID)}}, {Field: "leg", Op: rule.Is, Values: []string{"Release"}}},
		Then: []rule.Action{{Do: rule.Give, To: []string{fmt.Sprint(dao)}}, {Do: rule.Tell, To: []string{rule.TellHolder, rule.TellOwner, fmt.Sprint(yusuf)}, Words: "{piece} is signed off; {leg} is with {holder}."}}})
	s.must(err)
	s.must(s.Newsroom.Rules.SwitchRule(ctx, maren, 1, next, true))

	lead := s.as(maren, 1280)
	lead.open(path)
	lead.unfold("Ask somebody…")
	lead.choose("#inv-leg", "yes")
	lead.choose("#inv-instead", fmt.Sprint(s.leg(id, "yes").Holder))
	lead.fill("#inv-name", "Elin Rowe")
	lead.fill("#inv-mail", "elin@oldweir.example")
	lead.fill("#inv-note", "Is the acreage right?")
	lead.press("^Ask them$")
	lead.see("Elin Rowe")

	reader := s.visitor(390)
	reader.open(s.newLink("elin"))
	reader.see("Millrace asks for your verdict")
	reader.see("Is the acreage right?")
	reader.eval(`() => { const at = document.querySelector("[data-reading] p [data-at]").firstChild, r = document.createRange(); r.setStart(at, 3); r.setEnd(at, 12); const s = getSelection(); s.removeAllRanges(); s.addRange(r); }`)
	reader.unfold("Ask about this")
	reader.fill("#words-query", "Was it not twelve?")
	reader.press("^Ask about them$")
	reader.see("It is asked")
	reader.see("Was it not twelve?")
	reader.eval(`() => document.querySelector('input[value="sent back"]').click()`)
	reader.fill("#text", "The acreage is wrong, and Joan is not named.")
	reader.press("^Send your verdict$")
	reader.see("You sent it back")

	writer := s.as(adaeze, 1280)
	writer.open("/inbox")
	writer.see("It came back to you from Elin")
	writer.see("The acreage is wrong")
	writer.open(path)
	writer.write(strings.Repeat("Twelve acres of emmer came in on a borrowed combine, and Joan Arkell drove it. ", 35))
	if q := s.query(id, "Was it not twelve?"); q != 0 {
		s.must(s.Newsroom.Copyroom.AnswerQuery(ctx, adaeze, q, "Twelve it is.", nil))
	}
	writer.open(path)
	writer.press("Pass to Maren, Edit")
	s.must(s.Newsroom.Planning.PassLeg(ctx, maren, planning.Pass{Piece: id, Leg: "edit"}))
	if l := s.leg(id, "yes"); l.State != relay.Running || l.Run != 2 {
		t.Fatalf("their yes is %s, run %d", l.State, l.Run)
	}

	reader.open(s.newLink("elin"))
	reader.see("It comes to you once more")
	reader.see("What changed since")
	reader.see("new word")
	reader.see("Twelve it is.")
	reader.eval(`() => document.querySelector('input[value="signed off"]').click()`)
	reader.press("^Send your verdict$")
	reader.see("You signed it off")

	if l := s.leg(id, "release"); l.State != relay.Running || l.Holder != dao {
		t.Fatalf("release is %s with %d", l.State, l.Holder)
	}
	s.must(s.Newsroom.Notify.DeliverMail(ctx))
	s.must(s.Newsroom.Notify.DeliverPosts(ctx))
	const says = "Old Weir’s first harvest is signed off; Release is with Dao."
	got := func(to string) bool {
		var all []string
		s.must(s.Newsroom.DB.Select(ctx, &all, `SELECT text FROM room_mail WHERE "to" LIKE ?`, "%"+to+"%"))
		return slices.ContainsFunc(all, func(x string) bool { return strings.Contains(x, says) })
	}
	if !got("maren@") || !got("chat.millrace") || got("dao@") || got("yusuf@") {
		t.Errorf("told: Maren by mail %v, Yusuf in the chat %v, Dao too early %v, Yusuf by mail %v", got("maren@"), got("chat.millrace"), got("dao@"), got("yusuf@"))
	}
	waits, err := store.Gathered(ctx, s.Newsroom.DB, dao)
	s.must(err)
	if !slices.ContainsFunc(waits, func(i store.ItemWithTitle) bool { return i.Text == says }) {
		t.Error("it does not wait for Dao’s daily mail")
	}
	lead.unfold("The demo’s clock")
	lead.press("Next working day")
	s.must(s.Newsroom.Notify.DeliverMail(ctx))
	if !got("dao@") {
		t.Error("it is not in Dao’s daily mail")
	}
	lead.open(path)
	lead.see("Elin Rowe")
	lead.see("signed it off")
}

// query finds a query about a piece by its words.
func (s *site) query(piece ref.Piece, text string) ref.Query {
	qs, err := store.QueriesOf(ctx, s.Newsroom.DB, piece)
	s.must(err)
	for _, q := range qs {
		if q.Text == text {
			return q.ID
		}
	}
	return 0
}

// A rule is put together from choices, tried on what happened, and switched on; from then
// on it does what the trial of the same days says.
func TestARuleIsTriedThenSwitchedOn(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	lead := s.as(maren, 1280)
	lead.open("/rules/new")
	lead.see("It does not run yet: choose what has to happen.")
	lead.choose("select[name=when]", "overdue")
	lead.seeIn("[data-reads]", "has been overdue for … working days")
	lead.fill("input[name=n]", "1")
	lead.eval(`() => document.querySelector("input[name=n]").dispatchEvent(new Event("change", { bubbles: true }))`)
	lead.seeIn("[data-reads]", "has been overdue for 1 working day,")
	lead.unfold("^Ask for something$")
	lead.find("select[name=if-0-field]")
	lead.choose("select[name=if-0-field]", "format")
	lead.find("select[name=if-0-value]")
	lead.choose("select[name=if-0-value]", "1")
	lead.seeIn("[data-reads]", "When a leg of a feature has been overdue for 1 working day")
	lead.choose("select[name=then-0-do]", "tell")
	lead.find("select[name=then-0-to]")
	lead.choose("select[name=then-0-to]", "leads")
	lead.seeIn("[data-reads]", "tell the leads.")
	lead.seeIn("[data-runs]", "write what is said")
	lead.fill("textarea[name=then-0-words]", "{leg} was due {due}, {price}.")
	lead.eval(`() => document.querySelector("textarea[name=then-0-words]").dispatchEvent(new Event("change", { bubbles: true }))`)
	lead.seeIn("[data-runs]", "there is no field {price}")
	lead.fill("textarea[name=then-0-words]", "{leg} was due {due}.")
	lead.press("Save and try it on the last 30 days")
	lead.seeIn("[data-answer]", "In the last 30 days it would have done something")
	b, err := s.Newsroom.Setup(ctx)
	s.must(err)
	rules := rules.HouseRules(b, 1)
	mine := rules[len(rules)-1]
	lead.press("^Switch it on$")
	lead.see("It is switched on, and followed from now on.")
	since := s.Newsroom.Now()
	lead.unfold("The demo’s clock")
	lead.press("Next week")

	trial, err := s.Newsroom.Rules.TryRule(ctx, maren, mine.Rule, 7, nil)
	s.must(err)
	_, did, err := s.Newsroom.Rules.RuleHistory(ctx, maren, 1, mine.ID, 0, 100)
	s.must(err)
	var would, was []string
	for _, w := range trial.Would {
		if w.At > since {
			would = append(would, fmt.Sprintf("%s, %s, %s", w.Title, w.Leg, w.At.In(b.Zones[1]).Format("2 Jan")))
		}
	}
	for _, x := range did {
		row := s.stored(x.PieceID)
		was = append(was, fmt.Sprintf("%s, %s, %s", x.About, row.Leg(strings.Split(x.Event, "\t")[1]).Name, x.At.In(b.Zones[1]).Format("2 Jan")))
	}
	slices.Sort(would)
	slices.Sort(was)
	if len(was) == 0 || !slices.Equal(would, was) {
		t.Errorf("the trial says\n  %s\nand it did\n  %s", strings.Join(would, "\n  "), strings.Join(was, "\n  "))
	}
	lead.open(fmt.Sprintf("/rules/%d", mine.ID))
	lead.see("Told Maren")
}

// A form that is drawn anew takes nothing from under a finger, and keeps what is typed
// while the house draws it.
func TestARedrawLosesNeitherPressNorWords(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	lead := s.as(maren, 1280)
	lead.open("/rules/new")
	const words = `document.querySelector("textarea[name=then-0-words]")`
	for _, c := range [][2]string{{"when", "created"}, {"then-0-do", "tell"}, {"then-0-to", "leads"}} {
		lead.find("select[name=" + c[0] + "]")
		lead.choose("select[name="+c[0]+"]", c[1])
	}
	lead.seeIn("[data-reads]", "tell the leads.")
	lead.eval(`() => { const s = document.querySelector("select[name=then-0-to]"); s.value = "owner"; s.dispatchEvent(new Event("change", { bubbles: true })); ` + words + `.focus(); ` + words + `.value = "Look at it." }`)
	lead.seeIn("[data-reads]", "tell the owner “Look at it.”")
	if got := lead.eval(`() => ` + words + `.value + (document.activeElement === ` + words + ` ? "" : ", and the hand is elsewhere")`); got != "Look at it." {
		t.Errorf("of what was typed is left %q", got)
	}

	const asked = `performance.getEntriesByType("resource").filter((e) => e.initiatorType === "fetch").length`
	lead.must(lead.page.InsertText(" It is there.")) // the page hears of it when the hand leaves
	lead.must(lead.named("^Save and try it").Hover())
	before := lead.eval(`() => ` + asked)
	lead.act(func() {
		lead.must(lead.page.Mouse.Down(proto.InputMouseButtonLeft, 1))
		lead.waits(`() => `+asked+` > `+before, "the form is not drawn anew")
		lead.must(lead.page.Mouse.Up(proto.InputMouseButtonLeft, 1))
	})
	lead.see("What it would have done")
}
