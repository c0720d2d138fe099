package post

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"net/http"
	"strconv"
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
	h.Set(HeaderKey, p.Key)
	h.Set(HeaderTime, at)
	h.Set(HeaderSignature, "sha256="+Sign([]byte(p.Secret), []byte(at+"."+p.Body)))
	res, err := c.client.Do(req)
	if err != nil {
		return fmt.Errorf("post to the chat: %w", err)
	}
	defer res.Body.Close()
	if _, err := io.Copy(io.Discard, io.LimitReader(res.Body, 64<<10)); err != nil {
		return fmt.Errorf("read the answer of the chat: %w", err)
	}
	if res.StatusCode/100 != 2 {
		return fmt.Errorf("the chat answers %d", res.StatusCode)
	}
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
		return tx.KeepRoomMail(ctx, store.RoomMail{Key: p.Key, To: p.URL, Subject: "posted to a chat", Text: p.Body})
	})
}
