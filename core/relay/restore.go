package relay

// Restore gives the move that puts a piece back to what it was before an act: who
// has a leg again is told so, and who has one no longer. The copy stays as it is,
// and so does the time of the last record on each leg.
func Restore(p, was Piece) Move {
	m := Move{Piece: was.copy(), Events: []Event{{Kind: Restored}}}
	m.Piece.CopyVersion, m.Piece.Version = p.CopyVersion, p.Version
	for l := range m.Piece.Every() {
		now := p.Leg(l.Key)
		if now == nil {
			continue
		}
		l.TouchedAt = max(l.TouchedAt, now.TouchedAt)
		switch {
		case now.State == Running && l.State != Running && now.Holder != 0:
			m.tell(Recalled, l.Key, now.Holder, 0, "")
		case now.State != Running && l.State == Running:
			m.tell(Began, l.Key, now.Holder, l.Holder, "")
		case now.Holder != l.Holder:
			m.tell(Given, l.Key, now.Holder, l.Holder, "")
		}
	}
	return m
}
