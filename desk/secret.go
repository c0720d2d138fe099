package desk

import (
	"crypto/rand"
	"crypto/subtle"
)

// newSecret makes a secret of the house.
func newSecret() string { return rand.Text() }

// sameText compares two secrets without telling by the time it takes where they differ.
func sameText(x, y string) bool { return subtle.ConstantTimeCompare([]byte(x), []byte(y)) == 1 }
