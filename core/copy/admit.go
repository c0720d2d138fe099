package copy

import "greenbaton/core/ref"

// Hand is what somebody may do with a copy.
type Hand struct {
	By     ref.Person
	Writes bool            // changes the copy itself; otherwise proposes
	Known  func(Mark) bool // whether a mark was on the copy at some time, so that it may come back with what was taken away
}

// Admits reports why a sound change to a copy is not one that somebody may make; nil if it
// is. Who proposes may put words and take their own away again, mark words to be cut or
// set, and withdraw such marks of their own. Nobody makes marks in the name of others, but
// words that are moved take along those that are on them.
func (t Text) Admits(c Change, h Hand) error {
	at := &reader{ops: Change(t)}
	for _, o := range c {
		if o.inserts() {
			if err := h.inserts(o); err != nil {
				return err
			}
			continue
		}
		for n := o.Len(); n > 0; {
			if !at.more() {
				return misfit("it goes beyond the end")
			}
			b := at.next(n)
			n -= b.Len()
			if o.Delete == 0 && len(o.Attributes) == 0 {
				continue
			}
			for _, s := range (Text{b}).stretches() {
				if err := h.changes(s, o); err != nil {
					return err
				}
			}
		}
	}
	return at.err
}

func (h Hand) inserts(o Op) error {
	for _, s := range (Text{o}).stretches() {
		s.Attributes = fitAttributes(s.Attributes, s.line)
		own := s.Author() == h.By
		for _, m := range s.Attributes.Marks() {
			switch {
			case m.Kind != Query && By(m.Key) == h.By:
			case (h.Writes || own && m.Kind != Put) && h.Known(m):
			default:
				return misfit("it makes a mark in the name of somebody else")
			}
		}
		if !own && !h.Writes {
			return misfit("it writes where only proposals are allowed")
		}
	}
	return nil
}

func (h Hand) changes(s stretch, o Op) error {
	mine := s.Author() == h.By
	if o.Delete > 0 {
		if !h.Writes && !mine {
			return misfit("it deletes where only proposals are allowed")
		}
		return nil
	}
	for _, x := range o.Attributes {
		if !isMark(x.Name) {
			if _, line := known(x.Name, x.Value); x.Value != null && line != s.line {
				continue // it has no effect here
			}
			if !h.Writes && !mine && (x.Value != null || s.Attributes.Has(x.Name)) {
				return misfit("it sets what only proposals are allowed on")
			}
			continue
		}
		if x.Value == null {
			if was := markOf(x.Name, s.Attributes.Raw(x.Name)); was.Kind != "" && !h.Writes && By(was.Key) != h.By {
				return misfit("it decides on what somebody else proposes")
			} else if was.Kind == Put && !h.Writes {
				return misfit("it takes what is only proposed into the copy")
			}
			continue
		}
		m := markOf(x.Name, x.Value)
		if m.Line != s.line {
			continue
		}
		if m.Kind == Query && !(h.Writes && h.Known(m)) || m.Kind != Query && By(m.Key) != h.By && !(h.Writes && h.Known(m)) {
			return misfit("it makes a mark in the name of somebody else")
		}
		if m.Kind == Put && !h.Writes && !mine {
			return misfit("it marks words as put that are of the copy")
		}
	}
	return nil
}
