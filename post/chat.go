package post

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"greenbaton/newsroom"
	"greenbaton/store"
)

// Sign gives the HMAC-SHA256 of data under a secret, in hex.
func Sign(secret, data []byte) string {
	m := hmac.New(sha256.New, secret)
	m.Write(data)
	return hex.EncodeToString(m.Sum(nil))
}

// The headers of a posted message. The signature is over the time, a full stop and the
// body; whoever gets it looks that the time is not long ago, and shows a key once.
const (
	HeaderKey       = "X-GreenBaton-Key"
	HeaderTime      = "X-GreenBaton-Time" // seconds since 1970
	HeaderSignature = "X-GreenBaton-Signature"
)

// Chats posts to chats by HTTP. Addresses of this machine and of private networks are
// refused, whatever name leads to them, unless that is allowed.
type Chats struct{ client *http.Client }

// NewChats makes a poster that waits up to a time for each post.
func NewChats(wait time.Duration, private bool) Chats {
	c := NewWeb(wait).client
	if private {
		c = &http.Client{Timeout: wait}
	}
	c.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse } // a signed message goes where it was to go
	return Chats{c}
}

// Post posts a message. Whatever is not answered with 2xx is tried again later.
func (c Chats) Post(ctx context.Context, p newsroom.Post) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, p.URL, bytes.NewBufferString(p.Body))
	if err != nil {
		return err
	}
	at := strconv.FormatInt(time.Now().Unix(), 10)
	h := req.Header
	h.Set("Content-Type", "application/json")
	h.Set("User-Agent", "GreenBaton")
	whom := "chat"
	if p.Event {
		whom = "program"
		if err := signEvent(h, p, at); err != nil {
			return err
		}
	} else {
		h.Set(HeaderKey, p.Key)
		h.Set(HeaderTime, at)
		h.Set(HeaderSignature, "sha256="+Sign([]byte(p.Secret), []byte(at+"."+p.Body)))
	}
	res, err := c.client.Do(req)
	if err != nil {
		return fmt.Errorf("post to the %s: %w", whom, err)
	}
	defer res.Body.Close()
	if _, err := io.Copy(io.Discard, io.LimitReader(res.Body, 64<<10)); err != nil {
		return fmt.Errorf("read the answer of the %s: %w", whom, err)
	}
	if res.StatusCode/100 != 2 {
		return fmt.Errorf("the %s answers %d", whom, res.StatusCode)
	}
	return nil
}

// signEvent signs an event by the symmetric scheme of Standard Webhooks: an HMAC-SHA-256 over its
// name, the time and the body, with full stops between, under the bytes of the secret.
func signEvent(h http.Header, p newsroom.Post, at string) error {
	key, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(p.Secret, "whsec_"))
	if err != nil {
		return fmt.Errorf("the secret of the program: %w", err)
	}
	m := hmac.New(sha256.New, key)
	m.Write([]byte(p.Key + "." + at + "." + p.Body))
	h.Set("Webhook-Id", p.Key)
	h.Set("Webhook-Timestamp", at)
	h.Set("Webhook-Signature", "v1,"+base64.StdEncoding.EncodeToString(m.Sum(nil)))
	return nil
}

// ChatRoom is the stand-in for chats: it accepts everything but what is posted to an
// address with "down" in it, and keeps it as a chat would, each key once.
type ChatRoom struct{ DB *store.DB }

// Post accepts a message.
func (r ChatRoom) Post(ctx context.Context, p newsroom.Post) error {
	if bytes.Contains([]byte(p.URL), []byte("down")) {
		return fmt.Errorf("the chat answers 503")
	}
	return r.DB.Write(ctx, func(tx *store.Tx) error {
		return tx.KeepRoomMail(ctx, store.RoomMail{Key: p.Key, To: p.URL, Subject: map[bool]string{false: "posted to a chat", true: "posted to a program"}[p.Event], Text: p.Body})
	})
}
