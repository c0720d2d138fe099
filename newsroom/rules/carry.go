package rules

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/core/rule"
	"greenbaton/core/words"
	"greenbaton/newsroom"
	"greenbaton/newsroom/notify"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// applyAction carries out one thing, and says what it came to; nothing where it was so already.
func applyAction(a *newsroom.Command, r *rule.Rule, x *rule.Action, h *rule.Happening) (string, error) {
	s, err := a.About(h.Event) // what the rule did before counts
	if err != nil {
		return "", err
	}
	p := &s.Piece
	l := p.Leg(h.Event.Leg)
	if x.Leg != "" {
		l = s.Leg(x.Leg)
	}
	switch x.Do {
	case rule.Give, rule.SetDue, rule.AddSteps:
		if l == nil {
			return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "The piece has no such leg."}
		}
	}
	switch x.Do {
	case rule.Give:
		return carryGive(a, x, p, l)
	case rule.SetDue:
		house := a.Setup.Planned[p.DeskID]
		due := house.Calendar.Day(house.Calendar.Start(a.Now.Date(house.Zone)) + day.Boundary(x.Days))
		if l.Pin == due {
			return "", nil
		}
		return fmt.Sprintf("made %s due %s", l.Name, english.Date(due)), planned(a, plan.Change{Do: plan.DoPin, Piece: p.ID, Leg: l.Key, Date: due})
	case rule.SetDay:
		return carryDay(a, p)
	case rule.AddSteps:
		return carrySteps(a, x, p, l)
	case rule.SetField:
		return carryField(a, x, &s)
	case rule.Send:
		if h.Request != 0 {
			return planning.SendRequest(a, x, h.Request)
		}
		return planning.CarrySend(a, x, p)
	case rule.Tell:
		return carryTell(a, x, h, p, l)
	case rule.FollowUp:
		return carryFollowUp(a, x, h, p, l)
	}
	return "", nil
}

// planned carries out a change of the plan.
func planned(a *newsroom.Command, c plan.Change) error {
	board, err := planning.BoardNow(a)
	if err != nil {
		return err
	}
	if err := planning.MayChange(a.Setup, 0, board, []plan.Change{c}); err != nil {
		return err
	}
	got, err := board.Preview([]plan.Change{c})
	if err != nil {
		return err
	}
	return planning.CarryOut(a, got)
}

func carryGive(a *newsroom.Command, x *rule.Action, p *relay.Piece, l *relay.Leg) (string, error) {
	if l.Done() {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: l.Name + " is over."}
	}
	to, err := receiver(a, x.To[0], p, l)
	if err != nil {
		return "", err
	}
	if to == 0 {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "Nobody is eligible for it."}
	}
	if to == l.Holder {
		return "", nil
	}
	return fmt.Sprintf("gave %s to %s", l.Name, a.Setup.Name(to)), planned(a, plan.Change{Do: plan.DoGive, Piece: p.ID, Leg: l.Key, Person: to})
}

// receiver gives the person whom a rule means.
func receiver(a *newsroom.Command, to string, p *relay.Piece, l *relay.Leg) (ref.Person, error) {
	switch to {
	case rule.ToOwner:
		return p.Owner, nil
	case rule.ToUsual:
		usual := ref.Person(0)
		if x := a.Setup.Route(p.RouteID).Way.Leg(l.Key); x != nil {
			usual = x.Usual
		}
		switch usual {
		case route.LastInSeries:
			return receiver(a, rule.ToLast, p, l)
		case route.MostRoom:
			return receiver(a, rule.ToRoom, p, l)
		}
		return usual, nil
	case rule.ToRoom, rule.ToLast:
		board, err := planning.BoardNow(a)
		if err != nil {
			return 0, err
		}
		o, err := a.Newsroom.Opening(a, board, p, l.Position)
		if err != nil {
			return 0, err
		}
		return board.Taker(o, to == rule.ToLast, board.Today(p.DeskID)), nil
	}
	who, err := strconv.ParseInt(to, 10, 64)
	return ref.Person(who), err
}

// carryDay gives a piece without a day the first free slot of its channel by which it can be ready.
func carryDay(a *newsroom.Command, p *relay.Piece) (string, error) {
	if p.GoesOut != 0 {
		return "", nil
	}
	house := a.Setup.Planned[p.DeskID]
	board, err := planning.BoardNow(a)
	if err != nil {
		return "", err
	}
	at := house.Earliest(house.Forward(p, a.Now.Date(house.Zone)).Lands, board.FreeSlots(p.ChannelID))
	if at == 0 {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "No slot of its channel is free for it."}
	}
	return "set its day to " + a.Setup.At(at, p.DeskID), planned(a, plan.Change{Do: plan.DoMove, Piece: p.ID, At: at})
}

func carrySteps(a *newsroom.Command, x *rule.Action, p *relay.Piece, l *relay.Leg) (string, error) {
	if l.Done() {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: l.Name + " is over."}
	}
	have, err := store.Steps(a, a.Tx, p.ID)
	if err != nil {
		return "", err
	}
	var added []string
	for text := range strings.Lines(x.Words) {
		text = strings.TrimSpace(text)
		if text == "" || slices.ContainsFunc(have, func(s store.Step) bool { return s.Leg == l.Key && s.Text == text }) {
			continue
		}
		if err := planning.AddStep(a, p.ID, l.Key, route.Step{Text: text}); err != nil {
			return "", err
		}
		added = append(added, "“"+text+"”")
	}
	if len(added) == 0 {
		return "", nil
	}
	said := "added " + english.And(added) + " to the checklist of " + l.Name
	return said, a.Log(store.Entry{DeskID: p.DeskID, PieceID: p.ID, Act: "edited", What: said, Version: p.Version})
}

func carryField(a *newsroom.Command, x *rule.Action, s *rule.State) (string, error) {
	e := planning.Edit{Piece: s.Piece.ID}
	n, _ := strconv.ParseInt(x.Value, 10, 64)
	switch x.Field {
	case "priority":
		p := relay.Priority(n)
		e.Priority = &p
	case "topic":
		e.Topic = new(ref.Topic(n))
	case "campaign":
		e.Campaign = new(ref.Campaign(n))
	case "owner":
		e.Owner = new(ref.Person(n))
	case "tag":
		if slices.Contains(s.Piece.TagList(), x.Value) {
			return "", nil
		}
		e.AddTag = x.Value
	default:
		field, err := strconv.ParseInt(strings.TrimPrefix(x.Field, rule.FieldPrefix), 10, 64)
		if err != nil {
			return "", err
		}
		if !a.Setup.Field(ref.Field(field)).Of(s.Piece.FormatID) {
			return "", nil // pieces of this format have no such field
		}
		e.Fields = map[ref.Field][]string{ref.Field(field): {x.Value}}
	}
	version := s.Piece.Version
	if err := planning.EditPiece(a, e); err != nil {
		return "", err
	}
	if a.Put.Pieces[s.Piece.ID].Version == version { // it was so already
		return "", nil
	}
	r := rule.Rule{When: rule.Created, Then: []rule.Action{*x}}
	return pastTense(r.SayAction(0, newsroom.Known{B: a.Setup, Desk: s.Piece.DeskID})), nil
}

// pastTense says of what a rule sets that it was set.
func pastTense(s string) string {
	for _, x := range [][2]string{{"tag it ", "tagged it "}, {"make ", "made "}, {"empty ", "emptied "}} {
		if rest, ok := strings.CutPrefix(s, x[0]); ok {
			return x[1] + rest
		}
	}
	return s // set stays set
}

// carryFollowUp makes a piece that follows another.
func carryFollowUp(a *newsroom.Command, x *rule.Action, h *rule.Happening, p *relay.Piece, l *relay.Leg) (string, error) {
	f := a.Setup.Format(x.Format)
	owner := p.Owner
	if !planning.MayCreate(a.Setup.Who(owner, f.DeskID)) {
		owner = newsroom.FirstOf(a.Setup.Leads(f.DeskID))
	}
	if owner == 0 {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "That desk has nobody who could own it."}
	}
	title := strings.TrimSpace(words.Fill(x.Words, namedFields(a, h, p, l)))
	d := planning.Draft{Title: title, Format: f.ID, Owner: owner, WordsFrom: f.WordsFrom, WordsTo: f.WordsTo, Derived: p.ID, Brief: "Follows “" + p.Title + "”, No. " + strconv.Itoa(p.Number) + "."}
	if h.Request != 0 { // of which no piece was made
		d.Derived, d.Brief = 0, "Asked for: “"+p.Title+"”."
	}
	if p.DeskID == f.DeskID {
		d.Topic, d.Campaign = p.TopicID, p.CampaignID
	}
	a.Actor = owner // whoever owns it makes it, by the rule
	defer func() { a.Actor = 0 }()
	board, err := planning.BoardNow(a)
	if err != nil {
		return "", err
	}
	if _, err := planning.CreateOn(a, board, d); err != nil {
		return "", err
	}
	return fmt.Sprintf("made “%s”, a %s", title, strings.ToLower(f.Name)), nil
}

// namedFields are the fields that stand in the words of a rule.
func namedFields(a *newsroom.Command, h *rule.Happening, p *relay.Piece, l *relay.Leg) map[string]string {
	out := notify.Fields(a.Setup, p, l, newsroom.First(a.Setup.Actor(h.By)), h.Why, daysOf(h), a.Now, a.Free)
	out["fee"] = unsaid
	return out
}

// daysOf gives by how many days something is due, late or quiet; 0 where it is not about days.
func daysOf(h *rule.Happening) int {
	if h.Kind == rule.Accepted || h.Kind == rule.Spent { // it is the fee, or per cent
		return 0
	}
	return h.N
}

// unsaid is what a fee is called for who may not see it.
const unsaid = "its fee"

// feeFor gives what a fee is called for somebody: what it comes to for who may see money, and for
// who earns it.
func feeFor(a *newsroom.Command, id ref.Person, h *rule.Happening, p *relay.Piece, l *relay.Leg) string {
	if h.Kind == rule.Accepted && (a.Setup.SeesFees(id, p.DeskID) || l != nil && l.Holder == id && newsroom.Paid(a.Setup.Person(id))) {
		return h.Say
	}
	return unsaid
}

// carryTell tells people in the words of the rule.
func carryTell(a *newsroom.Command, x *rule.Action, h *rule.Happening, p *relay.Piece, l *relay.Leg) (string, error) {
	fields := namedFields(a, h, p, l)
	text := strings.TrimSpace(words.Fill(x.Words, fields)) // for chats, which more people read than may see money
	why := h.Why
	if strings.Contains(text, words.OneLine(why)) { // said already
		why = ""
	}
	var names []string
	for _, id := range whomTell(a, x.To, h, p, l) {
		names = append(names, a.Setup.Name(id))
		if a.Told != nil { // very many pieces at once
			a.Told[id]++
			continue
		}
		fields["fee"] = feeFor(a, id, h, p, l)
		n := newsroom.Note{To: id, Kind: "rule", Text: strings.TrimSpace(words.Fill(x.Words, fields)), Why: why, Mail: true}
		n.Private = n.Text != text // it says the fee
		if h.Request != 0 {
			n.Link = fmt.Sprintf("/requests/%d", h.Request)
		}
		if h.Kind == rule.Spent {
			n.Link = "/"
			if a.Setup.SeesFees(id, p.DeskID) {
				n.Link = "/fees"
			}
		}
		if err := a.Send(p, n); err != nil {
			return "", err
		}
	}
	if slices.Contains(x.To, rule.TellHook) {
		for _, k := range notify.HooksOf(a.Setup, p.DeskID) {
			if !k.IsOn {
				continue
			}
			if err := notify.Post(a, k, p, store.Item{Kind: "rule", Text: text, Why: why}, "", fmt.Sprintf("rule %d %s %s %d piece %d version %d run %d to hook %d", a.Rule.ID, h.Kind, h.Event.Leg, daysOf(h), p.ID, p.Version, a.Now, k.ID), a.Now); err != nil {
				return "", err
			}
			names = append(names, "the chat "+k.Name)
		}
	}
	if len(names) == 0 {
		return "", nil
	}
	return "told " + english.And(names), nil
}

// reminds reports whether an event is that time passed, not that somebody did something.
func reminds(k rule.Kind) bool {
	return slices.Contains([]rule.Kind{rule.DueIn, rule.Overdue, rule.Quiet, rule.Unanswered, rule.NoVerdict}, k)
}

// whomTell gives the people whom a rule tells, each once.
func whomTell(a *newsroom.Command, to []string, h *rule.Happening, p *relay.Piece, l *relay.Leg) []ref.Person {
	var out []ref.Person
	add := func(id ref.Person) {
		if id != 0 && !slices.Contains(out, id) && !a.Setup.Person(id).Retired {
			out = append(out, id)
		}
	}
	holds := func(l *relay.Leg) { // whoever is away is not reminded, but the owner
		if id := l.Holder; reminds(h.Event.Kind) && a.Setup.Away(id, a.Now.Date(a.Setup.Zones[p.DeskID])) {
			add(p.Owner)
		} else {
			add(id)
		}
	}
	for _, t := range to {
		role, isRole := strings.CutPrefix(t, rule.RolePrefix)
		switch {
		case t == rule.TellHolder && l != nil:
			holds(l)
		case t == rule.TellHolder:
			for _, x := range p.Running() {
				holds(x)
			}
		case t == rule.TellAsked:
			add(h.To)
		case t == rule.TellOwner:
			add(p.Owner)
		case t == rule.TellLeads:
			for _, id := range a.Setup.Leads(p.DeskID) {
				add(id)
			}
		case t == rule.TellEverybody:
			add(p.Owner)
			for l := range p.Every() {
				add(l.Holder)
			}
		case isRole:
			for _, x := range a.Setup.OnDesk(p.DeskID) {
				if slices.Contains(x.Roles, role) {
					add(x.ID)
				}
			}
		default:
			if id, err := strconv.ParseInt(t, 10, 64); err == nil && a.Setup.Available(ref.Person(id), p.DeskID) {
				add(ref.Person(id))
			}
		}
	}
	return slices.DeleteFunc(out, func(id ref.Person) bool { // outsiders and freelancers hear only of what is theirs
		return relay.May(relay.ActSee, a.Setup.Who(id, p.DeskID), p, nil, "") != nil
	})
}
