package newsroom

import (
	"crypto/sha256"
	"encoding/hex"
)

// HashOf is the hash under which a token is kept.
func HashOf(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}
