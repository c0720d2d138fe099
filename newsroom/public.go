package newsroom

import (
	"net/netip"
)

// PublicAddress reports whether an address is one of the internet at large.
func PublicAddress(ip netip.Addr) bool {
	ip = ip.WithZone("").Unmap()
	for _, p := range special {
		if p.Contains(ip) {
			return false
		}
	}
	return ip.Is4() || global.Contains(ip)
}

// global is where all unicast addresses of IPv6 at large lie.
var global = netip.MustParsePrefix("2000::/3")

// special are the addresses with a use of their own, from the IANA IPv4 and IPv6
// Special-Purpose Address Registries (RFC 6890; from memory), with those that lead on to
// an address of IPv4, which may be a private one.
var special = func() []netip.Prefix {
	var out []netip.Prefix
	for _, p := range []string{
		"0.0.0.0/8", "10.0.0.0/8", "100.64.0.0/10", "127.0.0.0/8", "169.254.0.0/16", "172.16.0.0/12", "192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24",
		"192.168.0.0/16", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "224.0.0.0/4", "240.0.0.0/4",
		"64:ff9b::/96", "64:ff9b:1::/48", "2001::/23", "2001:db8::/32", "2002::/16", "3fff::/20", "fc00::/7", "fe80::/10", "fec0::/10", "ff00::/8",
	} {
		out = append(out, netip.MustParsePrefix(p))
	}
	return out
}()
