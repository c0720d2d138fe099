package rooms_test

import (
	"errors"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/review"
	"greenbaton/post"
	"greenbaton/store"
)

// signing makes a house whose format has an editing leg, and one that signs off as the
// review says.
func signing(t testing.TB, review route.Review) (*testHouse, ref.Piece) {
	t.Helper()
	h := newHouse(t)
	h.Mail = post.Room{DB: h.DB}
	h.must(h.DB.Write(ctx, func(tx *store.Tx) error {
		way, err := route.Route{Legs: []route.Leg{
			{Key: "draft", Name: "Draft", Role: "write", Usual: writer, Allowance: 3, Least: 1, Effort: 300, Words: true},
			{Key: "yes", Name: "Their yes", Role: "partner", Usual: editor, Allowance: 2, Least: 1, After: []string{"draft"}, SignOff: true, Review: review},
			{Key: "release", Name: "Release", Role: "edit", Usual: editor, Allowance: 1, After: []string{"yes"}, Skip: route.SkipMay},
		}}.Check()
		if err != nil {
			return err
		}
		_, err = tx.AddRoute(ctx, store.Route{FormatID: 1, Version: 2, Way: way})
		return err
	}))
	h.Forget()
	p := h.make("12-09")
	h.write(writer, p, "four words are here")
	return h, p
}

var privateLink = regexp.MustCompile(`http://house\.example/review/(\S+)`)

// linkTo delivers the mail and gives the newest private link that somebody got.
func (x *testHouse) linkTo(mail string) review.Key {
	x.t.Helper()
	x.must(x.Notify.DeliverMail(ctx))
	var text string
	x.must(x.DB.Get(ctx, &text, `SELECT text FROM room_mail WHERE "to" LIKE ? ORDER BY id DESC LIMIT 1`, "%"+mail+"%"))
	m := privateLink.FindStringSubmatch(text)
	if m == nil {
		x.t.Fatalf("no private link in %q", text)
	}
	return review.Key{Token: m[1]}
}

// invite asks somebody for the verdict of a leg; the first in place of its holder.
func (x *testHouse) invite(piece ref.Piece, name string) {
	x.t.Helper()
	asked, err := store.ReviewersOf(ctx, x.DB.View(), piece)
	x.must(err)
	o := review.Invite{Piece: piece, Leg: "yes", Name: name, Mail: strings.ToLower(name) + "@out.example", May: store.MayComment, Note: "Is it right?"}
	if len(asked) == 0 {
		o.Instead = editor
	}
	_, err = x.Review.Invite(ctx, lead, o)
	x.must(err)
}

// asked makes a house in which Joan, who has no account, is asked for the verdict of a leg
// that runs, and gives the piece, her key and what she has before her.
func asked(t testing.TB) (*testHouse, ref.Piece, review.Key, review.Reading) {
	t.Helper()
	h, p := signing(t, route.Review{})
	h.invite(p, "Joan")
	h.pass(writer, p, "draft")
	k := h.linkTo("joan@out.example")
	r, err := h.Review.Review(ctx, k)
	h.must(err)
	return h, p, k, r
}

// somebody reads without an account, asks about words, sends back; the writer changes it;
// they see what changed and sign it off; the piece goes on by itself.
func TestSomebodyOutsideSendsBackAndThenSignsOff(t *testing.T) {
	h, p, k, r := asked(t)
	if !r.Turn || r.Text.Plain() != "four words are here\n" || r.Since != nil {
		t.Fatalf("it reads %q, asked now: %v", r.Text.Plain(), r.Turn)
	}
	_, err := h.Review.AskInReview(ctx, k, copyroom.Ask{Query: query.Query{About: query.Words, Text: "Which words?"}, Seq: r.Seq, Place: copy.Place{At: 5, Len: 5}})
	h.must(err)
	r, err = h.Review.Review(ctx, k)
	h.must(err)
	if len(r.Queries) != 1 || r.Queries[0].Quote != "words" {
		t.Fatalf("queries: %+v", r.Queries)
	}
	h.must(h.Review.SayVerdict(ctx, k, review.Verdict{Say: relay.NotYet, Text: "Say which.", Seq: r.Seq}))
	if u, err := h.LastUndo(ctx, r.Person); err != nil || u.ID != 0 {
		t.Errorf("a verdict can be taken back: %v, %v", u, err)
	}
	row := h.piece(p)
	if l := row.Leg("draft"); l.State != relay.Running || l.Holder != writer || l.Reasons != "Say which." {
		t.Fatalf("draft is %s with %d: %q", l.State, l.Holder, l.Reasons)
	}
	items, err := h.Notify.Inbox(ctx, writer, 0, 20)
	h.must(err)
	if !slices.ContainsFunc(items, func(i store.ItemWithTitle) bool { return i.Kind == "sent back" && i.Why == "Say which." }) {
		t.Error("the writer is not told why")
	}
	h.write(writer, p, "four plain words are here")
	if err := h.Planning.PassLeg(ctx, writer, planning.Pass{Piece: p, Leg: "draft"}); err == nil {
		t.Fatal("it was passed although the reviewer’s query has no answer")
	}
	h.must(h.Copyroom.AnswerQuery(ctx, writer, r.Queries[0].ID, "The plain ones.", nil))
	h.pass(writer, p, "draft")
	k = h.linkTo("joan@out.example")
	r, err = h.Review.Review(ctx, k)
	h.must(err)
	if !r.Turn || r.Since == nil || r.Since.New != 1 || r.Since.Gone != 0 || len(r.Queries[0].Answers) != 1 {
		t.Fatalf("the second time: %+v", r.Since)
	}
	h.must(h.Review.SayVerdict(ctx, k, review.Verdict{Say: relay.WithNotes, Text: "A comma after plain, perhaps.", Seq: r.Seq}))
	row = h.piece(p)
	if row.Leg("yes").State != relay.Passed || row.Leg("release").State != relay.Running {
		t.Errorf("yes is %s, release %s", row.Leg("yes").State, row.Leg("release").State)
	}
	m, _, err := h.Copyroom.MarginOf(ctx, editor, p)
	h.must(err)
	if !slices.ContainsFunc(m.Queries, func(q copyroom.QuerySheet) bool {
		return q.Text == "A comma after plain, perhaps." && q.ForID == editor && !q.Settled()
	}) {
		t.Error("the notes are no query for whoever has it next")
	}
	said, err := store.VerdictsOf(ctx, h.DB, p)
	h.must(err)
	if len(said) != 2 || said[0].Hash == said[1].Hash || len(said[1].Hash) != 64 || said[1].CopyVersion != row.CopyVersion {
		t.Errorf("verdicts: %+v", said)
	}
}

// A verdict counts for the copy that was read, and for no other.
func TestAVerdictOnACopyThatChangedMeanwhileDoesNotCount(t *testing.T) {
	h, p, k, r := asked(t)
	_, err := h.Copyroom.SaveCopy(ctx, lead, p, copyroom.OnNewest, copy.FromPlain("quite other words are here").JSON())
	h.must(err)
	if err := h.Review.SayVerdict(ctx, k, review.Verdict{Say: relay.SignedIt, Seq: r.Seq}); !errors.Is(err, relay.ErrChanged) {
		t.Fatalf("it counted: %v", err)
	}
	again, err := h.Review.Review(ctx, k)
	h.must(err)
	h.must(h.Review.SayVerdict(ctx, k, review.Verdict{Say: relay.SignedIt, Seq: again.Seq}))
	row := h.piece(p)
	if row.Leg("yes").State != relay.Passed {
		t.Error("it did not go on")
	}
	if err := h.Review.SayVerdict(ctx, k, review.Verdict{Say: relay.SignedIt, Seq: again.Seq}); err == nil {
		t.Error("a second verdict counted")
	}
}

func TestSomebodyNewIsAskedAtOnce(t *testing.T) {
	h, p := signing(t, route.Review{})
	_, err := h.Review.Invite(ctx, lead, review.Invite{Piece: p, Name: "Joan", Mail: "joan@out.example", May: store.MayRead})
	h.must(err)
	k := h.linkTo("joan@out.example")
	r, err := h.Review.Review(ctx, k)
	h.must(err)
	if r.Turn || r.Leg != nil {
		t.Error("a verdict is asked of somebody who is only to read")
	}
	if _, err := h.Review.AskInReview(ctx, k, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "x"}}); !errors.Is(err, relay.ErrNotYours) {
		t.Errorf("who may only read asked: %v", err)
	}
}

func TestPrivateLinksOpenOnlyWhatTheyAreFor(t *testing.T) {
	h, p := signing(t, route.Review{})
	h.invite(p, "Joan")
	h.pass(writer, p, "draft")
	k := h.linkTo("joan@out.example")
	dead := func(name string, k review.Key, says string) {
		t.Helper()
		_, err1 := h.Review.Review(ctx, k)
		err2 := h.Review.SayVerdict(ctx, k, review.Verdict{Say: relay.SignedIt})
		_, err3 := h.Review.AskInReview(ctx, k, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "x"}})
		for _, err := range []error{err1, err2, err3} {
			if !errors.Is(err, relay.ErrNotYours) || !strings.Contains(err.Error(), says) {
				t.Errorf("%s: %v", name, err)
			}
		}
	}
	dead("guessed", review.Key{Token: "AAAAAAAAAAAAAAAAAAAAAAAAAA"}, "does not open anything")
	dead("very long", review.Key{Token: strings.Repeat("A", 5_000)}, "does not open anything")
	dead("its hash", review.Key{Token: hashed(h, k)}, "does not open anything")
	var kept int
	h.must(h.DB.Get(ctx, &kept, "SELECT (SELECT COUNT(*) FROM link WHERE hash LIKE ?) + (SELECT COUNT(*) FROM outbox WHERE body LIKE ?) + (SELECT COUNT(*) FROM logbook WHERE what || why || before || after LIKE ?)", "%"+k.Token+"%", "%"+k.Token+"%", "%"+k.Token+"%"))
	if kept != 0 {
		t.Error("the token is kept in the clear")
	}
	other := h.make("12-16")
	h.write(writer, other, "four other words here")
	r, err := h.Review.Review(ctx, review.Key{Token: k.Token, Piece: other})
	h.must(err)
	if r.Row.ID != p {
		t.Error("a link opened another piece")
	}
	h.now = h.now.AddDate(0, 0, 61)
	dead("expired", k, "This link to “The tide mill” opened until")
	h.now = h.now.AddDate(0, 0, -61)
	h.must(h.Review.Uninvite(ctx, lead, p, r.Reviewer.ID))
	dead("revoked", k, "no longer asks you about “The tide mill”, so this link has ended. If you think that it should open something, ask ")
}

func hashed(h *testHouse, k review.Key) string {
	var out string
	h.must(h.DB.Get(ctx, &out, "SELECT hash FROM link ORDER BY made_at LIMIT 1"))
	return out
}

// All, any, and some of several; in order and at once.
func TestSeveralReviewers(t *testing.T) {
	for _, x := range []struct {
		review route.Review
		says   string // y, n for each in order
		asked  int    // at first
		state  relay.State
	}{
		{route.Review{}, "yyy", 3, relay.Passed}, {route.Review{}, "yy", 3, relay.Running}, {route.Review{}, "yn", 3, relay.Waiting},
		{route.Review{Need: 1}, "y", 3, relay.Passed}, {route.Review{Need: 1}, "nn", 3, relay.Running}, {route.Review{Need: 1}, "nny", 3, relay.Passed}, {route.Review{Need: 1}, "nnn", 3, relay.Waiting},
		{route.Review{Need: 2}, "yny", 3, relay.Passed}, {route.Review{Need: 2}, "nn", 3, relay.Waiting}, {route.Review{InOrder: true}, "yy", 1, relay.Running}, {route.Review{InOrder: true}, "yyy", 1, relay.Passed}, {route.Review{InOrder: true}, "n", 1, relay.Waiting},
	} {
		h, p := signing(t, x.review)
		who := []string{"joan", "karl", "lena"}
		for _, n := range who {
			h.invite(p, n)
		}
		h.pass(writer, p, "draft")
		h.must(h.Notify.DeliverMail(ctx))
		var asked int
		h.must(h.DB.Get(ctx, &asked, "SELECT COUNT(*) FROM room_mail WHERE text LIKE '%/review/%'"))
		if asked != x.asked {
			t.Errorf("%+v: %d are asked at first", x.review, asked)
		}
		for i, c := range x.says {
			k := h.linkTo(who[i] + "@out.example")
			r, err := h.Review.Review(ctx, k)
			h.must(err)
			say := map[rune]relay.Say{'y': relay.SignedIt, 'n': relay.NotYet}[c]
			if err := h.Review.SayVerdict(ctx, k, review.Verdict{Say: say, Text: "so", Seq: r.Seq}); err != nil {
				t.Errorf("%+v %s: %v", x.review, x.says, err)
			}
		}
		row := h.piece(p)
		if got := row.Leg("yes").State; got != x.state {
			t.Errorf("%+v, %s: the leg is %s", x.review, x.says, got)
		}
	}
}

// Reviewers of the route are asked by themselves; who stands in says it for who is away.
func TestSomebodyStandsIn(t *testing.T) {
	h, p := signing(t, route.Review{By: []ref.Person{editor, pictures}})
	today := h.today()
	h.must(h.DB.Write(ctx, func(tx *store.Tx) error {
		_, err := tx.AddAbsence(ctx, store.Absence{PersonID: pictures, FromDay: today, ToDay: today + 3})
		return err
	}))
	h.Forget()
	h.must(h.Review.SetStandIn(ctx, lead, 1, freelance))
	h.pass(writer, p, "draft")
	items, err := h.Notify.Inbox(ctx, freelance, 0, 9)
	h.must(err)
	if !slices.ContainsFunc(items, func(i store.ItemWithTitle) bool { return strings.Contains(i.Text, "You stand in for Pia") }) {
		t.Errorf("who stands in is not told: %v", items)
	}
	say := func(who ref.Person) error {
		k := review.Key{Who: who, Piece: p}
		r, err := h.Review.Review(ctx, k)
		if err != nil {
			return err
		}
		return h.Review.SayVerdict(ctx, k, review.Verdict{Say: relay.SignedIt, Seq: r.Seq})
	}
	if err := say(writer); err == nil {
		t.Error("somebody who is not asked gave a verdict")
	}
	owed := func(who ref.Person) int {
		rows, _, err := h.Review.VerdictsOwed(ctx, who)
		h.must(err)
		return len(rows)
	}
	if owed(editor) != 1 || owed(freelance) != 1 || owed(writer) != 0 {
		t.Errorf("owed by the editor %d, by who stands in %d, by the writer %d", owed(editor), owed(freelance), owed(writer))
	}
	for who, want := range map[ref.Person]bool{editor: true, lead: false} {
		sheet, err := h.Review.Verdicts(ctx, who, p)
		if h.must(err); (sheet.Mine != "") != want {
			t.Errorf("%d is asked at %q", who, sheet.Mine)
		}
	}
	sheet, err := h.Review.Verdicts(ctx, lead, p)
	h.must(err)
	for _, v := range sheet.Legs[0].Voices {
		if want := map[ref.Person]ref.Person{pictures: freelance}[v.PersonID]; v.For != want {
			t.Errorf("for %d stands in %d, want %d", v.PersonID, v.For, want)
		}
	}
	h.must(say(editor))
	if owed(editor) != 0 {
		t.Error("it is asked for still")
	}
	h.must(say(freelance))
	row := h.piece(p)
	if row.Leg("yes").State != relay.Passed {
		t.Error("it did not go on")
	}
	said, err := store.VerdictsOf(ctx, h.DB, p)
	h.must(err)
	if said[1].PersonID != pictures || said[1].By != freelance {
		t.Errorf("the second verdict is of %d, said by %d", said[1].PersonID, said[1].By)
	}
}

// What is changed after it was signed off is shown; where the route says so it needs
// another yes before it is passed or goes out.
func TestChangesAfterSignOff(t *testing.T) {
	for _, again := range []bool{false, true} {
		h, p := signing(t, route.Review{Again: again})
		h.pass(writer, p, "draft")
		h.pass(editor, p, "yes")
		_, err := h.Copyroom.SaveCopy(ctx, lead, p, copyroom.OnNewest, copy.FromPlain("other words are here now").JSON())
		h.must(err)
		sheet, err := h.Review.Verdicts(ctx, lead, p)
		h.must(err)
		if len(sheet.Legs) != 1 || !sheet.Legs[0].Changed || !sheet.Past[0].Older {
			t.Errorf("it is not shown that it changed: %+v", sheet)
		}
		err = h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: p, Leg: "release"})
		if again != errors.Is(err, relay.ErrUnmet) {
			t.Errorf("again %v: %v", again, err)
		}
		if !again {
			continue
		}
		h.must(h.Planning.SendBack(ctx, editor, planning.Back{Piece: p, From: "release", To: "yes", Reasons: "It changed."}))
		h.pass(editor, p, "yes")
		h.pass(editor, p, "release")
		h.now = h.now.Add(30 * 24 * time.Hour)
		h.must(h.Tick(ctx))
		if row := h.piece(p); row.Stage != relay.Out {
			t.Errorf("it is %s", row.Stage)
		}
	}
}

// A partner sees their own pieces and what waits for them, and nothing of another's.
func TestAPartnerSeesTheirOwnPiecesAndNothingElse(t *testing.T) {
	h, p := signing(t, route.Review{})
	ours, err := h.Review.SavePartner(ctx, lead, store.Partner{DeskID: 1, Name: "Old Weir"}, []ref.Person{outside}, []ref.Channel{1})
	h.must(err)
	theirs, err := h.Review.SavePartner(ctx, lead, store.Partner{DeskID: 1, Name: "Tern"}, nil, nil)
	h.must(err)
	open := func(partner ref.Partner) review.Key {
		link, err := h.Review.PartnerLink(ctx, lead, 1, partner)
		h.must(err)
		return review.Key{Token: link[strings.LastIndex(link, "/")+1:]}
	}
	mine, other := open(ours), open(theirs)
	see := func(k review.Key) review.PartnerSheet {
		t.Helper()
		x, err := h.Review.PartnerPage(ctx, k)
		h.must(err)
		return x
	}
	if x := see(mine); len(x.Months) != 1 || len(x.Months[0].Pieces) != 1 || len(x.Asked) != 0 {
		t.Errorf("their page has %+v", x)
	}
	if x := see(other); len(x.Months) != 0 {
		t.Errorf("another partner sees %+v", x.Months)
	}
	_, err = h.Review.Invite(ctx, lead, review.Invite{Piece: p, Leg: "yes", Person: outside, May: store.MayRead})
	h.must(err)
	h.pass(writer, p, "draft")
	if x := see(review.Key{Who: outside}); len(x.Asked) != 1 || !x.Asked[0].Mine {
		t.Errorf("what waits for them: %+v", x.Asked)
	}
	pitch, err := h.Intake.Pitch(ctx, lead, store.Pitch{DeskID: 1, Partner: outside, Title: "A pitch", Text: "Would you?", Format: 1})
	h.must(err)
	if _, err := h.Intake.AnswerPitchByLink(ctx, other, pitch, true, ""); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("another partner answered the pitch: %v", err)
	}
	_, err = h.Intake.AnswerPitchByLink(ctx, mine, pitch, true, "")
	h.must(err)
	for _, who := range []ref.Person{lead, editor, freelance} {
		if _, err := h.Review.PartnerPage(ctx, review.Key{Who: who}); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("%d sees a partner’s page: %v", who, err)
		}
	}
	h.must(h.Review.RevokePartner(ctx, lead, 1, ours))
	if _, err := h.Review.PartnerPage(ctx, mine); !errors.Is(err, relay.ErrNotYours) {
		t.Errorf("a revoked link opens: %v", err)
	}
	if _, err := h.Review.PartnerPage(ctx, review.Key{Token: h.linkToken(p)}); !errors.Is(err, relay.ErrNotYours) {
		t.Errorf("a reviewer’s link opens a partner’s page: %v", err)
	}
}

// linkToken gives the token of a private link of somebody new who is asked to read a piece.
func (x *testHouse) linkToken(piece ref.Piece) string {
	_, err := x.Review.Invite(ctx, lead, review.Invite{Piece: piece, Name: "Mia", Mail: "mia@out.example", May: store.MayRead})
	x.must(err)
	return x.linkTo("mia@out.example").Token
}
