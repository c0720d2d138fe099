package fees

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// read reads a fee in a command; one of another desk than the act is about is not there.
func read(a *newsroom.Command, desk ref.Desk, id ref.Fee) (store.Fee, error) {
	f, err := store.FeeByID(a, a.Tx, id)
	if errors.Is(err, store.ErrNone) || err == nil && f.DeskID != desk {
		return f, newsroom.ErrNotFound
	}
	return f, err
}

// save stores a fee, a new one where it has no id, by which what the desk spends may be another.
func save(a *newsroom.Command, f store.Fee) error {
	a.Spent = append(a.Spent, f.DeskID)
	_, err := a.Tx.SaveFee(a, f)
	return err
}

// onPiece carries out an act on a fee for who may agree on fees of its piece.
func (h Room) onPiece(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Fee, do func(a *newsroom.Command, row store.Row, f *store.Fee) (what string, err error)) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		row, err := a.Load(newsroom.Order{Act: relay.ActAgree, Piece: piece})
		if err != nil {
			return err
		}
		f, err := read(a, row.DeskID, id)
		if err != nil {
			return err
		}
		if f.PieceID != piece {
			return newsroom.ErrNotFound
		}
		if f.PersonID == by {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "This fee is your own. Somebody else agrees on it."}
		}
		what, err := do(a, row, &f)
		if err != nil {
			return err
		}
		return logFee(a, f, what)
	})
}

// logFee writes into the logbook what was done about a fee; no amount, which not everybody who reads
// it may see.
func logFee(a *newsroom.Command, f store.Fee, what string) error {
	return a.Log(store.Entry{DeskID: f.DeskID, PieceID: f.PieceID, Act: "fee", What: fmt.Sprintf("%s %s, %s", what, f.Name, a.Setup.Name(f.PersonID))})
}

// tell tells whoever earns a fee of it.
func tell(a *newsroom.Command, f store.Fee, text string) error {
	return a.Notify(store.Item{PersonID: f.PersonID, PieceID: f.PieceID, Kind: "fee", Text: text, Link: "/fees/mine", At: a.Now, Private: true}, true)
}

// Otherwise is what is agreed on a leg otherwise than by its rate.
type Otherwise struct {
	Piece  ref.Piece
	Fee    ref.Fee
	Terms  fee.Terms
	Beyond bool // words beyond those the brief asks for are paid
}

// Agree agrees otherwise on what a leg is paid, while its fee is not checked. Whoever earns it is
// told.
func (h Room) Agree(ctx context.Context, by ref.Person, o Otherwise) error {
	return h.onPiece(ctx, by, o.Piece, o.Fee, func(a *newsroom.Command, row store.Row, f *store.Fee) (string, error) {
		if err := checkTerms(o.Terms); err != nil {
			return "", err
		}
		if f.State != fee.Agreed && f.State != fee.Accepted || f.Kind == fee.Correction {
			return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "This fee is checked already. What is wrong with it is put right by a correction."}
		}
		f.Per, f.Rate, f.Least, f.Most, f.Beyond = o.Terms.Per, o.Terms.Rate, o.Terms.Least, o.Terms.Most, o.Beyond
		f.Why, f.Reason, f.Currency = "agreed with "+a.Setup.Name(by), "", a.Setup.Desk(f.DeskID).Currency
		if f.State == fee.Accepted {
			if f.Per == fee.Word && f.Words == 0 {
				_, text, _, err := newsroom.Newest(a, a.Tx, &row)
				if err != nil {
					return "", err
				}
				f.Words = text.Left().Words()
			}
			f.Amount = amountOf(a.Setup, f)
		}
		if err := save(a, *f); err != nil {
			return "", err
		}
		err := tell(a, *f, fmt.Sprintf("%s agreed with you on %s of “%s”: %s.", newsroom.First(a.Setup.Actor(by)), f.Name, row.Title, f.Terms().Say(a.Setup.Currency(f.DeskID))))
		return "agreed otherwise on the fee of", err
	})
}

// mostRate is the most that one is paid, in smallest units: more is a slip of the finger.
var mostRate = map[fee.Per]int64{fee.Word: 100_000, fee.Hour: 1_000_000, fee.Piece: 100_000_000}

func checkTerms(t fee.Terms) error {
	switch {
	case t.Per != fee.Word && t.Per != fee.Piece && t.Per != fee.Hour:
		return newsroom.Invalid("per", "Say whether it is paid by the word, the piece or the hour.")
	case t.Rate < 0:
		return newsroom.Invalid("rate", "What is paid is never less than nothing.")
	case t.Rate > mostRate[t.Per]*100:
		return newsroom.Invalid("rate", "This is more than anybody pays. Look at the rate again.")
	case t.Least < 0 || t.Most < 0 || t.Least > fee.Most || t.Most > fee.Most:
		return newsroom.Invalid("least", "The least and the most are amounts, or left empty.")
	case t.Most > 0 && t.Least > t.Most:
		return newsroom.Invalid("most", "The most is under the least. Turn them round.")
	}
	return nil
}

// Accept says for the owner that what a leg gave is accepted, before the next leg is passed.
func (h Room) Accept(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Fee) error {
	return h.onPiece(ctx, by, piece, id, func(a *newsroom.Command, row store.Row, f *store.Fee) (string, error) {
		l := row.Leg(f.Leg)
		switch {
		case f.State != fee.Agreed:
			return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "It is accepted already."}
		case l == nil || l.State != relay.Passed || l.Holder != f.PersonID:
			return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "This leg is not passed yet. It can be accepted once it is."}
		}
		f.ByOwner = true
		if err := save(a, *f); err != nil {
			return "", err
		}
		return "accepted", followPiece(a, &row.Piece)
	})
}

// mostMinutes is the most that one leg can take: 500 hours.
const mostMinutes = 500 * 60

// SayHours notes how long somebody worked at a leg that is paid by the hour, until it is checked.
func (h Room) SayHours(ctx context.Context, by ref.Person, id ref.Fee, minutes int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		f, err := store.FeeByID(a, a.Tx, id)
		switch {
		case errors.Is(err, store.ErrNone) || err == nil && f.PersonID != by:
			return newsroom.ErrNotFound
		case err != nil:
			return err
		case !relay.MayHouse(relay.SeeOwnFees, a.Who(f.DeskID)):
			return notYours
		case f.Per != fee.Hour || f.Kind == fee.Correction:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This leg is not paid by the hour."}
		case f.State != fee.Agreed && f.State != fee.Accepted:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This fee is checked already. Ask who checked it to put it right."}
		case minutes <= 0 || minutes > mostMinutes:
			return newsroom.Invalid("hours", "A leg takes more than nothing and at most 500 hours. Write them like 4.5 or 4½.")
		}
		f.Minutes, f.Reason = minutes, ""
		if f.State == fee.Accepted {
			f.Amount = amountOf(a.Setup, &f)
		}
		if err := save(a, f); err != nil {
			return err
		}
		return logFee(a, f, "said the hours of")
	})
}

// MostAtOnce is how many fees are checked at once.
const MostAtOnce = 500

// Check checks accepted fees of others; all of them, or none.
func (h Room) Check(ctx context.Context, by ref.Person, desk ref.Desk, ids []ref.Fee) error {
	return h.houseAct(ctx, by, desk, relay.CheckFees, func(a *newsroom.Command) error {
		switch {
		case len(ids) == 0:
			return newsroom.Invalid("fee", "Tick the fees that are right first.")
		case len(ids) > MostAtOnce:
			return newsroom.Invalid("fee", "Check %d at once at most.", MostAtOnce)
		}
		for _, id := range ids {
			f, err := read(a, desk, id)
			if err != nil {
				return err
			}
			if err := mayCheck(a.Setup, &f, by); err != nil {
				return err
			}
			f.State, f.CheckedAt, f.CheckedBy = fee.Checked, a.Now, by
			if err := save(a, f); err != nil {
				return err
			}
			if err := logFee(a, f, "checked the fee of"); err != nil {
				return err
			}
		}
		return nil
	})
}

// mayCheck refuses a fee that cannot be checked as it is.
func mayCheck(b *newsroom.Setup, f *store.Fee, by ref.Person) error {
	on := fmt.Sprintf("%s of “%s”", f.Name, f.Title)
	switch {
	case f.PersonID == by:
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: fmt.Sprintf("%s is your own fee. Somebody else checks it; nothing was checked.", english.UpperFirst(on))}
	case f.State == fee.Checked || f.State == fee.Stated:
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("%s has checked %s meanwhile. Look again, and check the others.", b.Name(f.CheckedBy), on)}
	case f.State != fee.Accepted:
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("%s is not accepted, so there is nothing to check yet.", english.UpperFirst(on))}
	case f.Reason != "":
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("%s went back: %s. It can be checked once it is put right.", english.UpperFirst(on), f.Reason)}
	case f.Per == fee.Hour && f.Minutes == 0:
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("%s has not said how many hours %s took.", b.Name(f.PersonID), on)}
	}
	return nil
}

// Return sends a fee back that is wrong, with the reason, while it is in no statement. It is checked
// once it is agreed on otherwise, or its hours are said anew.
func (h Room) Return(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Fee, reason string) error {
	return h.houseAct(ctx, by, desk, relay.CheckFees, func(a *newsroom.Command) error {
		f, err := read(a, desk, id)
		if err != nil {
			return err
		}
		reason = strings.TrimSpace(reason)
		switch {
		case f.PersonID == by:
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "This fee is your own. Somebody else decides on it."}
		case f.State != fee.Accepted && f.State != fee.Checked || f.Kind == fee.Correction:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Only what is accepted and in no statement goes back. What is in one is put right by a correction."}
		case reason == "" || len([]rune(reason)) > 300:
			return newsroom.Invalid("reason", "Say in up to 300 characters what is wrong with it.")
		}
		f.State, f.CheckedAt, f.CheckedBy, f.Reason = fee.Accepted, 0, 0, reason
		if err := save(a, f); err != nil {
			return err
		}
		if err := logFee(a, f, "sent back the fee of"); err != nil {
			return err
		}
		if row, err := store.Piece(a, a.Tx, f.PieceID); err == nil && row.Owner != 0 && row.Owner != by && row.Owner != f.PersonID {
			text := fmt.Sprintf("The fee of %s, %s, went back: %s", f.Name, a.Setup.Name(f.PersonID), reason)
			if err := a.Notify(store.Item{PersonID: row.Owner, PieceID: f.PieceID, Kind: "fee", Text: text, Link: fmt.Sprintf("/pieces/%d#fees", f.PieceID), At: a.Now, Private: true}, true); err != nil {
				return err
			}
		}
		return tell(a, f, fmt.Sprintf("Your fee of %s of “%s” went back: %s", f.Name, f.Title, reason))
	})
}

// Correct puts right what is in a statement: with a line of its own, which is in the next. The amount
// is what it is too little, below 0 what it is too much.
func (h Room) Correct(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Fee, amount int64, reason string) error {
	return h.houseAct(ctx, by, desk, relay.CheckFees, func(a *newsroom.Command) error {
		f, err := read(a, desk, id)
		if err != nil {
			return err
		}
		reason = strings.TrimSpace(reason)
		switch {
		case f.PersonID == by:
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "This fee is your own. Somebody else corrects it."}
		case f.State != fee.Stated || f.Kind == fee.Correction:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Only what is in a statement is corrected. Before that, a fee is agreed on otherwise or sent back."}
		case amount == 0 || amount > fee.Most || amount < -fee.Most:
			return newsroom.Invalid("amount", "Say by how much it is too little, or with a minus too much.")
		case reason == "" || len([]rune(reason)) > 300:
			return newsroom.Invalid("reason", "Say in up to 300 characters what was wrong with it.")
		}
		sum, err := store.Corrected(a, a.Tx, f.ID)
		if err != nil {
			return err
		}
		if f.Amount+sum+amount < 0 {
			return newsroom.Invalid("amount", "No more can be taken back than was paid: %s.", a.Setup.CurrencyBy(desk, f.Currency).Say(f.Amount+sum))
		}
		c := store.Fee{
			DeskID: desk, PieceID: f.PieceID, Leg: f.Leg, Name: f.Name, Title: f.Title, PersonID: f.PersonID, Kind: fee.Correction, State: fee.Checked, Begun: true, Per: f.Per, Currency: f.Currency, Share: 100, Times: 1,
			Amount: amount, AgreedAt: a.Now, AcceptedAt: a.Now, AcceptedDay: a.Now.Date(a.Setup.Zones[desk]), CheckedAt: a.Now, CheckedBy: by, Reason: reason, Corrects: f.ID,
		}
		if err := save(a, c); err != nil {
			return err
		}
		if err := tell(a, c, fmt.Sprintf("The fee of %s of “%s” is corrected in your next statement: %s", f.Name, f.Title, reason)); err != nil {
			return err
		}
		return logFee(a, c, "corrected the fee of")
	})
}
