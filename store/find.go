package store

import (
	"context"
	"greenbaton/core/ref"
	"strings"
)

// InCopy is a copy in which something was found.
type InCopy struct {
	Piece   ref.Piece
	Snippet string
}

// FindInCopies gives the newest copies that have all of some words, the last of which
// may be the beginning of one: the best first, with the words around what matched.
func FindInCopies(ctx context.Context, r Reader, words []string, mark, unmark string, limit int) ([]InCopy, error) {
	var out []InCopy
	err := r.Select(ctx, &out, `SELECT rowid AS piece, snippet(copy_words, 0, ?, ?, '…', 14) AS snippet FROM copy_words WHERE copy_words MATCH ? ORDER BY rank LIMIT ?`,
		mark, unmark, match(words), limit)
	return out, err
}

// match writes words as the text search takes them: all of them, the last of which may be
// the beginning of one.
func match(words []string) string {
	q := make([]string, len(words))
	for i, w := range words {
		q[i] = `"` + strings.ReplaceAll(w, `"`, `""`) + `"`
	}
	return strings.Join(q, " ") + "*"
}
