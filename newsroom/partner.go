package newsroom

import (
	"slices"

	"greenbaton/store"
)

// Partner gives a partner by its id; without one if there is none.
func (b *Setup) Partner(id int64) store.Partner {
	i := slices.IndexFunc(b.Partners, func(p store.Partner) bool { return p.ID == id })
	if id == 0 || i < 0 {
		return store.Partner{}
	}
	return b.Partners[i]
}
