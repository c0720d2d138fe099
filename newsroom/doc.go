// Package desk is what can be done and asked in the house: one function per
// act, one per page's question. An act authorises, loads, lets package core
// decide, and stores the changes, the logbook entries and the outgoing messages
// in one transaction; afterwards the courier delivers. Start with House and
// its method act.
package newsroom
