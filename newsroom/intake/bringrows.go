package intake

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/bring"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/field"
	"greenbaton/core/figure"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// BringPlan says how the rows of a list are read.
type BringPlan struct {
	Columns bring.Map   `json:"columns"`
	Order   bring.Order `json:"order,omitempty"`  // of day and month in its dates; none while nobody has said
	Format  ref.Format  `json:"format,omitempty"` // of pieces whose row names none; 0 for none
	Owner   ref.Person  `json:"owner,omitempty"`  // likewise
	// Who is meant by names that nobody here has, in small letters; 0 for nobody.
	People map[string]ref.Person `json:"people,omitempty"`
	// What states of elsewhere mean, in small letters: whether the piece went out.
	States map[string]bool `json:"states,omitempty"`
	Mark   figure.Mark     `json:"mark,omitempty"` // before the fraction of its figures; none while nobody has said
}

// Fate is what becomes of a row.
type Fate string

// The fates of rows.
const (
	RowNew   Fate = "new"
	RowClash Fate = "clash"      // it could come in, and somebody should look first
	RowSame  Fate = "same"       // it is here already
	RowBad   Fate = "unreadable" // it cannot come in
)

// BringRow is a row of a list with what becomes of it, and why.
type BringRow struct {
	Line   int
	Title  string
	Fate   Fate
	Says   string
	idea   idea.Idea
	draft  planning.Draft
	pastOf planning.Past
	text   string         // of its copy
	does   []store.Figure // what a piece did
}

// reader reads the rows of one list against what there is.
type reader struct {
	b       *newsroom.Setup
	desk    ref.Desk
	by      ref.Person
	now     day.Moment
	kind    bring.Kind
	plan    BringPlan
	ideas   map[string]*shelved          // by title, by phrase for search phrases
	pieces  map[string][]*newsroom.Entry // by title
	taken   map[slotTime]string          // the title of what holds a time of a channel
	lines   map[string]int               // where a title stood before in the list
	nobody  map[string]int               // names that nobody here has, with how often they stand
	states  map[string]int               // that rows name, in small letters, likewise
	unclear string                       // the first figure that can be read in two ways
	slots   map[channelDay]int           // when a channel's slot of a day goes out, as it is asked for
	figureReader
}

type channelDay struct {
	channel ref.Channel
	on      day.Date
}

type slotTime struct {
	channel ref.Channel
	at      day.Moment
}

func newReader(b *newsroom.Setup, d ref.Desk, by ref.Person, now day.Moment, kind bring.Kind, plan BringPlan, ideas []*shelved, pieces []*newsroom.Entry) *reader {
	r := &reader{b: b, desk: d, by: by, now: now, kind: kind, plan: plan, ideas: map[string]*shelved{}, pieces: map[string][]*newsroom.Entry{}, taken: map[slotTime]string{}, lines: map[string]int{}, slots: map[channelDay]int{}, nobody: map[string]int{}, states: map[string]int{}}
	for _, i := range ideas {
		if i.DeskID != d {
			continue
		}
		if k := bring.Same(i.Title); k != "" {
			r.ideas[k] = i
		}
		if kind == bring.Phrases && i.Phrase != "" {
			r.ideas["phrase "+bring.Same(i.Phrase)] = i
		}
	}
	for _, e := range pieces {
		if e.DeskID != d {
			continue
		}
		k := bring.Same(e.Title)
		r.pieces[k] = append(r.pieces[k], e)
		if e.GoesOut > now && e.Stage != relay.Withdrawn {
			r.taken[slotTime{e.ChannelID, e.GoesOut}] = e.Title
		}
	}
	return r
}

// read says what becomes of each row of a table.
func (r *reader) read(t bring.Table) []BringRow {
	out := make([]BringRow, len(t.Rows))
	for i, cells := range t.Rows {
		row := r.plan.Columns.Read(cells)
		for key, typed := range row {
			if r.isFigure(key) {
				row[key] = r.figure(typed)
			}
		}
		out[i] = BringRow{Line: t.Lines[i], Title: english.Cut(row["title"], 120), Fate: RowNew}
		switch r.kind {
		case bring.Lineup:
			r.piece(&out[i], row)
		case bring.History:
			r.past(&out[i], row)
		case bring.Figures:
			r.figures(&out[i], row)
		default:
			r.thought(&out[i], row)
		}
	}
	return out
}

// figure gives a figure as it is meant, and notes the first that can be read in two ways.
func (r *reader) figure(typed string) string {
	if _, err := figure.Read(typed); r.unclear == "" && errors.As(err, new(*figure.Unclear)) {
		r.unclear = typed
	}
	if r.plan.Mark == "" {
		return typed
	}
	return figure.Meant(typed, r.plan.Mark)
}

// isFigure reports whether a field of a row is a figure.
func (r *reader) isFigure(key string) bool {
	return bring.IsFigure(key) || slices.ContainsFunc(r.b.Measures, func(m store.Measure) bool { return measureKey(m) == key }) ||
		slices.ContainsFunc(r.b.Fields, func(f store.Field) bool {
			return (f.Kind == field.Number || f.Kind == field.Money) && fieldKey(f) == key
		})
}

func (x *BringRow) is(f Fate, text string, args ...any) {
	x.Fate, x.Says = f, fmt.Sprintf(text, args...)
}

// thought reads a row as an idea.
func (r *reader) thought(x *BringRow, row bring.Row) {
	i := idea.Idea{DeskID: r.desk, Title: row["title"], Notes: row["notes"], Links: linesOf(row["links"]), Origin: row["origin"], Tags: row["tags"], Phrase: row["phrase"], Source: sourceOf(row["source"])}
	if r.kind == bring.Phrases {
		i.Source = idea.Research
		if i.Title == "" {
			i.Title = english.UpperFirst(i.Phrase)
		}
		if x.Title = english.Cut(i.Title, 120); i.Phrase == "" {
			x.is(RowBad, "There is no search phrase in this row.")
			return
		}
	}
	if i.Origin == "" && i.Source == idea.Own && row["source"] != "" {
		i.Origin = row["source"]
	}
	for _, n := range []struct {
		key, name string
		into      *int
		scale     bool
	}{{"volume", "how often it is looked for", &i.Volume, false}, {"difficulty", "the difficulty", &i.Difficulty, false}, {"reach", "reach", &i.Reach, true}, {"fit", "fit", &i.Fit, true}, {"effort", "effort", &i.Effort, true}} {
		v, ok := row[n.key]
		if !ok {
			continue
		}
		read := bring.Whole
		if n.scale {
			read = bring.Scale
		}
		var err error
		if *n.into, err = read(v); err != nil {
			x.is(RowBad, "%s", figureBad(err, v, " for "+n.name+map[bool]string{true: "; 1 to 5 is", false: ""}[n.scale]))
			return
		}
	}
	is, err := i.Check()
	if err != nil {
		x.is(RowBad, "%s", err.Error())
		return
	}
	x.idea = is
	key := bring.Same(is.Title)
	if r.kind == bring.Phrases {
		key = "phrase " + bring.Same(is.Phrase)
	}
	if line, ok := r.lines[key]; ok {
		x.is(RowSame, "It stands in row %d already.", line)
		return
	}
	r.lines[key] = x.Line
	if known := r.ideas[key]; known != nil {
		if addsTo(is, known.Idea) {
			x.is(RowClash, "It is an idea already, of %s, and this row says more or something else.", r.b.Name(known.By))
		} else {
			x.is(RowSame, "It is an idea already, of %s.", r.b.Name(known.By))
		}
		return
	}
	if p := newsroom.FirstOf(r.pieces[bring.Same(is.Title)]); p != nil {
		x.is(RowClash, "There is a piece of this title, No. %d, %s.", p.Number, english.LowerFirst(newsroom.SayPace(p.Standing)))
	}
}

// addsTo reports whether an idea says something that another of the same title does not.
func addsTo(is, known idea.Idea) bool {
	for _, p := range [][2]string{{is.Notes, known.Notes}, {is.Links, known.Links}, {is.Phrase, known.Phrase}, {is.Origin, known.Origin}} {
		if p[0] != "" && p[0] != p[1] {
			return true
		}
	}
	for _, p := range [][2]int{{is.Volume, known.Volume}, {is.Difficulty, known.Difficulty}, {is.Reach, known.Reach}, {is.Fit, known.Fit}, {is.Effort, known.Effort}} {
		if p[0] != 0 && p[0] != p[1] {
			return true
		}
	}
	return slices.ContainsFunc(is.TagList(), func(t string) bool { return !slices.Contains(known.TagList(), t) })
}

// linesOf puts addresses that stand in one cell on a line each.
func linesOf(cell string) string {
	return strings.Join(strings.FieldsFunc(cell, func(r rune) bool { return r == '\n' || r == ' ' || r == ';' || r == ',' }), "\n")
}

// sourceOf gives the source that a cell names, one's own thought for another.
func sourceOf(cell string) idea.Source {
	for _, x := range idea.Sources {
		if strings.EqualFold(cell, string(x.Source)) || strings.EqualFold(cell, x.Name) || strings.EqualFold("a "+cell, x.Name) {
			return x.Source
		}
	}
	return idea.Own
}

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

// figureBad says what is wrong with a figure in a row: how it could be read, or that it is none.
func figureBad(err error, typed, of string) string {
	var unclear *figure.Unclear
	if errors.As(err, &unclear) {
		return english.UpperFirst(unclear.Error()) + "."
	}
	return fmt.Sprintf("“%s” is no number%s.", english.Cut(typed, 40), of)
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
