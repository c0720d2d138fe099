package setup

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/brief"
	"greenbaton/core/copy"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// SaveFormatBrief stores what a format asks of a brief, whether a title is chosen before
// the writing begins, and the outline of its copies. Pieces under way keep their copy.
func (h Room) SaveFormatBrief(ctx context.Context, by ref.Person, format ref.Format, form brief.Form, titled bool, outline brief.Outline) error {
	return h.OnFormat(ctx, by, format, func(a *newsroom.Command, was store.Format) error {
		form, err := form.Check()
		if err != nil {
			return err
		}
		if outline, err = outline.Check(); err != nil {
			return err
		}
		for _, x := range form {
			p, _ := brief.PartOf(x.Key)
			for _, y := range a.Setup.FieldsOf(format) {
				if strings.EqualFold(p.Name, y.Name) && !slices.ContainsFunc(a.Setup.Forms[format], func(z brief.Asked) bool { return z.Key == x.Key }) {
					return newsroom.Invalid("help-"+x.Key, "%s is an extra field of %s already, so the brief would ask for it twice. Retire the field first.", p.Name, was.Name)
				}
			}
		}
		is := was
		is.Titled = titled
		for v, into := range map[*string]any{&is.BriefForm: form, &is.Outline: outline} {
			text, err := json.Marshal(into)
			if err != nil {
				return fmt.Errorf("write the brief of a format: %w", err)
			}
			*v = string(text)
		}
		if len(outline) == 0 {
			is.Outline = ""
		}
		if form == nil {
			is.BriefForm = "[]"
		}
		if is == was {
			return nil
		}
		if err := a.Tx.SaveFormatBrief(a, is); err != nil {
			return err
		}
		return a.Log(store.Entry{
			DeskID: was.DeskID, Act: "set up", What: "changed the brief and outline of " + was.Name,
			Before: sayForm(a.Setup.Forms[format], a.Setup.Outlines[format]), After: sayForm(form, outline),
		})
	})
}

func sayForm(f brief.Form, o brief.Outline) string {
	out := "asks for"
	for _, x := range f {
		p, _ := brief.PartOf(x.Key)
		out += " " + english.LowerFirst(p.Name)
		if x.Must {
			out += " (must)"
		}
		out += ";"
	}
	for _, s := range o {
		out += "\n" + s.Heading + ": " + s.Advice
	}
	return out
}

// SaveGuide stores another version of how to write pieces of a format, with a piece that
// shows it (0 for none). Base is the version it was written on; a newer one refuses it.
// It gives the version that there is now.
func (h Room) SaveGuide(ctx context.Context, by ref.Person, format ref.Format, base int, text []byte, example ref.Piece) (int, error) {
	t, err := copy.Parse(text)
	if err != nil {
		return 0, newsroom.Invalid("text", "The guide was not saved: %s.", err.Error())
	}
	version := 0
	err = h.OnFormat(ctx, by, format, func(a *newsroom.Command, f store.Format) error {
		all, err := store.Guides(a, a.Tx, format)
		if err != nil {
			return err
		}
		last := newsroom.FirstOf(all)
		if base != last.Version {
			return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("%s saved version %d of this guide while you were writing. What you wrote is still here; open the page in another tab to see theirs.", a.Setup.Name(last.By), last.Version)}
		}
		if t.Words() == 0 {
			return newsroom.Invalid("text", "Write what somebody should know before they write a %s.", english.LowerFirst(f.Name))
		}
		if example != 0 {
			row, err := store.Piece(a, a.Tx, example)
			if err != nil || row.DeskID != f.DeskID {
				return newsroom.Invalid("example", "There is no piece of this number on the desk.")
			}
		}
		next := store.Guide{FormatID: format, Version: last.Version + 1, Text: string(t.JSON()), Example: example, By: a.Actor, At: a.Now}
		if version = next.Version; next.Text == last.Text && next.Example == last.Example {
			version = last.Version
			return nil
		}
		if err := a.Tx.AddGuide(a, next); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: f.DeskID, Act: "set up", What: fmt.Sprintf("wrote the guide for %s, version %d", f.Name, next.Version)})
	})
	return version, err
}

// Guides gives every version of the guide of a format, the newest first, for those of
// the desk.
func (h Room) Guides(ctx context.Context, who ref.Person, format ref.Format) ([]store.Guide, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if f := b.Format(format); f.ID == 0 || !b.Who(who, f.DeskID).OnDesk || !b.Person(who).Access.May(relay.RunLegs) {
		return nil, newsroom.ErrNotFound
	}
	return store.Guides(ctx, h.DB.View(), format)
}
