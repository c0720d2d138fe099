package store

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// movedTable says how a table goes along when a desk moves out: its rows are those whose column
// by names a row of another table that goes along, or the desk itself.
type movedTable struct {
	name, by, of string
	or           string // a second column and its table, like "campaign_id campaign", where a row is of one of two
	says         string // what it holds, for who opens the folder
}

// movedTables is everything of a desk, in the order in which somebody who opens the folder reads it.
var movedTables = []movedTable{
	{"desk", "id", "desk", "", "the desk: its calendar, its words, how it pays"},
	{"holiday", "desk_id", "desk", "", "days off of its own"},
	{"partner", "desk_id", "desk", "", "partners it works for"},
	{"channel", "desk_id", "desk", "", "where pieces go out, and by what they get there"},
	{"slot", "channel_id", "channel", "", "recurring times of channels (RFC 5545 rules)"},
	{"person", "", "", "", "everybody with a part in it, or named in what follows"},
	{"person_role", "person_id", "person", "", "the roles people run"},
	{"person_desk", "desk_id", "desk", "", "who is on the desk"},
	{"person_told", "person_id", "person", "", "how people are told of what"},
	{"absence", "person_id", "person", "", "days off of people"},
	{"format", "desk_id", "desk", "", "kinds of pieces"},
	{"route", "format_id", "format", "", "the ways of formats, each version of them, as JSON"},
	{"field", "format_id", "format", "", "extra fields of formats"},
	{"guide", "format_id", "format", "", "guides of formats, each version"},
	{"topic", "desk_id", "desk", "", "topics"},
	{"campaign", "desk_id", "desk", "", "campaigns"},
	{"measure", "desk_id", "desk", "", "what figures measure"},
	{"rule", "desk_id", "desk", "", "house rules, as JSON"},
	{"rule_run", "rule_id", "rule", "", "what house rules did"},
	{"rule_turn", "rule_id", "rule", "", "what house rules have done once for a piece"},
	{"hook", "desk_id", "desk", "", "chats that are told, switched off, without their secrets"},
	{"receiver", "desk_id", "desk", "", "programs that are told, switched off, without their secrets"},
	{"wording", "desk_id", "desk", "", "words of messages that the desk changed"},
	{"view", "desk_id", "desk", "", "kept views"},
	{"sketch", "desk_id", "desk", "", "sketches of the plan, as JSON"},
	{"form", "desk_id", "desk", "", "forms for requests"},
	{"reader", "channel_id", "channel", "", "who subscribed to a letter"},
	{"regular", "desk_id", "desk", "", "pieces that come again"},
	{"regular_date", "regular_id", "regular", "", "what became of the days of regulars"},
	{"goal", "desk_id", "desk", "", "goals of quarters"},
	{"batch", "desk_id", "desk", "", "lists that were brought in"},
	{"piece", "desk_id", "desk", "", "the pieces"},
	{"leg", "piece_id", "piece", "", "the legs of pieces, as they are now"},
	{"leg_run", "piece_id", "piece", "", "legs that were run: from when to when, by whom, with what end"},
	{"step", "piece_id", "piece", "", "steps of legs"},
	{"own_step", "desk_id", "desk", "", "steps that belong to no leg"},
	{"lack", "piece_id", "piece", "", "what was missing, and of whom it was wanted"},
	{"promise", "piece_id", "piece", "", "the day a piece had when its first leg began"},
	{"field_value", "piece_id", "piece", "", "answers to extra fields"},
	{"brief", "piece_id", "piece", "", "briefs, each version, as JSON"},
	{"finding", "piece_id", "piece", "", "research of pieces"},
	{"candidate", "piece_id", "piece", "", "titles and pictures that were proposed"},
	{"vote", "candidate_id", "candidate", "", "votes on them"},
	{"copy", "piece_id", "piece", "", "copies, each version, as operations in JSON; in words they are in pieces/"},
	{"copy_edit", "piece_id", "piece", "", "each edit of copies, as operations in JSON"},
	{"copy_read", "piece_id", "piece", "", "how far people have read copies"},
	{"aside", "piece_id", "piece", "", "copies that were set aside by older releases"},
	{"file", "piece_id", "piece", "request_id request", "files, each of which is in files/ under the name in the last column"},
	{"file_small", "file_id", "file", "", "pictures made smaller, likewise"},
	{"picture", "piece_id", "piece", "", "which files are pictures of which pieces"},
	{"attachment", "piece_id", "piece", "", "attachments"},
	{"attachment_version", "attachment_id", "attachment", "", "their versions"},
	{"query", "piece_id", "piece", "", "queries about copies, pictures and pieces"},
	{"answer", "query_id", "query", "", "answers to them"},
	{"reviewer", "piece_id", "piece", "", "who was asked about a piece"},
	{"verdict", "piece_id", "piece", "", "what they said, with the hash of the copy they read"},
	{"release_sheet", "piece_id", "piece", "", "what goes with a piece when it goes out"},
	{"printing", "piece_id", "piece", "", "pieces as they went out, as JSON"},
	{"delivery", "piece_id", "piece", "", "where pieces are, and where they are to be"},
	{"site_page", "piece_id", "piece", "", "pages of the shipped site"},
	{"short_link", "piece_id", "piece", "", "short addresses, and how often they were followed"},
	{"idea", "desk_id", "desk", "", "ideas"},
	{"pitch", "desk_id", "desk", "", "pitches"},
	{"request", "desk_id", "desk", "", "requests"},
	{"word", "request_id", "request", "", "what was written about them"},
	{"aim", "piece_id", "piece", "campaign_id campaign", "aims of pieces and campaigns"},
	{"outcome", "piece_id", "piece", "campaign_id campaign", "what was learnt of them"},
	{"figure", "measure_id", "measure", "", "figures, by piece, measure, day and source"},
	{"figure_sum", "measure_id", "measure", "", "sums of figures, by piece"},
	{"figure_month", "measure_id", "measure", "", "sums of figures, by month"},
	{"follow", "piece_id", "piece", "", "who follows a piece, or mutes it"},
	{"inbox", "piece_id", "piece", "", "what people were told"},
	{"rate", "desk_id", "desk", "", "rates of pay"},
	{"fee", "desk_id", "desk", "", "fees, in whole smallest units of their currency"},
	{"statement", "desk_id", "desk", "", "statements of fees"},
	{"statement_line", "statement_id", "statement", "", "their lines"},
	{"budget", "desk_id", "desk", "", "budgets"},
	{"cost", "desk_id", "desk", "", "other costs"},
	{"setting", "", "", "", "what else is set: for how long things are kept, who is meant by a name"},
	{"logbook", "desk_id", "desk", "", "what was done, by whom and why; each entry has the hash of the one before"},
}

// stays are the tables of which nothing goes along, and why.
var stays = map[string]string{
	"calendar": "secret addresses", "token": "secrets", "once": "what programs asked of late", "link": "private links", "session": "who is signed in", "visit": "who was signed in", "device": "devices on which somebody signed in",
	"guess": "guesses at passwords", "outbox": "messages on their way", "room_mail": "mail of the demo", "letter": "mail on its way", "link_tried": "what links answered of late", "undo": "what could be taken back of late",
	"copy_words": "made again from the copies", "query_words": "made again from the queries",
}

// blanked is what goes along in the place of what is secret, or would act by itself elsewhere.
var blanked = map[string]string{
	"person.password": "''", "person.otp": "''", "person.otp_used": "0", "hook.secret": "''", "hook.is_on": "0", "receiver.secret": "''", "receiver.is_on": "0",
	"channel.outlet": "CASE WHEN json_valid(outlet) THEN json_remove(outlet, '$.secret') ELSE outlet END", "file.data": "''", "file_small.data": "''",
}

// movedSettings are the beginnings of the names of settings that go along; secrets do not.
var movedSettings = []string{"keep ", "month of desk ", "names meant on desk "}

// dayColumns hold days and timeColumns moments; they go out as ISO 8601 writes them.
var dayColumns = columnsIn(`absence from_day to_day; aim by_day; campaign from_day to_day; cost day; fee accepted_day; figure day; figure_month month; figure_sum from_day to_day;
	goal quarter; holiday date; idea until; leg due pin not_before start_day end_day held_day; leg_run start_day end_day; own_step day told_day; piece next_due worked_out; pitch month; promise day moved_to;
	regular made_day since; regular_date key; request wanted; slot start; statement due_day made_day month paid_day; statement_line day`)

var timeColumns = columnsIn(`answer at; attachment_version at; aside at settled_at; batch at; brief at; candidate at chosen_at; copy at; copy_edit at; copy_read at; delivery at next_at since; fee accepted_at agreed_at checked_at; figure at; file at; finding at; guide at;
	idea caught_at settled_at; inbox aside_at at read_at; lack at; leg started_at touched_at taken_at; leg_run started_at ended_at; logbook at; outcome at; own_step at done_at; person barred_at digested; piece goes_out created_at out_at missed_at could_go_out scheduled_for warned_for corrects;
	pitch answered_at at; printing at; query at heard_at settled_at; reader since stopped_at; request at settled_at; reviewer asked_at ends opened_at revoked_at; rule since; rule_run at; rule_turn at; short_link last_at; site_page published updated; sketch at; statement made_at; step done_at; verdict at; word at`)

// columnsIn reads "table column column; table column" into table.column.
func columnsIn(list string) map[string]bool {
	out := map[string]bool{}
	for one := range strings.SplitSeq(list, ";") {
		f := strings.Fields(one)
		for _, c := range f[1:] {
			out[f[0]+"."+c] = true
		}
	}
	return out
}

// goesAlong gives how a table goes along, and whether it does.
func goesAlong(table string) (movedTable, bool) {
	i := slices.IndexFunc(movedTables, func(m movedTable) bool { return m.name == table })
	if i < 0 {
		return movedTable{}, false
	}
	return movedTables[i], true
}

// mover works out which rows of a house are of a desk.
type mover struct {
	desk   int64
	only   bool   // it is the only desk, so that all is of it
	people string // the ids of its people, with commas
}

// which gives the condition by which the rows of a table are of the desk.
func (m mover) which(t movedTable) string {
	switch {
	case t.name == "setting":
		var all []string
		for _, begins := range movedSettings {
			if strings.Contains(begins, "desk") { // of one desk
				begins += fmt.Sprintf("%d", m.desk)
				all = append(all, fmt.Sprintf("name = '%s' OR name GLOB '%s *'", begins, begins))
			} else {
				all = append(all, fmt.Sprintf("name GLOB '%s*'", begins))
			}
		}
		return "(" + strings.Join(all, " OR ") + ")"
	case m.only:
		return "1"
	case t.name == "person":
		return "id IN (" + m.people + ")"
	case t.of == "person": // what is known of those who are named only is not the desk's
		return fmt.Sprintf("%s IN (SELECT person_id FROM person_desk WHERE desk_id = %d)", t.by, m.desk)
	}
	says := m.among(t.by, t.of)
	if column, of, ok := strings.Cut(t.or, " "); ok {
		says = fmt.Sprintf("(%s OR %s)", says, m.among(column, of))
	}
	return says
}

// among gives the condition that a column names a row of a table that goes along.
func (m mover) among(column, table string) string {
	switch table {
	case "desk":
		return fmt.Sprintf("%s = %d", column, m.desk)
	case "person":
		return column + " IN (" + m.people + ")"
	}
	t, _ := goesAlong(table)
	return fmt.Sprintf("%s IN (SELECT id FROM %s WHERE %s)", column, table, m.which(t))
}

// is gives what goes along of a column: what it holds, or nothing where that is secret or of a row that
// stays.
func (m mover) is(column, to string) string {
	name := nameOf(column)
	quoted := `"` + name + `"`
	if says := blanked[column]; says != "" {
		return says
	}
	if tableOf(column) == "person" && !m.only {
		switch name {
		case "mail": // theirs, and not of this desk
			return fmt.Sprintf("CASE WHEN guest = 1 OR %s THEN mail ELSE 'person-' || id || '@elsewhere.invalid' END", m.onDesk())
		case "does", "hours":
			return fmt.Sprintf("CASE WHEN guest = 1 OR %s THEN %s ELSE '' END", m.onDesk(), name)
		case "retired":
			return fmt.Sprintf("CASE WHEN guest = 1 OR %s THEN retired ELSE 1 END", m.onDesk())
		}
	}
	if to == "" {
		return quoted
	}
	if t, along := goesAlong(to); !along {
		return "0"
	} else if m.only || t.name == "" {
		return quoted
	}
	return fmt.Sprintf("CASE WHEN %s THEN %s ELSE 0 END", m.among(quoted, to), quoted)
}

func (m mover) onDesk() string {
	return fmt.Sprintf("EXISTS (SELECT 1 FROM person_desk d WHERE d.person_id = person.id AND d.desk_id = %d)", m.desk)
}

// column is one of a table.
type column struct {
	Name string
	To   string // the table that it points at
	Must bool   // by a foreign key, which is never 0
}

// pointing gives the condition that what a row must point at goes along.
func (m mover) pointing(t movedTable, columns []column) string {
	says := []string{m.which(t)}
	for _, c := range columns {
		if c.Must && c.Name != t.by && c.To != "person" && !m.only {
			says = append(says, m.among(`"`+c.Name+`"`, c.To))
		}
	}
	return strings.Join(says, " AND ")
}

// order gives the columns by which the rows of a table are sorted: those of its key.
func order(keys []string) string {
	return cmp.Or(strings.Join(keys, ", "), "rowid")
}
