package newsroom

import (
	"context"
	"fmt"
	"reflect"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Invalid refuses what was typed into a field.
func Invalid(field, format string, args ...any) error {
	return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: fmt.Sprintf(format, args...)}
}

// SetUpAct carries out a command on the set-up of a desk, which is for its leads.
func (h *Newsroom) SetUpAct(ctx context.Context, by ref.Person, desk ref.Desk, f func(*Command) error) error {
	return h.Do(ctx, by, func(a *Command) error {
		if err := a.Setup.MayLead(by, desk); err != nil {
			return err
		}
		a.SetUp = true
		return f(a)
	})
}

// MayLead refuses who is no lead of a desk.
func (b *Setup) MayLead(by ref.Person, desk ref.Desk) error {
	if relay.MayHouse(relay.SetUpDesk, b.Who(by, desk)) {
		return nil
	}
	return &relay.Refusal{Reason: relay.ErrNotYours, Text: "This is for leads of the desk. Ask one of them."}
}

// Differ writes the fields in which two structs of one type differ, a line each, as
// they were and as they are. Passwords are left out.
func Differ(was, is any) (before, after string) {
	x, y := reflect.ValueOf(was), reflect.ValueOf(is)
	var xs, ys []string
	for i := range x.NumField() {
		name := x.Type().Field(i).Name
		if a, b := x.Field(i).Interface(), y.Field(i).Interface(); name != "Password" && !reflect.DeepEqual(a, b) {
			xs, ys = append(xs, fmt.Sprintf("%s: %v", strings.ToLower(name), a)), append(ys, fmt.Sprintf("%s: %v", strings.ToLower(name), b))
		}
	}
	return strings.Join(xs, "\n"), strings.Join(ys, "\n")
}

// MayAnswerFor lets only those who lead all of somebody's desks change how they sign
// in and what they may do, as that reaches to all of these desks.
func (b *Setup) MayAnswerFor(by ref.Person, p store.Person) error {
	for _, d := range p.Desks {
		if b.MayLead(by, d) != nil {
			return Invalid("access", "%s also belongs to %s, where you are no lead. Ask a lead of both to change their access, mail address or password.", First(p.Name), b.Desk(d).Name)
		}
	}
	return nil
}

// OnFormat carries out a command of a lead on a format that there is.
func (h *Newsroom) OnFormat(ctx context.Context, by ref.Person, format ref.Format, f func(*Command, store.Format) error) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	if b.Format(format).ID == 0 {
		return ErrNotFound
	}
	return h.SetUpAct(ctx, by, b.Format(format).DeskID, func(a *Command) error { return f(a, a.Setup.Format(format)) })
}
