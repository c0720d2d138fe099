package intake

import (
	"slices"
	"strings"

	"greenbaton/core/bring"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/field"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// named reads what a row says of a piece by names: its title, format, channel, owner, topic, campaign
// and tags.
func (r *reader) named(x *BringRow, row bring.Row) bool {
	d := planning.Draft{Title: strings.Join(strings.Fields(row["title"]), " "), Format: r.plan.Format, Owner: r.plan.Owner, Brief: row["about"], Legs: nil}
	if d.Title == "" {
		x.is(RowBad, "There is no title in this row.")
		return false
	}
	if len([]rune(d.Title)) > 200 {
		x.is(RowBad, "The title has more than 200 characters. Shorten it in the file.")
		return false
	}
	for _, n := range []struct {
		key, what string
		find      func(v string) bool
	}{
		{"format", "a format of the desk", called(&d.Format, r.b.FormatsOf(r.desk), func(f store.Format) (ref.Format, []string) { return f.ID, []string{f.Name} })},
		{"channel", "a channel of the desk", called(&d.Channel, r.b.ChannelsOf(r.desk), func(c store.Channel) (ref.Channel, []string) { return c.ID, []string{c.Name, c.Slug} })},
		{"owner", "a lead or one of the staff", r.person(&d.Owner, r.b.Owners(r.desk), func(p store.Person) []string {
			return []string{p.Name, p.Initials, p.Mail, newsroom.First(p.Name)}
		})},
		{"topic", "a topic of the desk", called(&d.Topic, r.b.TopicsOf(r.desk), func(t store.Topic) (ref.Topic, []string) { return t.ID, []string{t.Name} })},
		{"campaign", "a campaign of the desk", called(&d.Campaign, r.b.CampaignsOf(r.desk), func(c store.Campaign) (ref.Campaign, []string) { return c.ID, []string{c.Name} })},
	} {
		if v := row[n.key]; v != "" && !n.find(v) {
			x.is(RowBad, "“%s” is not %s.", english.Cut(v, 60), n.what)
			return false
		}
	}
	if d.Format == 0 {
		x.is(RowBad, "It names no format. Choose one above for rows without.")
		return false
	}
	tags, err := relay.ReadTags(row["tags"])
	if err != nil {
		x.is(RowBad, "%s", err.Error())
		return false
	}
	d.Tags = tags
	x.draft = d
	return true
}

// piece reads a row as a piece of a lineup.
func (r *reader) piece(x *BringRow, row bring.Row) {
	if !r.named(x, row) {
		return
	}
	d := x.draft
	f := r.b.Format(d.Format)
	d.WordsFrom, d.WordsTo = f.WordsFrom, f.WordsTo
	for key, into := range map[string]*int{"from": &d.WordsFrom, "to": &d.WordsTo} {
		if v, ok := row[key]; ok {
			var err error
			if *into, err = bring.Whole(v); err != nil {
				x.is(RowBad, "%s", figureBad(err, v, " of words"))
				return
			}
		}
	}
	if d.WordsTo != 0 && d.WordsTo < d.WordsFrom {
		d.WordsTo = 0
	}
	if err := r.time(&d, row); err != nil {
		x.is(RowBad, "%s", err.Error())
		return
	}
	if err := r.extras(&d, row); err != nil {
		x.is(RowBad, "%s", err.Error())
		return
	}
	if _, err := planning.DraftMove(r.b, r.by, d, r.now); err != nil {
		x.is(RowBad, "%s", err.Error())
		return
	}
	x.draft = d
	r.place(x, d)
}

// extras reads the extra fields of the format of a row. Several answers have commas or
// semicolons between them; a choice is meant whether it is written large or small.
func (r *reader) extras(d *planning.Draft, row bring.Row) error {
	for _, f := range r.b.FieldsOf(d.Format) {
		v := row[fieldKey(f)]
		if v == "" {
			continue
		}
		typed := []string{v}
		switch f.Kind {
		case field.Date:
			on, err := bring.Date(v, r.plan.Order)
			if err != nil {
				return newsroom.Invalid("field", "%s: %s. Write it like 2026-12-03.", f.Name, err.Error())
			}
			typed[0] = on.String()
		case field.Yes:
			typed[0] = strings.ToLower(v)
		case field.Several:
			typed = strings.FieldsFunc(v, func(c rune) bool { return c == ',' || c == ';' })
			fallthrough
		case field.One:
			for i := range typed {
				typed[i] = asChosen(f.Field().Choices, strings.TrimSpace(typed[i]))
			}
		}
		if d.Fields == nil {
			d.Fields = map[ref.Field][]string{}
		}
		d.Fields[f.ID] = typed
	}
	return nil
}

// asChosen gives a choice as it is written where it is offered.
func asChosen(choices []string, v string) string {
	for _, c := range choices {
		if strings.EqualFold(c, v) {
			return c
		}
	}
	return v
}

// time reads when a piece goes out: at the time of its row, otherwise at that of the
// channel's slot on the day, otherwise in the morning.
func (r *reader) time(d *planning.Draft, row bring.Row) error {
	v := row["day"]
	if v == "" {
		return nil
	}
	on, err := bring.Date(v, r.plan.Order)
	if err != nil {
		return newsroom.Invalid("day", "%s. Write it like 2026-12-03.", english.UpperFirst(err.Error()))
	}
	channel := d.Channel
	if channel == 0 {
		channel = r.b.Format(d.Format).ChannelID
	}
	minutes := r.slot(channel, on)
	if v := row["time"]; v != "" {
		if minutes, err = bring.Clock(v); err != nil {
			return newsroom.Invalid("time", "%s.", english.UpperFirst(err.Error()))
		}
	}
	d.GoesOut = day.Wall(on, minutes, r.b.Zones[r.desk])
	return nil
}

// slot gives the minutes after midnight when a channel goes out on a day: lists name the same
// days again and again.
func (r *reader) slot(channel ref.Channel, on day.Date) int {
	at := channelDay{channel, on}
	if _, ok := r.slots[at]; !ok {
		r.slots[at] = r.b.Minutes(channel, on, newsroom.Morning)
	}
	return r.slots[at]
}

// place says whether a piece is here already, or its time is taken.
func (r *reader) place(x *BringRow, d planning.Draft) {
	key, zone := bring.Same(d.Title), r.b.Zones[r.desk]
	if line, ok := r.lines[key]; ok {
		x.is(RowSame, "It stands in row %d already.", line)
		return
	}
	r.lines[key] = x.Line
	channel := d.Channel
	if channel == 0 {
		channel = r.b.Format(d.Format).ChannelID
	}
	at := slotTime{channel, d.GoesOut}
	for _, e := range r.pieces[key] {
		if d.GoesOut == 0 || e.GoesOut.Date(zone) == d.GoesOut.Date(zone) {
			x.is(RowSame, "It is here already, No. %d.", e.Number)
			return
		}
		x.is(RowClash, "There is a piece of this title, No. %d, for another day.", e.Number)
	}
	if d.GoesOut == 0 {
		return
	}
	if other := r.taken[at]; other != "" {
		x.is(RowClash, "%s on %s is taken by “%s”.", r.b.At(d.GoesOut, r.desk), r.b.Channel(channel).Name, english.Cut(other, 60))
		return
	}
	if slots := r.b.Slots(channel, r.now); len(slots) > 0 && d.GoesOut > r.now {
		if _, is := slices.BinarySearch(slots, d.GoesOut); !is && d.GoesOut < slots[len(slots)-1] {
			x.is(RowClash, "%s has no slot on %s.", r.b.Channel(channel).Name, r.b.At(d.GoesOut, r.desk))
		}
	}
	r.taken[at] = d.Title
}

// called looks for what is called something, in capitals or not, and notes its id.
func called[T any, K ~int64](into *K, all []T, of func(T) (K, []string)) func(string) bool {
	return func(v string) bool {
		for _, x := range all {
			id, names := of(x)
			if slices.ContainsFunc(names, func(s string) bool { return s != "" && strings.EqualFold(s, v) }) {
				*into = id
				return true
			}
		}
		return false
	}
}

// person looks for somebody by a name, or by whom somebody said is meant by it.
func (r *reader) person(into *ref.Person, all []store.Person, names func(store.Person) []string) func(string) bool {
	by := called(into, all, func(p store.Person) (ref.Person, []string) { return p.ID, names(p) })
	return func(v string) bool {
		if by(v) {
			return true
		}
		id, said := r.plan.People[strings.ToLower(v)]
		if said && id != 0 && slices.ContainsFunc(all, func(p store.Person) bool { return p.ID == id }) {
			*into = id
			return true
		}
		if !said {
			r.nobody[v]++
		}
		return false
	}
}
