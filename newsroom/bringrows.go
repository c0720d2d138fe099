package newsroom

func IdsOf[T any](xs []T, id func(T) int64) []int64 {
	out := make([]int64, len(xs))
	for i, x := range xs {
		out[i] = id(x)
	}
	return out
}
