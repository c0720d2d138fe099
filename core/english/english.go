// Package english has the grammar of sentences: numbers and times as one says them, what
// goes with one and what with several, and how things are listed. Whatever makes a
// sentence for people makes it of these; nothing here knows a piece or a desk.
//
// Numbers from one to ten may be words where they begin a sentence or count things one
// sees (Count, CountOf); beside figures they are figures (Plural).
package english

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"greenbaton/core/day"
)

// Number writes a whole number with its thousands apart: 2,140.
func Number(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Plural writes a number with its noun, which takes an s: "1 day", "2 days".
func Plural(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return Number(n) + " " + noun + "s"
}

// Counted writes how many there are of something within a sentence: "one piece",
// "1,200 pieces".
func Counted(n int, noun string) string {
	if n == 1 {
		return "one " + noun
	}
	return Plural(n, noun)
}

var words = []string{"No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten"}

// CountOf begins a sentence with a number, up to ten as a word: "Three", "None".
func CountOf(n int) string {
	switch {
	case n == 0:
		return "None"
	case n > 0 && n < len(words):
		return words[n]
	}
	return Number(n)
}

// Count begins a sentence with a number of something, up to ten as a word: "Three
// legs", "No legs".
func Count(n int, noun string) string {
	if n < 0 || n >= len(words) {
		return Plural(n, noun)
	}
	if n == 1 {
		return words[1] + " " + noun
	}
	return words[n] + " " + noun + "s"
}

// Times says how often: "once", "twice", "12 times".
func Times(n int) string {
	switch n {
	case 1:
		return "once"
	case 2:
		return "twice"
	}
	return Number(n) + " times"
}

// Verb gives the form of a verb, or another word, that goes with a number.
func Verb(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// And joins names or phrases as one says them: "Ruth, Dao and Hollis"; nothing is "".
func And(xs []string) string { return joined(xs, " and ") }

// Or joins names or phrases of which one will do: "Ruth or Hollis".
func Or(xs []string) string { return joined(xs, " or ") }

func joined(xs []string, last string) string {
	if n := len(xs); n > 1 {
		return strings.Join(xs[:n-1], ", ") + last + xs[n-1]
	}
	return strings.Join(xs, "")
}

// A puts the article before a noun, by its first letter: "a piece", "an idea".
func A(noun string) string {
	if noun != "" && strings.ContainsRune("aeiou", rune(noun[0])) {
		return "an " + noun
	}
	return "a " + noun
}

// Quoted puts words between quotation marks; such marks within them are doubled, so that
// no words read as others do.
func Quoted(s string) string {
	return "“" + strings.NewReplacer("“", "““", "”", "””").Replace(s) + "”"
}

// UpperFirst writes the first letter of a sentence as a capital.
func UpperFirst(s string) string { return withFirst(s, unicode.ToUpper) }

// LowerFirst writes the first letter of a sentence small, for one inside another.
func LowerFirst(s string) string { return withFirst(s, unicode.ToLower) }

func withFirst(s string, change func(rune) rune) string {
	r, n := utf8.DecodeRuneInString(s)
	if n == 0 {
		return s
	}
	return string(change(r)) + s[n:]
}

// Cut shortens a text to so many characters at most, the last of which says so.
func Cut(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return strings.TrimSpace(string(r[:most-1])) + "…"
	}
	return s
}

// Date writes a day as "Thu 3 Dec"; none as "no day yet".
func Date(d day.Date) string {
	if d.IsZero() {
		return "no day yet"
	}
	return d.Format("Mon 2 Jan")
}

// Clock writes minutes since midnight: "09:42".
func Clock(minutes int) string { return fmt.Sprintf("%02d:%02d", minutes/60, minutes%60) }

// Hours writes minutes of work, to the half hour: "7 h", "7½ h"; below 45 as they are,
// "20 min".
func Hours(minutes int) string {
	h, m := minutes/60, minutes%60
	switch {
	case minutes == 0:
		return "0 h"
	case minutes < 45:
		return fmt.Sprintf("%d min", minutes)
	case m >= 15 && m < 45:
		return fmt.Sprintf("%d½ h", h)
	case m >= 45:
		h++
	}
	return fmt.Sprintf("%d h", h)
}

// HoursTyped writes minutes as hours are typed, to the hundredth: "3", "1.5".
func HoursTyped(minutes int) string {
	return strconv.FormatFloat(math.Round(float64(minutes)/60*100)/100, 'f', -1, 64)
}

// Ago says how long before now a moment was, in the largest unit that tells.
func Ago(then, now day.Moment) string {
	switch days := int(now-then) / 86400; {
	case now-then < 60:
		return "just now"
	case now-then < 3600:
		return Plural(int(now-then)/60, "minute") + " ago"
	case days == 0:
		return Plural(int(now-then)/3600, "hour") + " ago"
	case days < 14:
		return Plural(days, "day") + " ago"
	case days < 70:
		return Plural(days/7, "week") + " ago"
	case days < 700:
		return Plural(days/30, "month") + " ago"
	default:
		return Plural(days/365, "year") + " ago"
	}
}

// Size writes a number of bytes: "340 kB", "2.1 MB" (of a thousand each).
func Size(bytes int) string {
	switch {
	case bytes < 1_000:
		return Plural(bytes, "byte")
	case bytes < 1_000_000:
		return fmt.Sprintf("%d kB", bytes/1_000)
	}
	return fmt.Sprintf("%.1f MB", float64(bytes)/1e6)
}
