package planning

import (
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// DropPiece takes a piece off its way that was made and not worked on.
func DropPiece(a *newsroom.Command, row store.Row) error {
	is, err := relay.Drop(row.Piece)
	if err != nil {
		return err
	}
	is.Version++
	if err := a.Save(row.Piece, is); err != nil {
		return err
	}
	if err := a.Stand(is); err != nil {
		return err
	}
	return a.Log(store.Entry{DeskID: row.DeskID, PieceID: row.ID, Act: "withdrew", What: "took back the making of it", Version: is.Version})
}
