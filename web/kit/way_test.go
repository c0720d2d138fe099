package kit

import (
	"net/url"
	"testing"
)

var elsewhere = []string{
	"", "https://elsewhere.example/", "//elsewhere.example", "///elsewhere.example", `/\elsewhere.example`, `\\elsewhere.example`, "/\t/elsewhere.example", "/\n/elsewhere.example", "\t//elsewhere.example", " //elsewhere.example",
	"/\r\n/elsewhere.example", "javascript:alert(1)", "elsewhere.example", "/ /elsewhere.example", "/\x00/elsewhere.example", "http:/elsewhere.example", "/%zz",
}

func TestOnlyAddressesOfTheProgramAreGoneOnTo(t *testing.T) {
	for _, to := range elsewhere {
		if got := Within(to); got != "" {
			t.Errorf("%q is gone on to as %q", to, got)
		}
		if got := Back(url.Values{"back": {to}}, "/other"); got != "/other" {
			t.Errorf("%q leads to %q", to, got)
		}
	}
	for _, to := range []string{"/", "/inbox?", "/pieces/7?x=//a#b", "/pieces/7/copy", "/lineup?title=%2F%2Fa&due=2026-12-01"} {
		if got := Within(to); got != to {
			t.Errorf("%q is not let through: %q", to, got)
		}
	}
}
