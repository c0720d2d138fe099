package desk

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/core/rule"
	"greenbaton/core/words"
	"greenbaton/store"
)

// carry carries out one thing, and says what it came to; nothing where it was so already.
func (a *act) carry(r *rule.Rule, x *rule.Action, h *rule.Happening) (string, error) {
	s, err := a.stateOf(h.Piece) // what the rule did before counts
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
		return a.carryGive(x, p, l)
	case rule.SetDue:
		house := a.b.Houses[p.DeskID]
		due := house.Calendar.Day(house.Calendar.Start(a.now.Date(house.Zone)) + day.Boundary(x.Days))
		if l.Pin == due {
			return "", nil
		}
		return fmt.Sprintf("made %s due %s", l.Name, Short(due)), a.planned(plan.Change{Do: plan.DoPin, Piece: p.ID, Leg: l.Key, Date: due})
	case rule.SetDay:
		return a.carryDay(p)
	case rule.AddSteps:
		return a.carrySteps(x, p, l)
	case rule.SetField:
		return a.carryField(x, &s)
	case rule.Send:
		if p.ID < 0 {
			return a.sendRequest(x, p)
		}
		return a.carrySend(x, p)
	case rule.Tell:
		return a.carryTell(x, h, p, l)
	case rule.FollowUp:
		return a.carryFollowUp(x, h, p, l)
	}
	return "", nil
}

// boardNow is the board with what this act stored.
func (a *act) boardNow() (*plan.Board, error) {
	board, err := a.h.board(a, a.b, a.now)
	if err != nil {
		return nil, err
	}
	return board.Replace(a.put.pieces), nil
}

// planned carries out a change of the plan.
func (a *act) planned(c plan.Change) error {
	board, err := a.boardNow()
	if err != nil {
		return err
	}
	if err := a.b.mayChange(0, board, []plan.Change{c}); err != nil {
		return err
	}
	got, err := board.Preview([]plan.Change{c})
	if err != nil {
		return err
	}
	return a.carryOut(got)
}

func (a *act) carryGive(x *rule.Action, p *relay.Piece, l *relay.Leg) (string, error) {
	if l.Done() {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: l.Name + " is over."}
	}
	to, err := a.receiver(x.To[0], p, l)
	if err != nil {
		return "", err
	}
	if to == 0 {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "Nobody is eligible for it."}
	}
	if to == l.Holder {
		return "", nil
	}
	return fmt.Sprintf("gave %s to %s", l.Name, a.b.Name(to)), a.planned(plan.Change{Do: plan.DoGive, Piece: p.ID, Leg: l.Key, Person: to})
}

// receiver gives the person whom a rule means.
func (a *act) receiver(to string, p *relay.Piece, l *relay.Leg) (int64, error) {
	switch to {
	case rule.ToOwner:
		return p.Owner, nil
	case rule.ToUsual:
		usual := int64(0)
		if x := a.b.Route(p.RouteID).Way.Leg(l.Key); x != nil {
			usual = x.Usual
		}
		switch usual {
		case route.LastInSeries:
			return a.receiver(rule.ToLast, p, l)
		case route.MostRoom:
			return a.receiver(rule.ToRoom, p, l)
		}
		return usual, nil
	case rule.ToRoom, rule.ToLast:
		board, err := a.boardNow()
		if err != nil {
			return 0, err
		}
		o, err := a.h.opening(a, board, p, l.Position)
		if err != nil {
			return 0, err
		}
		return board.Taker(o, to == rule.ToLast, board.Today(p.DeskID)), nil
	}
	return strconv.ParseInt(to, 10, 64)
}

// carryDay gives a piece without a day the first free slot of its channel by which it can be ready.
func (a *act) carryDay(p *relay.Piece) (string, error) {
	if p.GoesOut != 0 {
		return "", nil
	}
	house := a.b.Houses[p.DeskID]
	board, err := a.boardNow()
	if err != nil {
		return "", err
	}
	at := house.Earliest(house.Forward(p, a.now.Date(house.Zone)).Lands, board.FreeSlots(p.ChannelID))
	if at == 0 {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "No slot of its channel is free for it."}
	}
	return "set its day to " + a.b.At(at, p.DeskID), a.planned(plan.Change{Do: plan.DoMove, Piece: p.ID, At: at})
}

func (a *act) carrySteps(x *rule.Action, p *relay.Piece, l *relay.Leg) (string, error) {
	if l.Done() {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: l.Name + " is over."}
	}
	have, err := store.Steps(a, a.tx, p.ID)
	if err != nil {
		return "", err
	}
	var added []string
	for text := range strings.Lines(x.Words) {
		text = strings.TrimSpace(text)
		if text == "" || slices.ContainsFunc(have, func(s store.Step) bool { return s.Leg == l.Key && s.Text == text }) {
			continue
		}
		if err := a.addStep(p.ID, l.Key, route.Step{Text: text}); err != nil {
			return "", err
		}
		added = append(added, "“"+text+"”")
	}
	if len(added) == 0 {
		return "", nil
	}
	said := "added " + Names(added) + " to the checklist of " + l.Name
	return said, a.log(store.Entry{DeskID: p.DeskID, PieceID: p.ID, Act: "edited", What: said, Version: p.Version})
}

func (a *act) carryField(x *rule.Action, s *rule.State) (string, error) {
	e := Edit{Piece: s.Piece.ID}
	n, _ := strconv.ParseInt(x.Value, 10, 64)
	switch x.Field {
	case "priority":
		p := relay.Priority(n)
		e.Priority = &p
	case "topic":
		e.Topic = &n
	case "campaign":
		e.Campaign = &n
	case "owner":
		e.Owner = &n
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
		if a.b.Field(field).FormatID != s.Piece.FormatID {
			return "", nil // pieces of this format have no such field
		}
		e.Fields = map[int64][]string{field: {x.Value}}
	}
	version := s.Piece.Version
	if err := a.editPiece(e); err != nil {
		return "", err
	}
	if a.put.pieces[s.Piece.ID].Version == version { // it was so already
		return "", nil
	}
	r := rule.Rule{When: rule.Created, Then: []rule.Action{*x}}
	return pastTense(r.SayAction(0, known{a.b, s.Piece.DeskID})), nil
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
func (a *act) carryFollowUp(x *rule.Action, h *rule.Happening, p *relay.Piece, l *relay.Leg) (string, error) {
	f := a.b.Format(x.Format)
	owner := p.Owner
	if !MayCreate(a.b.Who(owner, f.DeskID)) {
		owner = first(a.b.Leads(f.DeskID))
	}
	if owner == 0 {
		return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "That desk has nobody who could own it."}
	}
	title := strings.TrimSpace(words.Fill(x.Words, a.namedFields(h, p, l)))
	d := Draft{Title: title, Format: f.ID, Owner: owner, WordsFrom: f.WordsFrom, WordsTo: f.WordsTo, Brief: "Follows “" + p.Title + "”, No. " + strconv.Itoa(p.Number) + "."}
	if p.ID < 0 {
		d.Brief = "Asked for: “" + p.Title + "”."
	}
	if p.DeskID == f.DeskID {
		d.Topic, d.Campaign = p.TopicID, p.CampaignID
	}
	a.by = owner // whoever owns it makes it, by the rule
	defer func() { a.by = 0 }()
	board, err := a.boardNow()
	if err != nil {
		return "", err
	}
	if _, err := a.createOn(board, d); err != nil {
		return "", err
	}
	return fmt.Sprintf("made “%s”, a %s", title, strings.ToLower(f.Name)), nil
}

// namedFields are the fields that stand in the words of a rule.
func (a *act) namedFields(h *rule.Happening, p *relay.Piece, l *relay.Leg) map[string]string {
	return a.b.fields(p, l, First(a.b.actor(h.By)), h.Why, h.N, a.now, a.free)
}

// carryTell tells people in the words of the rule.
func (a *act) carryTell(x *rule.Action, h *rule.Happening, p *relay.Piece, l *relay.Leg) (string, error) {
	text := strings.TrimSpace(words.Fill(x.Words, a.namedFields(h, p, l)))
	why := h.Why
	if strings.Contains(text, words.OneLine(why)) { // said already
		why = ""
	}
	var names []string
	for _, id := range a.whomTell(x.To, h, p, l) {
		names = append(names, a.b.Name(id))
		if a.told != nil { // very many pieces at once
			a.told[id]++
			continue
		}
		n := note{to: id, kind: "rule", text: text, why: why, mail: true}
		if p.ID < 0 {
			n.link = fmt.Sprintf("/requests/%d", -p.ID)
		}
		if err := a.send(p, n); err != nil {
			return "", err
		}
	}
	if slices.Contains(x.To, rule.TellHook) {
		for _, k := range a.b.HooksOf(p.DeskID) {
			if !k.IsOn {
				continue
			}
			if err := a.post(k, p, store.Item{Kind: "rule", Text: text, Why: why}, "", fmt.Sprintf("rule %d %s %d piece %d version %d run %d to hook %d", a.rule.ID, h.Kind, h.N, p.ID, p.Version, a.now, k.ID), a.now); err != nil {
				return "", err
			}
			names = append(names, "the chat "+k.Name)
		}
	}
	if len(names) == 0 {
		return "", nil
	}
	return "told " + Names(names), nil
}

// whomTell gives the people whom a rule tells, each once.
func (a *act) whomTell(to []string, h *rule.Happening, p *relay.Piece, l *relay.Leg) []int64 {
	var out []int64
	add := func(id int64) {
		if id != 0 && !slices.Contains(out, id) && !a.b.Person(id).Retired {
			out = append(out, id)
		}
	}
	for _, t := range to {
		role, isRole := strings.CutPrefix(t, rule.RolePrefix)
		switch {
		case t == rule.TellHolder && l != nil:
			add(l.Holder)
		case t == rule.TellHolder:
			for _, x := range p.Running() {
				add(x.Holder)
			}
		case t == rule.TellAsked:
			add(h.To)
		case t == rule.TellOwner:
			add(p.Owner)
		case t == rule.TellLeads:
			for _, id := range a.b.Leads(p.DeskID) {
				add(id)
			}
		case t == rule.TellEverybody:
			add(p.Owner)
			for i := range p.Legs {
				add(p.Legs[i].Holder)
			}
		case isRole:
			for _, x := range a.b.OnDesk(p.DeskID) {
				if slices.Contains(x.Roles, role) {
					add(x.ID)
				}
			}
		default:
			if id, err := strconv.ParseInt(t, 10, 64); err == nil && a.b.available(id, p.DeskID) {
				add(id)
			}
		}
	}
	return slices.DeleteFunc(out, func(id int64) bool { // outsiders and freelancers hear only of what is theirs
		return relay.May(relay.ActSee, a.b.Who(id, p.DeskID), p, nil, "") != nil
	})
}
