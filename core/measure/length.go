package measure

import (
	"fmt"

	"greenbaton/core/english"
)

// lengths are the most words of the groups by which pieces of like length are compared. Common
// practice, no source.
var lengths = []int{400, 800, 1200, 2000}

// LengthOf gives the group of a piece by the words asked for, in their order by its key, and its
// name; none without a length.
func LengthOf(words int) (key, name string) {
	if words <= 0 {
		return "", ""
	}
	for i, most := range lengths {
		if words <= most {
			return fmt.Sprint(i), fmt.Sprintf("up to %s words", english.Number(most))
		}
	}
	last := len(lengths) - 1
	return fmt.Sprint(last + 1), fmt.Sprintf("over %s words", english.Number(lengths[last]))
}
