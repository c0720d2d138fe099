// Package day knows the days a desk works: dates, working days and the
// boundaries between them, holidays, wall-clock times and publication slots.
//
// Time in plans is counted in boundaries. Boundary k is the start of working
// day k and the end of working day k-1. Start with Calendar, then Advance and
// Retreat, which count the days of one person inside a desk's calendar.
package day
