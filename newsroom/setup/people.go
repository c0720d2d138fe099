package setup

import (
	"context"
	"crypto/rand"
	"fmt"
	"net/mail"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/store"
)

// SavePerson stores somebody of a desk, or adds them where they have no id yet. It
// gives their id and, for somebody new, the password to sign in with at first.
func (h Room) SavePerson(ctx context.Context, by ref.Person, desk ref.Desk, p store.Person) (id ref.Person, password string, err error) {
	hash := ""
	if p.ID == 0 {
		if password, hash, err = h.madePassword(ctx, by, desk); err != nil {
			return 0, "", err
		}
	}
	err = h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		was := a.Setup.Person(p.ID)
		if p.ID != 0 && !slices.Contains(was.Desks, desk) {
			return newsroom.ErrNotFound
		}
		if err := checkPerson(a, &p, was); err != nil {
			return err
		}
		if p.ID == 0 {
			p.Password = hash
			if p.ID, err = a.Tx.AddPerson(a, p); err != nil {
				return err
			}
			return a.Log(store.Entry{DeskID: desk, Act: "set up", What: fmt.Sprintf("added %s, %s", p.Name, p.Access)})
		}
		p.Password, p.Sessions = was.Password, was.Sessions
		if err := a.Tx.SavePerson(a, p); err != nil {
			return err
		}
		if err := a.Tx.StaleOf(a, p.ID); err != nil {
			return err
		}
		if p.Retired && !was.Retired {
			if err := a.Tx.EndSessions(a, p.ID); err != nil {
				return err
			}
		}
		before, after := newsroom.Differ(was, p)
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: "changed what is set up for " + p.Name, Before: before, After: after})
	})
	return p.ID, password, err
}

func checkPerson(a *newsroom.Command, p *store.Person, was store.Person) error {
	p.Name, p.Mail, p.Does = strings.TrimSpace(p.Name), strings.ToLower(strings.TrimSpace(p.Mail)), strings.TrimSpace(p.Does)
	if p.Initials = strings.ToUpper(strings.TrimSpace(p.Initials)); p.Initials == "" && p.Name != "" {
		p.Initials = newsroom.Initials(p.Name)
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
		return newsroom.Invalid("name", "Say in up to 80 characters what they are called.")
	case len([]rune(p.Initials)) > 3:
		return newsroom.Invalid("initials", "Initials are up to three letters.")
	case mailErr != nil || addr.Address != p.Mail:
		return newsroom.Invalid("mail", "This is not a mail address like maren@example.org.")
	case slices.ContainsFunc(a.Setup.People, func(x store.Person) bool { return x.ID != p.ID && strings.EqualFold(x.Mail, p.Mail) }):
		return newsroom.Invalid("mail", "Somebody has this mail address already. Each person has their own.")
	case !slices.Contains([]relay.Access{relay.Lead, relay.Staff, relay.Freelance, relay.Outside}, p.Access):
		return newsroom.Invalid("access", "Choose what they may do: lead, staff, freelance or outside.")
	case len([]rune(p.Does)) > 60:
		return newsroom.Invalid("does", "Say in up to 60 characters what they do.")
	case p.PayWithin < 0 || p.PayWithin > 365:
		return newsroom.Invalid("pay_within", "They are paid within 1 to 365 days after a statement, or as the desk does with nothing written.")
	case len(p.Desks) == 0:
		return newsroom.Invalid("desks", "They belong to at least one desk. Tick one.")
	case slices.ContainsFunc(p.Roles, func(r string) bool { return len([]rune(r)) > 40 }):
		return newsroom.Invalid("roles", "Keep the name of a role under 40 characters.")
	}
	if !p.Access.Named() {
		p.Duties = ""
	}
	for i, m := range p.Minutes() {
		if m < 0 || m > 24*60 {
			return newsroom.Invalid("hours", "The hours of a day lie between 0 and 24; look at %s.", weekdayNames[i])
		}
	}
	for _, d := range p.Desks { // a lead adds people to desks of their own only, and leaves others as they are
		if a.Who(d).OnDesk || slices.Contains(was.Desks, d) {
			continue
		}
		return newsroom.Invalid("desks", "You add people to your own desks only.")
	}
	if was.ID != 0 && (p.Access != was.Access || p.Mail != was.Mail || p.Retired != was.Retired) {
		if err := a.Setup.MayAnswerFor(a.Actor, was); err != nil {
			return err
		}
	}
	return checkLeaving(a, p, was)
}

var weekdayNames = [...]string{"Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"}

// checkLeaving refuses what would leave legs with somebody who is gone, pieces
// without an owner who may act, or a desk without a lead.
func checkLeaving(a *newsroom.Command, p *store.Person, was store.Person) error {
	if was.ID == 0 {
		return nil
	}
	for _, d := range was.Desks {
		gone := !slices.Contains(p.Desks, d)
		if !gone && (!p.Retired || was.Retired) {
			continue
		}
		n, err := store.UnfinishedOf(a, a.Tx, p.ID, d)
		if err != nil {
			return err
		}
		if n > 0 {
			return newsroom.Invalid(map[bool]string{true: "desks", false: "retired"}[gone], "%s still has %s on %s that %s not over. Give them to others first; the list of pieces can be narrowed to them.",
				newsroom.First(p.Name), english.Plural(n, "leg"), a.Setup.Desk(d).Name, map[bool]string{true: "is", false: "are"}[n == 1])
		}
	}
	if p.Retired || !p.Access.May(relay.OwnPieces) {
		n, err := count(a, "SELECT COUNT(*) FROM piece WHERE owner = ? AND stage = 'running'", p.ID)
		if err != nil {
			return err
		}
		if n > 0 && (was.Access.May(relay.OwnPieces) && !was.Retired) {
			return newsroom.Invalid("access", "%s owns %s under way, and an owner is a lead or staff. Give these another owner first.", newsroom.First(p.Name), english.Plural(n, "piece"))
		}
	}
	for _, d := range was.Desks {
		leads := a.Setup.Leads(d)
		if len(leads) == 1 && leads[0] == p.ID && (p.Retired || !p.Access.May(relay.SetUpDesk) || !slices.Contains(p.Desks, d)) {
			return newsroom.Invalid("access", "%s is the only lead of %s. Make somebody else lead first.", newsroom.First(p.Name), a.Setup.Desk(d).Name)
		}
	}
	return nil
}

// NewPassword gives somebody of a desk another password, signs them out everywhere,
// and gives it, to be told to them.
func (h Room) NewPassword(ctx context.Context, by ref.Person, desk ref.Desk, person ref.Person) (string, error) {
	password, hash, err := h.madePassword(ctx, by, desk)
	if err != nil {
		return "", err
	}
	return password, h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		p := a.Setup.Person(person)
		if !slices.Contains(p.Desks, desk) {
			return newsroom.ErrNotFound
		}
		if err := a.Setup.MayAnswerFor(by, p); err != nil {
			return err
		}
		if err := a.Tx.SetPassword(a, person, hash); err != nil {
			return err
		}
		if err := a.Tx.SetCodes(a, person, ""); err != nil { // whoever lost their device gets in again
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: "gave " + p.Name + " another password"})
	})
}

// madePassword makes a password for a lead to hand out, and hashes it before the one
// write begins, as that takes its time.
func (h Room) madePassword(ctx context.Context, by ref.Person, desk ref.Desk) (password, hash string, err error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return "", "", err
	}
	if err := b.MayLead(by, desk); err != nil {
		return "", "", err
	}
	password = newPassword()
	hash, err = account.HashPassword(password)
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
func (h Room) DropAbsence(ctx context.Context, by ref.Person, desk ref.Desk, absence ref.Absence) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		i := slices.IndexFunc(a.Setup.Absences, func(x store.Absence) bool { return x.ID == absence })
		if i < 0 || !slices.Contains(a.Setup.Person(a.Setup.Absences[i].PersonID).Desks, desk) {
			return newsroom.ErrNotFound
		}
		return dropAbsence(a, a.Setup.Absences[i])
	})
}

// Register registers what follows here from what others do.
func Register(h *newsroom.Newsroom) {
	h.Hooks.Undo = append(h.Hooks.Undo, undoAbsences)
	h.Hooks.After = append(h.Hooks.After, At(h).dropOld)
}

// undoAbsences takes back days off that were entered.
func undoAbsences(a *newsroom.Command, s *newsroom.UndoState) ([]ref.Piece, error) {
	for _, id := range s.Absence {
		i := slices.IndexFunc(a.Setup.Absences, func(x store.Absence) bool { return x.ID == id })
		if i < 0 {
			return nil, &relay.Refusal{Reason: relay.ErrNotNow, Text: "These days off were taken back in the set-up already."}
		}
		if err := dropAbsence(a, a.Setup.Absences[i]); err != nil {
			return nil, err
		}
	}
	return nil, nil
}

func dropAbsence(a *newsroom.Command, x store.Absence) error {
	p := a.Setup.Person(x.PersonID)
	if err := a.Tx.DropAbsence(a, x.ID); err != nil {
		return err
	}
	if err := a.Tx.StaleOf(a, p.ID); err != nil {
		return err
	}
	a.SetUp = true
	return a.Log(store.Entry{DeskID: p.Desks[0], Act: "set up", What: fmt.Sprintf("took back days off of %s, %s to %s", p.Name, english.Date(x.FromDay), english.Date(x.ToDay))})
}
