package desk

import (
	"context"
	"encoding/json"
	"fmt"

	"greenbaton/core/brief"
	"greenbaton/core/copy"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// SaveFormatBrief stores what a format asks of a brief, whether a title is chosen before
// the writing begins, and the outline of its copies. Pieces under way keep their copy.
func (h *House) SaveFormatBrief(ctx context.Context, by, format int64, form brief.Form, titled bool, outline brief.Outline) error {
	return h.onFormat(ctx, by, format, func(a *act, was store.Format) error {
		form, err := form.Check()
		if err != nil {
			return err
		}
		if outline, err = outline.Check(); err != nil {
			return err
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
		if err := a.tx.SaveFormatBrief(a, is); err != nil {
			return err
		}
		return a.log(store.Entry{
			DeskID: was.DeskID, Act: "set up", What: "changed the brief and outline of " + was.Name,
			Before: sayForm(a.b.forms[format], a.b.outlines[format]), After: sayForm(form, outline),
		})
	})
}

func sayForm(f brief.Form, o brief.Outline) string {
	out := "asks for"
	for _, x := range f {
		p, _ := brief.PartOf(x.Key)
		out += " " + LowerFirst(p.Name)
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

// onFormat carries out an act of a lead on a format that there is.
func (h *House) onFormat(ctx context.Context, by, format int64, f func(*act, store.Format) error) error {
	b, err := h.Books(ctx)
	if err != nil {
		return err
	}
	if b.Format(format).ID == 0 {
		return ErrNotFound
	}
	return h.setUpAct(ctx, by, b.Format(format).DeskID, func(a *act) error { return f(a, a.b.Format(format)) })
}

// SaveGuide stores another version of how to write pieces of a format, with a piece that
// shows it (0 for none). Base is the version it was written on; a newer one refuses it.
// It gives the version that there is now.
func (h *House) SaveGuide(ctx context.Context, by, format int64, base int, text []byte, example int64) (int, error) {
	t, err := copy.Parse(text)
	if err != nil {
		return 0, bad("text", "The guide was not saved: %s.", err.Error())
	}
	version := 0
	err = h.onFormat(ctx, by, format, func(a *act, f store.Format) error {
		all, err := store.Guides(a, a.tx, format)
		if err != nil {
			return err
		}
		last := first(all)
		if base != last.Version {
			return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("%s saved version %d of this guide while you were writing. What you wrote is still here; open the page in another tab to see theirs.", a.b.Name(last.By), last.Version)}
		}
		if t.Words() == 0 {
			return bad("text", "Write what somebody should know before they write a %s.", LowerFirst(f.Name))
		}
		if example != 0 {
			row, err := store.Piece(a, a.tx, example)
			if err != nil || row.DeskID != f.DeskID {
				return bad("example", "There is no piece of this number on the desk.")
			}
		}
		next := store.Guide{FormatID: format, Version: last.Version + 1, Text: string(t.JSON()), Example: example, By: a.by, At: a.now}
		if version = next.Version; next.Text == last.Text && next.Example == last.Example {
			version = last.Version
			return nil
		}
		if err := a.tx.AddGuide(a, next); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: f.DeskID, Act: "set up", What: fmt.Sprintf("wrote the guide for %s, version %d", f.Name, next.Version)})
	})
	return version, err
}

// Guides gives every version of the guide of a format, the newest first, for those of
// the desk.
func (h *House) Guides(ctx context.Context, who, format int64) ([]store.Guide, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return nil, err
	}
	if f := b.Format(format); f.ID == 0 || !b.Who(who, f.DeskID).OnDesk || !b.Person(who).Access.May(relay.RunLegs) {
		return nil, ErrNotFound
	}
	return store.Guides(ctx, h.DB.View(), format)
}
