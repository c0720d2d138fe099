package newsroom

import (
	"greenbaton/store"
)

// MayAnswerFor lets only those who lead all of somebody's desks change how they sign
// in and what they may do, as that reaches to all of these desks.
func (b *Setup) MayAnswerFor(by int64, p store.Person) error {
	for _, d := range p.Desks {
		if b.MayLead(by, d) != nil {
			return Invalid("access", "%s also belongs to %s, where you are no lead. Ask a lead of both to change their access, mail address or password.", First(p.Name), b.Desk(d).Name)
		}
	}
	return nil
}
