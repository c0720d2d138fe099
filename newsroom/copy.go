package newsroom

import (
	"fmt"
	"strings"
)

// Slug makes the last part of a page's address from a title.
func Slug(title string, number int) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
		if b.Len() >= 60 {
			break
		}
	}
	return fmt.Sprintf("%d-%s", number, strings.Trim(b.String(), "-"))
}
