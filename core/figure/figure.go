// Package figure reads figures as people write them, the same everywhere: it never makes
// another figure of one that can be read in two ways.
package figure

import (
	"errors"
	"fmt"
	"math/big"
	"regexp"
	"strings"
)

// ErrNone says that something is no figure.
var ErrNone = errors.New("it is no number")

// Unclear says that a figure can be read in two ways.
type Unclear struct {
	Typed   string
	One, Or string // what to write instead
}

func (e *Unclear) Error() string {
	return fmt.Sprintf("“%s” can be read in two ways: write %s, or %s", e.Typed, e.One, e.Or)
}

// gaps stand between thousands, or nowhere.
var gaps = strings.NewReplacer("\u00a0", " ", "\u202f", " ", "\u2009", " ", "’", "'")

var (
	plain   = regexp.MustCompile(`^\d+(\.\d+)?$|^\.\d+$`)
	grouped = regexp.MustCompile(`^\d{1,3}(?:([ ',.])\d{3})(?:([ ',.])\d{3})*$`)
)

// longest is how many signs a figure has at most.
const longest = 30

// Read reads a figure exactly: 1200, 1,200, 1 200, 1'200, 12.5, 1,200.50 and 1.200,50, with
// a sign before it or without. What follows a comma or a point and is not clearly thousands,
// or a fraction, is an *Unclear: 12,50 or 1.200. Whatever else is ErrNone.
func Read(typed string) (*big.Rat, error) {
	s := strings.TrimSpace(gaps.Replace(typed))
	sign, digits := "", s
	for _, p := range []string{"+", "-", "−"} {
		if rest, ok := strings.CutPrefix(s, p); ok {
			sign, digits = p, rest
			break
		}
	}
	if digits == "" || len(digits) > longest {
		return nil, ErrNone
	}
	clear, err := point(digits)
	if err != nil {
		var u *Unclear
		if errors.As(err, &u) {
			u.Typed, u.One, u.Or = s, sign+u.One, sign+u.Or
		}
		return nil, err
	}
	n, ok := new(big.Rat).SetString(clear)
	if !ok {
		return nil, ErrNone
	}
	if sign != "" && sign != "+" {
		n.Neg(n)
	}
	return n, nil
}

// Mark is the sign before which the whole of a figure ends and after which its fraction begins.
type Mark string

// The marks.
const (
	Comma Mark = ","
	Point Mark = "."
)

// Meant gives a figure as Read takes it, where fractions stand after a mark: 1.900 is 1900 with commas, and
// 1.9 with points. One that is clear without it, or that cannot be so, is left as it is typed.
func Meant(typed string, m Mark) string {
	s := strings.TrimSpace(gaps.Replace(typed))
	sign := ""
	for _, p := range []string{"+", "-", "−"} {
		if rest, ok := strings.CutPrefix(s, p); ok {
			sign, s = p, rest
			break
		}
	}
	between := ","
	if m == Comma {
		between = "."
	}
	whole, fraction, has := strings.Cut(s, string(m))
	if strings.Contains(whole, between) {
		if whole[0] == '0' || !grouped.MatchString(whole) || strings.Count(whole, between) != (len(whole)-strings.Index(whole, between))/4 {
			return typed
		}
		whole = strings.ReplaceAll(whole, between, "")
	}
	if !plain.MatchString(whole) || strings.Contains(whole, ".") || has && !plain.MatchString("0."+fraction) {
		return typed
	}
	switch fraction = strings.TrimRight(fraction, "0"); len(fraction) {
	case 0:
		return sign + whole
	case 3:
		fraction += "0" // so that it is not taken for thousands
	}
	return sign + whole + "." + fraction
}

// point writes a figure without thousands, and with a point before its fraction.
func point(s string) (string, error) {
	comma, dot := strings.LastIndexByte(s, ','), strings.LastIndexByte(s, '.')
	switch {
	case plain.MatchString(s) && !grouped.MatchString(s), comma < 0 && dot < 0 && plain.MatchString(s):
		return s, nil
	case comma >= 0 && dot >= 0: // the last of them is before the fraction
		at := max(comma, dot)
		whole, err := thousands(s[:at], s[at] == '.')
		if err != nil || !plain.MatchString("0."+s[at+1:]) {
			return "", ErrNone
		}
		return whole + "." + s[at+1:], nil
	case comma < 0 && dot >= 0 && strings.ContainsAny(s, " '"): // 1 200.50
		whole, err := thousands(s[:dot], true)
		if err != nil || !plain.MatchString("0."+s[dot+1:]) {
			return "", ErrNone
		}
		return whole + "." + s[dot+1:], nil
	case grouped.MatchString(s) && dot >= 0 && strings.Count(s, ".") == 1 && !strings.ContainsAny(s, " ',"):
		if s[0] == '0' {
			return s, nil // 0.125 is no thousands
		}
		fraction := strings.TrimRight(s, "0")
		if fraction == s {
			fraction += "0"
		}
		return "", &Unclear{One: strings.Replace(s, ".", "", 1), Or: fraction}
	case grouped.MatchString(s) && s[0] != '0':
		return thousands(s, true)
	case comma >= 0 && strings.Count(s, ",") == 1 && plain.MatchString(strings.Replace(s, ",", ".", 1)):
		return "", &Unclear{One: strings.Replace(s, ",", ".", 1), Or: strings.TrimLeft(strings.Replace(s, ",", "", 1), "0")}
	}
	return "", ErrNone
}

// thousands takes away what stands between thousands, which is the same everywhere in a
// figure; with a point before its fraction it is none itself.
func thousands(s string, pointed bool) (string, error) {
	if plain.MatchString(s) && !strings.Contains(s, ".") {
		return s, nil
	}
	at := strings.IndexAny(s, " ',.")
	if !grouped.MatchString(s) || at < 0 || pointed && s[at] == '.' && strings.Count(s, ".") == 1 || !pointed && s[at] == ',' {
		return "", ErrNone
	}
	if strings.Count(s, s[at:at+1]) != (len(s)-at)/4 {
		return "", ErrNone
	}
	return strings.ReplaceAll(s, s[at:at+1], ""), nil
}

// mostWhole is the largest whole number that is read, either way from zero.
const mostWhole = 1_000_000_000

// Whole reads a whole number; ErrNone if it has a fraction or is beyond a thousand million.
func Whole(s string) (int, error) {
	n, err := Read(s)
	if err != nil {
		return 0, err
	}
	if !n.IsInt() || n.Num().CmpAbs(big.NewInt(mostWhole)) > 0 {
		return 0, ErrNone
	}
	return int(n.Num().Int64()), nil
}

// Times reads a figure times another, rounded to a whole number, halves away from zero:
// hours in minutes, money in its hundredths.
func Times(s string, by int64) (n int, exact bool, err error) {
	x, err := Read(s)
	if err != nil {
		return 0, false, err
	}
	x.Mul(x, new(big.Rat).SetInt64(by))
	r, ok := new(big.Rat).SetString(x.FloatString(0)) // rounds halves away from zero
	if !ok || r.Num().CmpAbs(big.NewInt(mostWhole)) > 0 {
		return 0, false, ErrNone
	}
	return int(r.Num().Int64()), r.Cmp(x) == 0, nil
}
