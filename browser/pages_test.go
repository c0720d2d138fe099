package browser

import (
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/proto"

	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// place is a page to look at, and who looks.
type place struct {
	name, path string
	who        int
}

func (s *site) places(t *testing.T) []place {
	t.Helper()
	piece := func(title string) string {
		var id int64
		s.must(s.Newsroom.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = ?", title))
		return fmt.Sprintf("/pieces/%d", id)
	}
	tide := piece("The last tide mill on the Severn")
	var slug string
	s.must(s.Newsroom.DB.Get(ctx, &slug, "SELECT slug FROM site_page WHERE channel = 'web' LIMIT 1"))
	var heard string
	s.must(s.Newsroom.DB.Get(ctx, &heard, "SELECT slug FROM site_page WHERE extra LIKE '%audio/mpeg%' LIMIT 1"))
	return []place{
		{"today of a lead", "/", maren}, {"today of a writer", "/", yusuf}, {"today of a freelancer", "/", petra},
		{"new piece", "/pieces/new?format=1&date=2026-12-16&time=08:00", maren}, {"new piece, nothing chosen", "/pieces/new", maren},
		{"piece of its holder", tide, maren}, {"piece of somebody else", tide, dao}, {"short piece", piece("How a stone is dressed"), petra},
		{"piece that came back", piece("The night boat to Skelder"), yusuf}, {"piece of a partner", piece("Old Weir’s first harvest"), bram},
		{"open leg", piece("Flour dust and lungs: what the miller knew"), dao}, {"ready piece", piece("Six ovens, one village"), maren},
		{"missed piece", piece("Who owns the weir"), maren}, {"unplaced piece", piece("The miller’s tithe"), maren}, {"piece that is out", piece("Bread without a mill"), maren},
		{"lineup", "/lineup", maren}, {"two weeks", "/lineup?weeks=2&hue=format&card=owner&card=tags", yusuf}, {"a quarter", "/lineup?weeks=13&hue=person", maren}, {"due dates", "/lineup?show=due", maren},
		{"lineup by channel", "/lineup?rows=channel", maren}, {"lineup by campaign", "/lineup?rows=campaign&pace=short", maren}, {"lineup, nothing", "/lineup?title=zzz", maren}, {"lineup, not understood", "/lineup?due=soon", maren},
		{"what can be done", tide + "/do", maren}, {"sending on", tide + "/sendon?format=2", maren}, {"half sent on", "/misplaced", maren}, {"sending back", piece("The night shift at Quern Street") + "/back?leg=cut", maren}, {"an open slot", s.slot(), maren},
		{"track", "/track", maren}, {"track of people", "/track?lanes=person&hue=priority", maren}, {"track of campaigns", "/track?lanes=campaign&since=30", ruth},
		{"load", "/load", maren}, {"load in pieces, unfolded", "/load?count=pieces&unfold=3,6", yusuf}, {"load of eight weeks", "/load?weeks=8", maren}, {"lineup in a sketch", "/lineup?sketch=1", maren}, {"load in a sketch", "/load?sketch=1", maren}, {"a sketch", "/sketches/1", maren}, {"sketches", "/sketches", maren}, {"sketches, none", "/sketches", yusuf}, {"after release", "/after", maren}, {"release sheet", piece("Six ovens, one village") + "/sheet", maren}, {"release sheet of its writer", piece("Rye, slowly") + "/sheet", yusuf}, {"what a channel asks", "/channels/1/asks", maren}, {"how pieces get to a channel", "/channels/4/outlet", maren}, {"how letters get to readers", "/channels/2/outlet", maren}, {"sheet of what is out", piece("Bread without a mill") + "/sheet", maren}, {"where pieces are announced", "/desks/1/places", maren}, {"after release of a freelancer", "/after", petra}, {"after release, nothing", "/after", bram},
		{"list with groups and sums", "/pieces?pace=running&group=campaign&cols=title,owner,left,priority,tags,x2,hand&sort=-due,title", maren}, {"list of a freelancer", "/pieces?pace=running", petra}, {"filtering", "/filter?at=%2Flineup%3Fpace%3Dshort%26due%3D0..%252B12", maren}, {"filtering of a freelancer", "/filter?at=%2Fpieces", petra},
		{"changing a cell", "/cells/priority?pieces=" + strings.TrimPrefix(tide, "/pieces/"), maren}, {"changing a field", "/cells/x2?pieces=" + strings.TrimPrefix(tide, "/pieces/"), maren}, {"changing several", "/cells/out?pieces=" + strings.TrimPrefix(tide, "/pieces/") + ",1", maren},
		{"find", "/find?q=tdie+mill", maren}, {"find in copies", "/find?q=sluice", yusuf}, {"find, nothing", "/find?q=zzzz", petra}, {"topics and campaigns", "/topics?topic=1&campaign=2", maren},
		{"pieces", "/pieces", maren}, {"pieces, none", "/pieces?text=zzz", maren}, {"inbox", "/inbox", maren}, {"logbook", "/logbook", maren},
		{"logbook of a piece", tide + "/logbook", maren}, {"post room", "/post", maren}, {"a mail", "/post/1", maren}, {"house rules", "/rules", maren}, {"house rules of staff", "/rules", yusuf}, {"a house rule", "/rules/1", maren}, {"a new house rule", "/rules/new", maren}, {"a trial", "/rules/3/try?days=30", maren}, {"a review", piece("Old Weir’s first harvest") + "/review", bram}, {"a review by private link", s.link("joan"), 0}, {"page of a partner", "/partner", bram}, {"a partner", "/partners/1", maren}, {"a new partner", "/partners/new", maren}, {"words", "/words?key=handoff&words={leg}", maren}, {"chats", "/chats", maren}, {"what is kept", "/kept", maren}, {"moving out", "/out", maren}, {"how one is told", "/me?codes=on", yusuf}, {"who may do what", "/access", yusuf}, {"another password", "/forgot", 0}, {"unread", "/inbox?which=unread", maren}, {"desk", "/desk", maren}, {"desk of staff", "/desk", yusuf},
		{"ways out", piece("How a stone is dressed") + "/ways", maren}, {"no ways out", tide + "/ways", maren}, {"who could run a leg", piece("Flour dust and lungs: what the miller knew") + "/legs/pictures", maren},
		{"who could run a leg, for a freelancer", piece("How a stone is dressed") + "/legs/draft", petra}, {"people for open legs", "/propose", maren}, {"somebody is away", "/people/3/handover", maren}, {"I am away", "/people/4/handover", petra},
		{"how the desk works", "/desks/1", maren}, {"another desk", "/desks/new", maren}, {"a channel", "/channels/3", maren}, {"a slot", "/channels/1?slot=1", maren}, {"another channel", "/channels/new", maren},
		{"a person", "/people/4", maren}, {"somebody new", "/people/new", maren}, {"a format", "/formats/1", maren}, {"a new format", "/formats/new", maren}, {"running pieces of a format", "/formats/1/pieces", maren},
		{"ideas", "/ideas", maren}, {"ideas of a freelancer", "/ideas?state=all", petra}, {"an idea", "/ideas/3", maren}, {"catch", "/catch", yusuf},
		{"brief of its owner", tide + "/brief", maren}, {"brief of its writer", tide + "/brief", yusuf}, {"guide of a lead", "/formats/1/guide", maren}, {"guide of a writer", "/formats/1/guide", yusuf},
		{"bringing in", "/bring", maren}, {"open legs of a lead", "/open", maren}, {"open legs of a freelancer", "/open", petra}, {"requests", "/requests", maren}, {"pitches", "/pitches", maren}, {"pitches of a partner", "/pitches", bram}, {"triage", "/requests/2", maren}, {"a request that is settled", "/requests/1", maren}, {"forms", "/forms", yusuf}, {"a form", "/forms/1", maren}, {"asking", "/ask/a-piece-please", 0},
		{"campaigns", "/campaigns", maren}, {"a campaign with other days", "/campaigns/2?to=2027-01-15", maren}, {"campaigns of staff, a year", "/campaigns/1?months=12", yusuf}, {"regulars", "/regulars", maren}, {"regulars of staff", "/regulars?year=2025", yusuf}, {"a regular", "/regulars/2", maren}, {"a new regular", "/regulars/new", maren},
		{"reports", "/reports?long=year", maren}, {"reports of staff", "/reports?by=writer", yusuf}, {"reports of a month without anything", "/reports?long=month&on=2019-02-01", maren}, {"goals", "/reports/goals", maren}, {"a month on one page", "/reports/month?on=2026-10-01", maren}, {"what the desk can carry", "/reports/capacity?more=copy+edit&away=3&weeks=3&mix-2=12", maren}, {"measures", "/reports/measures?measure=2", maren}, {"bringing in figures", "/reports/figures", yusuf}, {"what was learnt", "/reports/learnt", yusuf},
		{"fees", "/fees", maren}, {"fees of a month without any", "/fees?on=2019-02-01", maren}, {"rates", "/fees/rates?rate=1", maren}, {"budgets", "/fees/budgets?budget=1", maren}, {"a statement", "/fees/statements/5", maren}, {"a statement, for whom it is", "/fees/statements/5", petra}, {"what somebody earns", "/fees/mine", petra}, {"pieces behind a number", "/reports/behind?behind=now.0.4.0.Draft", maren},
		{"planning sitting", "/sitting?idea=12&format=1", maren}, {"another edition", "/pieces/new?edition=yes&from=" + strings.TrimPrefix(tide, "/pieces/"), maren},
		{"queries", "/queries?which=all", maren}, {"queries, none", "/queries", petra}, {"versions", tide + "/versions", maren}, {"versions compared", tide + "/versions?from=e0&to=now&all=yes", yusuf},
		{"calendars", "/calendars", maren}, {"calendars of a freelancer", "/calendars?what=query&query=pace%3Drunning", petra}, {"programs", "/programs", yusuf}, {"what programs can ask for", "/api", maren}, {"events for programs", "/receivers", maren}, {"what was posted", s.receiver(), maren}, {"days off from a calendar", "/people/2/daysoff", maren},
		{"not found", "/pieces/999999", maren}, {"not yours", "/post", yusuf},
		{"sign in", "/signin", 0}, {"channel", "/site/web", 0}, {"page of a channel", "/site/web/" + slug, 0}, {"page with a recording", "/site/audio/" + heard, 0},
	}
}

// receiver is the page of a program that hears of something.
func (s *site) receiver() string {
	s.must(s.Newsroom.Programs.SaveReceiver(ctx, maren, store.Receiver{DeskID: 1, Name: "Shop", URL: "https://shop.example/events", Kinds: "piece.updated", IsOn: true}))
	s.must(s.Newsroom.Planning.EditPieces(ctx, maren, []planning.Edit{{Piece: 391, AddTag: "heard"}}))
	return "/receivers/1"
}

// slot is the page of an open slot.
func (s *site) slot() string {
	b, err := s.Newsroom.Setup(ctx)
	s.must(err)
	return fmt.Sprintf("/slots/1?at=%d", b.Slots(1, s.Newsroom.Now())[1])
}

// Every page, at the width of a desk and of a phone: axe-core finds nothing
// serious, nothing sticks out to the side, and the browser has no complaint.
func TestEveryPageIsFitForEverybody(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("testdata/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	const parts = 4
	for part := range parts {
		t.Run(fmt.Sprint(part), func(t *testing.T) {
			t.Parallel()
			s := newSite(t)
			users := map[int]*user{0: s.visitor(1280)}
			for i, p := range s.places(t) {
				if i%parts != part {
					continue
				}
				u, ok := users[p.who]
				if !ok {
					u = s.as(p.who, 1280)
					users[p.who] = u
				}
				u.open(p.path)
				if slices.Contains(variants, p.name) {
					u.isFitAt(p.name, string(axe), 1280)
					continue
				}
				u.isFit(p.name, string(axe))
			}
		})
	}
	t.Run("setting up", func(t *testing.T) {
		t.Parallel()
		empty := emptySite(t).visitor(1280)
		empty.open("/")
		empty.see("Set up your newsroom")
		empty.isFit("setting up", string(axe))
	})
}

// variants are other settings of pages that are looked at in both widths already.
var variants = []string{
	"half sent on", "two weeks", "due dates", "lineup by channel", "lineup, nothing", "lineup, not understood", "track of campaigns", "load in pieces, unfolded", "load of eight weeks", "changing a field", "changing several",
	"find in copies", "find, nothing", "new piece, nothing chosen", "logbook of a piece", "a mail", "another channel", "somebody new", "a new format", "another desk", "no ways out", "ideas of a freelancer", "a request that is settled", "forms", "another edition", "bringing in", "guide of a writer", "pieces, none", "not yours", "queries, none", "versions compared", "house rules of staff", "a new house rule", "a partner", "a new partner", "words", "chats", "who may do what", "another password", "unread",
}

// inColour are the pages whose contrast is looked at: between them they use every colour
// and every class there is, and it takes axe longer than all the rest.
var inColour = []string{
	"today of a lead", "lineup", "track", "load", "pieces", "piece of its holder", "short piece", "missed piece", "ideas", "a format", "ways out", "queries", "brief of its owner", "triage", "bringing in", "find",
	"house rules", "a house rule", "a trial", "a review", "page of a partner", "inbox", "how one is told", "post room", "logbook", "desk", "sign in", "setting up", "page of a channel", "catch",
}

// forThePhone are the pages that show other things on a phone than at a desk.
var forThePhone = []string{"today of a writer", "lineup", "track", "load", "pieces", "piece of its holder", "piece of a partner", "inbox", "find", "sign in", "new piece", "what can be done", "ideas", "catch", "setting up", "queries", "a review by private link", "page of a partner"}

// isFit checks the page that is open at both widths.
func (u *user) isFit(name, axe string) {
	u.t.Helper()
	u.isFitAt(name, axe, 1280, 390)
}

func (u *user) isFitAt(name, axe string, widths ...int) {
	u.t.Helper()
	for _, width := range widths {
		u.must(u.page.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: width, Height: 800, DeviceScaleFactor: 1, Mobile: width < 500}))
		if wide := u.eval(`() => document.documentElement.scrollWidth - innerWidth`); wide != "0" && !strings.HasPrefix(wide, "-") {
			u.t.Errorf("%s at %d: %s px stick out: %s", name, width, wide, u.eval(`() => [...document.querySelectorAll("body *")].filter(e => e.getBoundingClientRect().right > innerWidth + 1).slice(0, 4).map(e => e.outerHTML.slice(0, 90)).join("\n")`))
		}
		if width != widths[0] && !slices.Contains(forThePhone, name) {
			continue // the same elements, one below the other
		}
		for _, v := range u.axe(axe, width == widths[0] && slices.Contains(inColour, name)) {
			u.t.Errorf("%s at %d: %s", name, width, v)
		}
	}
}

// axe gives what axe-core finds against WCAG 2.2 A and AA on the page. Contrast, which
// takes longest and is the same at every width, is looked at where it is asked for.
func (u *user) axe(source string, contrast bool) []string {
	u.t.Helper()
	u.eval(`(src) => { if (!window.axe) { const m = { exports: {} }; (new Function("module", "exports", src)).call(window, m, m.exports); window.axe = window.axe || m.exports } }`, source)
	out := u.eval(`async (contrast) => { const r = await axe.run(document, { runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"],
			resultTypes: ["violations"], rules: { "color-contrast": { enabled: contrast } } });
		return JSON.stringify(r.violations.map(v => v.impact + " " + v.id + ": " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 140) + " " + (n.any[0]?.message ?? "")).join(" | "))) }`, contrast)
	var found []string
	if err := json.Unmarshal([]byte(out), &found); err != nil {
		u.t.Fatal(err)
	}
	return found
}

// link is the private link that somebody got by mail.
func (s *site) link(mail string) string {
	s.must(s.Newsroom.Notify.DeliverMail(ctx))
	var text string
	s.must(s.Newsroom.DB.Get(ctx, &text, `SELECT text FROM room_mail WHERE "to" LIKE ? ORDER BY id DESC LIMIT 1`, "%"+mail+"%"))
	_, path, _ := strings.Cut(text, "/review/")
	token, _, _ := strings.Cut(path, "\n")
	return "/review/" + strings.TrimSpace(token)
}
