package fees

import (
	"maps"
	"slices"

	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// follow lets the fees of the pieces of a command follow what was done to them.
func follow(a *newsroom.Command) error {
	for _, id := range slices.Sorted(maps.Keys(a.Put.Pieces)) {
		p := a.Put.Pieces[id]
		if err := followPiece(a, &p); err != nil {
			return err
		}
	}
	return nil
}

func followPiece(a *newsroom.Command, p *relay.Piece) error {
	return followBy(a, p, rulesOf(a.Setup, p.DeskID))
}

// followBy lets the fees of a piece follow it by some rates.
func followBy(a *newsroom.Command, p *relay.Piece, rules []fee.Rule) error {
	was, err := store.FeesOf(a, a.Tx, p.ID)
	if err != nil {
		return err
	}
	deal := dealer{a: a, p: p, rules: rules, why: map[string]string{}}
	if len(was) == 0 && len(deal.rules) == 0 && !slices.ContainsFunc(p.Legs, func(l relay.Leg) bool { return l.Fee != 0 }) {
		return nil
	}
	a.Spent = append(a.Spent, p.DeskID) // its dates count as well
	lines := make([]fee.Line, len(was))
	for i, f := range was {
		lines[i] = f.Line()
	}
	next := fee.Follow(p, lines, a.Actor, policy(a.Setup.Desk(p.DeskID)), deal.agree)
	if a.Unmade[p.ID] { // it never was
		next = nil
	}
	kept := map[ref.Fee]bool{}
	for _, x := range next {
		i := slices.IndexFunc(was, func(f store.Fee) bool { return f.ID == x.ID && x.ID != 0 })
		if i < 0 {
			if err := deal.add(x); err != nil {
				return err
			}
			continue
		}
		kept[x.ID] = true
		if x != lines[i] || x.State != fee.Stated && was[i].Title != p.Title {
			if err := deal.change(was[i], x); err != nil {
				return err
			}
		}
	}
	for _, f := range was {
		if !kept[f.ID] {
			if err := a.Tx.DropFee(a, f.ID); err != nil {
				return err
			}
		}
	}
	return nil
}

func rulesOf(b *newsroom.Setup, d ref.Desk) []fee.Rule {
	var out []fee.Rule
	for _, r := range b.RatesOf(d) {
		out = append(out, r.Rule())
	}
	return out
}

// dealer agrees on fees for the legs of a piece, and stores what they come to.
type dealer struct {
	a     *newsroom.Command
	p     *relay.Piece
	rules []fee.Rule
	why   map[string]string // by the key of a leg, which rate it is by
	words int               // of the copy as it stands; counted once
	known bool
}

// agree gives the terms for whoever has a leg: those it was offered with, where they took it,
// otherwise by the nearest rate.
func (d *dealer) agree(l *relay.Leg) (fee.Terms, bool) {
	t, why, ok := termsFor(d.a.Setup, d.rules, d.p, l, l.Holder)
	d.why[l.Key] = why
	return t, ok
}

// termsFor gives what a leg costs if somebody runs it, and by which rate.
func termsFor(b *newsroom.Setup, rules []fee.Rule, p *relay.Piece, l *relay.Leg, who ref.Person) (fee.Terms, string, bool) {
	person := b.Person(who)
	if !newsroom.Paid(person) {
		return fee.Terms{}, "", false
	}
	takes := person.Access.May(relay.TakeForFee)
	if l.Fee > 0 && takes && (l.TakenAt != 0 || l.Holder == 0) {
		return fee.Terms{Per: fee.Piece, Rate: int64(l.Fee) * 100}, "as it was offered", true
	}
	r, ok := fee.Nearest(rules, fee.Asked{Person: who, Leg: l.Name, Role: l.Role, Format: p.FormatID, ForFees: takes})
	if !ok {
		return fee.Terms{}, "", false
	}
	return r.Terms, sayRule(b, r), true
}

// sayRule says which rate a fee is by.
func sayRule(b *newsroom.Setup, r fee.Rule) string { return "rate for " + SayFor(b, r) }

func (d *dealer) add(x fee.Line) error {
	f := store.Fee{
		DeskID: d.p.DeskID, PieceID: d.p.ID, Leg: x.Leg, PersonID: x.Person, Why: d.why[x.Leg], Currency: d.a.Setup.Desk(d.p.DeskID).Currency, AgreedAt: d.a.Now, Share: 100, Times: 1,
		Per: x.Per, Rate: x.Rate, Least: x.Least, Most: x.Most,
	}
	if x.Kind == fee.ForRework {
		f.Why = "for what came back"
	}
	return d.change(f, x)
}

// change stores a fee as it follows: with what it comes to once it is accepted, counted at that
// moment.
func (d *dealer) change(f store.Fee, x fee.Line) error {
	was := f
	f.Kind, f.State, f.Begun, f.ByOwner, f.Runs, f.Times, f.Title, f.Beyond = x.Kind, x.State, x.Begun, x.ByOwner, x.Runs, x.Times, d.p.Title, x.Beyond
	f.Taker, f.TakerRun, f.AtRun = x.Taker, x.TakerRun, x.AtRun
	f.Per, f.Rate, f.Least, f.Most = x.Per, x.Rate, x.Least, x.Most
	l := d.p.Leg(x.Leg)
	if l != nil {
		f.Name = l.Name
	}
	switch {
	case x.State == fee.Agreed:
		f.AcceptedAt, f.AcceptedDay, f.Amount, f.Words, f.Reason, f.Share = 0, 0, 0, 0, "", 100
	case x.State == fee.Accepted && (was.State != fee.Accepted || was.Kind != x.Kind || was.Runs != x.Runs):
		f.AcceptedAt, f.AcceptedDay, f.Reason = d.a.Now, d.a.Now.Date(d.a.Setup.Zones[d.p.DeskID]), ""
		f.Share, f.Asked = policy(d.a.Setup.Desk(d.p.DeskID)).Share(x.Kind), d.p.WordsTo
		if f.Per == fee.Hour && f.Minutes == 0 && l != nil {
			f.Minutes = l.Worked
		}
		if f.Per == fee.Word {
			n, err := d.count()
			if err != nil {
				return err
			}
			f.Words = n
		}
		f.Amount = amountOf(d.a.Setup, &f)
		d.accepted(&f)
	}
	return save(d.a, f)
}

// accepted lets house rules hear that a leg is to be paid. It does not stand in the logbook, which
// more people read than may see what it comes to.
func (d *dealer) accepted(f *store.Fee) {
	cur := d.a.Setup.CurrencyBy(f.DeskID, f.Currency)
	d.a.DeskOf[d.p.ID] = d.p.DeskID
	d.a.Happens(rule.Event{Kind: rule.Accepted, Leg: f.Leg, To: f.PersonID, Say: cur.Say(f.Amount), N: int(cur.Units(f.Amount)), Piece: d.p.ID, At: d.a.Now, By: d.a.Actor})
}

// amountOf works out what a fee comes to.
func amountOf(b *newsroom.Setup, f *store.Fee) int64 {
	return f.Terms().Owed(f.Work(), b.Desk(f.DeskID).Rounding)
}

// count counts the words of the copy as it stands, with proposals left.
func (d *dealer) count() (int, error) {
	if d.known {
		return d.words, nil
	}
	_, text, _, err := newsroom.Newest(d.a, d.a.Tx, &store.Row{Piece: *d.p})
	if err != nil {
		return 0, err
	}
	d.words, d.known = text.Left().Words(), true
	return d.words, nil
}
