package newsroom

import (
	"fmt"

	"greenbaton/core/relay"
)

// OfferedTo says to whom a leg is open.
func (b *Setup) OfferedTo(l *relay.Leg) string {
	var names []string
	for _, id := range l.OfferedTo() {
		names = append(names, b.Name(id))
	}
	if len(names) == 0 {
		return "whoever runs " + l.Role
	}
	return Names(names)
}

func (b *Setup) ForFee(d int64, l *relay.Leg) string {
	if l.Fee == 0 {
		return ""
	}
	return ", for " + b.SayFee(d, l.Fee)
}

// SayFee writes a fee as the desk does: "£180", "£12.50".
func (b *Setup) SayFee(d int64, fee int) string {
	s := Number(fee / 100)
	if fee%100 != 0 {
		s += fmt.Sprintf(".%02d", fee%100)
	}
	return b.Desk(d).Money + s
}
