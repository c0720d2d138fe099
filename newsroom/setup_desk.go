package newsroom

import (
	"context"
	"fmt"
	"reflect"
	"strings"

	"greenbaton/core/relay"
)

// Invalid refuses what was typed into a field.
func Invalid(field, format string, args ...any) error {
	return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: fmt.Sprintf(format, args...)}
}

// SetUpAct carries out an act on the set-up of a desk, which is for its leads.
func (h *Newsroom) SetUpAct(ctx context.Context, by, desk int64, f func(*Command) error) error {
	return h.Do(ctx, by, func(a *Command) error {
		if err := a.Setup.MayLead(by, desk); err != nil {
			return err
		}
		a.SetUp = true
		return f(a)
	})
}

// MayLead refuses who is no lead of a desk.
func (b *Setup) MayLead(by, desk int64) error {
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
