package store

import (
	"context"
	"errors"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
)

// Printing is a piece as readers get it, from a moment on.
type Printing struct {
	ID      ref.Printing
	PieceID ref.Piece
	At      day.Moment
	By      ref.Person
	Note    string // what was corrected, for readers
	Says    string // JSON; none is the piece as it is now
}

// The parts that a place plays in the way of a piece.
const (
	MainPlace   = "main" // its channel
	AlsoPlace   = "also" // another one
	FormerPlace = "was"  // it was its channel once
)

// Delivery is a place where a piece goes, and how far it is there.
type Delivery struct {
	ID        ref.Delivery
	PieceID   ref.Piece
	ChannelID ref.Channel
	Part      string
	Days      int          // after it is out
	At        day.Moment   // the time; 0 until the piece is out, where it was not chosen
	Fixed     bool         // the time was chosen
	Line      string       // what is said of it there; none is its description
	Wants     ref.Printing // that is to be there; 0 for none
	Has       ref.Printing // that is there
	Trying    ref.Printing // what may be half on its way; Down for taking it down
	Address   string       // where it is; below the base where it begins with a stroke
	Kind      release.Kind // by what it got there
	Since     day.Moment   // since when
	Media     string       // JSON, where its pictures are, by number
	Tries     int
	NextAt    day.Moment
	Problem   string
}

// Down is what is tried where a piece is taken down.
const Down ref.Printing = -1

// GivenUp reports whether it was tried so often that it waits for somebody to try it again.
func (d *Delivery) GivenUp() bool { return d.Wants != d.Has && d.Tries >= MostTries }

// AddPrinting stores a printing and gives its id.
func (t *Tx) AddPrinting(ctx context.Context, p Printing) (ref.Printing, error) {
	return put[ref.Printing](ctx, t, "printing", p, "piece_id", "at", "by", "note", "says")
}

// PrintingByID reads a printing; ErrNone if there is none.
func PrintingByID(ctx context.Context, r Reader, id ref.Printing) (Printing, error) {
	var p Printing
	err := r.Get(ctx, &p, "SELECT * FROM printing WHERE id = ?", id)
	return p, err
}

// LastPrinting reads the newest printing of a piece; ErrNone if it never was out.
func LastPrinting(ctx context.Context, r Reader, piece ref.Piece) (Printing, error) {
	var p Printing
	err := r.Get(ctx, &p, "SELECT * FROM printing WHERE piece_id = ? ORDER BY id DESC LIMIT 1", piece)
	return p, err
}

// SayPrinting keeps what a printing of before says.
func (t *Tx) SayPrinting(ctx context.Context, id ref.Printing, says string) error {
	_, err := t.Exec(ctx, "UPDATE printing SET says = ? WHERE id = ? AND says = ''", says, id)
	return err
}

// Deliveries reads where a piece goes, its channel first.
func Deliveries(ctx context.Context, r Reader, piece ref.Piece) ([]Delivery, error) {
	var out []Delivery
	err := r.Select(ctx, &out, "SELECT * FROM delivery WHERE piece_id = ? ORDER BY part <> 'main', part, at, id", piece)
	return out, err
}

// DeliveryOfEditions reads where the last edition of a piece but one is on a channel: the first
// one, or any after it; ErrNone if none is there.
func DeliveryOfEditions(ctx context.Context, r Reader, first, but ref.Piece, channel ref.Channel) (Delivery, error) {
	var d Delivery
	err := r.Get(ctx, &d, `SELECT delivery.* FROM delivery JOIN piece ON piece.id = piece_id WHERE (piece.id = ? OR from_piece = ? AND edition > 1) AND piece.id <> ?
		AND delivery.channel_id = ? AND has <> 0 ORDER BY since DESC, delivery.id DESC LIMIT 1`, first, first, but, channel)
	return d, err
}

// NewerEdition gives the piece that is out on the channel of another as a newer edition of it; 0
// for none.
func NewerEdition(ctx context.Context, r Reader, p *relay.Piece) (id ref.Piece, err error) {
	first := p.ID
	if p.Edition > 1 {
		first = p.FromPiece
	}
	err = r.Get(ctx, &id, `SELECT piece.id FROM piece JOIN delivery ON piece_id = piece.id AND delivery.channel_id = ? WHERE from_piece = ? AND edition > MAX(?, 1)
		AND stage = 'out' AND has <> 0 ORDER BY edition DESC LIMIT 1`, p.ChannelID, first, p.Edition)
	if errors.Is(err, ErrNone) {
		err = nil
	}
	return id, err
}

// DeliveryByID reads a delivery; ErrNone if there is none.
func DeliveryByID(ctx context.Context, r Reader, id ref.Delivery) (Delivery, error) {
	var d Delivery
	err := r.Get(ctx, &d, "SELECT * FROM delivery WHERE id = ?", id)
	return d, err
}

// DueDeliveries reads what is to be brought somewhere by now, or taken down, the channels of
// pieces before other places.
func DueDeliveries(ctx context.Context, r Reader, now day.Moment) ([]Delivery, error) {
	var out []Delivery
	err := r.Select(ctx, &out, `SELECT * FROM delivery WHERE wants <> has AND next_at <= ? AND tries < ? AND (wants = 0 OR at <= ?)
		ORDER BY part <> 'main', at, id LIMIT 500`, now, MostTries, now)
	return out, err
}

// LinesFor reads what other pieces are to be said of on a channel by a moment.
func LinesFor(ctx context.Context, r Reader, channel ref.Channel, until day.Moment) ([]Delivery, error) {
	var out []Delivery
	err := r.Select(ctx, &out, "SELECT * FROM delivery WHERE channel_id = ? AND part = 'also' AND has = 0 AND wants <> 0 AND at <= ? AND tries < ? ORDER BY at, id", channel, until, MostTries)
	return out, err
}

// LettersOn counts the pieces on their way that go out on a channel, as its own, between two moments.
func LettersOn(ctx context.Context, r Reader, channel ref.Channel, from, until day.Moment) (int, error) {
	var n int
	err := r.Get(ctx, &n, "SELECT COUNT(*) FROM piece WHERE channel_id = ? AND stage = 'running' AND goes_out >= ? AND goes_out < ?", channel, from, until)
	return n, err
}

// FailedDelivery is a delivery that does not get there, with its piece.
type FailedDelivery struct {
	Delivery
	Title string
}

// FailedDeliveries reads what of a desk does not get where it is to go: tried more than twice.
func FailedDeliveries(ctx context.Context, r Reader, desk ref.Desk) ([]FailedDelivery, error) {
	var out []FailedDelivery
	err := r.Select(ctx, &out, `SELECT delivery.*, piece.title FROM delivery JOIN piece ON piece.id = piece_id WHERE wants <> has AND tries > 2 AND desk_id = ? ORDER BY delivery.at DESC, delivery.id LIMIT 100`, desk)
	return out, err
}

// PutDelivery stores a place where a piece goes, or what was changed about it.
func (t *Tx) PutDelivery(ctx context.Context, d Delivery) error {
	_, err := save(ctx, t, "delivery", d, d.ID, "piece_id", "channel_id", "part", "days", "at", "fixed", "line", "wants", "has", "trying", "address", "kind", "since", "media", "tries", "next_at", "problem")
	return err
}

// DropDelivery takes a place of a piece away to which nothing was brought.
func (t *Tx) DropDelivery(ctx context.Context, id ref.Delivery) error {
	_, err := t.Exec(ctx, "DELETE FROM delivery WHERE id = ? AND has = 0 AND trying = 0", id)
	return err
}

// DeliveryTried notes what is tried at a delivery, before it is.
func (t *Tx) DeliveryTried(ctx context.Context, id ref.Delivery, trying ref.Printing) error {
	_, err := t.Exec(ctx, "UPDATE delivery SET trying = ? WHERE id = ?", trying, id)
	return err
}

// DeliveryDone notes what is somewhere now; what is wanted there stays as it is.
func (t *Tx) DeliveryDone(ctx context.Context, d Delivery) error {
	_, err := t.Exec(ctx, "UPDATE delivery SET has = ?, trying = 0, address = ?, kind = ?, since = ?, media = ?, tries = 0, next_at = 0, problem = '' WHERE id = ?", d.Has, d.Address, d.Kind, d.Since, d.Media, d.ID)
	return err
}

// DeliveryFailed notes why something did not get there, and when to try again.
func (t *Tx) DeliveryFailed(ctx context.Context, id ref.Delivery, problem string, next day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE delivery SET tries = tries + 1, problem = ?, next_at = ? WHERE id = ?", problem, next, id)
	return err
}

// DeliverAgain lets something be tried again at once.
func (t *Tx) DeliverAgain(ctx context.Context, id ref.Delivery) error {
	_, err := t.Exec(ctx, "UPDATE delivery SET tries = 0, next_at = 0 WHERE id = ?", id)
	return err
}

// PieceToTry gives the piece that went out last on a channel, or else on its desk, or else the
// newest there is; ErrNone if the desk has none.
func PieceToTry(ctx context.Context, r Reader, desk ref.Desk, channel ref.Channel) (id ref.Piece, err error) {
	err = r.Get(ctx, &id, "SELECT id FROM piece WHERE desk_id = ? ORDER BY stage = 'out' AND channel_id = ? DESC, stage = 'out' DESC, out_at DESC, id DESC LIMIT 1", desk, channel)
	return id, err
}

// Subscriber is somebody to whom the desk sends the letters of a channel.
type Subscriber struct {
	ID        ref.Subscriber
	ChannelID ref.Channel
	Mail      string
	Since     day.Moment
	StoppedAt day.Moment
}

// Subscribers reads those of a channel, those who stopped it as well.
func Subscribers(ctx context.Context, r Reader, channel ref.Channel) ([]Subscriber, error) {
	var out []Subscriber
	err := r.Select(ctx, &out, "SELECT * FROM reader WHERE channel_id = ? ORDER BY mail", channel)
	return out, err
}

// SubscriberByID reads one; ErrNone if there is none.
func SubscriberByID(ctx context.Context, r Reader, id ref.Subscriber) (Subscriber, error) {
	var s Subscriber
	err := r.Get(ctx, &s, "SELECT * FROM reader WHERE id = ?", id)
	return s, err
}

// AddSubscriber stores one, if the address is not there: who stopped it stays stopped.
func (t *Tx) AddSubscriber(ctx context.Context, s Subscriber) error {
	_, err := t.Exec(ctx, "INSERT INTO reader (channel_id, mail, since) VALUES (?, ?, ?) ON CONFLICT (channel_id, mail) DO NOTHING", s.ChannelID, s.Mail, s.Since)
	return err
}

// StopSubscriber notes that somebody gets no more letters.
func (t *Tx) StopSubscriber(ctx context.Context, id ref.Subscriber, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE reader SET stopped_at = ? WHERE id = ? AND stopped_at = 0", at, id)
	return err
}

// Letter is a letter that is sent to many.
type Letter struct {
	ID      ref.Letter
	Key     string // the same letter is never stored twice
	Sender  string // the name that it comes from
	Subject string
	Text    string
	HTML    string `db:"html"`
}

// AddLetter stores a letter, if there is none with its key, and gives the id of the one there is.
func (t *Tx) AddLetter(ctx context.Context, l Letter) (id ref.Letter, err error) {
	if _, err := t.Exec(ctx, "INSERT INTO letter (key, sender, subject, text, html) VALUES (?, ?, ?, ?, ?) ON CONFLICT (key) DO NOTHING", l.Key, l.Sender, l.Subject, l.Text, l.HTML); err != nil {
		return 0, err
	}
	err = t.Get(ctx, &id, "SELECT id FROM letter WHERE key = ?", l.Key)
	return id, err
}

// LetterByID reads a letter; ErrNone if there is none.
func LetterByID(ctx context.Context, r Reader, id ref.Letter) (Letter, error) {
	var l Letter
	err := r.Get(ctx, &l, "SELECT * FROM letter WHERE id = ?", id)
	return l, err
}

// Recording reads a file that is attached to a piece as it is, of whatever kind; ErrNone if none
// such is.
func Recording(ctx context.Context, r Reader, piece ref.Piece, file ref.File) (File, error) {
	var f File
	err := r.Get(ctx, &f, `SELECT file.* FROM file JOIN attachment_version v ON v.file_id = file.id JOIN attachment ON attachment.id = v.attachment_id
		WHERE attachment.piece_id = ? AND file.id = ? AND type LIKE 'audio/%' LIMIT 1`, piece, file)
	return f, err
}

// PieceAddress is where a piece is, or was.
type PieceAddress struct {
	PieceID ref.Piece
	Address string
}

// Addresses gives where pieces are besides their own channel, and where pages of the shipped site
// were before they moved.
func Addresses(ctx context.Context, r Reader) ([]PieceAddress, error) {
	var out []PieceAddress
	err := r.Select(ctx, &out, "SELECT piece_id, address FROM delivery WHERE address <> '' UNION SELECT piece_id, '/site/' || channel || '/' || slug FROM site_page WHERE piece_id <> 0")
	return out, err
}
