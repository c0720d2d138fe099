package newsroom

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
)

func TokenOf(secret string, id int64) string {
	n := binary.AppendUvarint(nil, uint64(id))
	m := hmac.New(sha256.New, []byte(secret))
	m.Write(n)
	return base64.RawURLEncoding.EncodeToString(append(n, m.Sum(nil)[:18]...))
}
