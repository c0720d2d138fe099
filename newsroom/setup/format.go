package setup

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/brief"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// SaveFormat stores a format of a desk, or makes one, with a route of one leg, where
// it has no id yet. It gives the format's id.
func (h Room) SaveFormat(ctx context.Context, by ref.Person, f store.Format) (ref.Format, error) {
	err := h.SetUpAct(ctx, by, f.DeskID, func(a *newsroom.Command) (err error) {
		f.Name = strings.TrimSpace(f.Name)
		was, ch := a.Setup.Format(f.ID), a.Setup.Channel(f.ChannelID)
		switch {
		case f.Name == "" || len([]rune(f.Name)) > 40:
			return newsroom.Invalid("name", "Give the format a name of up to 40 characters.")
		case slices.ContainsFunc(a.Setup.FormatsOf(f.DeskID), func(x store.Format) bool { return x.ID != f.ID && strings.EqualFold(x.Name, f.Name) }):
			return newsroom.Invalid("name", "There is a format of this name already. Choose another.")
		case ch.DeskID != f.DeskID || ch.Retired:
			return newsroom.Invalid("channel", "Choose one of the desk's channels.")
		case f.Channels != "" && !theirs(a.Setup, f):
			return newsroom.Invalid("channels", "Choose among the desk's channels.")
		case f.WordsFrom < 0 || f.WordsTo < 0 || f.WordsFrom > 100_000 || f.WordsTo > 100_000:
			return newsroom.Invalid("words", "The words asked for lie between 0 and 100,000.")
		case f.WordsTo != 0 && f.WordsTo < f.WordsFrom:
			return newsroom.Invalid("words", "The most words asked for are fewer than the least. Turn them round.")
		case f.ID != 0 && was.DeskID != f.DeskID:
			return newsroom.ErrNotFound
		}
		if f.ID != 0 {
			if err := a.Tx.SaveFormat(a, f); err != nil {
				return err
			}
			before, after := newsroom.Differ(was, f)
			return a.Log(store.Entry{DeskID: f.DeskID, Act: "set up", What: "changed the format " + f.Name, Before: before, After: after})
		}
		if f.ID, err = a.Tx.AddFormat(a, f); err != nil {
			return err
		}
		way := route.Route{Legs: []route.Leg{{Key: "draft", Name: "Draft", Role: firstRole(a, f.DeskID), Allowance: 3, Least: 1, Effort: 360}}}
		if _, err := a.Tx.AddRoute(a, store.Route{FormatID: f.ID, Version: 1, Way: way}); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: f.DeskID, Act: "set up", What: "made the format " + f.Name})
	})
	return f.ID, err
}

// theirs reports whether all channels that a format says it goes out on are of its desk.
func theirs(b *newsroom.Setup, f store.Format) bool {
	for id := range strings.SplitSeq(f.Channels, ",") {
		n, err := strconv.ParseInt(id, 10, 64)
		if err != nil || b.Channel(ref.Channel(n)).DeskID != f.DeskID {
			return false
		}
	}
	return true
}

func firstRole(a *newsroom.Command, desk ref.Desk) string {
	roles := a.Setup.RolesOf(desk)
	if slices.Contains(roles, "write") || len(roles) == 0 {
		return "write"
	}
	return roles[0]
}

// CheckRoute says what is wrong with a route of a format, as a refusal whose field
// is the leg's key and the part of it, "draft.days"; otherwise it gives the route as
// it would be stored.
func CheckRoute(b *newsroom.Setup, format ref.Format, r route.Route) (route.Route, error) {
	f := b.Format(format)
	fields := map[string]bool{}
	for _, x := range b.FieldsOf(format) {
		fields[x.Key] = true
	}
	out, err := r.Check()
	var fault *route.Fault
	if errors.As(err, &fault) {
		return r, newsroom.Invalid(fault.Key+"."+fault.Field, "%s", fault.Error())
	} else if err != nil {
		return r, err
	}
	for _, legs := range [][]route.Leg{out.Legs, out.After} {
		for i, l := range legs {
			if l.Usual != 0 && l.Usual != route.LastInSeries && l.Usual != route.MostRoom && b.MayHold(l.Usual, f.DeskID, l.Role) != "" {
				return r, newsroom.Invalid(l.Key+".usual", "%s: the usual person does not belong to the desk, or is from outside and does not run “%s”. Choose somebody else or nobody.", l.Name, l.Role)
			}
			if l.Makes != 0 && b.Format(l.Makes).DeskID != f.DeskID {
				return r, newsroom.Invalid(l.Key+".makes", "%s: choose one of the desk's formats for the piece that it begins.", l.Name)
			}
			legs[i].Requires = slices.DeleteFunc(slices.Clone(l.Requires), func(k string) bool { return !fields[k] })
			if l.When != "" && (!fields[l.When] || l.Skip != route.SkipUnless) {
				legs[i].When, legs[i].Is = "", ""
			}
		}
	}
	return out, nil
}

// SaveRoute stores another version of a format's route; base is the version it was
// made from. Pieces under way stay on theirs. It gives the new version.
func (h Room) SaveRoute(ctx context.Context, by ref.Person, format ref.Format, base int, r route.Route) (int, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return 0, err
	}
	version := 0
	err = h.SetUpAct(ctx, by, b.Format(format).DeskID, func(a *newsroom.Command) error {
		f, was := a.Setup.Format(format), a.Setup.Latest(format)
		way, err := CheckRoute(a.Setup, format, r)
		if err != nil {
			return err
		}
		if base != was.Version {
			return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("Somebody saved version %d of this route while you were at it. What you did is still here; open the page again in another tab to see theirs.", was.Version)}
		}
		if version = was.Version + 1; fmt.Sprint(was.Way) == fmt.Sprint(way) {
			version = was.Version
			return nil
		}
		if _, err := a.Tx.AddRoute(a, store.Route{FormatID: format, Version: version, Way: way}); err != nil {
			return err
		}
		return a.Log(store.Entry{
			DeskID: f.DeskID, Act: "set up", What: fmt.Sprintf("changed the route of %s, now version %d", f.Name, version),
			Before: sayRoute(was.Way), After: sayRoute(way),
		})
	})
	return version, err
}

func sayRoute(r route.Route) string {
	var out []string
	for _, l := range r.Legs {
		s := fmt.Sprintf("%s: %s by %s", l.Name, english.Plural(l.Allowance, "day"), l.Role)
		if len(l.After) > 0 {
			s += ", after " + strings.Join(l.After, " and ")
		}
		out = append(out, s)
	}
	return strings.Join(out, "\n")
}

// SaveField stores an extra field of a format, or adds one where it has no id yet.
func (h Room) SaveField(ctx context.Context, by ref.Person, x store.Field) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	return h.SetUpAct(ctx, by, b.Format(x.FormatID).DeskID, func(a *newsroom.Command) error {
		x.Name, x.Help = strings.TrimSpace(x.Name), strings.TrimSpace(x.Help)
		was := a.Setup.Field(x.ID)
		if x.ID != 0 && !was.Of(x.FormatID) {
			return newsroom.ErrNotFound
		}
		if x.Also = was.Also; was.ID != 0 {
			x.FormatID = was.FormatID
		}
		var fields []store.Field // beside it, of all formats that show it
		for _, y := range a.Setup.Fields {
			if beside := slices.ContainsFunc(a.Setup.Formats, func(f store.Format) bool { return x.Of(f.ID) && y.Of(f.ID) }); !beside {
				continue
			}
			if fields = append(fields, y); y.ID != x.ID && !y.Retired && strings.EqualFold(y.Name, x.Name) {
				return newsroom.Invalid("name", "There is a field of this name already. Choose another.")
			}
		}
		for _, f := range a.Setup.Formats {
			if x.Of(f.ID) && !x.Retired && !strings.EqualFold(x.Name, was.Name) {
				if err := inBrief(a.Setup, f.ID, x.Name); err != nil {
					return err
				}
			}
		}
		if err := x.Field().Check(); err != nil {
			return newsroom.Invalid("name", "%s.", english.UpperFirst(err.Error()))
		}
		f := a.Setup.Format(x.FormatID)
		if x.ID == 0 {
			x.Key, x.Position = fieldKey(fields, x.Name), len(fields)
			if _, err := a.Tx.AddField(a, x); err != nil {
				return err
			}
			return a.Log(store.Entry{DeskID: f.DeskID, Act: "set up", What: fmt.Sprintf("added the field “%s” to %s", x.Name, f.Name)})
		}
		x.Key, x.Position = was.Key, was.Position
		if x.Kind != was.Kind {
			n, err := count(a, "SELECT COUNT(*) FROM field_value WHERE field_id = ? AND value <> ''", x.ID)
			if err != nil {
				return err
			}
			if n > 0 {
				return newsroom.Invalid("kind", "“%s” is filled in on %s as it is. Retire it and add a new one for the other kind.", was.Name, english.Plural(n, "piece"))
			}
		}
		if err := a.Tx.SaveField(a, x); err != nil {
			return err
		}
		before, after := newsroom.Differ(was, x)
		return a.Log(store.Entry{DeskID: f.DeskID, Act: "set up", What: fmt.Sprintf("changed the field “%s” of %s", x.Name, f.Name), Before: before, After: after})
	})
}

// SaveUsual stores with which owner, priority and answers to extra fields the pieces of a
// format begin, unless whoever makes one says otherwise; nobody is whoever makes it.
func (h Room) SaveUsual(ctx context.Context, by ref.Person, format ref.Format, owner ref.Person, priority relay.Priority, typed map[ref.Field][]string) error {
	return h.OnFormat(ctx, by, format, func(a *newsroom.Command, was store.Format) error {
		is := was
		is.Owner, is.Priority = owner, priority
		switch {
		case owner != 0 && planning.OwnerBy(a.Setup, is, 0) != owner:
			return newsroom.Invalid("owner", "Choose somebody of the desk who owns pieces, or whoever makes it.")
		case priority < relay.CanWait || priority > relay.First:
			return newsroom.Invalid("priority", "Choose one of the priorities.")
		}
		answers := map[ref.Field]string{}
		for _, x := range a.Setup.FieldsOf(format) {
			v, err := x.Field().Read(typed[x.ID]...)
			if err != nil {
				return newsroom.Invalid("field-"+x.Key, "%s.", english.UpperFirst(err.Error()))
			}
			if v != "" {
				answers[x.ID] = v
			}
		}
		text, err := json.Marshal(answers)
		if err != nil {
			return err
		}
		if is.Answers = string(text); is == was {
			return nil
		}
		if err := a.Tx.SaveFormatUsual(a, is); err != nil {
			return err
		}
		before, after := newsroom.Differ(was, is)
		return a.Log(store.Entry{DeskID: was.DeskID, Act: "set up", What: "changed what pieces of " + was.Name + " begin with", Before: before, After: after})
	})
}

// inBrief says that a format asks for something in its briefs already, if it does: what is
// asked there is not asked for again as a field.
func inBrief(b *newsroom.Setup, format ref.Format, name string) error {
	for _, x := range b.Forms[format] {
		if p, ok := brief.PartOf(x.Key); ok && strings.EqualFold(p.Name, name) {
			return newsroom.Invalid("name", "The brief of %s asks for this already (%s). It can be needed there before the writing begins; a field would ask for it twice.", b.Format(format).Name, p.Name)
		}
	}
	return nil
}

// ShareField lets another format of the desk show an extra field, or show it no longer; what is
// filled in is kept.
func (h Room) ShareField(ctx context.Context, by ref.Person, field ref.Field, format ref.Format, shown bool) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	return h.SetUpAct(ctx, by, b.Format(format).DeskID, func(a *newsroom.Command) error {
		x, f := a.Setup.Field(field), a.Setup.Format(format)
		switch {
		case x.ID == 0 || a.Setup.Format(x.FormatID).DeskID != f.DeskID || x.Retired && shown:
			return newsroom.ErrNotFound
		case x.FormatID == format:
			return newsroom.Invalid("share", "“%s” was made for this format. Retire it where it is not asked for any more.", x.Name)
		case x.Of(format) == shown:
			return nil
		}
		if shown {
			if err := inBrief(a.Setup, format, x.Name); err != nil {
				return err
			}
		}
		also := strings.FieldsFunc(x.Also, func(r rune) bool { return r == ',' })
		what := "shows the field “%s” on %s"
		if !shown {
			what = "no longer shows the field “%s” on %s"
			also = slices.DeleteFunc(also, func(s string) bool { return s == fmt.Sprint(format) })
		} else {
			for _, y := range a.Setup.FieldsOf(format) {
				if strings.EqualFold(y.Name, x.Name) || y.Key == x.Key {
					return newsroom.Invalid("share", "%s has a field “%s” already. Retire that one first, or give one of the two another name.", f.Name, y.Name)
				}
			}
			also = append(also, fmt.Sprint(format))
		}
		x.Also = strings.Join(also, ",")
		if err := a.Tx.SaveField(a, x); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: f.DeskID, Act: "set up", What: fmt.Sprintf(what, x.Name, f.Name)})
	})
}

func fieldKey(fields []store.Field, name string) string {
	r := route.Route{}
	for _, f := range fields {
		r.Legs = append(r.Legs, route.Leg{Key: f.Key})
	}
	return r.NewKey(name)
}

// Behind counts the pieces under way of a format that go another way than its newest route.
func (r Room) Behind(ctx context.Context, b *newsroom.Setup, format ref.Format) (int, error) {
	return store.CountUnderWayOn(ctx, r.DB.View(), format, b.Latest(format).ID)
}
