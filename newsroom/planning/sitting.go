package planning

import (
	"fmt"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// undoMade takes pieces away again.
func undoMade(a *newsroom.Command, s *newsroom.UndoState) ([]int64, error) {
	for _, piece := range s.Made {
		if err := dropMade(a, piece); err != nil {
			return nil, err
		}
	}
	return s.Made, nil
}

// dropMade takes back a piece that was just made, as long as nobody has worked on it.
func dropMade(a *newsroom.Command, id int64) error {
	row, err := store.Piece(a, a.Tx, id)
	if err != nil {
		return err
	}
	if row.Version > 1 || row.Stage != relay.UnderWay {
		return &relay.Refusal{Reason: relay.ErrChanged, Text: fmt.Sprintf("Somebody has worked on “%s” since it was made, so it can no longer be taken back. Withdraw it by hand.", row.Title)}
	}
	return DropPiece(a, row)
}
