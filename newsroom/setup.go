package newsroom

import (
	"strings"
	"unicode"
)

// Initials gives the first letters of the first and last name.
func Initials(name string) string {
	var out []rune
	words := strings.Fields(name)
	for i, w := range words {
		if i == 0 || i == len(words)-1 {
			out = append(out, unicode.ToUpper([]rune(w)[0]))
		}
	}
	return string(out)
}
