package store

import (
	"context"
	"encoding/json"
	"fmt"

	"greenbaton/core/brief"
	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Brief is one version of the brief of a piece.
type Brief struct {
	PieceID ref.Piece
	Version int
	Says    string // JSON
	By      ref.Person
	At      day.Moment
	Brief   brief.Brief `db:"-"`
}

// Briefs reads every version of the brief of a piece, the newest first.
func Briefs(ctx context.Context, r Reader, piece ref.Piece) ([]Brief, error) {
	var out []Brief
	if err := r.Select(ctx, &out, "SELECT * FROM brief WHERE piece_id = ? ORDER BY version DESC", piece); err != nil {
		return nil, err
	}
	for i := range out {
		if err := parse(out[i].Says, &out[i].Brief, "the brief of piece %d", piece); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// BriefsOf reads the newest brief of several pieces, by piece.
func BriefsOf(ctx context.Context, r Reader, pieces []ref.Piece) (map[ref.Piece]brief.Brief, error) {
	out := map[ref.Piece]brief.Brief{}
	if len(pieces) == 0 {
		return out, nil
	}
	var all []Brief
	err := r.Select(ctx, &all, "SELECT piece_id, MAX(version) version, says FROM brief WHERE piece_id IN ("+marks(len(pieces))+") GROUP BY piece_id", list(pieces)...)
	if err != nil {
		return nil, err
	}
	for _, x := range all {
		var b brief.Brief
		if err := parse(x.Says, &b, "the brief of piece %d", x.PieceID); err != nil {
			return nil, err
		}
		out[x.PieceID] = b
	}
	return out, nil
}

// TitledOf says of which of several pieces a title was chosen.
func TitledOf(ctx context.Context, r Reader, pieces []ref.Piece) (map[ref.Piece]bool, error) {
	out := map[ref.Piece]bool{}
	if len(pieces) == 0 {
		return out, nil
	}
	var ids []ref.Piece
	err := r.Select(ctx, &ids, "SELECT DISTINCT piece_id FROM candidate WHERE kind = 'title' AND chosen_by <> 0 AND dropped = 0 AND piece_id IN ("+marks(len(pieces))+")", list(pieces)...)
	for _, id := range ids {
		out[id] = true
	}
	return out, err
}

// PutBrief stores a version of a brief, in place of the same version.
func (t *Tx) PutBrief(ctx context.Context, b Brief) error {
	says, err := write(b.Brief)
	if err != nil {
		return err
	}
	_, err = t.Exec(ctx, "INSERT OR REPLACE INTO brief (piece_id, version, says, by, at) VALUES (?, ?, ?, ?, ?)", b.PieceID, b.Version, says, b.By, b.At)
	return err
}

// Guide is one version of how to write pieces of a format.
type Guide struct {
	FormatID ref.Format
	Version  int
	Text     string    // JSON, as in package copy
	Example  ref.Piece // a piece that shows it; 0 for none
	By       ref.Person
	At       day.Moment
}

// Guides reads every version of the guide of a format, the newest first.
func Guides(ctx context.Context, r Reader, format ref.Format) ([]Guide, error) {
	var out []Guide
	err := r.Select(ctx, &out, "SELECT * FROM guide WHERE format_id = ? ORDER BY version DESC", format)
	return out, err
}

// AddGuide stores another version of a guide.
func (t *Tx) AddGuide(ctx context.Context, g Guide) error {
	_, err := t.Exec(ctx, "INSERT INTO guide (format_id, version, text, example, by, at) VALUES (?, ?, ?, ?, ?, ?)", g.FormatID, g.Version, g.Text, g.Example, g.By, g.At)
	return err
}

// The kinds of candidates.
const (
	ProposedTitle   = "title"
	ProposedPicture = "picture"
)

// Candidate is a title or a lead picture to choose from.
type Candidate struct {
	ID       ref.Candidate
	PieceID  ref.Piece
	Kind     string
	Text     string
	FileID   ref.File
	By       ref.Person
	At       day.Moment
	ChosenBy ref.Person
	ChosenAt day.Moment
	Dropped  bool
	Votes    []ref.Person `db:"-"` // of whom
}

// Candidates reads what a piece has to choose from, in the order in which it came.
func Candidates(ctx context.Context, r Reader, piece ref.Piece) ([]Candidate, error) {
	var out []Candidate
	if err := r.Select(ctx, &out, "SELECT * FROM candidate WHERE piece_id = ? AND dropped = 0 ORDER BY id", piece); err != nil {
		return nil, err
	}
	var votes []struct {
		CandidateID ref.Candidate
		PersonID    ref.Person
	}
	if err := r.Select(ctx, &votes, "SELECT candidate_id, person_id FROM vote WHERE candidate_id IN (SELECT id FROM candidate WHERE piece_id = ?) ORDER BY person_id", piece); err != nil {
		return nil, err
	}
	for i := range out {
		for _, v := range votes {
			if v.CandidateID == out[i].ID {
				out[i].Votes = append(out[i].Votes, v.PersonID)
			}
		}
	}
	return out, nil
}

// AddCandidate stores something to choose from and gives its id.
func (t *Tx) AddCandidate(ctx context.Context, c Candidate) (ref.Candidate, error) {
	return put[ref.Candidate](ctx, t, "candidate", c, "piece_id", "kind", "text", "file_id", "by", "at", "chosen_by", "chosen_at")
}

// SaveCandidate stores whether something is chosen or dropped.
func (t *Tx) SaveCandidate(ctx context.Context, c Candidate) error {
	return set(ctx, t, "candidate", c, c.ID, "chosen_by", "chosen_at", "dropped")
}

// Vote notes that somebody is for a candidate, or no longer is.
func (t *Tx) Vote(ctx context.Context, candidate ref.Candidate, person ref.Person, is bool) error {
	q := "DELETE FROM vote WHERE candidate_id = ? AND person_id = ?"
	if is {
		q = "INSERT OR IGNORE INTO vote (candidate_id, person_id) VALUES (?, ?)"
	}
	_, err := t.Exec(ctx, q, candidate, person)
	return err
}

// Finding is a note or a link that was found out for a piece, or a comment on one.
type Finding struct {
	ID      ref.Finding
	PieceID ref.Piece
	About   ref.Finding // the finding it is a comment on; 0 for a finding
	Text    string
	Link    string
	FileID  ref.File
	By      ref.Person
	At      day.Moment
	Dropped bool
}

// Findings reads the research of a piece, in the order in which it came.
func Findings(ctx context.Context, r Reader, piece ref.Piece) ([]Finding, error) {
	var out []Finding
	err := r.Select(ctx, &out, "SELECT * FROM finding WHERE piece_id = ? AND dropped = 0 ORDER BY id", piece)
	return out, err
}

// AddFinding stores a finding and gives its id.
func (t *Tx) AddFinding(ctx context.Context, f Finding) (ref.Finding, error) {
	return put[ref.Finding](ctx, t, "finding", f, "piece_id", "about", "text", "link", "file_id", "by", "at")
}

// DropFinding puts a finding away.
func (t *Tx) DropFinding(ctx context.Context, id ref.Finding) error {
	_, err := t.Exec(ctx, "UPDATE finding SET dropped = 1 WHERE id = ?", id)
	return err
}

// parse reads what is stored as JSON.
func parse(stored string, into any, what string, args ...any) error {
	if err := json.Unmarshal([]byte(stored), into); err != nil {
		return fmt.Errorf("read "+what+": %w", append(args, err)...)
	}
	return nil
}

// write writes what is stored as JSON.
func write(v any) (string, error) {
	b, err := json.Marshal(v)
	if err != nil {
		return "", fmt.Errorf("write it down: %w", err)
	}
	return string(b), nil
}
