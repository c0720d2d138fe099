package kit

import (
	"slices"

	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Suited gives the people of a desk who run a role, and whoever has the leg that is asked
// for. Where nobody runs it, it is everybody who could have it all the same.
func Suited(b *newsroom.Setup, d ref.Desk, role string, holder ref.Person) []store.Person {
	people := b.OnDesk(d)
	runs := func(p store.Person) bool { return slices.Contains(p.Roles, role) }
	if !slices.ContainsFunc(people, runs) {
		return slices.DeleteFunc(people, func(p store.Person) bool { return p.ID != holder && b.MayHold(p.ID, d, role) != "" })
	}
	return slices.DeleteFunc(people, func(p store.Person) bool { return p.ID != holder && !runs(p) })
}
