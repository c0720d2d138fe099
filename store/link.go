package store

import (
	"context"

	"greenbaton/core/day"
)

// LinkTried is what came of trying an address.
type LinkTried struct {
	Address string
	Problem string // why it did not answer; empty if it did
	At      day.Moment
}

// LinksTried gives what came of trying addresses, by address.
func LinksTried(ctx context.Context, r Reader, addresses []string) (map[string]LinkTried, error) {
	out := map[string]LinkTried{}
	if len(addresses) == 0 {
		return out, nil
	}
	args := make([]any, len(addresses))
	for i, a := range addresses {
		args[i] = a
	}
	var all []LinkTried
	err := r.Select(ctx, &all, "SELECT * FROM link_tried WHERE address IN ("+marks(len(addresses))+")", args...)
	for _, t := range all {
		out[t.Address] = t
	}
	return out, err
}

// SaveLinks stores what came of trying addresses.
func (t *Tx) SaveLinks(ctx context.Context, tried []LinkTried) error {
	for _, x := range tried {
		if _, err := t.Exec(ctx, "INSERT OR REPLACE INTO link_tried (address, problem, at) VALUES (?, ?, ?)", x.Address, x.Problem, x.At); err != nil {
			return err
		}
	}
	return nil
}
