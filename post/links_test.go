package post

import (
	"context"
	"errors"
	"net"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"
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
	if err := NewWeb(time.Second).Try(context.Background(), srv.URL); !errors.Is(err, errPrivate) || asked {
		t.Errorf("%v, asked %v", err, asked)
	}
	for ip, want := range map[string]bool{"127.0.0.1": false, "10.1.2.3": false, "192.168.0.1": false, "169.254.169.254": false, "::1": false, "fe80::1": false, "fd00::1": false, "0.0.0.0": false, "93.184.216.34": true} {
		if public(net.ParseIP(ip)) != want {
			t.Errorf("%s", ip)
		}
	}
}
