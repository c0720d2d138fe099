package store

import (
	"errors"
	"io/fs"
	"syscall"

	"modernc.org/sqlite"
	lib "modernc.org/sqlite/lib"
)

// Trouble is what the matter is when the data cannot be read or written: it lies with the
// machine and not with what was asked. It is a sentence that says what to do.
type Trouble string

// The troubles a data file can have. In each, what was acknowledged before is stored.
const (
	Full      Trouble = "The disk with the data is full, so nothing can be stored now. Make room on it; Green Baton goes on by itself then."
	ReadOnly  Trouble = "The data cannot be written: its folder or file is read-only. Whoever runs Green Baton has to make them writable; it goes on by itself then."
	Damaged   Trouble = "The data file is damaged. Whoever runs Green Baton has to stop it and put a backup in its place with “greenbaton restore”, which keeps the damaged file."
	NotThere  Trouble = "The data file cannot be opened. Whoever runs Green Baton has to see whether its folder is still there, and may be read and written."
	Failing   Trouble = "The disk with the data does not read or write what it is asked to. Whoever runs Green Baton has to look at it; make a backup first if you can."
	Contended Trouble = "Another program holds the data file. Whoever runs Green Baton has to stop the other one; it goes on by itself then."
)

// TroubleOf gives what trouble an error comes from; "" if it comes from none of the machine.
func TroubleOf(err error) Trouble {
	var of *sqlite.Error
	if errors.As(err, &of) {
		switch of.Code() & 0xff { // the rest says more closely what failed
		case lib.SQLITE_FULL:
			return Full
		case lib.SQLITE_READONLY, lib.SQLITE_PERM:
			return ReadOnly
		case lib.SQLITE_CORRUPT, lib.SQLITE_NOTADB:
			return Damaged
		case lib.SQLITE_CANTOPEN:
			return NotThere
		case lib.SQLITE_IOERR:
			return Failing
		case lib.SQLITE_BUSY, lib.SQLITE_LOCKED:
			return Contended
		}
		return ""
	}
	switch {
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return Full
	case errors.Is(err, syscall.EROFS), errors.Is(err, fs.ErrPermission):
		return ReadOnly
	}
	return ""
}
