package newsroom

import (
	"greenbaton/core/copy"
)

func MisfitText(err error) string {
	text := err.Error()
	if prefix := copy.ErrMisfit.Error() + ": "; len(text) > len(prefix) && text[:len(prefix)] == prefix {
		return text[len(prefix):]
	}
	return text
}
