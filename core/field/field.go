// Package field knows the extra fields that a format adds to its pieces: what kind
// of answer each takes, and what of an answer is understood.
package field

import (
	"errors"
	"fmt"
	"math/big"
	"net/url"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/figure"
)

// Kind is the kind of answer a field takes.
type Kind string

// The kinds of answers.
const (
	Text    Kind = "text"
	Number  Kind = "number"
	Money   Kind = "money"
	Date    Kind = "date"
	Yes     Kind = "yes" // yes or no
	One     Kind = "one" // one of a list
	Several Kind = "several"
	Address Kind = "address"
)

// Kinds lists all kinds with what each is called.
var Kinds = []struct {
	Kind Kind
	Name string
}{{Text, "Text"}, {Number, "Number"}, {Money, "Money"}, {Date, "Date"}, {Yes, "Yes or no"}, {One, "One of a list"}, {Several, "Several of a list"}, {Address, "Address"}}

// Field is one extra field.
type Field struct {
	Key     string
	Name    string
	Kind    Kind
	Choices []string // for One and Several
}

// Check says in a sentence what is wrong with a field, or nil.
func (f Field) Check() error {
	known := false
	for _, k := range Kinds {
		known = known || k.Kind == f.Kind
	}
	switch {
	case strings.TrimSpace(f.Name) == "" || len([]rune(f.Name)) > 60:
		return fmt.Errorf("give the field a name of up to 60 characters")
	case !known:
		return fmt.Errorf("choose what kind of answer the field takes")
	case (f.Kind == One || f.Kind == Several) && len(f.Choices) < 2:
		return fmt.Errorf("write at least two choices, a line each")
	case len(f.Choices) > 100:
		return fmt.Errorf("a list has at most 100 choices")
	}
	for i, c := range f.Choices {
		if c == "" || slices.Contains(f.Choices[:i], c) {
			return fmt.Errorf("each choice is a line of its own, and is there once")
		}
	}
	return nil
}

// mostText is how long an answer may be, in characters.
const mostText = 2000

// Read understands what was typed and gives it as it is kept: numbers with a
// point, money with two decimals, dates as in ISO 8601, several choices a line
// each in the order of the list. Nothing typed is nothing kept.
func (f Field) Read(typed ...string) (string, error) {
	first := ""
	if len(typed) > 0 {
		first = strings.TrimSpace(typed[0])
	}
	if f.Kind == Several {
		var out []string
		for _, c := range f.Choices {
			if slices.Contains(typed, c) {
				out = append(out, c)
			}
		}
		for _, t := range typed {
			if t != "" && !slices.Contains(f.Choices, t) {
				return "", fmt.Errorf("“%s” is not on the list of %s; choose from the list", t, f.Name)
			}
		}
		return strings.Join(out, "\n"), nil
	}
	if first == "" {
		return "", nil
	}
	switch f.Kind {
	case Number, Money:
		return f.amount(first)
	case Date:
		d, err := day.ParseDate(first)
		if err != nil {
			return "", fmt.Errorf("write %s like 2026-12-03", f.Name)
		}
		return d.String(), nil
	case Yes:
		if first != "yes" && first != "no" {
			return "", fmt.Errorf("answer %s with yes or no", f.Name)
		}
	case One:
		if !slices.Contains(f.Choices, first) {
			return "", fmt.Errorf("“%s” is not on the list of %s; choose from the list", first, f.Name)
		}
	case Address:
		u, err := url.Parse(first)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
			return "", fmt.Errorf("write %s as an address that begins with https://", f.Name)
		}
		return u.String(), nil
	}
	if len([]rune(first)) > mostText {
		return "", fmt.Errorf("keep %s under %d characters", f.Name, mostText)
	}
	return first, nil
}

// amount reads a number exactly; 1,200.50 and 1200.5 are the same.
func (f Field) amount(s string) (string, error) {
	n, err := figure.Read(s)
	var unclear *figure.Unclear
	switch {
	case errors.As(err, &unclear):
		return "", fmt.Errorf("%s: %w", f.Name, err)
	case err != nil:
		return "", fmt.Errorf("write %s as a number like 1200 or 12.5; “%s” is not one", f.Name, s)
	case f.Kind == Money:
		if out := n.FloatString(2); new(big.Rat).Sub(n, must(out)).Sign() == 0 {
			return out, nil
		}
		return "", fmt.Errorf("money has two decimals at most; “%s” has more", s)
	}
	places, _ := n.FloatPrec()
	return n.FloatString(min(places, 12)), nil
}

func must(s string) *big.Rat {
	n, _ := new(big.Rat).SetString(s) // it was written by FloatString
	return n
}
