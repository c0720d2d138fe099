package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// Desk is a publication with its own calendar.
type Desk struct {
	ID          ref.Desk
	Name        string
	Zone        string
	Weekdays    string // seven of 0 and 1, Sunday first
	Country     string
	Margin      int
	QuietAfter  int
	NoRoom      int
	PassBy      relay.PassBy
	Goal        int  // slots that are to be covered by finished pieces
	DatesLocked bool // only leads change dates
	DaysAsked   bool // days off are asked for, and entered by leads
	WeighReach  int  // how much it makes of reach, fit and little effort of an idea; all 0 is the usual
	WeighFit    int
	WeighEffort int
	HoldMost    int    // legs a freelancer may hold when taking one; 0 is any number
	LoseAfter   int    // working days without a record after which a taken leg goes back; 0 never
	Money       string // how fees are written, like £
	Currency    string // by ISO 4217; none has two decimals
	Rounding    fee.Rounding
	UnusedShare int    // per cent owed for work that is not used
	ReworkShare int    // per cent owed each time work comes back; 0 is not paid
	PayWithin   int    // days from a statement to its payment
	Language    string // of its spelling, as in BCP 47
	OwnWords    string // that are spelt right here, a line each
	HouseStyle  string // "not → say (why)", a line each
	AskAfter    int    // days after release that it is asked how a piece with an aim did; 0 never
	OwnHosts    string // addresses of its own people, whose visits are none, a line each
	PeopleOpen  bool   // everybody on it sees the figures of people
	Announce    string // where it says that pieces are out, JSON
	Retired     bool
}

// Week gives the weekdays the desk works.
func (d Desk) Week() day.Weekdays {
	var w day.Weekdays
	for i := range w {
		w[i] = i < len(d.Weekdays) && d.Weekdays[i] == '1'
	}
	return w
}

// Holiday is a day off of a desk's own.
type Holiday struct {
	DeskID ref.Desk
	Date   day.Date
	Name   string
}

// Channel is where pieces go out.
type Channel struct {
	ID        ref.Channel
	DeskID    ref.Desk
	Name      string
	Slug      string
	PartnerID ref.Partner // whose pieces go out there
	Rests     day.Rest    // what becomes of its slots on days off
	Asks      string      // what it asks of a release sheet, JSON
	Outlet    string      // by what its pieces get there, JSON
	Retired   bool
}

// Slot is a recurring time of a channel.
type Slot struct {
	ID        ref.Slot
	ChannelID ref.Channel
	Rule      string
	Start     day.Date
	At        int
	Retired   bool
}

// Person is somebody with a part in the house.
type Person struct {
	ID        ref.Person
	Name      string
	Initials  string
	Mail      string
	Password  string
	Access    relay.Access
	Does      string
	Hours     string // minutes a day, Sunday first, with commas
	Sessions  int
	Retired   bool
	Guest     bool // is asked by private link only; has no account
	PartnerID ref.Partner
	QuietFrom int // minutes after midnight
	QuietTo   int
	QuietOff  bool // neither on days off
	DigestAt  int
	Digested  day.Moment
	BarredAt  day.Moment // since when they can no longer sign in
	Otp       string     // the secret of their one-time codes
	OtpUsed   int64
	PayWithin int        // days from a statement to its payment; 0 is as the desk has it
	Duties    string     // what else they may do, with commas: see relay.Duty
	Roles     []string   `db:"-"`
	Desks     []ref.Desk `db:"-"`
}

// SignsIn reports whether somebody is there who can sign in.
func (p Person) SignsIn() bool { return p.ID != 0 && !p.Retired && !p.Guest && p.BarredAt == 0 }

// Named gives what somebody is named for besides what their kind of person may do.
func (p Person) Named() []relay.Duty {
	var out []relay.Duty
	for s := range strings.SplitSeq(p.Duties, ",") {
		if s != "" {
			out = append(out, relay.Duty(s))
		}
	}
	return out
}

// Minutes gives the minutes worked on each day of the week, Sunday first.
func (p Person) Minutes() [7]int {
	var out [7]int
	for i, s := range strings.Split(p.Hours, ",") {
		if n, err := strconv.Atoi(s); err == nil && i < 7 {
			out[i] = n
		}
	}
	return out
}

// Absence is a run of days somebody is away, both ends included.
type Absence struct {
	ID       ref.Absence
	PersonID ref.Person
	FromDay  day.Date
	ToDay    day.Date
	Note     string
	StandIn  ref.Person // who says yes or no for them meanwhile
}

// Format is a kind of piece.
type Format struct {
	ID        ref.Format
	DeskID    ref.Desk
	ChannelID ref.Channel // where its pieces go out unless something else is said
	Channels  string      // where they can go out, that one among them: ids with commas between; none for any of the desk
	Name      string
	WordsFrom int
	WordsTo   int
	BriefForm string // what is asked of a brief, JSON
	Checks    string // what is made of the checks, JSON
	Outline   string // with which its copies begin, JSON
	Titled    bool   // a title is chosen before the writing begins
	Wordless  bool   // its pieces go out without words
	Retired   bool
	Priority  relay.Priority // of its pieces, unless somebody says otherwise when they are made; so are the next two
	Owner     ref.Person     // 0 is whoever makes it
	Answers   string         // to extra fields, JSON by their ids
}

// UsualAnswers gives the answers to extra fields with which pieces of a format begin.
func (f Format) UsualAnswers() map[ref.Field]string {
	var out map[ref.Field]string
	if json.Unmarshal([]byte(f.Answers), &out) != nil { // none are set
		return nil
	}
	return out
}

// Route is one version of the way of a format.
type Route struct {
	ID       ref.Route
	FormatID ref.Format
	Version  int
	Way      route.Route `db:"-"`
}

// Reference is everything that is set up rather than run.
type Reference struct {
	Desks     []Desk
	Holidays  []Holiday
	Channels  []Channel
	Slots     []Slot
	People    []Person
	Absences  []Absence
	Formats   []Format
	Fields    []Field
	Topics    []Topic
	Campaigns []Campaign
	Routes    []Route
	Rules     []Rule
	Partners  []Partner
	Told      []Told
	Hooks     []Hook
	Receivers []Receiver
	Wordings  []Wording
	Measures  []Measure
	Rates     []Rate
	Budgets   []Budget
}

// LoadReference reads all that is set up.
func LoadReference(ctx context.Context, r Reader) (Reference, error) {
	var all Reference
	for _, q := range []struct {
		into any
		sql  string
	}{
		{&all.Desks, "SELECT * FROM desk ORDER BY id"},
		{&all.Holidays, "SELECT * FROM holiday ORDER BY date"},
		{&all.Channels, "SELECT * FROM channel ORDER BY id"},
		{&all.Slots, "SELECT * FROM slot ORDER BY id"},
		{&all.People, "SELECT * FROM person ORDER BY name"},
		{&all.Absences, "SELECT * FROM absence ORDER BY from_day"},
		{&all.Formats, "SELECT * FROM format ORDER BY id"},
		{&all.Fields, "SELECT * FROM field ORDER BY format_id, position, id"},
		{&all.Topics, "SELECT * FROM topic ORDER BY id"},
		{&all.Campaigns, "SELECT * FROM campaign ORDER BY from_day, id"},
		{&all.Measures, "SELECT * FROM measure ORDER BY main DESC, name, id"},
		{&all.Rates, "SELECT * FROM rate WHERE retired = 0 ORDER BY id"},
		{&all.Budgets, "SELECT * FROM budget WHERE retired = 0 ORDER BY id"},
		{&all.Partners, "SELECT * FROM partner ORDER BY name"},
		{&all.Told, "SELECT * FROM person_told"},
		{&all.Hooks, "SELECT * FROM hook WHERE retired = 0 ORDER BY id"},
		{&all.Receivers, "SELECT * FROM receiver WHERE retired = 0 ORDER BY id"},
		{&all.Wordings, "SELECT * FROM wording"},
		{&all.Rules, "SELECT * FROM rule WHERE retired = 0 ORDER BY desk_id, position, id"},
	} {
		if err := r.Select(ctx, q.into, q.sql); err != nil {
			return all, fmt.Errorf("read the set-up: %w", err)
		}
	}
	if err := all.loadMembers(ctx, r); err != nil {
		return all, err
	}
	var routes []struct {
		Route
		Legs string
	}
	if err := r.Select(ctx, &routes, "SELECT * FROM route ORDER BY format_id, version"); err != nil {
		return all, fmt.Errorf("read the routes: %w", err)
	}
	for _, x := range routes {
		if err := json.Unmarshal([]byte(x.Legs), &x.Way); err != nil {
			return all, fmt.Errorf("read route %d: %w", x.ID, err)
		}
		all.Routes = append(all.Routes, x.Route)
	}
	return all, nil
}

func (all *Reference) loadMembers(ctx context.Context, r Reader) error {
	var roles []struct {
		PersonID ref.Person
		Role     string
	}
	var desks []struct {
		PersonID ref.Person
		DeskID   ref.Desk
	}
	if err := r.Select(ctx, &roles, "SELECT * FROM person_role ORDER BY role"); err != nil {
		return fmt.Errorf("read the roles: %w", err)
	}
	if err := r.Select(ctx, &desks, "SELECT * FROM person_desk ORDER BY desk_id"); err != nil {
		return fmt.Errorf("read the desks' people: %w", err)
	}
	at := map[ref.Person]*Person{}
	for i := range all.People {
		at[all.People[i].ID] = &all.People[i]
	}
	for _, x := range roles {
		at[x.PersonID].Roles = append(at[x.PersonID].Roles, x.Role)
	}
	for _, x := range desks {
		at[x.PersonID].Desks = append(at[x.PersonID].Desks, x.DeskID)
	}
	return nil
}

// AddDesk stores a desk and gives its id.
func (t *Tx) AddDesk(ctx context.Context, d Desk) (ref.Desk, error) {
	if d.Rounding == "" { // nobody said how it pays yet
		d.Rounding, d.UnusedShare, d.PayWithin = fee.Even, 50, 30
	}
	return put[ref.Desk](ctx, t, "desk", d, deskColumns...)
}

// SaveDesk stores a desk as it is now.
func (t *Tx) SaveDesk(ctx context.Context, d Desk) error {
	return set(ctx, t, "desk", d, d.ID, deskColumns...)
}

// SaveAnnounce stores where a desk says that pieces are out.
func (t *Tx) SaveAnnounce(ctx context.Context, d Desk) error {
	return set(ctx, t, "desk", d, d.ID, "announce")
}

var deskColumns = []string{"name", "zone", "weekdays", "country", "margin", "quiet_after", "no_room", "pass_by", "goal", "dates_locked", "days_asked", "weigh_reach", "weigh_fit", "weigh_effort", "hold_most", "lose_after", "money", "currency", "rounding", "unused_share", "rework_share", "pay_within", "language", "own_words", "house_style", "ask_after", "own_hosts", "people_open", "retired"}

// AddHoliday stores a day off of a desk.
func (t *Tx) AddHoliday(ctx context.Context, h Holiday) error {
	_, err := put[int64](ctx, t, "holiday", h, "desk_id", "date", "name")
	return err
}

// DropHoliday takes a desk's own day off away.
func (t *Tx) DropHoliday(ctx context.Context, desk ref.Desk, date day.Date) error {
	_, err := t.Exec(ctx, "DELETE FROM holiday WHERE desk_id = ? AND date = ?", desk, date)
	return err
}

// AddChannel stores a channel and gives its id.
func (t *Tx) AddChannel(ctx context.Context, c Channel) (ref.Channel, error) {
	return put[ref.Channel](ctx, t, "channel", c, "desk_id", "name", "slug", "partner_id", "rests")
}

// SaveChannel stores a channel as it is now; its address stays.
func (t *Tx) SaveChannel(ctx context.Context, c Channel) error {
	return set(ctx, t, "channel", c, c.ID, "name", "partner_id", "rests", "retired")
}

// SaveAsks stores what a channel asks of the sheet of a piece.
func (t *Tx) SaveAsks(ctx context.Context, c Channel) error {
	return set(ctx, t, "channel", c, c.ID, "asks")
}

// SaveOutlet stores by what the pieces of a channel get there.
func (t *Tx) SaveOutlet(ctx context.Context, c Channel) error {
	return set(ctx, t, "channel", c, c.ID, "outlet")
}

// AddSlot stores a slot.
func (t *Tx) AddSlot(ctx context.Context, s Slot) error {
	_, err := put[int64](ctx, t, "slot", s, "channel_id", "rule", "start", "at")
	return err
}

// SaveSlot stores a slot as it is now.
func (t *Tx) SaveSlot(ctx context.Context, s Slot) error {
	return set(ctx, t, "slot", s, s.ID, "rule", "start", "at", "retired")
}

// AddPerson stores a person with roles and desks and gives their id.
func (t *Tx) AddPerson(ctx context.Context, p Person) (ref.Person, error) {
	id, err := put[ref.Person](ctx, t, "person", p, "name", "initials", "mail", "password", "access", "does", "hours", "guest", "partner_id", "pay_within", "duties")
	if err != nil {
		return 0, err
	}
	return id, t.setMemberships(ctx, id, p)
}

// SavePerson stores a person with roles and desks as they are now, but for the password.
func (t *Tx) SavePerson(ctx context.Context, p Person) error {
	if err := set(ctx, t, "person", p, p.ID, "name", "initials", "mail", "access", "does", "hours", "partner_id", "pay_within", "duties", "retired"); err != nil {
		return err
	}
	return t.setMemberships(ctx, p.ID, p)
}

func (t *Tx) setMemberships(ctx context.Context, id ref.Person, p Person) error {
	for _, table := range []string{"person_role", "person_desk"} {
		if _, err := t.Exec(ctx, "DELETE FROM "+table+" WHERE person_id = ?", id); err != nil {
			return fmt.Errorf("clear %s: %w", table, err)
		}
	}
	for _, r := range p.Roles {
		if _, err := t.Exec(ctx, "INSERT INTO person_role (person_id, role) VALUES (?, ?)", id, r); err != nil {
			return fmt.Errorf("store role: %w", err)
		}
	}
	for _, d := range p.Desks {
		if _, err := t.Exec(ctx, "INSERT INTO person_desk (person_id, desk_id) VALUES (?, ?)", id, d); err != nil {
			return fmt.Errorf("store desk of person: %w", err)
		}
	}
	return nil
}

// PutPassword gives a person another password.
func (t *Tx) PutPassword(ctx context.Context, person ref.Person, hash string) error {
	_, err := t.Exec(ctx, "UPDATE person SET password = ? WHERE id = ?", hash, person)
	return err
}

// SetPassword gives a person another password and signs them out everywhere.
func (t *Tx) SetPassword(ctx context.Context, person ref.Person, hash string) error {
	_, err := t.Exec(ctx, "UPDATE person SET password = ?, sessions = sessions + 1 WHERE id = ?", hash, person)
	return err
}

// EndSessions signs a person out everywhere.
func (t *Tx) EndSessions(ctx context.Context, person ref.Person) error {
	_, err := t.Exec(ctx, "UPDATE person SET sessions = sessions + 1 WHERE id = ?", person)
	return err
}

// AddAbsence stores days away and gives their id.
func (t *Tx) AddAbsence(ctx context.Context, a Absence) (ref.Absence, error) {
	return put[ref.Absence](ctx, t, "absence", a, "person_id", "from_day", "to_day", "note", "stand_in")
}

// DropAbsence takes days away back.
func (t *Tx) DropAbsence(ctx context.Context, id ref.Absence) error {
	_, err := t.Exec(ctx, "DELETE FROM absence WHERE id = ?", id)
	return err
}

// UnfinishedOf counts the legs of a desk's pieces under way that a person has and
// that are not over.
func UnfinishedOf(ctx context.Context, r Reader, person ref.Person, desk ref.Desk) (int, error) {
	var n int
	err := r.Get(ctx, &n, `SELECT COUNT(*) FROM leg JOIN piece ON piece.id = leg.piece_id
		WHERE leg.holder = ? AND leg.state IN ('running', 'waiting') AND (piece.stage = 'running' OR piece.stage = 'out' AND leg.later = 1) AND piece.desk_id = ?`, person, desk)
	return n, err
}

// SetStandIn says who stands in for somebody while they are away.
func (t *Tx) SetStandIn(ctx context.Context, absence ref.Absence, person ref.Person) error {
	_, err := t.Exec(ctx, "UPDATE absence SET stand_in = ? WHERE id = ?", person, absence)
	return err
}

// PersonAt reads somebody as they are stored, without roles and desks.
func PersonAt(ctx context.Context, r Reader, id ref.Person) (Person, error) {
	var p Person
	err := r.Get(ctx, &p, "SELECT * FROM person WHERE id = ?", id)
	return p, err
}
