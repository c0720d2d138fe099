package newsroom

import (
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

func week(p store.Person) day.Weekdays {
	var w day.Weekdays
	for i, m := range p.Minutes() {
		w[i] = m > 0
	}
	return w
}

func (b *Setup) away(person ref.Person) []day.Span {
	var out []day.Span
	for _, a := range b.Absences {
		if a.PersonID == person {
			out = append(out, day.Span{From: a.FromDay, To: a.ToDay})
		}
	}
	return out
}

// Person gives a person, or a nameless one for an unknown id.
func (b *Setup) Person(id ref.Person) store.Person {
	if p, ok := b.people[id]; ok {
		return *p
	}
	return store.Person{}
}

// Name gives how a person is spoken of: by first name, "nobody" for 0.
func (b *Setup) Name(id ref.Person) string {
	if id == 0 {
		return "nobody"
	}
	return First(b.Person(id).Name)
}

// Author gives the name of who wrote a piece: the last to hold a leg in which the copy is written, or
// else its owner.
func (b *Setup) Author(p *relay.Piece) string {
	author := p.Owner
	for _, l := range p.Legs {
		if l.Words && l.Holder != 0 {
			author = l.Holder
		}
	}
	return b.Person(author).Name
}

// First gives the first of somebody's names.
func First(name string) string {
	for i, r := range name {
		if r == ' ' {
			return name[:i]
		}
	}
	return name
}

// OnDesk gives the people of a desk who are not retired.
func (b *Setup) OnDesk(desk ref.Desk) []store.Person {
	var out []store.Person
	for _, p := range b.People {
		if !p.Retired && slices.Contains(p.Desks, desk) {
			out = append(out, p)
		}
	}
	return out
}

// Available reports whether a person belongs to a desk and is not retired.
func (b *Setup) Available(person ref.Person, desk ref.Desk) bool {
	return b.Who(person, desk).OnDesk && !b.Person(person).Retired
}

// Owners gives those of a desk who can own a piece: its leads and staff.
func (b *Setup) Owners(desk ref.Desk) []store.Person {
	return slices.DeleteFunc(b.OnDesk(desk), func(p store.Person) bool { return !p.Access.May(relay.OwnPieces) })
}

// Away reports whether somebody has a day off on a date.
func (b *Setup) Away(person ref.Person, on day.Date) bool {
	return slices.ContainsFunc(b.Absences, func(a store.Absence) bool { return a.PersonID == person && a.FromDay <= on && a.ToDay >= on })
}

// MayHold says why somebody cannot have a leg of a role on a desk; nothing if they can. People
// of the desk can; those from outside, of partners, have only what the route gives to a role
// of theirs.
func (b *Setup) MayHold(person ref.Person, desk ref.Desk, role string) string {
	switch p := b.Person(person); {
	case person == 0:
		return ""
	case !b.Available(person, desk):
		return "This person does not belong to the desk. Choose somebody else."
	case p.Access.May(relay.AnswerAsked) && !slices.Contains(p.Roles, role):
		return p.Name + " is from outside and has only legs of their role; this one is for somebody who runs “" + role + "”. Choose somebody of the desk."
	}
	return ""
}

// SeenAtOnce says which partner sees a piece on a channel from the moment it is there; nothing
// where none does.
func (b *Setup) SeenAtOnce(channel ref.Channel) string {
	p := b.Partner(b.Channel(channel).PartnerID)
	if p.ID == 0 || p.Retired {
		return ""
	}
	return p.Name + " will see this title at once, and where the piece is, on their page. They see nothing of its copy, notes or people."
}

// DesksOf gives the desks of a person that are in use, in the order they were made.
func (b *Setup) DesksOf(person ref.Person) []store.Desk {
	mine := b.Person(person).Desks
	return slices.DeleteFunc(slices.Clone(b.Desks), func(d store.Desk) bool { return d.Retired || !slices.Contains(mine, d.ID) })
}

// RolesOf gives the roles that people of a desk run or legs of its formats ask
// for, by name.
func (b *Setup) RolesOf(desk ref.Desk) []string {
	var out []string
	for _, p := range b.OnDesk(desk) {
		out = append(out, p.Roles...)
	}
	for _, f := range b.FormatsOf(desk) {
		for _, l := range b.Latest(f.ID).Way.Legs {
			out = append(out, l.Role)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Leads gives the leads of a desk.
func (b *Setup) Leads(desk ref.Desk) []ref.Person {
	var out []ref.Person
	for _, p := range b.OnDesk(desk) {
		if p.Access.May(relay.LeadDesk) {
			out = append(out, p.ID)
		}
	}
	return out
}

// Who gives a person as the rules of the relay see them, on a piece's desk.
func (b *Setup) Who(person ref.Person, desk ref.Desk) relay.Who {
	p := b.Person(person)
	return relay.Who{ID: p.ID, Access: p.Access, Roles: p.Roles, OnDesk: slices.Contains(p.Desks, desk), Duties: p.Named()}
}

// Partner gives a partner by its id; without one if there is none.
func (b *Setup) Partner(id ref.Partner) store.Partner {
	i := slices.IndexFunc(b.Partners, func(p store.Partner) bool { return p.ID == id })
	if id == 0 || i < 0 {
		return store.Partner{}
	}
	return b.Partners[i]
}
