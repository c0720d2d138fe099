package main

import "syscall"

// freeBytes gives how much is left on the disk of a folder for who runs the program.
func freeBytes(dir string) (int64, bool) {
	var s syscall.Statfs_t
	if err := syscall.Statfs(dir, &s); err != nil {
		return 0, false
	}
	return int64(s.Bavail) * s.Bsize, true
}
