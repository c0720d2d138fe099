// Package newsroom is the kernel of all that can be done and asked: what one command needs,
// whatever it does. Newsroom is the data file, with the set-up and the pieces kept in memory;
// Command is one command in its transaction: who acts, the pieces it loads and stores, the
// logbook, what it replaced. Newsroom.Do is the one door by which anything is written.
//
// What people do is in the packages below, its rooms, which build on this one and register
// here (Hooks) what has to follow from what others do. Package rooms puts all of it together.
package newsroom
