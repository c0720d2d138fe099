package review

import (
	"context"
	"errors"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/store"
)

// PartnersOf gives the partners of a desk that are in use, by name.
func PartnersOf(b *newsroom.Setup, desk ref.Desk) []store.Partner {
	return slices.DeleteFunc(slices.Clone(b.Partners), func(p store.Partner) bool { return p.DeskID != desk || p.Retired })
}

// PeopleOf gives the people of a partner.
func PeopleOf(b *newsroom.Setup, partner ref.Partner) []store.Person {
	return slices.DeleteFunc(slices.Clone(b.People), func(p store.Person) bool { return p.PartnerID != partner || p.Retired })
}

// SavePartner stores a partner of a desk with its people and channels, a new one where it
// has no id.
func (h Room) SavePartner(ctx context.Context, by ref.Person, p store.Partner, people []ref.Person, channels []ref.Channel) (ref.Partner, error) {
	err := h.SetUpAct(ctx, by, p.DeskID, func(a *newsroom.Command) (err error) {
		was := a.Setup.Partner(p.ID)
		p.Name = strings.Join(strings.Fields(p.Name), " ")
		switch {
		case p.ID != 0 && was.DeskID != p.DeskID:
			return newsroom.ErrNotFound
		case p.Name == "" || len([]rune(p.Name)) > 80:
			return newsroom.Invalid("name", "Give the partner a name of up to 80 characters.")
		case slices.ContainsFunc(PartnersOf(a.Setup, p.DeskID), func(x store.Partner) bool { return x.ID != p.ID && strings.EqualFold(x.Name, p.Name) }):
			return newsroom.Invalid("name", "There is a partner of this name already.")
		}
		if p.ID, err = a.Tx.SavePartner(a, p); err != nil {
			return err
		}
		for _, x := range a.Setup.People {
			theirs := slices.Contains(people, x.ID) && !p.Retired
			if !x.Access.May(relay.AnswerAsked) || theirs == (x.PartnerID == p.ID) || !slices.Contains(x.Desks, p.DeskID) && !x.Guest {
				continue
			}
			if x.PartnerID = 0; theirs {
				x.PartnerID = p.ID
			}
			if err := a.Tx.SavePerson(a, x); err != nil {
				return err
			}
		}
		for _, x := range a.Setup.ChannelsOf(p.DeskID) {
			theirs := slices.Contains(channels, x.ID) && !p.Retired
			if theirs == (x.PartnerID == p.ID) {
				continue
			}
			if x.PartnerID = 0; theirs {
				x.PartnerID = p.ID
			}
			if err := a.Tx.SaveChannel(a, x); err != nil {
				return err
			}
		}
		if p.Retired {
			if err := account.RevokeLinks(a, store.LinkPartner, int64(p.ID)); err != nil {
				return err
			}
		}
		before, after := newsroom.Differ(was, p)
		return a.Log(store.Entry{DeskID: p.DeskID, Act: "set up", What: "changed the partner " + p.Name, Before: before, After: after})
	})
	return p.ID, err
}

// PartnerLink makes a private link to a partner's page, for a lead to hand over. It is
// shown once; with it whoever has it sees the page, until it is revoked.
func (h Room) PartnerLink(ctx context.Context, by ref.Person, desk ref.Desk, partner ref.Partner) (string, error) {
	err := h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		if p := a.Setup.Partner(partner); p.DeskID != desk || p.Retired {
			return newsroom.ErrNotFound
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: "made a private link for " + a.Setup.Partner(partner).Name})
	})
	if err != nil {
		return "", err
	}
	return account.At(h.Newsroom).Mint(ctx, store.LinkPartner, int64(partner))
}

// RevokePartner ends all private links of a partner.
func (h Room) RevokePartner(ctx context.Context, by ref.Person, desk ref.Desk, partner ref.Partner) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		if a.Setup.Partner(partner).DeskID != desk {
			return newsroom.ErrNotFound
		}
		if err := account.RevokeLinks(a, store.LinkPartner, int64(partner)); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: "ended the private links of " + a.Setup.Partner(partner).Name})
	})
}

// PartnerSheet is what a partner sees: their pieces, where each is, and what waits for
// them. Nothing of drafts, notes, people, fees or other partners is in it.
type PartnerSheet struct {
	Partner store.Partner
	Desk    store.Desk
	Person  ref.Person // who is signed in; 0 by private link
	Months  []PartnerMonth
	Asked   []PartnerAsked // whose verdict is waited for
	Pitches []store.Pitch
	Links   int
}

// PartnerMonth is the pieces that go out in a month.
type PartnerMonth struct {
	First  day.Date // of the month; none for pieces without a day
	Pieces []PartnerPiece
}

// PartnerPiece is a piece as its partner sees it.
type PartnerPiece struct {
	Number  int
	Version int
	Changed day.Moment // when it was last found where it is
	Title   string
	Kind    string
	GoesOut day.Moment
	Out     bool
	Address string   // once it is out
	Now     []string // the legs that run, by name
	Done    int
	Of      int
	Yours   string   // their leg that comes or runs
	Comes   day.Date // when, about
	Legs    []relay.Leg
	Piece   ref.Piece // its number for who may open it; 0 otherwise
}

// PartnerAsked is a verdict that is waited for.
type PartnerAsked struct {
	Piece  ref.Piece
	Title  string
	Leg    string
	Due    day.Date
	Person ref.Person
	Mine   bool // of who is signed in
}

// PartnerOf finds whose page a key opens.
func (h Room) PartnerOf(ctx context.Context, b *newsroom.Setup, k Key) (store.Partner, error) {
	if k.Token == "" {
		p := b.Partner(b.Person(k.Who).PartnerID)
		if p.ID == 0 || p.Retired || !b.Person(k.Who).Access.May(relay.AnswerAsked) {
			return p, newsroom.ErrNotFound
		}
		return p, nil
	}
	l, err := account.At(h.Newsroom).Link(ctx, h.DB.View(), store.LinkPartner, k.Token)
	if err != nil {
		return store.Partner{}, err
	}
	p := b.Partner(ref.Partner(l.About))
	if p.ID == 0 || p.Retired {
		return p, account.At(h.Newsroom).SayEnded(ctx, h.DB.View(), b, l)
	}
	return p, nil
}

// StillPartner reports for Line whether a key still opens the page of a partner.
func (h Room) StillPartner(k Key) func() bool {
	return func() bool {
		ctx := context.Background()
		b, err := h.Setup(ctx)
		if err == nil {
			_, err = h.PartnerOf(ctx, b, k)
		}
		var refused *relay.Refusal
		return !errors.As(err, &refused) && !errors.Is(err, newsroom.ErrNotFound)
	}
}

// PartnerPage gives the page of a partner, for who has its link or is one of theirs.
func (h Room) PartnerPage(ctx context.Context, k Key) (PartnerSheet, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return PartnerSheet{}, err
	}
	p, err := h.PartnerOf(ctx, b, k)
	if err != nil {
		return PartnerSheet{}, err
	}
	return h.partnerSheet(ctx, b, p, k.Who)
}

// PartnerAsSeen gives a lead what a partner sees.
func (h Room) PartnerAsSeen(ctx context.Context, by ref.Person, desk ref.Desk, partner ref.Partner) (PartnerSheet, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return PartnerSheet{}, err
	}
	if err := b.MayLead(by, desk); err != nil {
		return PartnerSheet{}, err
	}
	p := b.Partner(partner)
	if p.ID == 0 || p.DeskID != desk {
		return PartnerSheet{}, newsroom.ErrNotFound
	}
	out, err := h.partnerSheet(ctx, b, p, 0)
	if err != nil {
		return out, err
	}
	links, err := store.LinksAbout(ctx, h.DB.View(), store.LinkPartner, int64(partner), h.Now())
	out.Links = len(links)
	return out, err
}

// partnerDays is for how many days pieces that are out stay on the page.
const partnerDays = 45

func (h Room) partnerSheet(ctx context.Context, b *newsroom.Setup, p store.Partner, who ref.Person) (PartnerSheet, error) {
	out := PartnerSheet{Partner: p, Desk: b.Desk(p.DeskID), Person: who}
	var people []ref.Person
	for _, x := range PeopleOf(b, p.ID) {
		people = append(people, x.ID)
	}
	rows, err := store.PartnerPieces(ctx, h.DB.View(), p.DeskID, p.ID, h.Now()-partnerDays*86400)
	if err != nil {
		return out, err
	}
	months := map[day.Date]*PartnerMonth{}
	for i := range rows {
		row := &rows[i]
		x := partnerPiece(b, row, p.ID, who, h.Now())
		first := day.Date(0)
		if row.GoesOut != 0 {
			d := row.GoesOut.Date(b.Zones[p.DeskID])
			t := row.GoesOut.In(b.Zones[p.DeskID])
			first = d - day.Date(t.Day()-1)
		}
		if months[first] == nil {
			months[first] = &PartnerMonth{First: first}
		}
		months[first].Pieces = append(months[first].Pieces, x)
	}
	if out.Asked, err = h.partnerAsked(ctx, b, rows, people, who); err != nil {
		return out, err
	}
	for _, m := range months {
		out.Months = append(out.Months, *m)
	}
	slices.SortFunc(out.Months, func(x, y PartnerMonth) int { return int(x.First) - int(y.First) })
	if len(out.Months) > 0 && out.Months[0].First == 0 { // those without a day last
		out.Months = append(out.Months[1:], out.Months[0])
	}
	if len(people) > 0 {
		out.Pitches, err = store.PitchesOpen(ctx, h.DB.View(), p.DeskID, people)
	}
	return out, err
}

func partnerPiece(b *newsroom.Setup, row *store.Row, partner ref.Partner, who ref.Person, now day.Moment) PartnerPiece {
	x := PartnerPiece{Number: row.Number, Version: row.Version, Changed: max(row.CreatedAt, row.OutAt), Title: row.Title, Kind: b.Format(row.FormatID).Name, GoesOut: row.GoesOut, Out: row.Stage == relay.Out, Legs: row.Legs}
	house := b.Planned[row.DeskID]
	pr := house.Forward(&row.Piece, now.Date(house.Zone))
	for i := range row.Legs {
		l := &row.Legs[i]
		if l.State == relay.Skipped {
			continue
		}
		x.Of++
		x.Changed = max(x.Changed, l.TouchedAt)
		if l.Done() {
			x.Done++
			continue
		}
		if l.State == relay.Running {
			x.Now = append(x.Now, l.Name)
		}
		if b.Person(l.Holder).PartnerID == partner && x.Yours == "" {
			x.Yours = l.Name
			x.Comes, _ = house.Window(pr.Start[i], pr.End[i])
			if l.State == relay.Running {
				x.Comes = 0
			}
		}
	}
	if x.Out {
		x.Address = newsroom.AddressOf(b, "", &row.Piece)
	}
	if who != 0 && relay.May(relay.ActSee, b.Who(who, row.DeskID), &row.Piece, nil, "") == nil {
		x.Piece = row.ID
	}
	return x
}

// partnerAsked gives the verdicts on pieces that are waited for from the people of a partner.
func (h Room) partnerAsked(ctx context.Context, b *newsroom.Setup, rows []store.Row, people []ref.Person, who ref.Person) ([]PartnerAsked, error) {
	var waiting []ref.Piece
	for i := range rows {
		if p := &rows[i].Piece; p.Stage == relay.UnderWay && slices.ContainsFunc(p.Legs, signsNow) {
			waiting = append(waiting, p.ID)
		}
	}
	reviewers, err := store.ReviewersOf(ctx, h.DB.View(), waiting...)
	if err != nil {
		return nil, err
	}
	verdicts, err := store.VerdictsOf(ctx, h.DB.View(), waiting...)
	if err != nil {
		return nil, err
	}
	asked, said := map[ref.Piece][]store.Reviewer{}, map[ref.Piece][]store.Verdict{}
	for _, x := range reviewers {
		asked[x.PieceID] = append(asked[x.PieceID], x)
	}
	for _, x := range verdicts {
		said[x.PieceID] = append(said[x.PieceID], x)
	}
	var out []PartnerAsked
	for i := range rows {
		p := &rows[i].Piece
		if !slices.Contains(waiting, p.ID) {
			continue
		}
		for k := range p.Legs {
			l := &p.Legs[k]
			if !signsNow(*l) {
				continue
			}
			vs := voices(b, p, l, asked[p.ID], said[p.ID])
			for _, n := range relay.Turns(spoken(vs), review(b, p, l.Key).InOrder) {
				if v := vs[n]; slices.Contains(people, v.PersonID) {
					out = append(out, PartnerAsked{Piece: p.ID, Title: p.Title, Leg: l.Name, Due: l.Due, Person: v.PersonID, Mine: v.PersonID == who})
				}
			}
		}
	}
	return out, nil
}

// signsNow reports whether a leg waits for verdicts.
func signsNow(l relay.Leg) bool { return l.SignOff && l.State == relay.Running }
