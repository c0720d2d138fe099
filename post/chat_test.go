package post

import (
	"context"
	"encoding/hex"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"greenbaton/newsroom"
)

// The test cases of RFC 4231, section 4, for HMAC-SHA-256 (from memory; 5 is truncated
// there to 128 bits).
func TestSignaturesAgreeWithRFC4231(t *testing.T) {
	rep := func(b byte, n int) []byte { return []byte(strings.Repeat(string([]byte{b}), n)) }
	count := make([]byte, 25)
	for i := range count {
		count[i] = byte(i + 1)
	}
	for i, x := range []struct {
		key, data []byte
		want      string
	}{
		{rep(0x0b, 20), []byte("Hi There"), "b0344c61d8db38535ca8afceaf0bf12b881dc200c9833da726e9376c2e32cff7"},
		{[]byte("Jefe"), []byte("what do ya want for nothing?"), "5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843"},
		{rep(0xaa, 20), rep(0xdd, 50), "773ea91e36800e46854db8ebd09181a72959098b3ef8c122d9635514ced565fe"},
		{count, rep(0xcd, 50), "82558a389a443c0ea4cc819899f2083a85f0faa3e578f8077a2e3ff46729665b"},
		{rep(0x0c, 20), []byte("Test With Truncation"), "a3b6167473100ee06e0c796c2955552b"},
		{rep(0xaa, 131), []byte("Test Using Larger Than Block-Size Key - Hash Key First"), "60e431591ee0b67f0d8a26aacbf5b77f8e0bc6213728c5140546040f0ee37f54"},
		{rep(0xaa, 131), []byte("This is a test using a larger than block-size key and a larger than block-size data. The key needs to be hashed before being used by the HMAC algorithm."), "9b09ffa71b942fcb27635fbcd5b0e944bfdc63644f0713938a7f51535c3a35e2"},
	} {
		if got := Sign(x.key, x.data); !strings.HasPrefix(got, x.want) {
			t.Errorf("case %d: %s, want %s", i+1, got, x.want)
		}
	}
}

func TestAPostCanBeCheckedByWhoeverGetsIt(t *testing.T) {
	var seen *http.Request
	var body string
	answer := http.StatusOK
	far := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b, _ := io.ReadAll(r.Body)
		seen, body = r, string(b)
		w.WriteHeader(answer)
	}))
	defer far.Close()
	p := newsroom.Post{Key: "item 7", URL: far.URL, Secret: "s3cret", Body: `{"text":"Draft is with you."}`}
	if err := NewChats(time.Minute, true).Post(context.Background(), p); err != nil {
		t.Fatal(err)
	}
	want := "sha256=" + Sign([]byte("s3cret"), []byte(seen.Header.Get(HeaderTime)+"."+body))
	if body != p.Body || seen.Header.Get(HeaderSignature) != want || seen.Header.Get(HeaderKey) != "item 7" {
		t.Errorf("it came as %q with %v", body, seen.Header)
	}
	if raw, err := hex.DecodeString(strings.TrimPrefix(want, "sha256=")); err != nil || len(raw) != 32 {
		t.Error("the signature is no SHA-256")
	}
	answer = http.StatusInternalServerError
	if err := NewChats(time.Minute, true).Post(context.Background(), p); err == nil {
		t.Error("an answer of 500 counts as posted")
	}
	answer = http.StatusFound
	if err := NewChats(time.Minute, true).Post(context.Background(), p); err == nil {
		t.Error("a redirect counts as posted")
	}
}

// Chats on this machine and on private networks are refused, by number and by name.
func TestPrivateChatsAreRefusedUnlessAllowed(t *testing.T) {
	far := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { t.Error("it was asked") }))
	defer far.Close()
	_, port, _ := strings.Cut(strings.TrimPrefix(far.URL, "http://"), ":")
	for _, u := range []string{far.URL, "http://localhost:" + port, "http://[::1]:" + port, "http://10.0.0.1/", "http://192.168.1.1/", "http://169.254.169.254/latest", "http://0.0.0.0:" + port, "http://[::ffff:127.0.0.1]:" + port} {
		if err := NewChats(time.Minute, false).Post(context.Background(), newsroom.Post{URL: u}); err == nil || !strings.Contains(err.Error(), "private network") {
			t.Errorf("%s: %v", u, err)
		}
	}
}
