// Package regular works out on which days a piece comes that makes itself: by a rule of
// RFC 5545, with single dates left out, moved or added, and with what becomes of days off.
// It knows no clock: whoever asks says between which days.
package regular
