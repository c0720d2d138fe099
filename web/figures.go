package web

import (
	"errors"
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"greenbaton/core/figure"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
)

// noFigure refuses a figure that was typed: with how it could be read where that is two
// ways, otherwise with how to write it.
func noFigure(err error, field, otherwise string) error {
	var unclear *figure.Unclear
	if errors.As(err, &unclear) {
		return input(field, newsroom.UpperFirst(unclear.Error())+".")
	}
	return input(field, otherwise)
}

// whole reads a whole number; an empty answer is the usual one.
func whole(form url.Values, key, field, what string, usual int) (int, error) {
	s := strings.TrimSpace(form.Get(key))
	if s == "" {
		return usual, nil
	}
	n, err := figure.Whole(s)
	if err != nil {
		return 0, noFigure(err, field, fmt.Sprintf("Write %s as a whole number; “%s” is not one.", what, s))
	}
	return n, nil
}

// hoursTyped reads hours like 3, 1.5 or 1½ as minutes; none typed are 0.
func hoursTyped(s string) (int, error) {
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

// feeText writes a fee as it is typed: 180 or 12.50.
func feeText(fee int) string {
	if fee%100 == 0 {
		return strconv.Itoa(fee / 100)
	}
	return fmt.Sprintf("%d.%02d", fee/100, fee%100)
}

// readFee reads a fee as it is typed, into hundredths.
func readFee(s string) (int, error) {
	s = strings.TrimSpace(strings.TrimLeft(strings.TrimSpace(s), "£$€"))
	if s == "" {
		return 0, nil
	}
	n, exact, err := figure.Times(s, 100)
	if err != nil || !exact || n < 0 || n > relay.MaxFee {
		return 0, noFigure(err, "fee", fmt.Sprintf("Write the fee like 180 or 12.50; “%s” is not one.", s))
	}
	return n, nil
}
