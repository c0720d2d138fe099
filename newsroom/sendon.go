package newsroom

import (
	"fmt"
	"strings"

	"greenbaton/store"
)

// SaySentOn says that a piece was sent on to a format.
func (b *Setup) SaySentOn(format int64) string {
	f := b.Format(format)
	return fmt.Sprintf("sent it on to %s, as a %s", b.Desk(f.DeskID).Name, strings.ToLower(f.Name))
}

// RequestOfRule reads the request that an event of rules is about.
func (a *Command) RequestOfRule(piece int64) (store.Request, error) {
	all, err := store.Requests(a, a.Tx, "WHERE id = ?", -piece)
	if err == nil && len(all) == 0 {
		err = store.ErrNone
	}
	return FirstOf(all), err
}
