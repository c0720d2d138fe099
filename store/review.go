package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// What a reviewer may do beside their verdict.
const (
	MayRead    = "read"
	MayComment = "comment" // and read
)

// Reviewer is somebody who is asked about a piece.
type Reviewer struct {
	ID        ref.Reviewer
	PieceID   ref.Piece
	Leg       string // the key of the leg that waits for their verdict; none is only asked to read
	PersonID  ref.Person
	Place     int
	May       string
	Note      string
	Ends      day.Moment // until when their links open; 0 as long as the leg runs
	AskedBy   ref.Person
	AskedAt   day.Moment // when they were told for the run; 0 is not yet
	Run       int
	OpenedAt  day.Moment
	OpenedSeq int
	RevokedAt day.Moment
	Instead   bool // they are asked in place of the holder of the leg, otherwise beside
}

// SaveReviewer stores a reviewer, a new one where it has no id, and gives the id.
func (t *Tx) SaveReviewer(ctx context.Context, r Reviewer) (ref.Reviewer, error) {
	id, err := save(ctx, t, "reviewer", r, r.ID, "piece_id", "leg", "person_id", "place", "may", "note", "ends", "asked_by", "asked_at", "run", "opened_at", "opened_seq", "revoked_at", "instead")
	if r.ID != 0 {
		id = r.ID
	}
	return id, err
}

// ReviewersOf gives those who are asked about pieces, in their order, revoked ones too.
func ReviewersOf(ctx context.Context, r Reader, pieces ...ref.Piece) ([]Reviewer, error) {
	var out []Reviewer
	if len(pieces) == 0 {
		return nil, nil
	}
	err := r.Select(ctx, &out, "SELECT * FROM reviewer WHERE piece_id IN ("+marks(len(pieces))+") ORDER BY place, id", list(pieces)...)
	return out, err
}

// ReviewerAt reads one; ErrNone if there is none.
func ReviewerAt(ctx context.Context, r Reader, id ref.Reviewer) (Reviewer, error) {
	var x Reviewer
	err := r.Get(ctx, &x, "SELECT * FROM reviewer WHERE id = ?", id)
	return x, err
}

// ReviewsFor gives what people are asked about and have said nothing on yet, of pieces
// under way.
func ReviewsFor(ctx context.Context, r Reader, people []ref.Person) ([]Reviewer, error) {
	var out []Reviewer
	if len(people) == 0 {
		return nil, nil
	}
	err := r.Select(ctx, &out, `SELECT reviewer.* FROM reviewer JOIN piece ON piece.id = piece_id AND stage = 'running'
		WHERE person_id IN (`+marks(len(people))+`) AND revoked_at = 0 AND asked_at <> 0 AND leg <> ''
		AND NOT EXISTS (SELECT 1 FROM verdict v WHERE v.reviewer_id = reviewer.id AND v.run = reviewer.run) ORDER BY asked_at`, list(people)...)
	return out, err
}

// Verdict is what somebody said about an exact version.
type Verdict struct {
	ID          int64
	PieceID     ref.Piece
	Leg         string
	Run         int
	ReviewerID  ref.Reviewer
	PersonID    ref.Person
	By          ref.Person
	Say         relay.Say
	Text        string
	CopyVersion int
	Seq         int
	Hash        string
	At          day.Moment
}

// AddVerdict stores a verdict.
func (t *Tx) AddVerdict(ctx context.Context, v Verdict) (int64, error) {
	return put[int64](ctx, t, "verdict", v, "piece_id", "leg", "run", "reviewer_id", "person_id", "by", "say", "text", "copy_version", "seq", "hash", "at")
}

// VerdictsOf gives the verdicts on pieces, oldest first.
func VerdictsOf(ctx context.Context, r Reader, pieces ...ref.Piece) ([]Verdict, error) {
	var out []Verdict
	if len(pieces) == 0 {
		return nil, nil
	}
	err := r.Select(ctx, &out, "SELECT * FROM verdict WHERE piece_id IN ("+marks(len(pieces))+") ORDER BY id", list(pieces)...)
	return out, err
}

// The kinds of private links.
const (
	LinkReview   = "review"
	LinkPartner  = "partner"
	LinkPassword = "password"
)

// Link is a private link; its token is kept nowhere.
type Link struct {
	Hash      string
	Kind      string
	About     int64
	MadeAt    day.Moment
	Ends      day.Moment
	UsedAt    day.Moment
	RevokedAt day.Moment
}

// AddLink stores the hash of a private link.
func (t *Tx) AddLink(ctx context.Context, l Link) error {
	_, err := put[int64](ctx, t, "link", l, "hash", "kind", "about", "made_at", "ends")
	return err
}

// LinkAt reads a link by its hash; ErrNone if there is none.
func LinkAt(ctx context.Context, r Reader, hash string) (Link, error) {
	var l Link
	err := r.Get(ctx, &l, "SELECT * FROM link WHERE hash = ?", hash)
	return l, err
}

// RevokeLinks ends all links of a kind about somebody or something.
func (t *Tx) RevokeLinks(ctx context.Context, kind string, about int64, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE link SET revoked_at = ? WHERE kind = ? AND about = ? AND revoked_at = 0", at, kind, about)
	return err
}

// UseLink notes that a link was used, and reports false if it was already.
func (t *Tx) UseLink(ctx context.Context, hash string, at day.Moment) (bool, error) {
	res, err := t.Exec(ctx, "UPDATE link SET used_at = ? WHERE hash = ? AND used_at = 0", at, hash)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n > 0, err
}

// LinksAbout gives the links of a kind that open still, the newest first.
func LinksAbout(ctx context.Context, r Reader, kind string, about int64, now day.Moment) ([]Link, error) {
	var out []Link
	err := r.Select(ctx, &out, "SELECT * FROM link WHERE kind = ? AND about = ? AND revoked_at = 0 AND ends > ? ORDER BY made_at DESC", kind, about, now)
	return out, err
}

// Partner is a house outside that must agree before pieces with it go out.
type Partner struct {
	ID      ref.Partner
	DeskID  ref.Desk
	Name    string
	Retired bool
}

// SavePartner stores a partner, a new one where it has no id, and gives the id.
func (t *Tx) SavePartner(ctx context.Context, p Partner) (ref.Partner, error) {
	id, err := save(ctx, t, "partner", p, p.ID, "desk_id", "name", "retired")
	if p.ID != 0 {
		id = p.ID
	}
	return id, err
}

// PartnerPieces gives the pieces of a partner on a desk, whole: those that go out on their
// channels, or on nobody's and have a leg of somebody of theirs, under way or out since a moment.
func PartnerPieces(ctx context.Context, r Reader, desk ref.Desk, partner ref.Partner, since day.Moment) ([]Row, error) {
	var ids []ref.Piece
	err := r.Select(ctx, &ids, `SELECT id FROM piece WHERE desk_id = ? AND (stage = 'running' OR stage = 'out' AND out_at >= ?)
		AND (channel_id IN (SELECT id FROM channel WHERE partner_id = ?)
			OR channel_id NOT IN (SELECT id FROM channel WHERE partner_id <> 0) AND EXISTS (SELECT 1 FROM leg WHERE leg.piece_id = piece.id AND holder IN (SELECT id FROM person WHERE partner_id = ?)))
		ORDER BY goes_out = 0, goes_out, id LIMIT 300`, desk, since, partner, partner)
	if err != nil {
		return nil, err
	}
	out := make([]Row, 0, len(ids))
	for _, id := range ids {
		row, err := Piece(ctx, r, id)
		if err != nil {
			return nil, err
		}
		out = append(out, row)
	}
	return out, nil
}

// PitchesOpen gives the pitches to people that wait for an answer.
func PitchesOpen(ctx context.Context, r Reader, desk ref.Desk, people []ref.Person) ([]Pitch, error) {
	return Pitches(ctx, r, "WHERE desk_id = ? AND state = 'asked' AND partner IN ("+marks(len(people))+") ORDER BY id", append([]any{desk}, list(people)...)...)
}
