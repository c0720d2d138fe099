package kit

import (
	"net/url"
	"strings"
)

// Within gives an address back if it is one of this program, as a form or a session names
// the page to go on to; "" for any other. Browsers drop tabs and line ends from addresses
// and take a backslash for a slash, so that nothing with those in it is let through.
func Within(address string) string {
	if strings.ContainsFunc(address, func(r rune) bool { return r <= ' ' || r == 0x7f || r == '\\' }) {
		return ""
	}
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "" || u.Host != "" || u.User != nil || !strings.HasPrefix(address, "/") || strings.HasPrefix(address, "//") {
		return ""
	}
	return address
}

// Back gives the page of the program that a form came from, or another.
func Back(form url.Values, other string) string {
	if to := Within(form.Get("back")); to != "" {
		return to
	}
	return other
}
