package newsroom

import (
	"greenbaton/core/sift"
)

// Facts gives a piece as it is sifted.
func (e *Entry) Facts() sift.Facts {
	return sift.Facts{Piece: &e.Piece, Low: e.Low, Pace: e.Pace, InHand: e.InHand, Quiet: e.Quiet, IsQuiet: e.IsQuiet, Open: e.OpenLeg, NextDue: e.NextDue, Values: e.Values}
}

func (b *Setup) NameOf(of string, id int64) string {
	switch of {
	case "format":
		return b.Format(id).Name
	case "channel":
		return b.Channel(id).Name
	case "topic":
		return b.Topic(id).Name
	case "campaign":
		return b.Campaign(id).Name
	case "desk":
		return b.Desk(id).Name
	}
	return b.Person(id).Name
}
