package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/core/told"
	"greenbaton/store"
)

func registerNotify(h *House) {
	h.Hooks.Item = (*act).deliver
	h.Hooks.After = append(h.Hooks.After, h.GatherMail, h.DeliverPages)
}

// deliver puts something into somebody's inbox, and tells them of it as they chose to be
// told: mail says whether it is worth a mail for who chose nothing.
func (a *act) deliver(i store.Item, mail bool) error {
	i.PieceID = max(0, i.PieceID) // a request is no piece
	to := a.b.Person(i.PersonID)
	if to.ID == 0 || to.Retired {
		return nil
	}
	topic := told.TopicOf(i.Kind)
	if i.PieceID != 0 && topic != told.Handoff {
		follows, err := a.follows(i.PieceID)
		if err != nil || follows[to.ID] == store.Mutes {
			return err
		}
	}
	how := a.b.howTold(to.ID, topic)
	if how == "" {
		if how = told.Inbox; mail {
			how = told.AtOnce
		}
	}
	if how == told.Daily {
		i.Digest = 1
	}
	id, err := a.tx.AddItem(a, i)
	if err != nil {
		return err
	}
	switch how {
	case told.AtOnce:
		return a.mailItem(to, i, id, topic)
	case told.Chat:
		return a.chatItem(to, i, id)
	}
	return nil
}

// follows gives who follows a piece or is told nothing of it.
func (a *act) follows(piece int64) (map[int64]string, error) {
	if f, ok := a.following[piece]; ok {
		return f, nil
	}
	f, err := store.FollowsOf(a, a.tx, piece)
	if a.following == nil {
		a.following = map[int64]map[int64]string{}
	}
	a.following[piece] = f
	return f, err
}

// howTold gives how somebody chose to be told of a topic; nothing where they did not.
func (b *Books) howTold(person int64, topic told.Topic) told.How {
	for _, x := range b.Reference.Told {
		if x.PersonID == person && x.Topic == topic {
			return x.How
		}
	}
	return ""
}

// quietOf is when somebody is not to be disturbed, by the clocks of their first desk.
func (b *Books) quietOf(p store.Person) told.Quiet {
	q := told.Quiet{From: p.QuietFrom, To: p.QuietTo, Off: p.QuietOff, Zone: time.UTC}
	if len(p.Desks) > 0 {
		house := b.Houses[p.Desks[0]]
		q.Zone = house.Zone
		if cal := house.Holder(p.ID); cal != nil && !cal.Empty() {
			q.Works = cal.Working
		}
	}
	return q
}

func (a *act) mailItem(to store.Person, i store.Item, id int64, topic told.Topic) error {
	title := ""
	if p, ok := a.put.pieces[i.PieceID]; ok {
		title = p.Title
	} else if i.PieceID != 0 {
		row, err := store.Piece(a, a.tx, i.PieceID)
		if err != nil {
			return err
		}
		title = row.Title
	}
	var body strings.Builder
	subject := strings.TrimSuffix(firstSentence(i.Text), ".")
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
	fmt.Fprintf(&body, "\nOpen it: %s%s\n", a.h.Base, link)
	return a.tx.AddMessage(a, store.Message{
		Key: fmt.Sprintf("item %d", id), Kind: store.KindMail, PieceID: i.PieceID, To: address(to), Subject: subject, Body: body.String(),
		At: a.now, NextAt: a.b.quietOf(to).Next(a.now), PersonID: to.ID, Topic: string(topic),
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
	ID     int64  `json:"id"`
	Number int    `json:"number"`
	Title  string `json:"title"`
}

// chatItem posts something to the chat of the desk; where there is none it stays in the inbox.
func (a *act) chatItem(to store.Person, i store.Item, id int64) error {
	if i.PieceID == 0 {
		return nil // about no piece: there is no desk whose chat it would be
	}
	p, err := a.stateOf(i.PieceID)
	if err != nil {
		return err
	}
	for _, k := range a.b.HooksOf(p.Piece.DeskID) {
		if !k.IsOn {
			continue
		}
		return a.post(k, &p.Piece, i, to.Name, fmt.Sprintf("item %d to hook %d", id, k.ID), a.b.quietOf(to).Next(a.now))
	}
	return nil
}

// post queues something for a chat.
func (a *act) post(k store.Hook, p *relay.Piece, i store.Item, to, key string, at day.Moment) error {
	link := i.Link
	if link == "" {
		link = fmt.Sprintf("/pieces/%d", p.ID)
	}
	text, err := json.Marshal(chatText{
		Key: key, At: a.now.In(time.UTC).Format(time.RFC3339), Desk: a.b.Desk(p.DeskID).Name, Kind: i.Kind, To: to, Text: i.Text, Why: i.Why,
		Piece: &chatPiece{p.ID, p.Number, p.Title}, URL: a.h.Base + link,
	})
	if err != nil {
		return err
	}
	return a.tx.AddMessage(a, store.Message{Key: key, Kind: store.KindHook, PieceID: p.ID, To: fmt.Sprint(k.ID), Subject: k.Name, Body: string(text), At: a.now, NextAt: at})
}

// announceEvents posts what happened to a piece to the chats of its desk that want to hear of
// it, and to the inboxes of those who follow it.
func (a *act) announceEvents(m relay.Move) error {
	var said []string
	kinds := map[string]bool{}
	for _, e := range m.Events {
		if s := a.sayEvent(&m.Piece, &m.Piece, e); s != "" {
			said = append(said, s)
			kinds[string(e.Kind)] = true
		}
	}
	if len(said) == 0 || a.told != nil {
		return nil
	}
	p := &m.Piece
	text := UpperFirst(a.b.actor(a.by) + " " + strings.Join(said, "; ") + ".")
	for _, k := range a.b.HooksOf(p.DeskID) {
		if !k.IsOn || !slices.ContainsFunc(strings.Split(k.Kinds, ","), func(kind string) bool { return kinds[kind] }) {
			continue
		}
		if err := a.post(k, p, store.Item{Kind: string(m.Events[0].Kind), Text: text, Why: m.Events[0].Why}, "", fmt.Sprintf("piece %d version %d to hook %d", p.ID, p.Version, k.ID), a.now); err != nil {
			return err
		}
	}
	follows, err := a.follows(p.ID)
	if err != nil {
		return err
	}
	for who, how := range follows {
		if how != store.Follows || who == a.by || relay.May(relay.ActSee, a.b.Who(who, p.DeskID), p, nil, "") != nil {
			continue
		}
		if err := a.item(store.Item{PersonID: who, PieceID: p.ID, Kind: "followed", Text: text, At: a.now}, false); err != nil {
			return err
		}
	}
	return nil
}

// HooksOf gives the chats of a desk.
func (b *Books) HooksOf(desk int64) []store.Hook {
	return slices.DeleteFunc(slices.Clone(b.Hooks), func(h store.Hook) bool { return h.DeskID != desk })
}

// Telling is how somebody is told, as they set it up.
type Telling struct {
	Person store.Person
	How    map[told.Topic]told.How
	Chat   bool // a desk of theirs has one
}

// TellingOf gives how somebody is told.
func (h *House) TellingOf(ctx context.Context, who int64) (Telling, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return Telling{}, err
	}
	out := Telling{Person: b.Person(who), How: map[told.Topic]told.How{}}
	for _, t := range told.Topics {
		out.How[t.Topic] = b.howTold(who, t.Topic)
	}
	for _, d := range out.Person.Desks {
		out.Chat = out.Chat || len(b.HooksOf(d)) > 0
	}
	return out, nil
}

// SaveTelling stores how somebody wants to be told, for themselves.
func (h *House) SaveTelling(ctx context.Context, who int64, t Telling) error {
	return h.act(ctx, who, func(a *act) error {
		p := a.b.Person(who)
		day := func(m int) bool { return m >= 0 && m < 24*60 }
		if !day(t.Person.QuietFrom) || !day(t.Person.QuietTo) || !day(t.Person.DigestAt) {
			return bad("quiet", "Write times like 20:00.")
		}
		p.QuietFrom, p.QuietTo, p.QuietOff, p.DigestAt = t.Person.QuietFrom, t.Person.QuietTo, t.Person.QuietOff, t.Person.DigestAt
		a.setUp = true
		if err := a.tx.SaveQuiet(a, p); err != nil {
			return err
		}
		for _, x := range told.Topics {
			how, ok := t.How[x.Topic]
			if !ok {
				continue
			}
			if how != told.AtOnce && how != told.Daily && how != told.Chat && how != told.Inbox {
				return bad("how", "Choose one of the ways of being told.")
			}
			if err := a.tx.SetTold(a, store.Told{PersonID: who, Topic: x.Topic, How: how}); err != nil {
				return err
			}
		}
		return nil
	})
}

// FollowPiece says whether somebody follows a piece, or wants to hear nothing of it but what is
// with them; empty is the usual.
func (h *House) FollowPiece(ctx context.Context, who, piece int64, how string) error {
	return h.act(ctx, who, func(a *act) error {
		if _, err := a.load(order{act: relay.ActSee, piece: piece}); err != nil {
			return err
		}
		if how != "" && how != store.Follows && how != store.Mutes {
			return bad("how", "Choose whether you follow it.")
		}
		return a.tx.SetFollow(a, who, piece, how)
	})
}

// Following gives whether somebody follows a piece.
func (h *House) Following(ctx context.Context, who, piece int64) (string, error) {
	f, err := store.FollowsOf(ctx, h.DB.View(), piece)
	return f[who], err
}

// GatherMail makes the daily mails whose hour has come. The house's round does it.
func (h *House) GatherMail(ctx context.Context) error {
	people, err := store.GatheredFor(ctx, h.DB.View())
	if err != nil || len(people) == 0 {
		return err
	}
	b, err := h.Books(ctx)
	if err != nil {
		return err
	}
	var failed error
	for _, id := range people {
		failed = errors.Join(failed, h.alone(ctx, errand{what: "gather the daily mail", person: id}, func() error { return h.gatherFor(ctx, b, b.Person(id)) }))
	}
	return failed
}

func (h *House) gatherFor(ctx context.Context, b *Books, p store.Person) error {
	items, err := store.Gathered(ctx, h.DB.View(), p.ID)
	if err != nil || len(items) == 0 || b.quietOf(p).DigestAt(max(p.Digested, items[0].At), p.DigestAt) > h.Now() {
		return err
	}
	return h.act(ctx, 0, func(a *act) error { return a.digest(p, items) })
}

// digest makes one daily mail of what was gathered.
func (a *act) digest(p store.Person, items []store.ItemWithTitle) error {
	a.setUp, a.hushed = true, true // the books know when the last one was
	last := items[len(items)-1].ID
	if !p.Retired {
		var body strings.Builder
		piece := int64(-1)
		slices.SortStableFunc(items, func(x, y store.ItemWithTitle) int { return int(x.PieceID - y.PieceID) })
		for _, i := range items {
			if i.PieceID != piece {
				if piece = i.PieceID; i.Title != "" {
					fmt.Fprintf(&body, "\n%s\n%s/pieces/%d\n", i.Title, a.h.Base, i.PieceID)
				}
			}
			fmt.Fprintf(&body, "– %s\n", i.Text)
		}
		err := a.tx.AddMessage(a, store.Message{
			Key: fmt.Sprintf("digest of %d up to item %d", p.ID, last), Kind: store.KindMail, PieceID: items[len(items)-1].PieceID, To: address(p),
			Subject: UpperFirst(Plural(len(items), "thing")) + " to know", Body: strings.TrimSpace(body.String()) + "\n\nAll of it: " + a.h.Base + "/inbox\n", At: a.now, PersonID: p.ID, Topic: "digest",
		})
		if err != nil {
			return err
		}
	}
	return a.tx.Digested(a, p.ID, last, a.now)
}

// stopToken is the secret part of the address with which somebody stops mails of a topic
// with one click. It is worked out, and stored nowhere but in those mails.
func stopToken(secret string, person int64, topic string) string {
	return fmt.Sprintf("%d.%s.%s", person, topic, tokenOf(secret+" stop "+topic, person))
}

// StopMail stops mails of a topic, for who has the address from one: they are told of it
// in the inbox only. With ask it only says what would be stopped.
func (h *House) StopMail(ctx context.Context, token string, ask bool) (string, error) {
	var person int64
	var topic string
	parts := strings.SplitN(token, ".", 3)
	if len(parts) == 3 {
		if _, err := fmt.Sscan(parts[0], &person); err == nil {
			topic = parts[1]
		}
	}
	says := ""
	err := h.act(ctx, 0, func(a *act) error {
		secret, err := a.tx.Secret(a, "stop", newSecret)
		if err != nil {
			return err
		}
		if topic == "" || !sameText(stopToken(secret, person, topic), token) || a.b.Person(person).ID == 0 {
			return deadLink
		}
		var topics []told.Topic
		for _, t := range told.Topics {
			if string(t.Topic) == topic || topic == "digest" && a.b.howTold(person, t.Topic) == told.Daily {
				topics, says = append(topics, t.Topic), t.Says
			}
		}
		if topic == "digest" {
			says = "the daily mail"
		}
		if ask {
			return nil
		}
		a.setUp = true
		for _, t := range topics {
			if err := a.tx.SetTold(a, store.Told{PersonID: person, Topic: t, How: told.Inbox}); err != nil {
				return err
			}
		}
		return nil
	})
	return says, err
}
