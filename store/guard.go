package store

import (
	"context"
	"database/sql"
	"fmt"
	"maps"
	"slices"
	"strings"

	"greenbaton/core/bring"
	"greenbaton/core/day"
	"greenbaton/core/fee"
	"greenbaton/core/field"
	"greenbaton/core/idea"
	"greenbaton/core/measure"
	"greenbaton/core/notification"
	"greenbaton/core/query"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/core/route"
)

// What the tables themselves do not hold to is held to by triggers that are made from the
// lists below whenever a data file is opened: a column that is 0 for none cannot be a foreign
// key, and a check cannot be added to a table that is there. Rows of before are left as they
// are; only what is written is refused.

// references are the columns that hold the id of a row of another table, or 0 for none.
var references = map[string]string{
	"absence.stand_in": "person", "answer.by": "person", "answer.file_id": "file", "attachment_version.by": "person",
	"batch.by": "person", "brief.by": "person", "candidate.file_id": "file", "candidate.by": "person", "candidate.chosen_by": "person",
	"channel.partner_id": "partner", "copy.by": "person", "copy_edit.by": "person", "file.piece_id": "piece", "file.request_id": "request", "file.by": "person",
	"finding.about": "finding", "finding.file_id": "file", "finding.by": "person", "form.format": "format", "format.owner": "person", "guide.example": "piece", "guide.by": "person",
	"idea.piece_id": "piece", "idea.by": "person", "idea.settled_by": "person", "idea.batch_id": "batch", "inbox.piece_id": "piece",
	"lack.of_person": "person", "lack.by": "person", "leg.holder": "person", "leg_run.holder": "person", "outbox.piece_id": "piece", "outbox.person_id": "person", "person.partner_id": "partner",
	"piece.topic_id": "topic", "piece.campaign_id": "campaign", "piece.from_piece": "piece", "piece.scheduled_by": "person", "piece.derived_from": "piece", "leg.makes": "format", "piece.batch_id": "batch",
	"pitch.format": "format", "pitch.idea_id": "idea", "pitch.piece_id": "piece", "pitch.by": "person", "pitch.answered_by": "person",
	"query.file_id": "file", "query.for_id": "person", "query.by": "person", "query.settled_by": "person",
	"request.person_id": "person", "request.format": "format", "request.piece_id": "piece", "request.settled_by": "person",
	"reviewer.asked_by": "person", "rule_run.piece_id": "piece", "rule_turn.piece_id": "piece", "site_page.piece_id": "piece", "step.done_by": "person",
	"undo.actor": "person", "verdict.reviewer_id": "reviewer", "verdict.person_id": "person", "verdict.by": "person", "view.owner": "person", "word.by": "person",
	"printing.by": "person", "delivery.wants": "printing", "delivery.has": "printing", "outbox.letter_id": "letter", "outbox.reader_id": "reader",
	"measure.weighed_by": "measure", "aim.piece_id": "piece", "aim.campaign_id": "campaign", "aim.measure_id": "measure", "outcome.piece_id": "piece", "outcome.campaign_id": "campaign", "outcome.by": "person",
	"goal.measure_id": "measure", "campaign.owner": "person", "own_step.piece_id": "piece", "own_step.campaign_id": "campaign", "own_step.person_id": "person", "own_step.by": "person", "own_step.done_by": "person",
	"rate.person_id": "person", "rate.format_id": "format", "fee.piece_id": "piece", "fee.checked_by": "person", "fee.statement_id": "statement", "fee.corrects": "fee", "statement.made_by": "person", "statement.paid_by": "person",
	"budget.format_id": "format", "budget.channel_id": "channel", "budget.campaign_id": "campaign", "cost.format_id": "format", "cost.channel_id": "channel", "cost.campaign_id": "campaign", "cost.by": "person",
	"regular.channel_id": "channel", "regular.owner": "person", "regular.topic_id": "topic", "regular.campaign_id": "campaign", "regular_date.piece_id": "piece",
	"calendar.view_id": "view",
}

// oneOf are the columns that hold one of a few words.
var oneOf = map[string][]string{
	"calendar.kind":      {CalendarLegs, CalendarPieces},
	"budget.span":        words(fee.Monthly, fee.Quarterly, fee.Whole),
	"desk.rounding":      words(fee.Even, fee.Commercial),
	"fee.kind":           words(fee.ForWork, fee.ForRework, fee.ForUnused, fee.Correction),
	"fee.per":            words("", fee.Word, fee.Piece, fee.Hour),
	"fee.state":          words(fee.Agreed, fee.Accepted, fee.Checked, fee.Stated),
	"rate.per":           words(fee.Word, fee.Piece, fee.Hour),
	"batch.kind":         {string(bring.Ideas), string(bring.Phrases), string(bring.Lineup), string(bring.Figures), string(bring.History)},
	"batch.state":        {LookedAt, ComingIn, In, TakenBack},
	"candidate.kind":     {ProposedTitle, ProposedPicture},
	"channel.rests":      words(day.Rests, day.Anyway, day.Before, day.After),
	"delivery.kind":      words(release.Site, release.Folder, release.Micropub, release.Request, release.Letter),
	"delivery.part":      {MainPlace, AlsoPlace, FormerPlace},
	"desk.pass_by":       {string(relay.ByHolder), string(relay.ByOwner)},
	"field.kind":         words(field.Text, field.Number, field.Money, field.Date, field.Yes, field.One, field.Several, field.Address),
	"follow.how":         {Follows, Mutes},
	"idea.state":         words(idea.Waiting, idea.Resting, idea.Used, idea.Turned),
	"leg.skip":           words(route.SkipNever, route.SkipMay, route.SkipUnless),
	"leg.state":          words(relay.Waiting, relay.Running, relay.Passed, relay.Skipped),
	"link.kind":          {LinkReview, LinkPartner, LinkPassword},
	"measure.better":     words(measure.More, measure.Fewer, measure.Neither),
	"measure.counts":     {"", Visits, Clicks},
	"measure.how":        words(measure.Added, measure.Averaged, measure.Last),
	"outcome.said":       {Worked, Partly, Failed},
	"person.access":      words(relay.Lead, relay.Staff, relay.Freelance, relay.Outside),
	"person_told.how":    words(notification.AtOnce, notification.Daily, notification.Chat, notification.Inbox),
	"piece.stage":        words(relay.UnderWay, relay.Out, relay.Withdrawn),
	"pitch.state":        {Pitched, SaidYes, SaidNo},
	"query.about":        words(query.Words, query.Picture, query.Piece),
	"regular_date.state": {RegularMade, RegularTaken, RegularPast},
	"request.state":      {Asked, AskedBack, Taken, TurnedDown},
	"reviewer.may":       {MayRead, MayComment},
	"verdict.say":        words(relay.SignedIt, relay.WithNotes, relay.NotYet),
}

// flags are the columns that hold 1 for yes and 0 for no.
var flags = []string{
	"attachment.lead", "attachment.dropped", "batch.every", "campaign.retired", "candidate.dropped", "channel.retired", "delivery.fixed", "desk.retired", "desk.dates_locked", "desk.days_asked",
	"field.retired", "finding.dropped", "form.anyone", "form.open", "format.retired", "format.titled", "format.wordless", "hook.is_on", "hook.retired",
	"desk.people_open", "figure.stands", "measure.main", "measure.retired", "leg.words", "leg.beside", "leg.proposes", "leg.sign_off", "partner.retired", "receiver.is_on", "receiver.retired", "person.retired", "person.guest", "person.quiet_off",
	"piece.is_quiet", "piece.is_scheduled", "query.only", "query.note", "regular.paused", "regular.ended", "rule.is_on", "rule.retired", "rule_run.failed", "site_page.gone", "slot.retired",
	"budget.retired", "cost.dropped", "fee.begun", "fee.by_owner", "fee.beyond", "rate.retired", "step.must", "topic.retired", "view.locked",
}

// lists are the columns that hold several words or numbers with commas between them, by a
// pattern of what does not stand in them.
var lists = map[string]string{
	"leg.after": "* *", "leg.offered": "*[^0-9,]*", "copy.people": "*[^0-9,]*", "format.channels": "*[^0-9,]*", "field.also": "*[^0-9,]*", "person.hours": "*[^0-9,]*", "hook.kinds": "*[^a-z ,]*", "receiver.kinds": "*[^a-z._,]*", "person.duties": "*[^a-z,]*",
}

// kept are tables of which rows are deleted at times, but none that a column points at.
var kept = map[string]string{"idea": "pitch.idea_id"}

func words[T ~string](all ...T) []string {
	out := make([]string, len(all))
	for i, w := range all {
		out[i] = string(w)
	}
	return out
}

// wrongs gives, by column, what is wrong with a row called new.
func wrongs() map[string]string {
	out := map[string]string{}
	for column, to := range references {
		at := "new." + nameOf(column)
		out[column] = fmt.Sprintf("%s <> 0 AND NOT EXISTS (SELECT 1 FROM %s WHERE id = %s)", at, to, at)
	}
	for column, all := range oneOf {
		// One by one: for a list SQLite would fill a table in memory, for each row anew.
		at := "new." + nameOf(column)
		out[column] = fmt.Sprintf("%s <> '%s'", at, strings.Join(all, "' AND "+at+" <> '"))
	}
	for _, column := range flags {
		out[column] = fmt.Sprintf("new.%s NOT IN (0, 1)", nameOf(column))
	}
	for column, not := range lists {
		out[column] = fmt.Sprintf("%[1]s <> '' AND (%[1]s GLOB '%[2]s' OR %[1]s GLOB ',*' OR %[1]s GLOB '*,' OR %[1]s GLOB '*,,*')", "new."+nameOf(column), not)
	}
	return out
}

func tableOf(column string) string { return column[:strings.Index(column, ".")] }
func nameOf(column string) string  { return column[strings.Index(column, ".")+1:] }

// guards gives the triggers, by their names: one for the new rows of a table and one for the
// changed ones, which asks only of columns that change. They fail and do not abort: nothing has
// been written yet when they ask, and SQLite need not keep a way back for each statement.
func guards(all map[string]string) map[string]string {
	insert, update, out := map[string]string{}, map[string]string{}, map[string]string{}
	for _, column := range slices.Sorted(maps.Keys(all)) {
		table, name, wrong := tableOf(column), nameOf(column), all[column]
		insert[table] += fmt.Sprintf(" WHEN %s THEN RAISE(FAIL, '%s cannot be that')", wrong, column)
		update[table] += fmt.Sprintf(" WHEN new.%s IS NOT old.%s AND %s THEN RAISE(FAIL, '%s cannot be that')", name, name, wrong, column)
	}
	for table, cases := range insert {
		out["guard_"+table+"_new"] = fmt.Sprintf("CREATE TRIGGER guard_%s_new BEFORE INSERT ON %s BEGIN SELECT CASE%s END; END", table, table, cases)
		out["guard_"+table+"_set"] = fmt.Sprintf("CREATE TRIGGER guard_%s_set BEFORE UPDATE ON %s BEGIN SELECT CASE%s END; END", table, table, update[table])
	}
	for table, column := range kept {
		name := fmt.Sprintf("guard_%s_gone", table)
		out[name] = fmt.Sprintf("CREATE TRIGGER %s BEFORE DELETE ON %s WHEN EXISTS (SELECT 1 FROM %s WHERE %s = old.id) BEGIN SELECT RAISE(ABORT, '%s points at it'); END",
			name, table, tableOf(column), nameOf(column), column)
	}
	return out
}

// Astray says which columns hold in some rows what a guard would refuse now; such rows are
// from before there were guards, or were not written by this program.
func Astray(ctx context.Context, r Reader) ([]string, error) {
	var out []string
	all := wrongs()
	for _, column := range slices.Sorted(maps.Keys(all)) {
		var n int
		if err := r.Get(ctx, &n, fmt.Sprintf("SELECT COUNT(*) FROM %s AS new WHERE %s", tableOf(column), all[column])); err != nil {
			return nil, fmt.Errorf("look at %s: %w", column, err)
		}
		if n > 0 {
			out = append(out, fmt.Sprintf("%s is wrong in %d of its rows", column, n))
		}
	}
	return out, nil
}

// guard puts the triggers into a data file that are not there as they should be, and takes
// those away that should not.
func guard(ctx context.Context, db *sql.DB, want map[string]string) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback() // does nothing after a commit
	rows, err := tx.QueryContext(ctx, "SELECT name, sql FROM sqlite_master WHERE type = 'trigger' AND name LIKE 'guard\\_%' ESCAPE '\\'")
	if err != nil {
		return err
	}
	defer rows.Close()
	have := map[string]string{}
	for rows.Next() {
		var name, text string
		if err := rows.Scan(&name, &text); err != nil {
			return err
		}
		have[name] = text
	}
	if err := rows.Err(); err != nil {
		return err
	}
	if maps.Equal(have, want) {
		return nil
	}
	for _, name := range slices.Sorted(maps.Keys(have)) {
		if have[name] != want[name] {
			if _, err := tx.ExecContext(ctx, "DROP TRIGGER "+name); err != nil {
				return err
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(want)) {
		if have[name] != want[name] {
			if _, err := tx.ExecContext(ctx, want[name]); err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
		}
	}
	return tx.Commit()
}
