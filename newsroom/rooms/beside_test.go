package rooms_test

import (
	"context"
	"errors"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/copy"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/review"
	"greenbaton/store"
)

// asks gives the names of those whose verdict a leg waits for.
func (x *testHouse) asksFor(p ref.Piece, leg string) []string {
	x.t.Helper()
	sheet, err := x.Review.Verdicts(ctx, lead, p)
	x.must(err)
	var out []string
	for _, l := range sheet.Legs {
		for _, v := range l.Voices {
			if l.Key == leg {
				out = append(out, x.books().Person(v.PersonID).Name)
			}
		}
	}
	return out
}

// tells reports whether something was said to somebody in their inbox.
func (x *testHouse) tells(who ref.Person, text string) bool {
	x.t.Helper()
	items, err := x.Notify.Inbox(ctx, who, 0, 50)
	x.must(err)
	return slices.ContainsFunc(items, func(i store.ItemWithTitle) bool { return strings.Contains(i.Text, text) })
}

// logged reports whether something stands in the logbook of a piece.
func (x *testHouse) logged(p ref.Piece, text string) bool {
	x.t.Helper()
	var n int
	x.must(x.DB.Get(ctx, &n, "SELECT COUNT(*) FROM logbook WHERE piece_id = ? AND what LIKE ?", p, "%"+text+"%"))
	return n > 0
}

// Who is asked for a verdict is asked beside the holder of the leg, who keeps it; to ask in
// somebody's place is said, told and logged.
func TestWhoIsAskedForAVerdictIsAskedBesideTheHolder(t *testing.T) {
	h, p := signing(t, route.Review{})
	h.pass(writer, p, "draft")
	ask := func(o review.Invite) error {
		o.Piece, o.Leg, o.May = p, "yes", store.MayComment
		_, err := h.Review.Invite(ctx, lead, o)
		return err
	}
	name := func(id ref.Person) string { return h.books().Person(id).Name }
	h.must(ask(review.Invite{Name: "Joan", Mail: "joan@out.example"}))
	if got := h.asksFor(p, "yes"); !slices.Equal(got, []string{name(editor), "Joan"}) {
		t.Fatalf("asked are %q", got)
	}
	if err := ask(review.Invite{Person: editor}); !refused(err, relay.ErrInput) {
		t.Errorf("the holder is asked twice: %v", err)
	}
	k := h.linkTo("joan@out.example")
	r, err := h.Review.Review(ctx, k)
	h.must(err)
	h.must(h.Review.SayVerdict(ctx, k, review.Verdict{Say: relay.SignedIt, Seq: r.Seq}))
	if row := h.piece(p); row.Leg("yes").State != relay.Running {
		t.Fatal("it went on without its holder")
	}
	if sheet, err := h.Review.Verdicts(ctx, editor, p); err != nil || sheet.Mine == "" {
		t.Errorf("the holder is not asked any more: %v", err)
	}
	if err := ask(review.Invite{Person: pictures, Instead: freelance}); !refused(err, relay.ErrInput) {
		t.Errorf("somebody is asked in place of one who is not: %v", err)
	}
	h.must(ask(review.Invite{Person: pictures, Instead: editor}))
	if got := h.asksFor(p, "yes"); !slices.Equal(got, []string{"Joan", name(pictures)}) {
		t.Errorf("asked are %q", got)
	}
	if !h.tells(editor, "no longer asked for. "+name(pictures)+" gives it in your place") || !h.logged(p, "asked "+name(pictures)+" for a verdict in Their yes, in place of "+name(editor)) {
		t.Error("replacing is not told and logged")
	}
	if row := h.piece(p); row.Leg("yes").Holder != editor {
		t.Error("the leg has another holder")
	}
	h.must(ask(review.Invite{Person: freelance, Instead: pictures}))
	if got := h.asksFor(p, "yes"); !slices.Equal(got, []string{"Joan", name(freelance)}) || !h.tells(pictures, "no longer asked for") {
		t.Errorf("asked are %q", got)
	}
	sheet, err := h.Review.Verdicts(ctx, lead, p)
	h.must(err)
	h.must(h.Review.Uninvite(ctx, lead, p, sheet.Legs[0].Voices[1].ID))
	if got := h.asksFor(p, "yes"); !slices.Equal(got, []string{name(editor), "Joan"}) || !h.tells(editor, "is asked for: nobody else gives it now") || !h.tells(freelance, "no longer asked for") {
		t.Errorf("asked are %q", got)
	}
	if err := ask(review.Invite{Name: "Karl", Mail: "karl@out.example", Instead: editor}); err != nil {
		t.Fatal(err)
	}
	h.must(h.Planning.GiveLeg(ctx, lead, p, "yes", pictures, 0))
	if got := h.asksFor(p, "yes"); !slices.Equal(got, []string{"Joan", "Karl"}) {
		t.Errorf("given to somebody else, asked are %q", got)
	}
}

// The holder of a leg and who is asked beside them both give their verdict, in whatever
// order the route asks, and the last yes passes the leg.
func TestTheHolderAndWhoIsAskedBesideThemBothSayIt(t *testing.T) {
	for _, inOrder := range []bool{false, true} {
		h, p := signing(t, route.Review{InOrder: inOrder})
		_, err := h.Review.Invite(ctx, lead, review.Invite{Piece: p, Leg: "yes", Person: pictures, May: store.MayComment})
		h.must(err)
		h.pass(writer, p, "draft")
		var r *relay.Refusal
		if err := h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: p, Leg: "yes"}); !errors.As(err, &r) || len(r.Unmet) != 2 || !strings.Contains(r.Unmet[1], "give it by “Read it and give your verdict”") {
			t.Errorf("in order %v, passing says %v", inOrder, err)
		}
		for _, who := range []ref.Person{editor, pictures} {
			if sheet, err := h.Review.Verdicts(ctx, who, p); err != nil || sheet.Mine == "" {
				t.Errorf("in order %v, %d is not asked: %v", inOrder, who, err)
			}
			k := review.Key{Who: who, Piece: p}
			x, err := h.Review.Review(ctx, k)
			h.must(err)
			h.must(h.Review.SayVerdict(ctx, k, review.Verdict{Say: relay.SignedIt, Seq: x.Seq}))
		}
		if row := h.piece(p); row.Leg("yes").State != relay.Passed {
			t.Errorf("in order %v, the leg is %s", inOrder, row.Leg("yes").State)
		}
	}
}

// A guest who is no longer asked hears of it.
func TestAGuestWhoIsNoLongerAskedIsTold(t *testing.T) {
	h, p, _, r := asked(t)
	h.must(h.Review.Uninvite(ctx, lead, p, r.Reviewer.ID))
	h.must(h.Notify.DeliverMail(ctx))
	var text string
	h.must(h.DB.Get(ctx, &text, `SELECT text FROM room_mail WHERE "to" LIKE '%joan%' ORDER BY id DESC LIMIT 1`))
	if !strings.Contains(text, "is no longer asked for") || strings.Contains(text, "/review/") {
		t.Errorf("it says %q", text)
	}
}

// Whoever has an account and gave a verdict as holder of the leg sees that it was taken,
// and where the piece is, as a guest does.
func TestWhoGaveAVerdictSeesWhatComesOfIt(t *testing.T) {
	for _, say := range []relay.Say{relay.SignedIt, relay.NotYet} {
		h, p := signing(t, route.Review{})
		h.pass(writer, p, "draft")
		h.must(h.Planning.GiveLeg(ctx, lead, p, "yes", outside, 0))
		k := review.Key{Who: outside, Piece: p}
		r, err := h.Review.Review(ctx, k)
		h.must(err)
		h.must(h.Review.SayVerdict(ctx, k, review.Verdict{Say: say, Text: "so", Seq: r.Seq}))
		r, err = h.Review.Review(ctx, k)
		if err != nil || r.Said.Say != say || r.Turn || r.Leg == nil || r.Leg.Key != "yes" {
			t.Errorf("%s: %+v, %v", say, r.Said, err)
		}
		for _, who := range []ref.Person{stranger, freelance} {
			if _, err := h.Review.Review(ctx, review.Key{Who: who, Piece: p}); !errors.Is(err, newsroom.ErrNotFound) {
				t.Errorf("%d sees it: %v", who, err)
			}
		}
	}
}

// Notes that come with a sign-off hold the next leg, and the piece, until somebody has
// answered or settled them.
func TestNotesOfASignOffHoldThePieceUntilTheyAreAnswered(t *testing.T) {
	noted := func() (*testHouse, ref.Piece, ref.Query) {
		h, p, k, r := asked(t)
		h.must(h.Review.SayVerdict(ctx, k, review.Verdict{Say: relay.WithNotes, Text: "A comma, perhaps.", Seq: r.Seq}))
		qs, err := store.QueriesOf(ctx, h.DB.View(), p)
		h.must(err)
		return h, p, qs[0].ID
	}
	h, p, q := noted()
	err := h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: p, Leg: "release"})
	var r *relay.Refusal
	if !errors.As(err, &r) || !slices.Contains(r.Unmet, "a note of the sign-off is not answered") {
		t.Fatalf("passed over the note: %v", err)
	}
	h.must(h.Copyroom.AnswerQuery(ctx, editor, q, "It stays as it is.", nil))
	h.pass(editor, p, "release")

	h, p, q = noted()
	h.must(h.Copyroom.SettleQuery(ctx, editor, q, true))
	h.pass(editor, p, "release")

	h, p, _ = noted() // the leg that was to see to it is left out
	h.must(h.Planning.SkipLeg(ctx, lead, p, "release", 0, "there is no time"))
	sheet, err := h.Review.Release(ctx, lead, p)
	if err != nil || len(sheet.Open) != 1 || sheet.Open[0] != "A note of the sign-off is not answered" {
		t.Errorf("what is open: %q, %v", sheet.Open, err)
	}
	h.now = h.piece(p).GoesOut.In(h.now.Location())
	h.must(h.SendDue(ctx))
	if row := h.piece(p); row.Stage == relay.Out || !h.tells(lead, "did not go out") {
		t.Errorf("it is %s", row.Stage)
	}
	h.must(h.Review.SendOut(ctx, lead, p, 0, sheet.Seal)) // whoever does it by hand was shown it
}

// A piece without words goes out, by itself or by hand, only where its format says so.
func TestAPieceWithoutWordsStays(t *testing.T) {
	h := newHouse(t)
	id := h.ready("12-18")
	row := h.piece(id)
	_, err := h.Copyroom.SaveCopy(ctx, lead, id, copyroom.OnNewest, copy.FromPlain("— …").JSON())
	h.must(err)
	if err := h.Review.SendOut(ctx, lead, id, 0, ""); !refused(err, relay.ErrUnmet) {
		t.Fatalf("it went out: %v", err)
	}
	sheet, err := h.Review.Release(ctx, lead, id)
	if err != nil || len(sheet.Stops) != 1 || !strings.Contains(sheet.Stops[0], "no words") {
		t.Errorf("%q, %v", sheet.Stops, err)
	}
	h.now = row.GoesOut.In(h.now.Location())
	h.must(h.SendDue(ctx))
	if row := h.piece(id); row.Stage == relay.Out || row.MissedAt == 0 {
		t.Errorf("it is %s", row.Stage)
	}
	f := h.books().Format(row.FormatID)
	f.Wordless = true
	_, err = h.Settings.SaveFormat(ctx, lead, f)
	h.must(err)
	h.must(h.Review.SendOut(ctx, lead, id, 0, ""))
}

// What is sent out by hand is what was shown.
func TestWhatIsSentOutByHandIsWhatWasShown(t *testing.T) {
	h := newHouse(t)
	id := h.ready("12-18")
	sheet, err := h.Review.Release(ctx, lead, id)
	h.must(err)
	if len(sheet.Stops)+len(sheet.Open) != 0 || sheet.Words == 0 || !strings.HasPrefix(sheet.Address, "http://house.example/site/") {
		t.Errorf("%+v", sheet)
	}
	_, err = h.Copyroom.AskAbout(ctx, lead, id, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "Is it?"}})
	h.must(err)
	if err := h.Review.SendOut(ctx, lead, id, 0, sheet.Seal); !refused(err, relay.ErrChanged) {
		t.Fatalf("another piece went out than was shown: %v", err)
	}
	again, err := h.Review.Release(ctx, lead, id)
	h.must(err)
	if !slices.Equal(again.Open, []string{"A query is open"}) {
		t.Errorf("%q", again.Open)
	}
	for _, who := range []ref.Person{writer, outside} {
		if _, err := h.Review.Release(ctx, who, id); err == nil {
			t.Errorf("%d is shown it", who)
		}
	}
	u, err := h.LastUndo(ctx, lead)
	h.must(err)
	h.must(h.Review.SendOut(ctx, lead, id, 0, again.Seal))
	if now, err := h.LastUndo(ctx, lead); err != nil || now.ID != 0 {
		t.Errorf("%q is offered to be taken back, before it %q: %v", now.What, u.What, err)
	}
	if _, err := h.Review.Release(ctx, lead, id); !refused(err, relay.ErrNotNow) {
		t.Errorf("what is out is shown as if it were not: %v", err)
	}
}

// Who is asked about a piece from outside can be asked and named in queries, hears of them
// and of answers by mail, has their files, points at pictures, and settles what only they may.
func TestWhoIsAskedFromOutsideTakesPartInQueries(t *testing.T) {
	h, p, _, r := asked(t)
	joan := r.Person
	mails := func() int {
		h.must(h.Notify.DeliverMail(ctx))
		var n int
		h.must(h.DB.Get(ctx, &n, `SELECT COUNT(*) FROM room_mail WHERE "to" LIKE '%joan@out.example%'`))
		return n
	}
	begun := mails()
	only, err := h.Copyroom.AskAbout(ctx, editor, p, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "Is the date right?", ForID: joan, Only: true}})
	h.must(err)
	named, err := h.Copyroom.AskAbout(ctx, editor, p, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "@Joan told me so."}})
	h.must(err)
	other, err := h.Copyroom.AskAbout(ctx, editor, p, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "Between us: is it dull?"}})
	h.must(err)
	if n := mails(); n != begun+2 {
		t.Errorf("%d mails of two queries", n-begun)
	}
	h.must(h.Copyroom.AnswerQuery(ctx, writer, only, "Here is the deed.", &copyroom.Upload{Name: "deed.txt", Data: []byte("1794")}))
	if n := mails(); n != begun+3 {
		t.Errorf("%d mails with the answer", n-begun)
	}
	k := h.linkTo("joan@out.example") // each mail has a link of its own
	if r, err = h.Review.Review(ctx, k); err != nil || len(r.Queries) != 2 || !r.Queries[0].MaySettle || r.Queries[1].MaySettle || len(r.Queries[0].Answers) != 1 {
		t.Fatalf("%+v, %v", r.Queries, err)
	}
	file := r.Queries[0].Answers[0].FileID
	if f, err := h.Review.ReviewFile(ctx, k, file); err != nil || string(f.Data) != "1794" {
		t.Errorf("%q, %v", f.Data, err)
	}
	_, err = h.Copyroom.AskAbout(ctx, writer, p, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "Here."}, File: &copyroom.Upload{Name: "fee.txt", Data: []byte("ours")}})
	h.must(err)
	if _, err := h.Review.ReviewFile(ctx, k, file+1); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("a file of others: %v", err)
	}
	if err := h.Copyroom.SettleQuery(ctx, lead, only, true); !refused(err, relay.ErrNotYours) {
		t.Errorf("somebody else settles it: %v", err)
	}
	h.must(h.Review.AnswerInReview(ctx, k, named, "So I did."))
	h.must(h.Review.SettleInReview(ctx, k, only, true))
	h.must(h.Review.SettleInReview(ctx, k, only, false))
	if err := h.Review.SettleInReview(ctx, k, named, true); !refused(err, relay.ErrNotYours) {
		t.Errorf("they settle what is not theirs: %v", err)
	}
	for _, f := range []func(context.Context, review.Key, ref.Query) error{
		func(ctx context.Context, k review.Key, id ref.Query) error {
			return h.Review.SettleInReview(ctx, k, id, true)
		},
		func(ctx context.Context, k review.Key, id ref.Query) error {
			return h.Review.AnswerInReview(ctx, k, id, "x")
		},
	} {
		if err := f(ctx, k, other); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("a query of others: %v", err)
		}
	}
	picture, err := h.Copyroom.AddPicture(ctx, writer, p, h.upload("mill.png"))
	h.must(err)
	text, seq := h.text(p)
	h.edit(lead, p, "pic", 1, seq, keep(text.Len()-1).Put("\n", nil))
	text, seq = h.text(p)
	h.edit(lead, p, "pic", 2, seq, append(keep(text.Len()-1), copy.Op{Embed: copy.PictureOf(picture)}))
	if _, err := h.Review.AskInReview(ctx, k, copyroom.Ask{Query: query.Query{About: query.Picture, Text: "Who is that?", FileID: picture, X: 20, Y: 30}}); err != nil {
		t.Errorf("asked about a picture: %v", err)
	}
	if _, err := h.Review.AskInReview(ctx, k, copyroom.Ask{Query: query.Query{About: query.Picture, Text: "Who is that?", FileID: picture + 1, X: 20, Y: 30}}); !refused(err, relay.ErrInput) {
		t.Errorf("asked about a picture that is not there: %v", err)
	}
	h.must(h.Review.Uninvite(ctx, lead, p, r.Reviewer.ID))
	h.must(h.Copyroom.SettleQuery(ctx, lead, only, true)) // who alone might is not asked any more
	if _, err := h.Copyroom.AskAbout(ctx, editor, p, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "x", ForID: joan}}); !refused(err, relay.ErrInput) {
		t.Errorf("somebody is asked who is gone: %v", err)
	}
}
