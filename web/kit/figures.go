package kit

import (
	"errors"
	"fmt"
	"net/url"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/fee"
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

// NoMoney is what is said of an amount that cannot be read; nothing where it can.
func NoMoney(err error, field, what, typed string, cur fee.Currency) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, fee.ErrFine):
		return Input(field, fmt.Sprintf("Write %s with at most %s behind the point; “%s” has more.", what, english.Plural(cur.Digits, "decimal"), typed))
	case errors.Is(err, fee.ErrBelow):
		return Input(field, fmt.Sprintf("Write %s without a minus: money here is not below 0.", what))
	case errors.Is(err, fee.ErrMuch):
		return Input(field, fmt.Sprintf("%s is too much to be %s.", typed, what))
	}
	return NoFigure(err, field, fmt.Sprintf("Write %s like 180 or 12.50; “%s” is no amount.", what, typed))
}

// RateText writes what a unit costs as it is typed.
func RateText(cur fee.Currency, rate int64) string {
	return strings.TrimSpace(strings.TrimPrefix(cur.Rate(rate), cur.Sign))
}

// FeeText writes a fee as it is typed: 180 or 12.50.
func FeeText(cur fee.Currency, n int) string { return strings.TrimSuffix(cur.Plain(int64(n)), ".00") }

// ReadFee reads a fee as it is typed, into smallest units.
func ReadFee(cur fee.Currency, s string) (int, error) {
	if s = strings.TrimSpace(s); s == "" {
		return 0, nil
	}
	n, err := cur.Read(s)
	if err == nil && n > relay.MaxFee {
		err = fee.ErrMuch
	}
	return int(n), NoMoney(err, "fee", "the fee", s, cur)
}
