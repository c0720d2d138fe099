package newsroom

func Count(b bool) int {
	if b {
		return 1
	}
	return 0
}
