package kit

import (
	"errors"
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/figure"
	"greenbaton/core/relay"
)

// NoFigure refuses a figure that was typed: with how it could be read where that is two
// ways, otherwise with how to write it.
func NoFigure(err error, field, otherwise string) error {
	var unclear *figure.Unclear
	if errors.As(err, &unclear) {
		return Input(field, english.UpperFirst(unclear.Error())+".")
	}
	return Input(field, otherwise)
}

// FigureOf reads a figure of a form, which says what it is of.
func FigureOf(form url.Values, key, what string) (float64, error) {
	typed := strings.TrimSpace(form.Get(key))
	n, err := figure.Read(typed)
	if err != nil {
		return 0, NoFigure(err, key, fmt.Sprintf("Write %s as a number; “%s” is not one.", what, english.Cut(typed, 20)))
	}
	v, _ := n.Float64()
	return v, nil
}

// Whole reads a whole number; an empty answer is the usual one.
func Whole(form url.Values, key, field, what string, usual int) (int, error) {
	s := strings.TrimSpace(form.Get(key))
	if s == "" {
		return usual, nil
	}
	n, err := figure.Whole(s)
	if err != nil {
		return 0, NoFigure(err, field, fmt.Sprintf("Write %s as a whole number; “%s” is not one.", what, s))
	}
	return n, nil
}

// HoursTyped reads hours like 3, 1.5 or 1½ as minutes; none typed are 0.
func HoursTyped(s string) (int, error) {
	s = strings.TrimSpace(s)
	if rest, ok := strings.CutSuffix(s, "½"); ok {
		s = strings.TrimSpace(rest) + ".5"
	}
	if s == "" {
		return 0, nil
	}
	n, _, err := figure.Times(s, 60)
	if err == nil && (n > 60_000_000 || n < -60_000_000) {
		err = figure.ErrNone
	}
	return n, err
}

// FeeText writes a fee as it is typed: 180 or 12.50.
func FeeText(fee int) string {
	if fee%100 == 0 {
		return strconv.Itoa(fee / 100)
	}
	return fmt.Sprintf("%d.%02d", fee/100, fee%100)
}

// ReadFee reads a fee as it is typed, into hundredths.
func ReadFee(s string) (int, error) {
	s = strings.TrimSpace(strings.TrimLeft(strings.TrimSpace(s), "£$€"))
	if s == "" {
		return 0, nil
	}
	n, exact, err := figure.Times(s, 100)
	if err != nil || !exact || n < 0 || n > relay.MaxFee {
		return 0, NoFigure(err, "fee", fmt.Sprintf("Write the fee like 180 or 12.50; “%s” is not one.", s))
	}
	return n, nil
}
