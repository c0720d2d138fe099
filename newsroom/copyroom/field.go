package copyroom

import (
	"slices"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
)

// missing gives the names of the fields that a leg asks for and that are not filled in.
func missing(b *newsroom.Setup, p *relay.Piece, leg string, values map[int64]string) []string {
	l := b.Route(p.RouteID).Way.Leg(leg)
	if l == nil {
		return nil
	}
	var out []string
	for _, f := range b.FieldsOf(p.FormatID) {
		if slices.Contains(l.Requires, f.Key) && values[f.ID] == "" {
			out = append(out, f.Name)
		}
	}
	return out
}
