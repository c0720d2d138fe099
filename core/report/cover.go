package report

// Cover is how sure it is that something goes out in a slot.
type Cover string

// The covers.
const (
	Sure     Cover = "sure"     // it is finished, or makes its day with at least 95 %
	Likely   Cover = "likely"   // with at least half
	Unlikely Cover = "unlikely" // with less
	Expected Cover = "expected" // nothing has its time yet, but something will come to it by itself
	Hole     Cover = "hole"     // nothing has its time, and nothing will come by itself
)

// CoverOf says how sure a slot is that is taken by a piece, by the chance that it makes its day,
// from 0 to 1.
func CoverOf(chance float64) Cover {
	switch {
	case chance >= .95:
		return Sure
	case chance >= .5:
		return Likely
	}
	return Unlikely
}
