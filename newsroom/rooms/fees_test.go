package rooms_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/fee"
	"greenbaton/core/notification"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/fees"
	"greenbaton/newsroom/planning"
	"greenbaton/post"
	"greenbaton/store"
)

// pays sets the currency of the test house and its rates.
func (h *testHouse) pays(rates ...store.Rate) {
	h.t.Helper()
	b, err := h.Setup(ctx)
	h.must(err)
	d := b.Desk(1)
	d.Currency, d.Money, d.Rounding, d.UnusedShare, d.PayWithin = "GBP", "£", fee.Even, 50, 30
	_, err = h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	for _, r := range rates {
		r.DeskID = 1
		h.must(h.Fees.SaveRate(ctx, lead, r))
	}
}

func (h *testHouse) feesOf(piece ref.Piece) []store.Fee {
	h.t.Helper()
	all, err := store.FeesOf(ctx, h.DB.View(), piece)
	h.must(err)
	return all
}

func (h *testHouse) gives(piece ref.Piece, leg string, to ref.Person) {
	h.t.Helper()
	h.must(h.Planning.GiveLeg(ctx, lead, piece, leg, to, 0))
}

// undoes takes back what the lead did last; nothing where there is nothing.
func (h *testHouse) undoes() error {
	h.t.Helper()
	u, err := h.LastUndo(ctx, lead)
	h.must(err)
	if u.ID == 0 {
		return nil
	}
	_, _, err = h.Undo(ctx, lead, u.ID)
	return err
}

func (h *testHouse) passes(piece ref.Piece, leg string) {
	h.t.Helper()
	h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: piece, Leg: leg, Why: "all the same"}))
}

// What was agreed when a leg was given stays when the rate changes; it is owed once the next leg is
// passed, by the words as they stand and no more than the brief asks for.
func TestAFeeIsAgreedAcceptedCheckedStatedAndPaid(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{PersonID: freelance, Leg: "Draft", Per: fee.Word, Rate: 1_500})
	id := h.make("12-11")
	h.passes(id, "brief")
	h.gives(id, "draft", freelance)
	all := h.feesOf(id)
	if len(all) != 1 || all[0].State != fee.Agreed || all[0].PersonID != freelance || all[0].Rate != 1_500 || !all[0].Begun {
		t.Fatalf("%+v", all)
	}
	b, err := h.Setup(ctx)
	h.must(err)
	r := b.RatesOf(1)[0]
	r.Rate = 2_000
	h.must(h.Fees.SaveRate(ctx, lead, r))
	h.write(lead, id, strings.Repeat("word ", 40))
	h.passes(id, "draft")
	if got := h.feesOf(id)[0]; got.State != fee.Agreed {
		t.Fatalf("it is %s before the next leg is passed", got.State)
	}
	h.passes(id, "copy")
	got := h.feesOf(id)[0]
	if got.State != fee.Accepted || got.Words != 40 || got.Asked != 9 || got.Amount != 135 {
		t.Fatalf("%+v", got)
	}
	h.must(h.undoes())
	if got := h.feesOf(id)[0]; got.State != fee.Agreed || got.Amount != 0 {
		t.Fatalf("after the pass was taken back: %+v", got)
	}
	h.passes(id, "copy")
	if err := h.Fees.Check(ctx, freelance, 1, []ref.Fee{got.ID}); !refused(err, relay.ErrNotYours) {
		t.Errorf("who earns it checks it: %v", err)
	}
	if err := h.Fees.Check(ctx, editor, 1, []ref.Fee{got.ID}); !refused(err, relay.ErrNotYours) {
		t.Errorf("staff who is not named checks it: %v", err)
	}
	h.must(h.Fees.Return(ctx, lead, 1, got.ID, "one paragraph is theirs"))
	if err := h.Fees.Check(ctx, lead, 1, []ref.Fee{got.ID}); !refused(err, relay.ErrNotNow) || !strings.Contains(err.Error(), "went back") {
		t.Errorf("what went back is checked: %v", err)
	}
	h.must(h.Fees.Agree(ctx, lead, fees.Otherwise{Piece: id, Fee: got.ID, Terms: fee.Terms{Per: fee.Piece, Rate: 550_00}}))
	h.must(h.Fees.Check(ctx, lead, 1, []ref.Fee{got.ID}))
	if err := h.Fees.Check(ctx, lead, 1, []ref.Fee{got.ID}); !refused(err, relay.ErrNotNow) || !strings.Contains(err.Error(), "meanwhile") {
		t.Errorf("checked twice: %v", err)
	}
	if _, err := h.Fees.State(ctx, lead, 1, date("2026-10-01"), 0); !refused(err, relay.ErrNotNow) {
		t.Errorf("a statement of an empty month: %v", err)
	}
	n, err := h.Fees.State(ctx, lead, 1, date("2026-11-01"), 0)
	if err != nil || n != 1 {
		t.Fatal(n, err)
	}
	mine, err := h.Fees.Mine(ctx, freelance)
	if err != nil || len(mine.Statements) != 1 || mine.Statements[0].Number != 1 || mine.Statements[0].Total != 550 {
		t.Fatalf("%+v, %v", mine, err)
	}
	s, lines, err := h.Fees.Statement(ctx, freelance, mine.Statements[0].ID)
	if err != nil || len(lines) != 1 || lines[0].Amount != 550 || s.DueDay != date("2026-12-24") {
		t.Errorf("%+v, %+v, %v", s, lines, err)
	}
	for _, who := range []ref.Person{editor, outside} {
		if _, _, err := h.Fees.Statement(ctx, who, s.ID); err != newsroom.ErrNotFound {
			t.Errorf("%d sees the statement of another: %v", who, err)
		}
	}
	for _, on := range []string{"2026-11-23", "2026-11-25"} {
		if err := h.Fees.Pay(ctx, lead, 1, []ref.Statement{s.ID}, date(on)); !refused(err, relay.ErrInput) {
			t.Errorf("paid on %s: %v", on, err)
		}
	}
	h.must(h.Fees.Pay(ctx, lead, 1, []ref.Statement{s.ID}, date("2026-11-24")))
	if err := h.Fees.Pay(ctx, lead, 1, []ref.Statement{s.ID}, date("2026-11-24")); !refused(err, relay.ErrNotNow) {
		t.Errorf("paid twice: %v", err)
	}
	if err := h.Fees.Agree(ctx, lead, fees.Otherwise{Piece: id, Fee: got.ID, Terms: fee.Terms{Per: fee.Piece, Rate: 1}}); !refused(err, relay.ErrNotNow) {
		t.Errorf("what is stated is agreed anew: %v", err)
	}
	if err := h.Fees.Correct(ctx, lead, 1, got.ID, -551, "more than it was"); !refused(err, relay.ErrInput) {
		t.Errorf("more is taken back than was paid: %v", err)
	}
	h.must(h.Fees.Correct(ctx, lead, 1, got.ID, -50, "the last paragraph was theirs"))
	if n, err := h.Fees.State(ctx, lead, 1, date("2026-11-01"), 0); err == nil || n != 0 {
		t.Errorf("a statement below nothing is made: %d, %v", n, err)
	}
}

// A draft that was passed and is not used is owed the desk's share.
func TestWorkThatIsNotUsedIsOwedItsShare(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 125_00})
	id := h.make("12-11")
	h.passes(id, "brief")
	h.gives(id, "draft", freelance)
	h.passes(id, "draft")
	h.must(h.Planning.NotUsed(ctx, lead, id, h.piece(id).Version, "no room"))
	got := h.feesOf(id)
	if len(got) != 1 || got[0].Kind != fee.ForUnused || got[0].State != fee.Accepted || got[0].Amount != 62 {
		t.Fatalf("half of 125, rounded to even, is %+v", got)
	}
}

// Who takes back that a piece was made owes nothing for it, though its first leg ran already.
func TestAPieceThatWasNeverMadeIsOwedNothing(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{PersonID: editor, Per: fee.Piece, Rate: 80_00 * 100}) // who has its first leg
	id := h.make("12-11")
	if got := h.feesOf(id); len(got) != 2 || !got[0].Begun {
		t.Fatalf("%+v", got)
	}
	h.must(h.undoes())
	if got := h.feesOf(id); len(got) != 0 {
		t.Errorf("%+v", got)
	}
}

// Who checks a fee is not who earns it, and nobody makes their own statement.
func TestNobodyChecksTheirOwnFee(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{PersonID: lead, Per: fee.Piece, Rate: 80_00 * 100}, store.Rate{PersonID: freelance, Per: fee.Piece, Rate: 90_00 * 100})
	id := h.make("12-11")
	h.gives(id, "brief", lead)
	h.gives(id, "draft", freelance)
	for _, l := range []string{"brief", "draft", "copy"} {
		h.passes(id, l)
	}
	all := h.feesOf(id)
	if len(all) != 2 || all[0].PersonID != lead || all[0].State != fee.Accepted {
		t.Fatalf("%+v", all)
	}
	for _, do := range []func() error{
		func() error { return h.Fees.Check(ctx, lead, 1, []ref.Fee{all[1].ID, all[0].ID}) },
		func() error { return h.Fees.Return(ctx, lead, 1, all[0].ID, "too little") },
		func() error {
			return h.Fees.Agree(ctx, lead, fees.Otherwise{Piece: id, Fee: all[0].ID, Terms: fee.Terms{Per: fee.Piece, Rate: 1}})
		},
	} {
		if err := do(); !refused(err, relay.ErrNotYours) {
			t.Errorf("%v", err)
		}
	}
	if h.feesOf(id)[1].State != fee.Accepted {
		t.Error("of two that are checked at once one was, and the other refused")
	}
	p := h.books().Person(editor)
	p.Duties = string(relay.Checks)
	_, _, err := h.Settings.SavePerson(ctx, lead, 1, p)
	h.must(err)
	h.must(h.Fees.Check(ctx, editor, 1, []ref.Fee{all[0].ID, all[1].ID}))
	if n, err := h.Fees.State(ctx, lead, 1, date("2026-11-01"), 0); n != 1 || err != nil || h.feesOf(id)[0].State != fee.Checked {
		t.Errorf("%d statements, %v, and their own is %s", n, err, h.feesOf(id)[0].State)
	}
	f := all[1].ID
	h.must(h.Fees.Correct(ctx, lead, 1, f, -5_000, "half of it was not theirs"))
	if err := h.Fees.Correct(ctx, lead, 1, f, -5_000, "and the other half"); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "£40") {
		t.Errorf("more is taken back in two than was paid: %v", err)
	}
}

// Two who check, state or pay at once do it once; the other is told.
func TestMoneyAtOnceIsCountedOnce(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{PersonID: freelance, Per: fee.Piece, Rate: 90_00 * 100})
	p := h.books().Person(editor)
	p.Duties = "check,pay"
	_, _, err := h.Settings.SavePerson(ctx, lead, 1, p)
	h.must(err)
	id := h.make("12-11")
	h.passes(id, "brief")
	h.gives(id, "draft", freelance)
	h.passes(id, "draft")
	h.passes(id, "copy")
	f := h.feesOf(id)[0].ID
	once := func(what string, do func(who ref.Person) error) {
		done := make(chan error)
		for i := range 6 {
			go func() { done <- do([]ref.Person{lead, editor}[i%2]) }()
		}
		worked := 0
		for range 6 {
			switch err := <-done; {
			case err == nil:
				worked++
			case !refused(err, relay.ErrNotNow):
				t.Errorf("%s: %v", what, err)
			}
		}
		if worked != 1 {
			t.Errorf("%s worked %d times", what, worked)
		}
	}
	once("checking", func(who ref.Person) error { return h.Fees.Check(ctx, who, 1, []ref.Fee{f}) })
	once("stating", func(who ref.Person) error { _, err := h.Fees.State(ctx, who, 1, date("2026-11-01"), 0); return err })
	once("paying", func(who ref.Person) error { return h.Fees.Pay(ctx, who, 1, []ref.Statement{1}, date("2026-11-24")) })
	if n := h.count("SELECT COUNT(*) FROM statement_line"); n != 1 {
		t.Errorf("%d lines", n)
	}
}

// Work that comes back is paid its share for each time, as the desk says, and what was accepted before
// it came back stays accepted, also when somebody else does it again.
func TestWorkThatComesBackIsPaidAsTheDeskSays(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 100_00 * 100})
	d := h.books().Desk(1)
	d.ReworkShare = 40
	_, err := h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	said := func(id ref.Piece) string {
		var out []string
		for _, f := range h.feesOf(id) {
			if f.State == fee.Accepted {
				out = append(out, fmt.Sprint(f.Kind, " ", f.Amount))
			}
		}
		return strings.Join(out, ", ")
	}
	back := func(id ref.Piece) {
		h.must(h.Planning.SendBack(ctx, lead, planning.Back{Piece: id, From: firstRunning(h.piece(id)), To: "draft", Reasons: "again"}))
	}
	id := h.make("12-11")
	h.passes(id, "brief")
	h.gives(id, "draft", freelance)
	h.passes(id, "draft")
	back(id)
	h.passes(id, "draft")
	h.passes(id, "copy")
	if got := said(id); got != "work 10000, rework 4000" {
		t.Errorf("it came back once: %s", got)
	}
	back(id)
	if got := said(id); got != "work 10000, rework 4000" {
		t.Errorf("it came back after it was accepted: %s", got)
	}
	h.gives(id, "draft", editor)
	h.passes(id, "draft")
	h.passes(id, "copy")
	if got := said(id); got != "work 10000, rework 4000" {
		t.Errorf("somebody else did it again: %s", got)
	}
	again := h.make("12-14")
	h.passes(again, "brief")
	h.gives(again, "draft", freelance)
	h.passes(again, "draft")
	h.passes(again, "copy")
	back(again)
	h.passes(again, "draft")
	h.passes(again, "copy")
	if got := said(again); got != "work 10000, rework 4000" {
		t.Errorf("it came back after it was accepted, and was done again: %s", got)
	}
}

// Money is conserved: whatever is done to pieces and fees, what statements come to is the sum of
// their lines and of the fees in them, no fee is in two, numbers have no gaps, and a fee that is in a
// statement never changes.
func TestMoneyIsConserved(t *testing.T) {
	all := 0
	for seed := range uint64(6) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			h := newHouse(t)
			rng := rand.New(rand.NewPCG(seed, 20))
			h.pays(store.Rate{PersonID: freelance, Per: fee.Word, Rate: 1_550, Least: 1_000}, store.Rate{Per: fee.Hour, Rate: 2_000_00})
			pieces := []ref.Piece{h.make("12-11"), h.make("12-14"), h.make("12-16")}
			for _, id := range pieces {
				h.gives(id, "draft", freelance)
			}
			stated := map[ref.Fee]store.Fee{}
			for range 70 {
				id := pieces[rng.IntN(len(pieces))]
				row := h.piece(id)
				l := row.Legs[rng.IntN(len(row.Legs))]
				waiting, err := store.FeesWaiting(ctx, h.DB.View(), 1)
				h.must(err)
				var err2 error
				switch rng.IntN(11) {
				case 0, 1, 2:
					for _, r := range row.Running() {
						err2 = h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: r.Key, Why: "all the same"})
					}
				case 3:
					err2 = h.Planning.SendBack(ctx, lead, planning.Back{Piece: id, From: firstRunning(row), To: l.Key, Reasons: "again"})
				case 4:
					err2 = h.Planning.GiveLeg(ctx, lead, id, l.Key, []ref.Person{freelance, editor}[rng.IntN(2)], 0)
				case 5:
					err2 = h.undoes()
				case 6:
					h.write(lead, id, strings.Repeat("more ", rng.IntN(60)))
				case 7:
					for _, f := range waiting {
						_ = h.Fees.Check(ctx, lead, 1, []ref.Fee{f.ID}) // some cannot be yet
					}
				case 8:
					_, err2 = h.Fees.State(ctx, lead, 1, date("2026-11-01"), 0)
				case 9:
					for f := range stated {
						err2 = h.Fees.Correct(ctx, lead, 1, f, rng.Int64N(9)-4, "it was counted wrongly")
						break
					}
				case 10:
					for _, f := range waiting {
						if f.Per == fee.Hour {
							err2 = h.Fees.SayHours(ctx, f.PersonID, f.ID, 30+rng.IntN(300))
						}
					}
				}
				_ = err2 // much of it is refused at that moment, which is as it should be
				made, err := store.Statements(ctx, h.DB.View(), 1)
				h.must(err)
				seen := map[ref.Fee]bool{}
				for i, s := range made {
					if s.Number != len(made)-i {
						t.Fatalf("statement %d is the %d.", s.Number, len(made)-i)
					}
					_, lines, err := store.StatementByID(ctx, h.DB.View(), s.ID)
					h.must(err)
					sum, feeSum := int64(0), int64(0)
					for _, l := range lines {
						f, err := store.FeeByID(ctx, h.DB.View(), l.FeeID)
						h.must(err)
						if seen[l.FeeID] || f.State != fee.Stated || f.StatementID != s.ID || f.Amount != l.Amount {
							t.Fatalf("line %+v of fee %+v", l, f)
						}
						if was, ok := stated[f.ID]; ok && was != f {
							t.Fatalf("fee %+v in a statement became %+v", was, f)
						}
						seen[l.FeeID], stated[f.ID] = true, f
						sum, feeSum = sum+l.Amount, feeSum+f.Amount
					}
					if sum != s.Total || feeSum != s.Total || s.Total < 0 {
						t.Fatalf("statement %+v of lines %d, fees %d", s, sum, feeSum)
					}
				}
				if len(seen) != len(stated) {
					t.Fatalf("%d fees are in statements, %d were", len(seen), len(stated))
				}
			}
			all += len(stated)
		})
	}
	if all < 10 {
		t.Errorf("only %d fees were ever stated", all)
	}
}

func firstRunning(row store.Row) string {
	if all := row.Running(); len(all) > 0 {
		return all[0].Key
	}
	return ""
}

// Rates, budgets and costs that cannot be are refused with what to do.
func TestMoneyThatCannotBeIsRefused(t *testing.T) {
	h := newHouse(t)
	h.pays()
	for _, x := range []store.Rate{
		{Per: fee.Word}, {Per: fee.Word, Rate: -5}, {Per: fee.Word, Rate: 1_000_000_00 * 100}, {Per: fee.Piece, Rate: 1_000_001_00 * 100}, {Per: "page", Rate: 5}, {Per: fee.Piece, Rate: 5, Least: 10, Most: 9}, {Per: fee.Piece, Rate: 5, PersonID: outside},
		{Per: fee.Piece, Rate: 5, Leg: "Juggling"}, {Per: fee.Piece, Rate: 5, Role: "juggler"}, {Per: fee.Piece, Rate: 5, FormatID: 99},
	} {
		x.DeskID = 1
		if err := h.Fees.SaveRate(ctx, lead, x); !refused(err, relay.ErrInput) {
			t.Errorf("%+v: %v", x, err)
		}
	}
	if err := h.Fees.SaveRate(ctx, editor, store.Rate{DeskID: 1, Per: fee.Piece, Rate: 5}); !refused(err, relay.ErrNotYours) {
		t.Errorf("by who is no lead: %v", err)
	}
	for _, x := range []store.Budget{{Span: fee.Monthly}, {Span: "week", Amount: 5}, {Span: fee.Whole, Amount: 5}, {Span: fee.Monthly, Amount: 5, FormatID: 1, ChannelID: 1}, {Span: fee.Monthly, Amount: 5, FormatID: 99}} {
		x.DeskID = 1
		if err := h.Fees.SaveBudget(ctx, lead, x); !refused(err, relay.ErrInput) {
			t.Errorf("%+v: %v", x, err)
		}
	}
	for _, x := range []store.Cost{{Amount: 5, Day: date("2026-11-01")}, {Note: "studio", Day: date("2026-11-01")}, {Note: "studio", Amount: 5}, {Note: "studio", Amount: 5, Day: date("2036-11-01")}} {
		x.DeskID = 1
		if err := h.Fees.SaveCost(ctx, lead, x); !refused(err, relay.ErrInput) {
			t.Errorf("%+v: %v", x, err)
		}
	}
	h.must(h.Fees.SaveRate(ctx, lead, store.Rate{DeskID: 1, PersonID: freelance, Per: fee.Hour, Rate: 3_200_00}))
	b, err := h.Setup(ctx)
	h.must(err)
	d := b.Desk(1)
	d.Currency = "JPY"
	if _, err := h.Settings.SaveDesk(ctx, lead, d); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "GBP") {
		t.Errorf("another currency while there are rates: %v", err)
	}
	id := h.make("12-11")
	h.passes(id, "brief")
	h.gives(id, "draft", freelance)
	f := h.feesOf(id)[0]
	for _, minutes := range []int{0, -5, 1000 * 60} {
		if err := h.Fees.SayHours(ctx, freelance, f.ID, minutes); !refused(err, relay.ErrInput) {
			t.Errorf("%d minutes: %v", minutes, err)
		}
	}
	if err := h.Fees.SayHours(ctx, editor, f.ID, 60); err != newsroom.ErrNotFound {
		t.Errorf("hours of another: %v", err)
	}
	h.passes(id, "draft")
	h.passes(id, "copy")
	if err := h.Fees.Check(ctx, lead, 1, []ref.Fee{f.ID}); !refused(err, relay.ErrNotNow) || !strings.Contains(err.Error(), "how many hours") {
		t.Errorf("checked without hours: %v", err)
	}
	h.must(h.Fees.SayHours(ctx, freelance, f.ID, 270))
	if got := h.feesOf(id)[0]; got.Amount != 14_400 {
		t.Errorf("4½ h at £32 are %d", got.Amount)
	}
}

// Money is seen by leads, by who is named to check or pay, and each sees their own; nothing of an
// amount stands in the logbook.
func TestWhoSeesMoney(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{PersonID: freelance, Per: fee.Piece, Rate: 777_00 * 100})
	id := h.make("12-11")
	h.passes(id, "brief")
	h.gives(id, "draft", freelance)
	h.passes(id, "draft")
	h.passes(id, "copy")
	row := h.piece(id)
	seen := func(who ref.Person) string {
		_, err := h.Fees.Month(ctx, who, 1, date("2026-11-24"))
		fees, err2 := h.Fees.OfPiece(ctx, who, &row.Piece)
		_, err3 := h.Fees.OfMonth(ctx, who, 1, date("2026-11-24"))
		return fmt.Sprint(err == nil, len(fees), err2 == nil, err3 == nil)
	}
	for who, want := range map[ref.Person]string{lead: "true 1 true true", editor: "false 0 true false", freelance: "false 1 true false", outside: "false 0 true false"} {
		if got := seen(who); got != want {
			t.Errorf("%d: %s, want %s", who, got, want)
		}
	}
	b, err := h.Setup(ctx)
	h.must(err)
	p := b.Person(editor)
	p.Duties = string(relay.Checks)
	_, _, err = h.Settings.SavePerson(ctx, lead, 1, p)
	h.must(err)
	if got := seen(editor); got != "true 1 true true" {
		t.Errorf("who is named to check: %s", got)
	}
	h.must(h.Fees.Check(ctx, editor, 1, []ref.Fee{h.feesOf(id)[0].ID}))
	if _, err := h.Fees.State(ctx, editor, 1, date("2026-11-01"), 0); !refused(err, relay.ErrNotYours) {
		t.Errorf("who only checks makes statements: %v", err)
	}
	_, err = h.Fees.State(ctx, lead, 1, date("2026-11-01"), 0)
	h.must(err)
	var lines []string
	h.must(h.DB.Select(ctx, &lines, "SELECT what || ' ' || before || ' ' || after || ' ' || why FROM logbook WHERE act <> 'set up'"))
	if i := slices.IndexFunc(lines, func(s string) bool { return strings.Contains(s, "777") || strings.Contains(s, "£") }); i >= 0 {
		t.Errorf("the logbook says %q", lines[i])
	}
}

// A house rule hears of a leg that is accepted, by what it comes to; only who may see money and who
// earns it read how much.
func TestAHouseRuleReactsToAFee(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 250_00 * 100})
	for _, least := range []string{"200", "300"} {
		id, err := h.Rules.SaveRule(ctx, lead, rule.Rule{DeskID: 1, When: rule.Accepted, If: []rule.Cond{{Field: "fee", Op: rule.AtLeast, Values: []string{least}}}, Then: []rule.Action{{Do: rule.Tell, To: []string{rule.TellLeads, rule.TellEverybody}, Words: "over " + least + ": {leg} comes to {fee}"}}})
		h.must(err)
		h.must(h.Rules.SwitchRule(ctx, lead, 1, id, true))
	}
	id := h.make("12-11")
	h.passes(id, "brief")
	h.gives(id, "draft", freelance)
	h.write(lead, id, "four words are enough")
	h.passes(id, "draft")
	h.passes(id, "copy")
	for who, want := range map[ref.Person]string{lead: "over 200: Draft comes to £250", freelance: "over 200: Draft comes to £250", editor: "over 200: Draft comes to its fee"} {
		var got []string
		h.must(h.DB.Select(ctx, &got, "SELECT text FROM inbox WHERE person_id = ? AND text LIKE 'over %'", who))
		if len(got) != 1 || got[0] != want {
			t.Errorf("%d reads %q, want %q", who, got, want)
		}
	}
}

// A budget that goes over is said before anything is made or given, to who may see money.
func TestABudgetThatGoesOverIsSaid(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 100_00 * 100})
	h.must(h.Fees.SaveBudget(ctx, lead, store.Budget{DeskID: 1, Span: fee.Monthly, FormatID: 1, Amount: 15_000}))
	first, second := h.make("11-30"), h.make("11-30")
	h.gives(first, "draft", freelance)
	would := h.piece(second).Piece
	would.Leg("draft").Holder = freelance
	anew := would
	anew.ID = 0
	for _, p := range []relay.Piece{would, anew} {
		for who, want := range map[ref.Person]string{lead: "Feature would be £50 over its budget of £150 for November 2026.", editor: ""} {
			over, err := h.Fees.Over(ctx, who, 1, []relay.Piece{p})
			if err != nil || strings.Join(over, " ") != want {
				t.Errorf("%d is told %q, %v", who, over, err)
			}
		}
	}
	told := func() []string {
		var got []string
		h.must(h.Tick(ctx))
		h.must(h.DB.Select(ctx, &got, "SELECT text FROM inbox WHERE person_id = ? AND kind = 'fee' ORDER BY id", lead))
		return got
	}
	id, err := h.Rules.SaveRule(ctx, lead, rule.Rule{DeskID: 1, When: rule.Spent, If: []rule.Cond{{Field: "used", Op: rule.AtLeast, Values: []string{"100"}}}, Then: []rule.Action{{Do: rule.Tell, To: []string{fmt.Sprint(writer)}, Words: "nothing more from freelancers for {piece}"}}})
	h.must(err)
	h.must(h.Rules.SwitchRule(ctx, lead, 1, id, true))
	if got := told(); len(got) != 0 {
		t.Errorf("two thirds are spent, and it is told: %q", got)
	}
	h.must(h.Fees.SaveCost(ctx, lead, store.Cost{DeskID: 1, Day: date("2026-11-24"), Note: "studio", Amount: 14_000, FormatID: 1}))
	if got := told(); len(got) != 1 || got[0] != "Feature has spent or promised £140 of its budget of £150 for November 2026." {
		t.Errorf("%q", got)
	}
	h.passes(first, "brief") // it is promised now
	if got := told(); len(got) != 2 || !strings.HasPrefix(got[1], "Feature is £90 over its budget") || len(told()) != 2 {
		t.Errorf("%q", got)
	}
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND text = 'nothing more from freelancers for Feature' AND link = '/'", writer); n != 1 {
		t.Errorf("the house rule told %d times", n)
	}
	if _, err := h.Rules.TryRule(ctx, lead, rule.Rule{DeskID: 1, When: rule.Spent, Then: []rule.Action{{Do: rule.Tell, To: []string{"leads"}, Words: "x"}}}, 30, nil); !refused(err, relay.ErrInput) {
		t.Errorf("tried on the past: %v", err)
	}
	h.gives(second, "draft", freelance) // something is another, and the budget as it was
	if got := told(); len(got) != 2 {
		t.Errorf("it is told again: %q", got)
	}
	h.gives(second, "draft", writer)
	same := h.piece(first).Piece
	if over, err := h.Fees.Over(ctx, lead, 1, []relay.Piece{same}); err != nil || len(over) != 0 {
		t.Errorf("nothing is changed, and %v is said, %v", over, err)
	}
	row := h.piece(second)
	if left, err := h.Fees.Left(ctx, lead, &row.Piece, "draft"); err != nil || strings.Join(left, "") != "Feature is £90 over its budget for November 2026 already." {
		t.Errorf("%q, %v", left, err)
	}
}

// Who chose to be told in the chat of the desk is told of amounts by mail, which nobody else reads.
func TestNoAmountIsReadInTheChat(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 777_00 * 100})
	h.Mail, h.Chat = post.Room{DB: h.DB}, post.ChatRoom{DB: h.DB}
	h.must(h.Notify.SaveHook(ctx, lead, store.Hook{DeskID: 1, Name: "Newsroom", URL: "https://chat.example/1", IsOn: true}))
	for _, who := range []ref.Person{lead, freelance} {
		for _, topic := range notification.Topics {
			h.tell(who, topic.Topic, notification.Chat)
		}
	}
	h.rules(rule.Rule{When: rule.Accepted, Then: []rule.Action{{Do: rule.Tell, To: []string{rule.TellLeads, rule.TellHook}, Words: "{leg} comes to {fee}"}}})
	id := h.make("12-11")
	h.must(h.Planning.OfferLeg(ctx, lead, planning.Offer{Piece: id, Leg: "pics", To: []ref.Person{freelance}, Fee: 777_01}))
	h.must(h.Planning.OfferLeg(ctx, lead, planning.Offer{Piece: id, Leg: "copy", To: []ref.Person{freelance}}))
	h.gives(id, "draft", freelance)
	h.must(h.Fees.Agree(ctx, lead, fees.Otherwise{Piece: id, Fee: h.feesOf(id)[0].ID, Terms: fee.Terms{Per: fee.Piece, Rate: 777_02 * 100}}))
	h.passes(id, "brief")
	h.write(lead, id, "four words are enough")
	h.passes(id, "draft")
	h.passes(id, "copy")
	for range 3 {
		h.now = h.now.Add(24 * time.Hour)
		h.must(h.Tick(ctx))
		h.must(h.Notify.DeliverMail(ctx))
		h.must(h.Notify.DeliverPosts(ctx))
	}
	chat, mails := strings.Join(h.letters("chat.example"), "\n"), strings.Join(h.letters("@house"), "\n")
	if strings.Contains(chat, "777") || !strings.Contains(chat, "Draft comes to its fee") || !strings.Contains(chat, "Copy edit is open to you") {
		t.Errorf("the chat reads %s", chat)
	}
	for _, s := range []string{"Pictures is open to you, for £777.01", "£777.02", "Draft comes to £777.02"} {
		if !strings.Contains(mails, s) {
			t.Errorf("no mail says %q: %s", s, mails)
		}
	}
}

// A budget for the whole of a campaign counts what was spent for it whenever that was, in whichever
// month it is looked at.
func TestTheBudgetOfACampaignCountsAllOfIt(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 100_00 * 100})
	h.must(h.Settings.SaveCampaign(ctx, lead, store.Campaign{DeskID: 1, Name: "Winter", FromDay: date("2026-12-01"), ToDay: date("2026-12-20")}))
	h.must(h.Fees.SaveCost(ctx, lead, store.Cost{DeskID: 1, Day: date("2025-01-15"), Note: "a journey long before", Amount: 30_000, CampaignID: 1}))
	h.must(h.Fees.SaveCost(ctx, lead, store.Cost{DeskID: 1, Day: date("2027-02-01"), Note: "a frame after it", Amount: 500, CampaignID: 1}))
	h.must(h.Fees.SaveCost(ctx, lead, store.Cost{DeskID: 1, Day: date("2025-01-15"), Note: "of no campaign", Amount: 5_000}))
	id := h.make("12-11")
	h.must(h.Planning.EditPieces(ctx, lead, []planning.Edit{{Piece: id, Campaign: new(ref.Campaign(1))}}))
	h.gives(id, "draft", freelance)
	h.passes(id, "brief")
	h.must(h.Fees.SaveBudget(ctx, lead, store.Budget{DeskID: 1, Span: fee.Whole, CampaignID: 1, Amount: 41_000}))
	h.must(h.Fees.SaveBudget(ctx, lead, store.Budget{DeskID: 1, Span: fee.Monthly, Amount: 100_000}))
	for _, on := range []string{"2026-11-24", "2026-12-05", "2027-03-01"} {
		m, err := h.Fees.Month(ctx, lead, 1, date(on))
		h.must(err)
		if u := m.Budgets[0].Use; u.Spent() != 40_500 {
			t.Errorf("on %s the campaign has %+v", on, u)
		}
	}
	h.must(h.Tick(ctx))
	h.must(h.Settings.SaveCampaign(ctx, lead, store.Campaign{ID: 1, DeskID: 1, Name: "Winter", FromDay: date("2026-12-02"), ToDay: date("2026-12-20")}))
	h.must(h.Fees.SaveCost(ctx, lead, store.Cost{DeskID: 1, Day: date("2026-11-24"), Note: "a stamp", Amount: 10, CampaignID: 1}))
	h.must(h.Tick(ctx))
	if n := h.told(lead, "fee", "Winter has spent or promised"); n != 1 || h.told(lead, "fee", "promised £405 of its budget of £410.") != 1 {
		t.Errorf("told %d times", n)
	}
}

// Budgets are looked at when one is made, when a month begins, when the day of a leg is another, and
// after a restart.
func TestBudgetsAreLookedAtWhateverChanges(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 100_00 * 100})
	id := h.make("12-11")
	h.gives(id, "draft", freelance)
	h.passes(id, "brief") // promised for December
	pin := func(c plan.Change) {
		t.Helper()
		_, err := h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{c}})
		h.must(err)
	}
	looked := func(what string, want int) {
		t.Helper()
		h.must(h.Tick(ctx))
		if n := h.told(lead, "fee", "over its budget"); n != want {
			t.Errorf("%s: told %d times, want %d", what, n, want)
		}
	}
	h.must(h.Fees.SaveBudget(ctx, lead, store.Budget{DeskID: 1, Span: fee.Monthly, FormatID: 1, Amount: 9_000}))
	looked("a budget is made, and November has spent nothing", 0)
	pin(plan.Change{Do: plan.DoPin, Piece: id, Leg: "draft", Date: date("2026-11-27")})
	looked("the leg is due in November now", 1)
	pin(plan.Change{Do: plan.DoPin, Piece: id, Leg: "draft", Date: date("2026-12-03")})
	looked("and in December again", 1)
	h.now = time.Date(2026, 12, 1, 9, 0, 0, 0, time.UTC)
	looked("December has begun", 2)
	h.must(h.Fees.SaveBudget(ctx, lead, store.Budget{ID: 1, DeskID: 1, Span: fee.Monthly, FormatID: 1, Amount: 8_000}))
	looked("it is changed", 3)
	h.must(h.Fees.SaveBudget(ctx, lead, store.Budget{ID: 1, DeskID: 1, Span: fee.Monthly, FormatID: 1, Amount: 10_000}))
	looked("it is raised and not over", 3)
	h.exec("UPDATE budget SET amount = 7000, told = ''")
	h.Forget()
	looked("the data was put back", 4)
}

// What giving a leg that has begun to somebody else costs is both: what the one is owed for what is
// not used, and what the other is paid. An open leg of a new piece counts what it is offered for.
func TestAllThatAChangeCostsIsReckoned(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 100_00 * 100})
	h.must(h.Fees.SaveBudget(ctx, lead, store.Budget{DeskID: 1, Span: fee.Monthly, Amount: 12_000}))
	id := h.make("11-30")
	h.gives(id, "draft", freelance)
	h.passes(id, "brief")
	would := h.piece(id).Piece
	would.Legs = slices.Clone(would.Legs)
	over := func(p relay.Piece) string {
		t.Helper()
		all, err := h.Fees.Over(ctx, lead, 1, []relay.Piece{p})
		h.must(err)
		return strings.Join(all, " ")
	}
	would.Leg("draft").Holder = writer
	h.must(h.Fees.SaveRate(ctx, lead, store.Rate{DeskID: 1, PersonID: writer, Per: fee.Piece, Rate: 90_00 * 100}))
	if got := over(would); got != "Desk, all would be £20 over its budget of £120 for November 2026." { // 50 and 90
		t.Errorf("given away: %q", got)
	}
	h.gives(id, "draft", writer)
	m, err := h.Fees.Month(ctx, lead, 1, date("2026-11-24"))
	h.must(err)
	if m.Use.All() != 14_000 {
		t.Errorf("and it came to %+v", m.Use)
	}
	anew := h.piece(h.make("11-30")).Piece
	anew.ID, anew.Legs = 0, slices.Clone(anew.Legs)
	anew.Leg("pics").Holder, anew.Leg("pics").Fee = 0, 3_000
	if got := over(anew); got != "Desk, all would be £230 over its budget of £120 for November 2026." { // another draft at 90, this one, and 30
		t.Errorf("offered: %q", got)
	}
}

// A piece is taken off by whoever may release it, with a reason, and can be put back until something
// depends on it.
func TestWhoTakesAPieceOffSaysWhyAndCanTakeItBack(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 125_00})
	id := h.make("12-11")
	h.passes(id, "brief")
	h.gives(id, "draft", freelance)
	h.passes(id, "draft")
	was := h.feesOf(id)
	for name, do := range map[string]struct {
		by  ref.Person
		why string
		is  error
	}{
		"who writes may not": {freelance, "no room", relay.ErrNotYours},
		"without a reason":   {lead, " ", relay.ErrInput},
	} {
		err := h.Planning.NotUsed(ctx, do.by, id, h.piece(id).Version, do.why)
		if !errors.Is(err, do.is) || h.piece(id).Stage == relay.Withdrawn {
			t.Errorf("%s: %v", name, err)
		}
	}
	h.must(h.Planning.NotUsed(ctx, lead, id, h.piece(id).Version, "no room"))
	if got := h.feesOf(id); h.piece(id).Stage != relay.Withdrawn || got[0].Kind != fee.ForUnused {
		t.Fatalf("%+v", got)
	}
	h.must(h.undoes())
	if got := h.feesOf(id); h.piece(id).Stage == relay.Withdrawn || len(got) != 1 || got[0].Kind != was[0].Kind || got[0].State != was[0].State || got[0].Amount != was[0].Amount {
		t.Errorf("before %+v, now %+v", was, got)
	}
	h.must(h.Planning.NotUsed(ctx, lead, id, h.piece(id).Version, "no room after all"))
	if got := h.feesOf(id); len(got) != 1 || got[0].Kind != fee.ForUnused {
		t.Errorf("taken off again: %+v", got)
	}
}

// Work can be agreed to be done for nothing, though no rate says so.
func TestAFeeCanBeWaived(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 125_00})
	id := h.make("12-11")
	h.passes(id, "brief")
	h.gives(id, "draft", freelance)
	h.must(h.Fees.Agree(ctx, lead, fees.Otherwise{Piece: id, Fee: h.feesOf(id)[0].ID, Terms: fee.Terms{Per: fee.Piece}}))
	h.passes(id, "draft")
	h.passes(id, "copy")
	if got := h.feesOf(id); len(got) != 1 || got[0].State != fee.Accepted || got[0].Amount != 0 {
		t.Errorf("%+v", got)
	}
	if err := h.Fees.SaveRate(ctx, lead, store.Rate{DeskID: 1, Per: fee.Piece}); !errors.Is(err, relay.ErrInput) {
		t.Errorf("a rate of nothing: %v", err)
	}
}

// A fee that is in no statement yet is called as its piece is called now.
func TestAFeeIsCalledAsItsPiece(t *testing.T) {
	h := newHouse(t)
	h.pays(store.Rate{Per: fee.Piece, Rate: 125_00})
	id := h.make("12-11")
	h.passes(id, "brief")
	h.gives(id, "draft", freelance)
	h.passes(id, "draft")
	h.passes(id, "copy")
	h.must(h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "The mill at night", Owner: lead}))
	if got := h.feesOf(id); got[0].State != fee.Accepted || got[0].Title != "The mill at night" {
		t.Errorf("%+v", got)
	}
}
