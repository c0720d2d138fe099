// Package demo makes Millrace, an invented publisher of mills, grain and bread,
// with two years of history. All of it is played through the acts that people
// use, by a seeded script, so that logbook, durations and figures agree.
package demo
