package notify

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/notification"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/store"
)

// Register registers what follows here from what others do.
func Register(h *newsroom.Newsroom) {
	h.Hooks.Item = deliver
	h.Hooks.After = append(h.Hooks.After, At(h).GatherMail)
	h.Hooks.Keeps = append(h.Hooks.Keeps,
		newsroom.Keep{Key: "messages", Name: "Messages that were delivered", Says: "Those that could not be delivered stay; what was told in the inbox is counted below.", Days: 90, Least: 7, Drop: (*store.Tx).DropSent},
		newsroom.Keep{Key: "inbox", Name: "Lines of the inbox that were read", Says: "Unread ones stay, and those that somebody set aside.", Days: 365, Least: 30, Drop: (*store.Tx).DropRead},
	)
}

// deliver puts something into somebody's inbox, and tells them of it as they chose to be
// told: mail says whether it is worth a mail for who chose nothing.
func deliver(a *newsroom.Command, i store.Item, mail bool) error {
	to := a.Setup.Person(i.PersonID)
	if to.ID == 0 || to.Retired {
		return nil
	}
	topic := notification.TopicOf(i.Kind)
	if i.PieceID != 0 && topic != notification.Handoff {
		follows, err := follows(a, i.PieceID)
		if err != nil || follows[to.ID] == store.Mutes {
			return err
		}
	}
	how := howTold(a.Setup, to.ID, topic)
	if how == "" {
		if how = notification.Inbox; mail {
			how = notification.AtOnce
		}
	}
	if how == notification.Chat && i.Private { // others read the chat
		how = notification.AtOnce
	}
	if how == notification.Daily {
		i.Digest = 1
	}
	id, err := a.Tx.AddItem(a, i)
	if err != nil {
		return err
	}
	switch how {
	case notification.AtOnce:
		return mailItem(a, to, i, id, topic)
	case notification.Chat:
		return chatItem(a, to, i, id)
	}
	return nil
}

// follows gives who follows a piece or is told nothing of it.
func follows(a *newsroom.Command, piece ref.Piece) (map[ref.Person]string, error) {
	if f, ok := a.Following[piece]; ok {
		return f, nil
	}
	f, err := store.FollowsOf(a, a.Tx, piece)
	if a.Following == nil {
		a.Following = map[ref.Piece]map[ref.Person]string{}
	}
	a.Following[piece] = f
	return f, err
}

// howTold gives how somebody chose to be told of a topic; nothing where they did not.
func howTold(b *newsroom.Setup, person ref.Person, topic notification.Topic) notification.How {
	for _, x := range b.Reference.Told {
		if x.PersonID == person && x.Topic == topic {
			return x.How
		}
	}
	return ""
}

// quietOf is when somebody is not to be disturbed, by the clocks of their first desk.
func quietOf(b *newsroom.Setup, p store.Person) notification.Quiet {
	q := notification.Quiet{From: p.QuietFrom, To: p.QuietTo, Off: p.QuietOff, Zone: time.UTC}
	if len(p.Desks) > 0 {
		house := b.Planned[p.Desks[0]]
		q.Zone = house.Zone
		if cal := house.Holder(p.ID); cal != nil && !cal.Empty() {
			q.Works = cal.Working
		}
	}
	return q
}

func mailItem(a *newsroom.Command, to store.Person, i store.Item, id ref.Item, topic notification.Topic) error {
	title := ""
	if p, ok := a.Put.Pieces[i.PieceID]; ok {
		title = p.Title
	} else if i.PieceID != 0 {
		row, err := store.Piece(a, a.Tx, i.PieceID)
		if err != nil {
			return err
		}
		title = row.Title
	}
	var body strings.Builder
	subject := strings.TrimSuffix(newsroom.FirstSentence(i.Text), ".")
	if title != "" {
		subject = title + ": " + subject
		fmt.Fprintf(&body, "%s\n\n", title)
	}
	fmt.Fprintf(&body, "%s\n", i.Text)
	if i.Why != "" {
		fmt.Fprintf(&body, "\n“%s”\n", i.Why)
	}
	link := i.Link
	if link == "" {
		link = fmt.Sprintf("/pieces/%d", i.PieceID)
	}
	fmt.Fprintf(&body, "\nOpen it: %s%s\n", a.Newsroom.Base, link)
	return a.Tx.AddMessage(a, store.Message{
		Key: fmt.Sprintf("item %d", id), Kind: store.KindMail, PieceID: i.PieceID, To: newsroom.Address(to), Subject: subject, Body: body.String(),
		At: a.Now, NextAt: quietOf(a.Setup, to).Next(a.Now), PersonID: to.ID, Topic: string(topic),
	})
}

// chatText is what is posted to the chat of a desk. Its form is documented in docs/hooks.md.
type chatText struct {
	Key   string     `json:"key"` // the same message has the same key
	At    string     `json:"at"`  // RFC 3339
	Desk  string     `json:"desk"`
	Kind  string     `json:"kind"`
	To    string     `json:"to,omitempty"` // whom it is for; nobody in particular where it is missing
	Text  string     `json:"text"`
	Why   string     `json:"why,omitempty"`
	Piece *chatPiece `json:"piece,omitempty"`
	URL   string     `json:"url"`
}

type chatPiece struct {
	ID     ref.Piece `json:"id"`
	Number int       `json:"number"`
	Title  string    `json:"title"`
}

// chatItem posts something to the chat of the desk; where there is none it stays in the inbox.
func chatItem(a *newsroom.Command, to store.Person, i store.Item, id ref.Item) error {
	if i.PieceID == 0 {
		return nil // about no piece: there is no desk whose chat it would be
	}
	p, err := a.StateOf(i.PieceID)
	if err != nil {
		return err
	}
	for _, k := range HooksOf(a.Setup, p.Piece.DeskID) {
		if !k.IsOn {
			continue
		}
		return Post(a, k, &p.Piece, i, to.Name, fmt.Sprintf("item %d to hook %d", id, k.ID), quietOf(a.Setup, to).Next(a.Now))
	}
	return nil
}

// Post queues something for a chat.
func Post(a *newsroom.Command, k store.Hook, p *relay.Piece, i store.Item, to, key string, at day.Moment) error {
	link := i.Link
	if link == "" {
		link = fmt.Sprintf("/pieces/%d", p.ID)
	}
	text, err := json.Marshal(chatText{
		Key: key, At: a.Now.In(time.UTC).Format(time.RFC3339), Desk: a.Setup.Desk(p.DeskID).Name, Kind: i.Kind, To: to, Text: i.Text, Why: i.Why,
		Piece: &chatPiece{p.ID, p.Number, p.Title}, URL: a.Newsroom.Base + link,
	})
	if err != nil {
		return err
	}
	return a.Tx.AddMessage(a, store.Message{Key: key, Kind: store.KindHook, PieceID: p.ID, To: fmt.Sprint(k.ID), Subject: k.Name, Body: string(text), At: a.Now, NextAt: at})
}

// AnnounceEvents posts what happened to a piece to the chats of its desk that want to hear of
// it, and to the inboxes of those who follow it.
func AnnounceEvents(a *newsroom.Command, m relay.Move) error {
	var said []string
	kinds := map[string]bool{}
	for _, e := range m.Events {
		if s := a.SayEvent(&m.Piece, &m.Piece, e); s != "" {
			said = append(said, s)
			kinds[string(e.Kind)] = true
		}
	}
	if len(said) == 0 || a.Told != nil {
		return nil
	}
	p := &m.Piece
	text := english.UpperFirst(a.Setup.Actor(a.Actor) + " " + strings.Join(said, "; ") + ".")
	for _, k := range HooksOf(a.Setup, p.DeskID) {
		if !k.IsOn || !slices.ContainsFunc(strings.Split(k.Kinds, ","), func(kind string) bool { return kinds[kind] }) {
			continue
		}
		if err := Post(a, k, p, store.Item{Kind: string(m.Events[0].Kind), Text: text, Why: m.Events[0].Why}, "", fmt.Sprintf("piece %d version %d to hook %d", p.ID, p.Version, k.ID), a.Now); err != nil {
			return err
		}
	}
	follows, err := follows(a, p.ID)
	if err != nil {
		return err
	}
	for who, how := range follows {
		if how != store.Follows || who == a.Actor || relay.May(relay.ActSee, a.Setup.Who(who, p.DeskID), p, nil, "") != nil {
			continue
		}
		if err := a.Notify(store.Item{PersonID: who, PieceID: p.ID, Kind: "followed", Text: text, At: a.Now}, false); err != nil {
			return err
		}
	}
	return nil
}

// HooksOf gives the chats of a desk.
func HooksOf(b *newsroom.Setup, desk ref.Desk) []store.Hook {
	return slices.DeleteFunc(slices.Clone(b.Hooks), func(h store.Hook) bool { return h.DeskID != desk })
}

// Telling is how somebody is told, as they set it up.
type Telling struct {
	Person store.Person
	How    map[notification.Topic]notification.How
	Chat   bool // a desk of theirs has one
}

// TellingOf gives how somebody is told.
func (h Room) TellingOf(ctx context.Context, who ref.Person) (Telling, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Telling{}, err
	}
	out := Telling{Person: b.Person(who), How: map[notification.Topic]notification.How{}}
	for _, t := range notification.Topics {
		out.How[t.Topic] = howTold(b, who, t.Topic)
	}
	for _, d := range out.Person.Desks {
		out.Chat = out.Chat || len(HooksOf(b, d)) > 0
	}
	return out, nil
}

// SaveTelling stores how somebody wants to be told, for themselves.
func (h Room) SaveTelling(ctx context.Context, who ref.Person, t Telling) error {
	return h.Do(ctx, who, func(a *newsroom.Command) error {
		p := a.Setup.Person(who)
		day := func(m int) bool { return m >= 0 && m < 24*60 }
		if !day(t.Person.QuietFrom) || !day(t.Person.QuietTo) || !day(t.Person.DigestAt) {
			return newsroom.Invalid("quiet", "Write times like 20:00.")
		}
		p.QuietFrom, p.QuietTo, p.QuietOff, p.DigestAt = t.Person.QuietFrom, t.Person.QuietTo, t.Person.QuietOff, t.Person.DigestAt
		a.SetUp = true
		if err := a.Tx.SaveQuiet(a, p); err != nil {
			return err
		}
		for _, x := range notification.Topics {
			how, ok := t.How[x.Topic]
			if !ok {
				continue
			}
			if how != notification.AtOnce && how != notification.Daily && how != notification.Chat && how != notification.Inbox {
				return newsroom.Invalid("how", "Choose one of the ways of being told.")
			}
			if err := a.Tx.SetTold(a, store.Told{PersonID: who, Topic: x.Topic, How: how}); err != nil {
				return err
			}
		}
		return nil
	})
}

// FollowPiece says whether somebody follows a piece, or wants to hear nothing of it but what is
// with them; empty is the usual.
func (h Room) FollowPiece(ctx context.Context, who ref.Person, piece ref.Piece, how string) error {
	return h.Do(ctx, who, func(a *newsroom.Command) error {
		if _, err := a.Load(newsroom.Order{Act: relay.ActSee, Piece: piece}); err != nil {
			return err
		}
		if how != "" && how != store.Follows && how != store.Mutes {
			return newsroom.Invalid("how", "Choose whether you follow it.")
		}
		return a.Tx.SetFollow(a, who, piece, how)
	})
}

// Following gives whether somebody follows a piece.
func (h Room) Following(ctx context.Context, who ref.Person, piece ref.Piece) (string, error) {
	f, err := store.FollowsOf(ctx, h.DB.View(), piece)
	return f[who], err
}

// GatherMail makes the daily mails whose hour has come. The newsroom's tick does it.
func (h Room) GatherMail(ctx context.Context) error {
	people, err := store.GatheredFor(ctx, h.DB.View())
	if err != nil || len(people) == 0 {
		return err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	var failed error
	for _, id := range people {
		failed = errors.Join(failed, h.Alone(ctx, newsroom.Errand{What: "gather the daily mail", Person: id}, func() error { return h.gatherFor(ctx, b, b.Person(id)) }))
	}
	return failed
}

func (h Room) gatherFor(ctx context.Context, b *newsroom.Setup, p store.Person) error {
	items, err := store.Gathered(ctx, h.DB.View(), p.ID)
	if err != nil || len(items) == 0 || quietOf(b, p).DigestAt(max(p.Digested, items[0].At), p.DigestAt) > h.Now() {
		return err
	}
	return h.Do(ctx, 0, func(a *newsroom.Command) error { return digest(a, p, items) })
}

// digest makes one daily mail of what was gathered.
func digest(a *newsroom.Command, p store.Person, items []store.ItemWithTitle) error {
	a.SetUp, a.Hushed = true, true // the set-up knows when the last one was
	last := items[len(items)-1].ID
	if !p.Retired {
		var body strings.Builder
		piece := ref.Piece(-1)
		slices.SortStableFunc(items, func(x, y store.ItemWithTitle) int { return int(x.PieceID - y.PieceID) })
		for _, i := range items {
			if i.PieceID != piece {
				if piece = i.PieceID; i.Title != "" {
					fmt.Fprintf(&body, "\n%s\n%s/pieces/%d\n", i.Title, a.Newsroom.Base, i.PieceID)
				}
			}
			fmt.Fprintf(&body, "– %s\n", i.Text)
		}
		err := a.Tx.AddMessage(a, store.Message{
			Key: fmt.Sprintf("digest of %d up to item %d", p.ID, last), Kind: store.KindMail, PieceID: items[len(items)-1].PieceID, To: newsroom.Address(p),
			Subject: english.UpperFirst(english.Plural(len(items), "thing")) + " to know", Body: strings.TrimSpace(body.String()) + "\n\nAll of it: " + a.Newsroom.Base + "/inbox\n", At: a.Now, PersonID: p.ID, Topic: "digest",
		})
		if err != nil {
			return err
		}
	}
	return a.Tx.Digested(a, p.ID, last, a.Now)
}

// letters is the topic of what is sent to many, whose readers are no people of the house.
const letters = "letters"

// stopToken is the secret part of the address with which somebody stops mails of a topic
// with one click. It is worked out, and stored nowhere but in those mails.
func stopToken(secret string, person ref.Person, topic string) string {
	return fmt.Sprintf("%d.%s.%s", person, topic, newsroom.TokenOf(secret+" stop "+topic, person))
}

// Stopped is what is stopped by the address in a mail.
type Stopped struct {
	Says   string
	Letter bool // of a channel; otherwise they are told of it in the inbox only
}

// StopMail stops mails of a topic, for who has the address from one. With ask it only says
// what would be stopped.
func (h Room) StopMail(ctx context.Context, token string, ask bool) (out Stopped, err error) {
	var person ref.Person
	var topic string
	parts := strings.SplitN(token, ".", 3)
	if len(parts) == 3 {
		if _, err := fmt.Sscan(parts[0], &person); err == nil {
			topic = parts[1]
		}
	}
	err = h.Do(ctx, 0, func(a *newsroom.Command) error {
		secret, err := a.Tx.Secret(a, "stop", newsroom.NewSecret)
		if err != nil {
			return err
		}
		if topic == letters && newsroom.SameText(stopToken(secret, person, topic), token) {
			out.Letter = true
			out.Says, err = stopLetters(a, ref.Subscriber(person), ask)
			return err
		}
		if topic == "" || !newsroom.SameText(stopToken(secret, person, topic), token) || a.Setup.Person(person).ID == 0 {
			return account.DeadLink
		}
		var topics []notification.Topic
		for _, t := range notification.Topics {
			if string(t.Topic) == topic || topic == "digest" && howTold(a.Setup, person, t.Topic) == notification.Daily {
				topics, out.Says = append(topics, t.Topic), t.Says
			}
		}
		if topic == "digest" {
			out.Says = "the daily mail"
		}
		if ask {
			return nil
		}
		a.SetUp = true
		for _, t := range topics {
			if err := a.Tx.SetTold(a, store.Told{PersonID: person, Topic: t, How: notification.Inbox}); err != nil {
				return err
			}
		}
		return nil
	})
	return out, err
}

// stopLetters ends the letters of a channel for a reader.
func stopLetters(a *newsroom.Command, id ref.Subscriber, ask bool) (string, error) {
	r, err := store.SubscriberByID(a, a.Tx, id)
	if errors.Is(err, store.ErrNone) {
		return "", account.DeadLink
	} else if err != nil {
		return "", err
	}
	says := "“" + a.Setup.Channel(r.ChannelID).Name + "” to " + r.Mail
	if ask {
		return says, nil
	}
	return says, a.Tx.StopSubscriber(a, id, a.Now)
}
