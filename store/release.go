package store

import (
	"context"
	"errors"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// ReleaseSheet is what goes with a piece when it goes out, beside what the piece itself has.
type ReleaseSheet struct {
	PieceID ref.Piece
	Related string // JSON, pieces
	Next    string // JSON, pieces
	Fields  string // JSON, by the keys of the channel's
	Drafted string // JSON, the parts that were drafted and not kept
	Seal    string // of what would go out, when it was scheduled
}

// SheetOf reads the release sheet of a piece; an empty one where there is none yet.
func SheetOf(ctx context.Context, r Reader, piece ref.Piece) (ReleaseSheet, error) {
	s := ReleaseSheet{PieceID: piece, Related: "[]", Next: "[]", Fields: "{}", Drafted: "[]"}
	err := r.Get(ctx, &s, "SELECT * FROM release_sheet WHERE piece_id = ?", piece)
	if errors.Is(err, ErrNone) {
		err = nil
	}
	return s, err
}

// SaveSheet stores the release sheet of a piece.
func (t *Tx) SaveSheet(ctx context.Context, s ReleaseSheet) error {
	_, err := t.Exec(ctx, `INSERT INTO release_sheet (piece_id, related, next, fields, drafted, seal) VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT (piece_id) DO UPDATE SET related = excluded.related, next = excluded.next, fields = excluded.fields, drafted = excluded.drafted, seal = excluded.seal`,
		s.PieceID, s.Related, s.Next, s.Fields, s.Drafted, s.Seal)
	return err
}

// SlugTaken gives the piece that has an address on a channel, or had it when it was out; 0 for
// none. Editions of one piece share theirs.
func SlugTaken(ctx context.Context, r Reader, channel ref.Channel, slug string, p *relay.Piece) (ref.Piece, error) {
	return withSlug(ctx, r, channel, slug, p, "SELECT id FROM piece WHERE channel_id = ? AND slug = ? UNION ALL "+slugOut)
}

// SlugOut does the same, of pieces that were out there.
func SlugOut(ctx context.Context, r Reader, channel ref.Channel, slug string, p *relay.Piece) (ref.Piece, error) {
	return withSlug(ctx, r, channel, slug, p, "SELECT id FROM piece WHERE channel_id = ? AND slug = ? AND stage = 'out' UNION ALL "+slugOut)
}

const slugOut = "SELECT piece_id FROM site_page JOIN channel ON channel.slug = site_page.channel WHERE channel.id = ? AND site_page.slug = ?"

func withSlug(ctx context.Context, r Reader, channel ref.Channel, slug string, p *relay.Piece, among string) (id ref.Piece, err error) {
	first := p.ID
	if p.Edition > 1 {
		first = p.FromPiece
	}
	err = r.Get(ctx, &id, "SELECT id FROM piece WHERE id <> ? AND id <> ? AND NOT (edition > 1 AND from_piece = ?) AND id IN ("+among+") LIMIT 1", p.ID, first, first, channel, slug, channel, slug)
	if errors.Is(err, ErrNone) {
		err = nil
	}
	return id, err
}

// SoonUnscheduled gives the pieces under way that go out up to a moment, are not scheduled, and
// of which nobody was told so.
func SoonUnscheduled(ctx context.Context, r Reader, now, until day.Moment) ([]ref.Piece, error) {
	var ids []ref.Piece
	err := r.Select(ctx, &ids, `SELECT id FROM piece WHERE stage = ? AND goes_out > ? AND goes_out <= ? AND scheduled_for <> goes_out AND warned_for <> goes_out ORDER BY goes_out, id`, relay.UnderWay, now, until)
	return ids, err
}

// ShortLink leads to the page of a piece, as it was announced at a place.
type ShortLink struct {
	Token   string
	PieceID ref.Piece
	Place   string
	Clicks  int
	LastAt  day.Moment // when it was last followed
}

// ShortLinks reads the short links of a piece.
func ShortLinks(ctx context.Context, r Reader, piece ref.Piece) ([]ShortLink, error) {
	var out []ShortLink
	err := r.Select(ctx, &out, "SELECT * FROM short_link WHERE piece_id = ? ORDER BY place", piece)
	return out, err
}

// ShortLinkAt reads a short link; ErrNone if there is none.
func ShortLinkAt(ctx context.Context, r Reader, token string) (ShortLink, error) {
	var l ShortLink
	err := r.Get(ctx, &l, "SELECT * FROM short_link WHERE token = ?", token)
	return l, err
}

// AddShortLink stores a short link, if the piece has none for its place yet.
func (t *Tx) AddShortLink(ctx context.Context, l ShortLink) error {
	_, err := t.Exec(ctx, "INSERT INTO short_link (token, piece_id, place) VALUES (?, ?, ?) ON CONFLICT (piece_id, place) DO NOTHING", l.Token, l.PieceID, l.Place)
	return err
}

// CountClicks adds to how often a short link was followed.
func (t *Tx) CountClicks(ctx context.Context, token string, n int, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE short_link SET clicks = clicks + ?, last_at = ? WHERE token = ?", n, at, token)
	return err
}
