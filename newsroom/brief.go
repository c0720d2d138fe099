package newsroom

func FirstOf[T any](all []T) (v T) {
	if len(all) > 0 {
		v = all[0]
	}
	return v
}
