package kit

import (
	"slices"

	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Suited gives the people of a desk, those with the role first.
func Suited(b *newsroom.Setup, d ref.Desk, role string) []store.Person {
	people := b.OnDesk(d)
	slices.SortStableFunc(people, func(x, y store.Person) int {
		return Bit(slices.Contains(y.Roles, role)) - Bit(slices.Contains(x.Roles, role))
	})
	return people
}
