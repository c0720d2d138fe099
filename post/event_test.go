package post

import (
	"io"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	webhook "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"greenbaton/newsroom"
)

// An event is signed so that the library that the authors of Standard Webhooks give out takes it
// (github.com/standard-webhooks/standard-webhooks/libraries), and nothing that was changed on the way.
func TestEventsAreSignedAsStandardWebhooksHaveIt(t *testing.T) {
	const secret = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw" // the one in their examples, from memory
	wh, err := webhook.NewWebhook(secret)
	if err != nil {
		t.Fatal(err)
	}
	taken := 0
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, err := io.ReadAll(r.Body)
		if err != nil {
			t.Error(err)
		}
		if err := wh.Verify(body, r.Header); err != nil {
			t.Errorf("it is refused: %v", err)
		}
		if wh.Verify(append(body, ' '), r.Header) == nil {
			t.Error("a changed body is taken")
		}
		r.Header.Set("Webhook-Id", "msg_2")
		if wh.Verify(body, r.Header) == nil {
			t.Error("another name is taken")
		}
		taken++
	}))
	defer srv.Close()
	p := newsroom.Post{Event: true, Key: "msg_1", URL: srv.URL, Secret: secret, Body: `{"type":"piece.made","data":{"title":"Ü, “mill”"}}`, At: time.Now()}
	if err := NewChats(time.Minute, true).Post(t.Context(), p); err != nil || taken != 1 {
		t.Errorf("%d were taken, %v", taken, err)
	}
	p.Secret = "whsec_no base64"
	if err := NewChats(time.Minute, true).Post(t.Context(), p); err == nil || taken != 1 {
		t.Errorf("it is posted with a broken secret: %v", err)
	}
}
