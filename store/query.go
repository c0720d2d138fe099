package store

import "context"

// QueryIDs gives the numbers of the queries about a copy.
func QueryIDs(ctx context.Context, r Reader, piece int64) ([]int64, error) {
	var out []int64
	err := r.Select(ctx, &out, "SELECT id FROM query WHERE piece_id = ? ORDER BY id", piece)
	return out, err
}
