package post

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"testing"
	"time"

	"greenbaton/newsroom"
)

func TestTheStandInForTheWeb(t *testing.T) {
	for address, want := range map[string]bool{"https://weir.example/history": true, "https://weir.example/gone": false, "https://missing.example/": false} {
		if got := (Links{}).Try(context.Background(), address) == nil; got != want {
			t.Errorf("%s: %v", address, got)
		}
	}
}

func TestPrivateAddressesAreNotAsked(t *testing.T) {
	asked := false
	srv := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { asked = true }))
	defer srv.Close()
	if err := NewWeb(time.Minute).Try(context.Background(), srv.URL); !errors.Is(err, errPrivate) || asked {
		t.Errorf("%v, asked %v", err, asked)
	}
	for ip, want := range map[string]bool{
		"127.0.0.1": false, "10.1.2.3": false, "192.168.0.1": false, "169.254.169.254": false, "0.0.0.0": false, "172.31.255.255": false, "100.64.0.1": false, "100.127.255.254": false, "198.18.0.1": false, "198.19.255.1": false,
		"192.0.0.8": false, "240.0.0.1": false, "255.255.255.255": false, "224.0.0.1": false, "::1": false, "::": false, "fe80::1": false, "fe80::1%eth0": false, "fd00::1": false, "fec0::1": false, "64:ff9b::a00:1": false, "2002:a00:1::1": false,
		"2001::1": false, "::ffff:10.0.0.1": false, "::ffff:93.184.216.34": true, "ff02::1": false, "::a00:1": false,
		"93.184.216.34": true, "100.63.255.255": true, "100.128.0.1": true, "198.17.255.255": true, "198.20.0.1": true, "172.32.0.1": true, "192.0.1.1": true, "2a00:1450::1": true, "2606:2800:220:1::1": true,
	} {
		if newsroom.PublicAddress(netip.MustParseAddr(ip)) != want {
			t.Errorf("%s is public: %v", ip, !want)
		}
	}
}
