package newsroom

import (
	"maps"
)

// SetValue fills a field in on a piece of which values are filled in.
func (a *Command) SetValue(piece, field int64, v string, values map[int64]string) error {
	if a.Put.values[piece] == nil {
		a.Put.values[piece] = maps.Clone(values)
	}
	a.Put.values[piece][field] = v
	return a.Tx.SetValue(a, piece, field, v)
}
