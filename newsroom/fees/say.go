package fees

import (
	"strings"

	"greenbaton/core/fee"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// SayFor says what a rate is for: "Petra Vance, Draft", "copy editor, Feature", "everything".
func SayFor(b *newsroom.Setup, r fee.Rule) string {
	var parts []string
	if r.Person != 0 {
		parts = append(parts, b.Person(r.Person).Name)
	}
	if r.Leg != "" {
		parts = append(parts, r.Leg)
	}
	if r.Role != "" {
		parts = append(parts, r.Role)
	}
	if r.Format != 0 {
		parts = append(parts, b.Format(r.Format).Name)
	}
	if len(parts) == 0 {
		return "everything"
	}
	return strings.Join(parts, ", ")
}

// Say says in one line how a fee came about, or what was agreed.
func Say(b *newsroom.Setup, f *store.Fee) string {
	c := b.CurrencyBy(f.DeskID, f.Currency)
	switch {
	case f.Kind == fee.Correction:
		return "correction: " + f.Reason
	case f.State == fee.Agreed:
		return f.Terms().Say(c)
	}
	s := f.Terms().SayOwed(f.Work(), c)
	switch f.Kind {
	case fee.ForUnused:
		s += ", not used"
	case fee.ForRework:
		s += ", came back"
	}
	return s
}
