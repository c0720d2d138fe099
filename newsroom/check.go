package newsroom

import (
	"context"
	"fmt"
	"strings"

	"greenbaton/core/check"
)

// LinkTrier tells whether what an address leads to answers; the error says why it does
// not, in a few words.
type LinkTrier interface {
	Try(ctx context.Context, address string) error
}

// addChecks works out what copies are checked by.
func (b *Setup) addChecks() error {
	b.Spellers, b.Styles, b.Rules = map[int64]*check.Speller{}, map[int64][]check.Say{}, map[int64]check.Rules{}
	for _, d := range b.Desks {
		b.Spellers[d.ID] = check.NewSpeller(d.Language, strings.Fields(d.OwnWords))
		says, err := check.ReadStyle(d.HouseStyle)
		if err != nil {
			return fmt.Errorf("house style of %s: %w", d.Name, err)
		}
		b.Styles[d.ID] = says
	}
	for _, f := range b.Formats {
		rules, err := check.ReadRules(f.Checks)
		if err != nil {
			return fmt.Errorf("format %s: %w", f.Name, err)
		}
		b.Rules[f.ID] = rules
	}
	return nil
}
