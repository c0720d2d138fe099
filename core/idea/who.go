package idea

import (
	"greenbaton/core/relay"
)

// Act is something a person can do with an idea.
type Act string

// The acts on an idea.
const (
	ActCatch  Act = "catch"  // put a new one into the store of a desk
	ActSee    Act = "see"    // read it
	ActEdit   Act = "edit"   // change what it says
	ActJudge  Act = "judge"  // say its reach, fit and effort
	ActSettle Act = "settle" // decide what becomes of it
)

// May reports whether somebody may do an act with an idea (one without an id where it
// is about a new one). Staff and leads see and judge all ideas of their desk; whoever
// is not on staff only their own.
func May(act Act, w relay.Who, i *Idea) error {
	staff, mine := w.Access.May(relay.JudgeIdeas), i.By == w.ID && w.ID != 0
	switch {
	case w.System:
		return nil
	case !relay.MayHouse(relay.Contribute, w):
		return no("Ideas are kept by the desk’s own people. Send yours to one of them.")
	case act == ActCatch || staff && act != ActSettle:
		return nil
	case act == ActSettle:
		if w.Access.May(relay.LeadDesk) || mine && staff {
			return nil
		}
		return no("What becomes of an idea is decided by leads, and by those of the staff whose idea it was.")
	case (act == ActSee || act == ActEdit) && mine:
		return nil
	}
	return no("This idea is somebody else’s.")
}

func no(text string) error { return &relay.Refusal{Reason: relay.ErrNotYours, Text: text} }
