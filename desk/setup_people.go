package desk

import (
	"context"
	"crypto/rand"
	"fmt"
	"net/mail"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// SavePerson stores somebody of a desk, or adds them where they have no id yet. It
// gives their id and, for somebody new, the password to sign in with at first.
func (h *House) SavePerson(ctx context.Context, by, desk int64, p store.Person) (id int64, password string, err error) {
	hash := ""
	if p.ID == 0 {
		if password, hash, err = h.madePassword(ctx, by, desk); err != nil {
			return 0, "", err
		}
	}
	err = h.setUpAct(ctx, by, desk, func(a *act) error {
		was := a.b.Person(p.ID)
		if p.ID != 0 && !slices.Contains(was.Desks, desk) {
			return ErrNotFound
		}
		if err := a.checkPerson(&p, was); err != nil {
			return err
		}
		if p.ID == 0 {
			p.Password = hash
			if p.ID, err = a.tx.AddPerson(a, p); err != nil {
				return err
			}
			return a.log(store.Entry{DeskID: desk, Act: "set up", What: fmt.Sprintf("added %s, %s", p.Name, p.Access)})
		}
		p.Password, p.Sessions = was.Password, was.Sessions
		if err := a.tx.SavePerson(a, p); err != nil {
			return err
		}
		if err := a.tx.StaleOf(a, p.ID); err != nil {
			return err
		}
		if p.Retired && !was.Retired {
			if err := a.tx.EndSessions(a, p.ID); err != nil {
				return err
			}
		}
		before, after := differ(was, p)
		return a.log(store.Entry{DeskID: desk, Act: "set up", What: "changed what is set up for " + p.Name, Before: before, After: after})
	})
	return p.ID, password, err
}

func (a *act) checkPerson(p *store.Person, was store.Person) error {
	p.Name, p.Mail, p.Does = strings.TrimSpace(p.Name), strings.ToLower(strings.TrimSpace(p.Mail)), strings.TrimSpace(p.Does)
	if p.Initials = strings.ToUpper(strings.TrimSpace(p.Initials)); p.Initials == "" && p.Name != "" {
		p.Initials = Initials(p.Name)
	}
	addr, mailErr := mail.ParseAddress(p.Mail)
	for i, r := range p.Roles {
		p.Roles[i] = strings.ToLower(strings.TrimSpace(r))
	}
	p.Roles = slices.DeleteFunc(p.Roles, func(r string) bool { return r == "" })
	slices.Sort(p.Roles)
	p.Roles = slices.Compact(p.Roles)
	switch {
	case p.Name == "" || len([]rune(p.Name)) > 80:
		return bad("name", "Say in up to 80 characters what they are called.")
	case len([]rune(p.Initials)) > 3:
		return bad("initials", "Initials are up to three letters.")
	case mailErr != nil || addr.Address != p.Mail:
		return bad("mail", "This is not a mail address like maren@example.org.")
	case slices.ContainsFunc(a.b.People, func(x store.Person) bool { return x.ID != p.ID && strings.EqualFold(x.Mail, p.Mail) }):
		return bad("mail", "Somebody has this mail address already. Each person has their own.")
	case !slices.Contains([]relay.Access{relay.Lead, relay.Staff, relay.Freelance, relay.Outside}, p.Access):
		return bad("access", "Choose what they may do: lead, staff, freelance or outside.")
	case len([]rune(p.Does)) > 60:
		return bad("does", "Say in up to 60 characters what they do.")
	case len(p.Desks) == 0:
		return bad("desks", "They belong to at least one desk. Tick one.")
	case slices.ContainsFunc(p.Roles, func(r string) bool { return len([]rune(r)) > 40 }):
		return bad("roles", "Keep the name of a role under 40 characters.")
	}
	for i, m := range p.Minutes() {
		if m < 0 || m > 24*60 {
			return bad("hours", "The hours of a day lie between 0 and 24; look at %s.", weekdayNames[i])
		}
	}
	for _, d := range p.Desks { // a lead adds people to desks of their own only, and leaves others as they are
		if a.who(d).OnDesk || slices.Contains(was.Desks, d) {
			continue
		}
		return bad("desks", "You add people to your own desks only.")
	}
	if was.ID != 0 && (p.Access != was.Access || p.Mail != was.Mail || p.Retired != was.Retired) {
		if err := a.b.mayAnswerFor(a.by, was); err != nil {
			return err
		}
	}
	return a.checkLeaving(p, was)
}

// mayAnswerFor lets only those who lead all of somebody's desks change how they sign
// in and what they may do, as that reaches to all of these desks.
func (b *Books) mayAnswerFor(by int64, p store.Person) error {
	for _, d := range p.Desks {
		if b.mayLead(by, d) != nil {
			return bad("access", "%s also belongs to %s, where you are no lead. Ask a lead of both to change their access, mail address or password.", First(p.Name), b.Desk(d).Name)
		}
	}
	return nil
}

var weekdayNames = [...]string{"Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"}

// checkLeaving refuses what would leave legs with somebody who is gone, pieces
// without an owner who may act, or a desk without a lead.
func (a *act) checkLeaving(p *store.Person, was store.Person) error {
	if was.ID == 0 {
		return nil
	}
	for _, d := range was.Desks {
		gone := !slices.Contains(p.Desks, d)
		if !gone && (!p.Retired || was.Retired) {
			continue
		}
		n, err := store.UnfinishedOf(a, a.tx, p.ID, d)
		if err != nil {
			return err
		}
		if n > 0 {
			return bad(map[bool]string{true: "desks", false: "retired"}[gone], "%s still has %s on %s that %s not over. Give them to others first; the list of pieces can be narrowed to them.",
				First(p.Name), Plural(n, "leg"), a.b.Desk(d).Name, map[bool]string{true: "is", false: "are"}[n == 1])
		}
	}
	if p.Retired || !p.Access.May(relay.OwnPieces) {
		n, err := a.count("SELECT COUNT(*) FROM piece WHERE owner = ? AND stage = 'under way'", p.ID)
		if err != nil {
			return err
		}
		if n > 0 && (was.Access.May(relay.OwnPieces) && !was.Retired) {
			return bad("access", "%s owns %s under way, and an owner is a lead or staff. Give these another owner first.", First(p.Name), Plural(n, "piece"))
		}
	}
	for _, d := range was.Desks {
		leads := a.b.Leads(d)
		if len(leads) == 1 && leads[0] == p.ID && (p.Retired || !p.Access.May(relay.SetUpDesk) || !slices.Contains(p.Desks, d)) {
			return bad("access", "%s is the only lead of %s. Make somebody else lead first.", First(p.Name), a.b.Desk(d).Name)
		}
	}
	return nil
}

// NewPassword gives somebody of a desk another password, signs them out everywhere,
// and gives it, to be told to them.
func (h *House) NewPassword(ctx context.Context, by, desk, person int64) (string, error) {
	password, hash, err := h.madePassword(ctx, by, desk)
	if err != nil {
		return "", err
	}
	return password, h.setUpAct(ctx, by, desk, func(a *act) error {
		p := a.b.Person(person)
		if !slices.Contains(p.Desks, desk) {
			return ErrNotFound
		}
		if err := a.b.mayAnswerFor(by, p); err != nil {
			return err
		}
		if err := a.tx.SetPassword(a, person, hash); err != nil {
			return err
		}
		if err := a.tx.SetCodes(a, person, ""); err != nil { // whoever lost their device gets in again
			return err
		}
		return a.log(store.Entry{DeskID: desk, Act: "set up", What: "gave " + p.Name + " another password"})
	})
}

// madePassword makes a password for a lead to hand out, and hashes it before the one
// write begins, as that takes its time.
func (h *House) madePassword(ctx context.Context, by, desk int64) (password, hash string, err error) {
	b, err := h.Books(ctx)
	if err != nil {
		return "", "", err
	}
	if err := b.mayLead(by, desk); err != nil {
		return "", "", err
	}
	password = newPassword()
	hash, err = HashPassword(password)
	return password, hash, err
}

// newPassword makes a password of four groups of letters and digits that are not
// mistaken for each other; about 77 bits of chance.
func newPassword() string {
	const letters = "abcdefghjkmnpqrstuvwxyz23456789"
	var raw [16]byte
	rand.Read(raw[:]) // never fails
	out := make([]byte, 0, 19)
	for i, b := range raw {
		if i > 0 && i%4 == 0 {
			out = append(out, '-')
		}
		out = append(out, letters[int(b)%len(letters)])
	}
	return string(out)
}

// HoursText writes the minutes of each weekday, Sunday first, as they are kept.
func HoursText(minutes [7]int) string {
	var out []string
	for _, m := range minutes {
		out = append(out, strconv.Itoa(m))
	}
	return strings.Join(out, ",")
}

// DropAbsence takes days off of somebody back.
func (h *House) DropAbsence(ctx context.Context, by, desk, absence int64) error {
	return h.setUpAct(ctx, by, desk, func(a *act) error {
		i := slices.IndexFunc(a.b.Absences, func(x store.Absence) bool { return x.ID == absence })
		if i < 0 || !slices.Contains(a.b.Person(a.b.Absences[i].PersonID).Desks, desk) {
			return ErrNotFound
		}
		return a.dropAbsence(a.b.Absences[i])
	})
}

func registerSetup(h *House) { h.Hooks.Undo = append(h.Hooks.Undo, (*act).undoAbsences) }

// undoAbsences takes back days off that were entered.
func (a *act) undoAbsences(s *undoState) ([]int64, error) {
	for _, id := range s.Absence {
		i := slices.IndexFunc(a.b.Absences, func(x store.Absence) bool { return x.ID == id })
		if i < 0 {
			return nil, &relay.Refusal{Reason: relay.ErrNotNow, Text: "These days off were taken back in the set-up already."}
		}
		if err := a.dropAbsence(a.b.Absences[i]); err != nil {
			return nil, err
		}
	}
	return nil, nil
}

func (a *act) dropAbsence(x store.Absence) error {
	p := a.b.Person(x.PersonID)
	if err := a.tx.DropAbsence(a, x.ID); err != nil {
		return err
	}
	if err := a.tx.StaleOf(a, p.ID); err != nil {
		return err
	}
	a.setUp = true
	return a.log(store.Entry{DeskID: p.Desks[0], Act: "set up", What: fmt.Sprintf("took back days off of %s, %s to %s", p.Name, Short(x.FromDay), Short(x.ToDay))})
}
