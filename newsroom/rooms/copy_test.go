package rooms_test

import (
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// drafted makes a piece whose draft the writer has, with a copy.
func (x *testHouse) drafted(text string) ref.Piece {
	x.t.Helper()
	id := x.make("12-18")
	x.pass(editor, id, "brief")
	_, err := x.Copyroom.SaveCopy(ctx, writer, id, copyroom.OnNewest, copy.FromPlain(text).JSON())
	x.must(err)
	return id
}

// text gives the copy as it is now, and the number of its last edit.
func (x *testHouse) text(id ref.Piece) (copy.Text, int) {
	x.t.Helper()
	c, err := x.Planning.Newest(ctx, lead, id)
	x.must(err)
	t, err := copy.Parse([]byte(c.Text))
	x.must(err)
	return t, c.Seq
}

func (x *testHouse) edit(by ref.Person, id ref.Piece, page string, turn, base int, c copy.Change) int {
	x.t.Helper()
	got, err := x.Copyroom.EditCopy(ctx, by, id, copyroom.CopyEdit{Client: page, Turn: turn, Base: base, Change: c})
	x.must(err)
	return got.Seq
}

func keep(n int) copy.Change { return copy.Change{}.Keep(n, nil) }

func TestLateEditsArePutBehindThoseBefore(t *testing.T) {
	h := newHouse(t)
	id := h.drafted("The river drops.")
	_, base := h.text(id)
	h.edit(lead, id, "a", 1, base, keep(4).Put("wide ", nil))
	h.edit(writer, id, "b", 1, base, keep(15).Put(" away", nil))
	if text, seq := h.text(id); text.Plain() != "The wide river drops away.\n" || seq != base+2 {
		t.Errorf("%q at %d", text.Plain(), seq)
	}
	again := h.edit(writer, id, "b", 1, base, keep(15).Put(" away", nil)) // the answer was lost
	if text, _ := h.text(id); again != base+2 || text.Plain() != "The wide river drops away.\n" {
		t.Errorf("sent twice it is %q", text.Plain())
	}
	// two at once: the second was typed on top of the first before it was known to be taken
	_, err := h.Copyroom.EditCopy(ctx, writer, id, copyroom.CopyEdit{Client: "b", Turn: 2, Base: base + 1, Change: keep(0).Put("12", nil), Then: &copyroom.CopyEdit{Turn: 3, Change: keep(2).Put("3 ", nil)}})
	h.must(err)
	_, err = h.Copyroom.EditCopy(ctx, writer, id, copyroom.CopyEdit{Client: "b", Turn: 2, Base: base + 1, Change: keep(0).Put("12", nil), Then: &copyroom.CopyEdit{Turn: 3, Change: keep(2).Put("3 ", nil)}})
	h.must(err)
	if text, _ := h.text(id); text.Plain() != "123 The wide river drops away.\n" {
		t.Errorf("one on top of another is %q", text.Plain())
	}
}

func TestEditsThatDoNotFitAreRefusedAndNothingIsStored(t *testing.T) {
	h := newHouse(t)
	id := h.drafted("Mill 🌾.")
	_, base := h.text(id)
	before := h.everything()
	for name, e := range map[string]copyroom.CopyEdit{
		"beyond the end":         {Client: "a", Turn: 1, Base: base, Change: keep(99).Put("x", nil)},
		"of a copy to come":      {Client: "a", Turn: 1, Base: base + 1, Change: keep(0).Put("x", nil)},
		"splits a character":     {Client: "a", Turn: 1, Base: base, Change: keep(6).Put("x", nil)},
		"takes the last line":    {Client: "a", Turn: 1, Base: base, Change: copy.Change{}.Cut(9)},
		"in somebody's name":     {Client: "a", Turn: 1, Base: base, Change: copy.Change{}.Put("x", copy.Set("put", "1.k"))},
		"without a page":         {Turn: 1, Base: base, Change: keep(0).Put("x", nil)},
		"without a turn":         {Client: "a", Base: base, Change: keep(0).Put("x", nil)},
		"a query nobody asked":   {Client: "a", Turn: 1, Base: base, Change: copy.Change{}.Keep(2, copy.Set("query-9", true))},
		"too much":               {Client: "a", Turn: 1, Base: base, Change: copy.Change{}.Put(strings.Repeat("x", copy.MaxBytes), nil)},
		"another object":         {Client: "a", Turn: 1, Base: base, Change: copy.Change{{Embed: `{"video":"x"}`}}},
		"a page name of a novel": {Client: strings.Repeat("x", 99), Turn: 1, Base: base, Change: keep(0).Put("x", nil)},
	} {
		if _, err := h.Copyroom.EditCopy(ctx, writer, id, e); !refused(err, relay.ErrInput) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if h.everything() != before {
		t.Error("something was stored")
	}
	h.edit(writer, id, "a", 1, base, keep(0).Put("x", nil))
}

// The name of a page belongs to who opened it: whoever takes the same one neither passes
// for that page nor keeps anything of it out.
func TestTheNameOfAPageIsAmongThoseOfWhoOpenedIt(t *testing.T) {
	h := newHouse(t)
	id := h.drafted("Mill.")
	_, base := h.text(id)
	h.edit(lead, id, "a", 1, base, keep(0).Put("lead ", nil)) // before the writer's page sends its first
	h.edit(lead, id, "a", 2, base+1, keep(0).Put("again ", nil))
	h.edit(writer, id, "a", 1, base, keep(0).Put("writer ", nil))
	got, err := h.Copyroom.EditCopy(ctx, writer, id, copyroom.CopyEdit{Client: "a", Turn: 1, Base: base, Change: keep(0).Put("writer ", nil), Then: &copyroom.CopyEdit{Turn: 2, Change: keep(7).Put("again ", nil)}})
	if err != nil || got.Seq != base+4 {
		t.Errorf("%+v, %v", got, err)
	}
	text, _ := h.text(id)
	for _, whole := range []string{"again lead ", "writer again "} {
		if !strings.Contains(text.Plain(), whole) {
			t.Errorf("%q", text.Plain())
		}
	}
}

// What comes to nothing behind the edits of others is answered and not stored.
func TestAnEditThatChangesNothingIsNotStored(t *testing.T) {
	h := newHouse(t)
	id := h.drafted("The river drops.")
	_, base := h.text(id)
	h.edit(lead, id, "a", 1, base, keep(4).Cut(6))
	before := h.everything()
	for name, c := range map[string]copy.Change{
		"took away what is gone": keep(4).Cut(6), "goes over it": keep(4), "says nothing": nil,
		"sets what no copy knows": keep(2).Keep(3, copy.Set("style", "color: red")), "sets what is gone": keep(5).Keep(2, copy.Set("bold", true)),
	} {
		got, err := h.Copyroom.EditCopy(ctx, writer, id, copyroom.CopyEdit{Client: "b " + name, Turn: 1, Base: base, Change: c})
		if err != nil || !got.Nothing || got.Seq != base+1 {
			t.Errorf("%s: %+v, %v", name, got, err)
		}
	}
	if h.everything() != before {
		t.Error("something was stored")
	}
	if got, err := h.Copyroom.EditCopy(ctx, writer, id, copyroom.CopyEdit{Client: "c", Turn: 1, Base: base, Change: keep(4).Cut(6), Then: &copyroom.CopyEdit{Turn: 2, Change: keep(4).Put("tide ", nil)}}); err != nil || got.Nothing || got.Seq != base+2 {
		t.Errorf("what was made on top: %+v, %v", got, err)
	}
	if text, _ := h.text(id); text.Plain() != "The tide drops.\n" {
		t.Errorf("%q", text.Plain())
	}
}

func TestWhoEditsHow(t *testing.T) {
	h := newHouse(t)
	id := h.drafted("The river drops.")
	_, base := h.text(id)
	write := keep(0).Put("x", nil)
	for who, want := range map[ref.Person]error{lead: nil, writer: nil, editor: relay.ErrNotYours, pictures: relay.ErrNotYours, freelance: newsroom.ErrNotFound, outside: newsroom.ErrNotFound, stranger: newsroom.ErrNotFound} {
		_, err := h.Copyroom.EditCopy(ctx, who, id, copyroom.CopyEdit{Client: fmt.Sprint("p", who), Turn: 1, Base: base, Change: write})
		if want == nil && err != nil || want == newsroom.ErrNotFound && err != want || want == relay.ErrNotYours && !refused(err, want) {
			t.Errorf("%d: %v", who, err)
		}
	}
	for _, who := range []ref.Person{editor, pictures} { // colleagues propose
		text, seq := h.text(id)
		c := text.Propose(keep(0).Put("One ", nil), fmt.Sprintf("%d.k", who))
		h.edit(who, id, fmt.Sprint("q", who), 1, seq, c)
	}
	text, _ := h.text(id)
	if n := len(text.Proposals()); n != 2 || text.Left().Plain() != "xxThe river drops.\n" {
		t.Errorf("%d proposals on %q", n, text.Left().Plain())
	}
	if _, err := h.Review.Decide(ctx, editor, id, true, []string{fmt.Sprintf("%d.k", pictures)}); !refused(err, relay.ErrNotYours) {
		t.Errorf("one proposer decides on another: %v", err)
	}
	if n, err := h.Review.Decide(ctx, editor, id, false, []string{fmt.Sprintf("%d.k", editor)}); err != nil || n != 1 {
		t.Errorf("one's own is not taken back: %v", err)
	}
	if n, err := h.Review.Decide(ctx, writer, id, true, nil); err != nil || n != 1 {
		t.Errorf("%d taken, %v", n, err)
	}
	if _, err := h.Review.Decide(ctx, writer, id, true, nil); !refused(err, relay.ErrNotNow) {
		t.Errorf("nothing is taken: %v", err)
	}
	if text, _ = h.text(id); text.Plain() != "One xxThe river drops.\n" {
		t.Errorf("%q", text.Plain())
	}
}

// What was decided is taken back: the copy and its proposals are as before, with what
// others wrote since.
func TestDecisionsAreTakenBack(t *testing.T) {
	h := newHouse(t)
	id := h.drafted("The river drops.")
	text, seq := h.text(id)
	h.edit(editor, id, "e", 1, seq, text.Propose(keep(10).Cut(5).Put("falls away", nil), fmt.Sprintf("%d.k", editor)))
	before, _ := h.text(id)
	for _, take := range []bool{true, false} {
		_, err := h.Review.Decide(ctx, lead, id, take, nil)
		h.must(err)
		_, seq := h.text(id)
		h.edit(writer, id, fmt.Sprint("w", take), 1, seq, keep(0).Put("x", nil))
		u, err := h.LastUndo(ctx, lead)
		h.must(err)
		_, _, err = h.Undo(ctx, lead, u.ID)
		h.must(err)
		after, seq := h.text(id)
		if string(after.JSON()) != strings.Replace(string(before.JSON()), "The", "xThe", 1) {
			t.Errorf("taken is %v: %s\nbefore %s", take, after.JSON(), before.JSON())
		}
		h.edit(writer, id, fmt.Sprint("w", take), 2, seq, copy.Change{}.Cut(1))
	}
	q, err := h.Copyroom.AskAbout(ctx, editor, id, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "Why?"}})
	h.must(err)
	h.must(h.Copyroom.SettleQuery(ctx, lead, q, true))
	u, err := h.LastUndo(ctx, lead)
	h.must(err)
	_, _, err = h.Undo(ctx, lead, u.ID)
	h.must(err)
	if m, _, err := h.Copyroom.MarginOf(ctx, lead, id); err != nil || m.Queries[0].Settled() {
		t.Errorf("it is settled still: %v", err)
	}
}

// Everything that was answered is there when the house is opened again, also what was in
// no version yet; and the copy at any edit can be had.
func TestEditsOutliveTheHouse(t *testing.T) {
	h := newHouse(t)
	id := h.drafted("a")
	_, base := h.text(id)
	for i := range 40 {
		h.edit(writer, id, "p", i+1, base+i, keep(1+i).Put("b", nil))
	}
	again := rooms.Open(h.DB, h.Log)
	again.Clock = h.Clock
	c, err := again.Planning.Newest(ctx, lead, id)
	h.must(err)
	if want := `[{"insert":"a` + strings.Repeat("b", 40) + `\n"}]`; c.Text != want {
		t.Errorf("%s", c.Text)
	}
	h.must(again.Copyroom.Recover(ctx))
	if v, err := store.CopyAt(ctx, h.DB.View(), id, h.piece(id).CopyVersion); err != nil || v.Text != c.Text || v.Seq != c.Seq {
		t.Errorf("the version is %+v, %v", v, err)
	}
}

// Many pages edit at once; all clients hear the same edits in the same order, and the copy
// holds every character.
func TestManyAtOnceAreStoredInOneOrder(t *testing.T) {
	h := newHouse(t)
	id := h.drafted("start")
	_, base := h.text(id)
	const pages, each = 8, 25
	seats := make([]*copyroom.Client, 3)
	for i := range seats {
		s, missed, hand, err := h.Copyroom.Join(ctx, writer, id, fmt.Sprint("seat", i), base)
		h.must(err)
		if len(missed) != 0 || !hand.Writes {
			t.Fatal(missed, hand)
		}
		seats[i] = s
	}
	var wg sync.WaitGroup
	for p := range pages {
		wg.Go(func() {
			for i := range each {
				if _, err := h.Copyroom.EditCopy(ctx, writer, id, copyroom.CopyEdit{Client: fmt.Sprint("p", p), Turn: i + 1, Base: base, Change: keep(p%5).Put(string(rune('A'+p)), nil)}); err != nil {
					t.Error(err)
				}
			}
		})
	}
	wg.Wait()
	text, seq := h.text(id)
	if seq != base+pages*each {
		t.Errorf("%d edits", seq-base)
	}
	for p := range pages {
		if n := strings.Count(text.Plain(), string(rune('A'+p))); n != each {
			t.Errorf("%d of %d of page %d", n, each, p)
		}
	}
	for _, s := range seats {
		is := copy.FromPlain("start")
		for i := range pages * each {
			w := <-s.Messages()
			var err error
			if is, err = is.Apply(w.Edit.Change); err != nil || w.Edit.Seq != base+1+i {
				t.Fatal(w.Edit.Seq, err)
			}
		}
		if is.Plain() != text.Plain() {
			t.Errorf("a seat has %q", is.Plain())
		}
		s.Leave()
	}
}

func TestAfterSignOffChangesAreProposed(t *testing.T) {
	h := newHouse(t)
	id := h.drafted("The river drops.")
	row, err := store.Piece(ctx, h.DB.View(), id)
	h.must(err)
	is := row.Piece
	is.Legs = append([]relay.Leg(nil), row.Legs...)
	for i := range is.Legs {
		if is.Legs[i].Key == "brief" {
			is.Legs[i].SignOff = true
		}
	}
	h.must(h.DB.Write(ctx, func(tx *store.Tx) error { return tx.SavePiece(ctx, row.Piece, is) }))
	h.Forget()
	_, base := h.text(id)
	if _, err := h.Copyroom.EditCopy(ctx, writer, id, copyroom.CopyEdit{Client: "a", Turn: 1, Base: base, Change: keep(0).Put("x", nil)}); !refused(err, relay.ErrNotYours) {
		t.Errorf("it is changed: %v", err)
	}
	text, _ := h.text(id)
	h.edit(writer, id, "a", 1, base, text.Propose(keep(0).Put("x", nil), fmt.Sprintf("%d.k", writer)))
	if _, err := h.Review.Decide(ctx, writer, id, true, nil); !refused(err, relay.ErrNotYours) {
		t.Errorf("who proposed it takes it: %v", err)
	}
	if n, err := h.Review.Decide(ctx, lead, id, true, nil); err != nil || n != 1 {
		t.Errorf("the lead does not decide: %v", err)
	}
}

func TestAQueryIsAskedAnsweredAndSettled(t *testing.T) {
	h := newHouse(t)
	id := h.drafted("Shut since 1742 by the lease.")
	_, base := h.text(id)
	h.edit(writer, id, "a", 1, base, keep(0).Put("It is ", nil))
	q, err := h.Copyroom.AskAbout(ctx, editor, id, copyroom.Ask{Query: query.Query{About: query.Words, Text: "Which year? @Lena should know.", ForID: writer, Only: true}, Seq: base, Place: copy.Place{At: 5, Len: 10}})
	h.must(err)
	m, _, err := h.Copyroom.MarginOf(ctx, writer, id)
	h.must(err)
	if len(m.Queries) != 1 || m.Queries[0].Quote != "since 1742" || m.Queries[0].Turn != writer || !m.Queries[0].MaySettle {
		t.Fatalf("%+v", m.Queries)
	}
	if p := m.Text.Places()[q]; len(p) != 1 || p[0] != (copy.Place{At: 11, Len: 10}) {
		t.Errorf("it is at %v", p)
	}
	for who, text := range map[ref.Person]string{writer: "asks you about “since 1742”. Only you can settle it."} {
		if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND text LIKE ?", who, "%"+text); n != 1 {
			t.Errorf("%d was told %d times", who, n)
		}
	}
	if err := h.Copyroom.SettleQuery(ctx, editor, q, true); !refused(err, relay.ErrNotYours) {
		t.Errorf("who asked settles it: %v", err)
	}
	for _, who := range []ref.Person{outside, stranger} {
		if err := h.Copyroom.AnswerQuery(ctx, who, q, "x", nil); err == nil {
			t.Errorf("%d answers", who)
		}
	}
	h.must(h.Copyroom.AnswerQuery(ctx, writer, q, "1747. The 2 is mine, sorry.", nil))
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND text LIKE '%answered about “since 1742”.'", editor); n != 1 {
		t.Error("who asked was not told")
	}
	mine, err := h.Copyroom.Queries(ctx, editor, copyroom.QueriesMine, "", 10)
	h.must(err)
	asked, err := h.Copyroom.Queries(ctx, writer, copyroom.QueriesMine, "", 10)
	h.must(err)
	found, err := h.Copyroom.Queries(ctx, lead, copyroom.QueriesAll, "sorry 174", 10)
	h.must(err)
	none, err := h.Copyroom.Queries(ctx, stranger, copyroom.QueriesAll, "", 10)
	h.must(err)
	if len(mine.Queries) != 1 || len(asked.Queries) != 0 || len(found.Queries) != 1 || len(none.Queries) != 0 {
		t.Errorf("mine %d, of the writer %d, found %d, strangers %d", len(mine.Queries), len(asked.Queries), len(found.Queries), len(none.Queries))
	}
	h.must(h.Copyroom.SettleQuery(ctx, writer, q, true))
	h.must(h.Copyroom.SettleQuery(ctx, writer, q, false))
	_, seq := h.text(id)
	h.edit(writer, id, "a", 2, seq, keep(11).Cut(10))
	m, _, err = h.Copyroom.MarginOf(ctx, lead, id)
	h.must(err)
	if !m.Queries[0].Gone || m.Queries[0].Quote != "since 1742" || m.Queries[0].Settled() {
		t.Errorf("%+v", m.Queries[0])
	}
	if _, err := h.Copyroom.AskAbout(ctx, editor, id, copyroom.Ask{Query: query.Query{About: query.Words, Text: "Gone?"}, Seq: seq, Place: copy.Place{At: 11, Len: 10}}); !refused(err, relay.ErrInput) {
		t.Errorf("words that are gone are asked about: %v", err)
	}
}

// A piece goes back with queries; it cannot be passed again until each has an answer.
func TestReasonsAreWorkedOff(t *testing.T) {
	h := newHouse(t)
	id := h.drafted(strings.Repeat("word ", 20))
	h.write(writer, id, strings.Repeat("word ", 20))
	h.pass(writer, id, "draft")
	var qs []ref.Query
	for _, text := range []string{"Which?", "Where?", "When?"} {
		q, err := h.Copyroom.AskAbout(ctx, editor, id, copyroom.Ask{Query: query.Query{About: query.Piece, Text: text}})
		h.must(err)
		qs = append(qs, q)
	}
	h.must(h.Planning.SendBack(ctx, lead, planning.Back{Piece: id, From: "copy", To: "draft", Queries: qs[:2]}))
	p := h.piece(id)
	if l := p.Leg("draft"); l.Reasons != "See the queries on the copy." {
		t.Errorf("the reasons are %q", l.Reasons)
	}
	err := h.Planning.PassLeg(ctx, writer, planning.Pass{Piece: id, Leg: "draft"})
	if err == nil || !strings.Contains(fmt.Sprint(err), "2 queries it came back with are not answered") {
		t.Errorf("it is passed: %v", err)
	}
	h.must(h.Copyroom.AnswerQuery(ctx, writer, qs[0], "This one.", nil))
	h.must(h.Copyroom.AnswerQuery(ctx, editor, qs[1], "Here, I mean.", nil)) // who asked: no answer
	if err := h.Planning.PassLeg(ctx, writer, planning.Pass{Piece: id, Leg: "draft"}); err == nil {
		t.Error("it is passed with one open")
	}
	h.must(h.Copyroom.SettleQuery(ctx, lead, qs[1], true))
	h.must(h.Planning.PassLeg(ctx, writer, planning.Pass{Piece: id, Leg: "draft"}))
	if err := h.Planning.SendBack(ctx, lead, planning.Back{Piece: id, From: "copy", To: "draft", Queries: qs[1:2]}); !refused(err, relay.ErrNotNow) {
		t.Errorf("a settled query is a reason: %v", err)
	}
}

// Twenty people in a copy of ten thousand words with three hundred proposals: how long a
// keystroke takes until it is acknowledged, at the 95th percentile.
func BenchmarkKeystrokeWithTwentyPeople(b *testing.B) {
	h := newHouse(b)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	var c copy.Change
	for i := range 10_000 {
		var a copy.Attributes
		if i%33 == 0 {
			a = copy.Set("put", fmt.Sprintf("%d.k%d", lead, i))
		}
		c = c.Put(map[bool]string{true: "stone.\n", false: "water "}[i%90 == 0], a)
	}
	_, base := h.text(id)
	if _, err := h.Copyroom.EditCopy(ctx, lead, id, copyroom.CopyEdit{Client: "first", Turn: 1, Base: base, Change: c}); err != nil {
		b.Fatal(err)
	}
	const people = 20
	for i := range people {
		s, _, _, err := h.Copyroom.Join(ctx, lead, id, fmt.Sprint("s", i), base+1)
		h.must(err)
		defer s.Leave()
		go func() {
			for range s.Messages() { // as a page does
			}
		}()
	}
	took := make([]time.Duration, 0, b.N)
	var mu sync.Mutex
	b.ResetTimer()
	var wg sync.WaitGroup
	for p := range people {
		wg.Go(func() {
			seq := base + 1
			for i := 0; i*people+p < b.N; i++ {
				began := time.Now()
				got, err := h.Copyroom.EditCopy(ctx, lead, id, copyroom.CopyEdit{Client: fmt.Sprint("s", p), Turn: i + 1, Base: seq, Change: keep(p*2_000).Put("a", nil)})
				if err != nil {
					b.Error(err)
					return
				}
				seq = got.Seq
				d := time.Since(began)
				mu.Lock()
				took = append(took, d)
				mu.Unlock()
				time.Sleep(100 * time.Millisecond) // ten characters a second
			}
		})
	}
	wg.Wait()
	b.ReportMetric(float64(percentile(took, 95).Microseconds())/1000, "ms/p95")
}

func percentile(d []time.Duration, p int) time.Duration {
	s := append([]time.Duration(nil), d...)
	for i := 1; i < len(s); i++ {
		for k := i; k > 0 && s[k] < s[k-1]; k-- {
			s[k], s[k-1] = s[k-1], s[k]
		}
	}
	if len(s) == 0 {
		return 0
	}
	return s[(len(s)-1)*p/100]
}
