package notify

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/words"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/store"
)

// DeliverMail hands the mail that waits in the outbox to the mail server. What
// fails is noted and tried again later, with growing pauses, until it is given up; a
// message may arrive twice after a crash, with the same key, but is never lost.
func (h Room) DeliverMail(ctx context.Context) error {
	h.Mailing.Lock()
	defer h.Mailing.Unlock()
	return h.deliverAll(ctx, store.KindMail)
}

// DeliverPosts posts what waits for chats, as DeliverMail does mail.
func (h Room) DeliverPosts(ctx context.Context) error {
	h.Posting.Lock()
	defer h.Posting.Unlock()
	return h.deliverAll(ctx, store.KindHook, store.KindEvent)
}

func (h Room) deliverAll(ctx context.Context, kinds ...string) error {
	for {
		now := h.Now()
		waiting, err := store.WaitingMessages(ctx, h.DB.View(), kinds, now, 100)
		if err != nil || len(waiting) == 0 {
			return err
		}
		if err := h.Step("read what waits"); err != nil {
			return err
		}
		failed := map[ref.Message]error{}
		for _, m := range waiting {
			if err := h.deliver(ctx, m); err != nil {
				if errors.Is(err, newsroom.ErrStopped) {
					return err
				}
				failed[m.ID] = err
				h.Log.Warn("not delivered", "message", m.ID, "kind", m.Kind, "try", m.Tries+1, "problem", err)
			}
			if err := h.Step("delivered"); err != nil {
				return err
			}
		}
		err = h.DB.Write(ctx, func(t *store.Tx) error {
			for _, m := range waiting {
				if err := settleMessage(ctx, t, m, failed[m.ID], now); err != nil {
					return err
				}
				if err := h.Step("settled one"); err != nil {
					return err
				}
			}
			return h.Step("settled all")
		})
		if err != nil {
			return err
		}
		if err := h.Step("stored"); err != nil {
			return err
		}
	}
}

func settleMessage(ctx context.Context, t *store.Tx, m store.Message, problem error, now day.Moment) error {
	if problem == nil {
		return t.MessageSent(ctx, m.ID, now)
	}
	return t.MessageFailed(ctx, m.ID, problem.Error(), now+newsroom.Pause(m.Tries))
}

func (h Room) deliver(ctx context.Context, m store.Message) error {
	switch m.Kind {
	case store.KindMail:
		mail, err := h.mailOf(ctx, m)
		if err != nil {
			return err
		}
		if err := h.Step("made the mail"); err != nil {
			return err
		}
		return h.Mail.Send(ctx, mail)
	case store.KindHook:
		return h.deliverPost(ctx, m)
	case store.KindEvent:
		return h.deliverEvent(ctx, m)
	}
	return nil
}

// mailOf makes a mail as it is handed over: with its private link, its HTML part, its
// thread, and the address at which mails like it are stopped.
func (h Room) mailOf(ctx context.Context, m store.Message) (newsroom.Mail, error) {
	out := newsroom.Mail{Key: m.Key, To: m.To, Subject: words.OneLine(m.Subject), Text: m.Body}
	if m.LetterID != 0 {
		return h.letterOf(ctx, m, out)
	}
	if m.LinkKind != "" { // made only now, so that it is kept nowhere
		address, err := account.At(h.Newsroom).Mint(ctx, m.LinkKind, m.LinkAbout)
		if err != nil {
			return out, err
		}
		out.Text = strings.ReplaceAll(out.Text, account.LinkPlace, address)
	}
	if m.PieceID != 0 && m.Topic != "digest" {
		out.Thread = fmt.Sprintf("piece-%d", m.PieceID)
	}
	if m.Topic != "" && m.PersonID != 0 {
		secret, err := h.stopSecret(ctx)
		if err != nil {
			return out, err
		}
		out.Stop = h.Base + "/stop/" + stopToken(secret, m.PersonID, m.Topic)
		out.Text += "\nNo more mails like this one: " + out.Stop + "\n"
	}
	var err error
	out.HTML, err = mailHTML(out)
	return out, err
}

// letterOf makes a mail of what many get, for one of them or for the address of a list.
func (h Room) letterOf(ctx context.Context, m store.Message, out newsroom.Mail) (newsroom.Mail, error) {
	l, err := store.LetterByID(ctx, h.DB.View(), m.LetterID)
	if err != nil {
		return out, err
	}
	out.Sender, out.Text, out.HTML = l.Sender, l.Text, l.HTML
	if m.ReaderID == 0 {
		return out, nil
	}
	secret, err := h.stopSecret(ctx)
	if err != nil {
		return out, err
	}
	out.Stop = h.Base + "/stop/" + stopToken(secret, ref.Person(m.ReaderID), letters)
	out.Text += "\nNo more of these letters: " + out.Stop + "\n"
	out.HTML = strings.Replace(out.HTML, "</body>", `<p style="color:#58605a;font-size:13px"><a href="`+out.Stop+`">No more of these letters</a></p></body>`, 1)
	return out, nil
}

// stopSecret gives the secret with which addresses are made at which mail is stopped.
func (h Room) stopSecret(ctx context.Context) (secret string, err error) {
	err = h.DB.Write(ctx, func(tx *store.Tx) (err error) {
		secret, err = tx.Secret(ctx, "stop", newsroom.NewSecret)
		return err
	})
	return secret, err
}

func (h Room) deliverPost(ctx context.Context, m store.Message) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(b.Hooks, func(k store.Hook) bool { return fmt.Sprint(k.ID) == m.To })
	if i < 0 || !b.Hooks[i].IsOn {
		return nil // nobody listens any more
	}
	if h.Chat == nil {
		return errors.New("no chat can be reached from here")
	}
	return h.Chat.Post(ctx, newsroom.Post{Key: m.Key, URL: b.Hooks[i].URL, Secret: b.Hooks[i].Secret, Body: m.Body, At: m.At.In(time.UTC)})
}

func (h Room) deliverEvent(ctx context.Context, m store.Message) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(b.Receivers, func(r store.Receiver) bool { return fmt.Sprint(r.ID) == m.To })
	if i < 0 || !b.Receivers[i].IsOn {
		return nil // nobody listens any more
	}
	if h.Chat == nil {
		return errors.New("no program can be reached from here")
	}
	return h.Chat.Post(ctx, newsroom.Post{Key: m.Key, URL: b.Receivers[i].URL, Secret: b.Receivers[i].Secret, Body: m.Body, At: m.At.In(time.UTC), Event: true})
}
