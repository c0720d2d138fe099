package newsroom

import (
	"crypto/rand"
	"crypto/subtle"
)

// NewSecret makes a secret of the house.
func NewSecret() string { return rand.Text() }

// SameText compares two secrets without telling by the time it takes where they differ.
func SameText(x, y string) bool { return subtle.ConstantTimeCompare([]byte(x), []byte(y)) == 1 }
