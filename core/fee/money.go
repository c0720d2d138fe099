// Package fee works out money: what work costs by agreement, what a leg came to, what is owed, and
// what of a budget is left. Money is a whole number of the smallest unit of a currency; nothing is
// ever a floating point number, and what does not come out whole is rounded once, at the end, as
// the desk says. It knows no clock and no data file.
package fee

import (
	"errors"
	"fmt"
	"math/big"
	"strconv"
	"strings"

	"golang.org/x/text/currency"

	"greenbaton/core/english"
	"greenbaton/core/figure"
)

// Most is the most that one amount can be, in smallest units.
const Most = 100_000_000_000

// Currency is a currency as a desk writes it.
type Currency struct {
	Code   string // by ISO 4217; "" where the desk has not said, which has two decimals
	Digits int    // decimals of its smallest unit: 0, 2 or 3
	Sign   string // that stands before an amount
}

// ErrCode is returned for what is no code of a currency.
var ErrCode = errors.New("no currency has this code")

// CurrencyOf gives a currency by its code in ISO 4217 and the sign a desk writes, which may be none.
func CurrencyOf(code, sign string) (Currency, error) {
	if code == "" {
		return Currency{Digits: 2, Sign: sign}, nil
	}
	u, err := currency.ParseISO(code)
	if err != nil || strings.ToUpper(code) != u.String() {
		return Currency{Digits: 2, Sign: sign}, fmt.Errorf("%q: %w", code, ErrCode)
	}
	digits, _ := currency.Standard.Rounding(u)
	if sign == "" {
		sign = u.String() + " "
	}
	return Currency{Code: u.String(), Digits: digits, Sign: sign}, nil
}

func pow10(n int) int64 {
	p := int64(1)
	for range n {
		p *= 10
	}
	return p
}

// split gives an amount without its sign as what stands before and behind the point.
func (c Currency) split(amount int64) (minus, whole, part string) {
	if amount < 0 {
		minus, amount = "−", -amount
	}
	p := pow10(c.Digits)
	if c.Digits > 0 {
		part = fmt.Sprintf("%0*d", c.Digits, amount%p)
	}
	return minus, strconv.FormatInt(amount/p, 10), part
}

// Say writes an amount as people read it: "£1,180", "£12.50", "−£62.30".
func (c Currency) Say(amount int64) string {
	minus, whole, part := c.split(amount)
	n, _ := strconv.Atoi(whole)
	s := minus + c.Sign + english.Number(n)
	if strings.Trim(part, "0") != "" {
		s += "." + part
	}
	return s
}

// Full writes an amount with all its decimals, for columns: "£1,180.00".
func (c Currency) Full(amount int64) string {
	s := c.Say(amount)
	_, _, part := c.split(amount)
	if part != "" && strings.Trim(part, "0") == "" {
		s += "." + part
	}
	return s
}

// Plain writes an amount as a program reads it: "1180.00", "-62.30".
func (c Currency) Plain(amount int64) string {
	minus, whole, part := c.split(amount)
	if minus != "" {
		whole = "-" + whole
	}
	if part != "" {
		whole += "." + part
	}
	return whole
}

// Units gives how many whole units of the currency an amount has.
func (c Currency) Units(amount int64) int64 { return amount / pow10(c.Digits) }

// Rate writes what a unit costs, which may be less than the smallest unit of the currency.
func (c Currency) Rate(hundredths int64) string {
	if hundredths%100 == 0 {
		return c.Say(hundredths / 100)
	}
	fine := Currency{Digits: c.Digits + 2, Sign: c.Sign}
	return strings.TrimRight(fine.Say(hundredths), "0")
}

// Read reads an amount as somebody types it, with the currency's sign or code or without. It
// refuses more decimals than the currency has, what is below 0, and what is more than Most.
func (c Currency) Read(s string) (int64, error) { return c.read(s, c.Digits) }

// ReadRate reads what a unit costs, in hundredths of the smallest unit.
func (c Currency) ReadRate(s string) (int64, error) { return c.read(s, c.Digits+2) }

// Errors of reading money.
var (
	ErrFine  = errors.New("more decimals than the currency has")
	ErrBelow = errors.New("money here is not below 0")
	ErrMuch  = errors.New("this is too much")
)

func (c Currency) read(s string, digits int) (int64, error) {
	s = strings.TrimSpace(s)
	for _, mark := range []string{c.Sign, c.Code, "£", "€", "$", "¥"} {
		if mark = strings.TrimSpace(mark); mark != "" {
			s = strings.TrimSpace(strings.TrimSuffix(strings.TrimPrefix(s, mark), mark))
		}
	}
	x, err := figure.Read(s)
	if err != nil {
		return 0, err
	}
	x.Mul(x, new(big.Rat).SetInt64(pow10(digits)))
	switch {
	case x.Sign() < 0:
		return 0, ErrBelow
	case !x.IsInt():
		return 0, ErrFine
	case x.Num().Cmp(big.NewInt(Most)) > 0:
		return 0, ErrMuch
	}
	return x.Num().Int64(), nil
}

// Rounding is how what does not come out whole is rounded.
type Rounding string

// The ways to round: halves to the even neighbour, or away from zero as in trade.
const (
	Even       Rounding = "even"
	Commercial Rounding = "commercial"
)

// Round gives the whole number next to a fraction.
func (r Rounding) Round(x *big.Rat) int64 {
	num, den := new(big.Int).Abs(x.Num()), x.Denom()
	whole, rest := new(big.Int).QuoRem(num, den, new(big.Int))
	switch c := rest.Lsh(rest, 1).Cmp(den); {
	case c > 0, c == 0 && (r == Commercial || whole.Bit(0) == 1):
		whole.Add(whole, big.NewInt(1))
	}
	if x.Sign() < 0 {
		whole.Neg(whole)
	}
	return whole.Int64()
}
