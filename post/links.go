package post

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"syscall"
	"time"

	"greenbaton/newsroom"
)

// Links is a stand-in for the web: everything answers but addresses that say of
// themselves that they do not, with "gone", "missing" or "404" in them.
type Links struct{}

// Try tells whether an address answers.
func (Links) Try(_ context.Context, address string) error {
	u, err := url.Parse(address)
	if err != nil {
		return err
	}
	for _, s := range []string{"gone", "missing", "404"} {
		if strings.Contains(u.Path, s) || strings.Contains(u.Hostname(), s) {
			return errors.New("there is nothing there")
		}
	}
	return nil
}

// Web tries links on the web itself. Addresses of this machine and of private networks
// are not asked, whatever name leads to them.
type Web struct{ client *http.Client }

// NewWeb makes a trier that waits up to a time for each address.
func NewWeb(wait time.Duration) Web {
	dial := net.Dialer{Timeout: wait, Control: func(_, address string, _ syscall.RawConn) error {
		host, _, err := net.SplitHostPort(address)
		if err != nil {
			return err
		}
		if ip, err := netip.ParseAddr(host); err != nil || !newsroom.PublicAddress(ip) {
			return errPrivate
		}
		return nil
	}}
	return Web{&http.Client{Timeout: wait, Transport: &http.Transport{DialContext: dial.DialContext, DisableKeepAlives: true}}}
}

var errPrivate = errors.New("it is an address of a private network")

// Try asks an address, first for its head only.
func (w Web) Try(ctx context.Context, address string) error {
	for _, method := range []string{http.MethodHead, http.MethodGet} {
		req, err := http.NewRequestWithContext(ctx, method, address, nil)
		if err != nil {
			return err
		}
		req.Header.Set("User-Agent", "GreenBaton")
		res, err := w.client.Do(req)
		if err != nil {
			if errors.Is(err, errPrivate) {
				return errPrivate
			}
			return errors.New("it does not answer")
		}
		res.Body.Close()
		if res.StatusCode < 400 {
			return nil
		}
		if method == http.MethodGet {
			return fmt.Errorf("it answers %d", res.StatusCode)
		}
	}
	return nil
}

// NewFetcher makes what gets calendars and feeds, and waits up to a time for each; where private is set
// also from this machine and private networks.
func NewFetcher(wait time.Duration, private bool) Web {
	if private {
		return Web{&http.Client{Timeout: wait}}
	}
	return NewWeb(wait)
}

// Fetch gets what is at an address, up to so many bytes. An error says why not, in a few words.
func (w Web) Fetch(ctx context.Context, address string, most int64) ([]byte, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, errors.New("it is no address")
	}
	req.Header.Set("User-Agent", "GreenBaton")
	res, err := w.client.Do(req)
	if err != nil {
		if errors.Is(err, errPrivate) {
			return nil, errPrivate
		}
		return nil, errors.New("it does not answer")
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("it answers %d", res.StatusCode)
	}
	data, err := io.ReadAll(io.LimitReader(res.Body, most+1))
	if err != nil {
		return nil, errors.New("it stopped in the middle")
	}
	if int64(len(data)) > most {
		return nil, fmt.Errorf("it is larger than %d MB", most>>20)
	}
	return data, nil
}
