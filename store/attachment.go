package store

import (
	"context"
	"fmt"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Attachment is a file that belongs to a piece, in its newest version.
type Attachment struct {
	ID      ref.Attachment
	PieceID ref.Piece
	Name    string
	Alt     string // a picture in words, for who does not see it
	Lead    bool   // it is the lead picture
	Dropped bool
	Version int
	FileID  ref.File
	By      ref.Person
	At      day.Moment
}

// Attachments gives the attachments of a piece in their newest versions, in the order in
// which they came.
func Attachments(ctx context.Context, r Reader, piece ref.Piece) ([]Attachment, error) {
	var out []Attachment
	err := r.Select(ctx, &out, `SELECT attachment.*, v.version, v.file_id, v.by, v.at FROM attachment
		JOIN attachment_version v ON v.attachment_id = attachment.id AND v.version = (SELECT MAX(version) FROM attachment_version WHERE attachment_id = attachment.id)
		WHERE piece_id = ? AND dropped = 0 ORDER BY attachment.id`, piece)
	return out, err
}

// AttachmentVersion is one version of an attachment.
type AttachmentVersion struct {
	AttachmentID ref.Attachment
	Version      int
	FileID       ref.File
	By           ref.Person
	At           day.Moment
}

// AttachmentVersions gives all versions of the attachments of a piece, the newest first.
func AttachmentVersions(ctx context.Context, r Reader, piece ref.Piece) ([]AttachmentVersion, error) {
	var out []AttachmentVersion
	err := r.Select(ctx, &out, "SELECT v.* FROM attachment_version v JOIN attachment ON attachment.id = v.attachment_id WHERE piece_id = ? AND dropped = 0 ORDER BY v.attachment_id, v.version DESC", piece)
	return out, err
}

// AttachedPicture reads a picture that is or was attached to a piece; ErrNone if none such was.
func AttachedPicture(ctx context.Context, r Reader, piece ref.Piece, file ref.File) (File, error) {
	var f File
	if err := r.Get(ctx, &f, `SELECT file.* FROM file JOIN attachment_version v ON v.file_id = file.id JOIN attachment ON attachment.id = v.attachment_id
		WHERE attachment.piece_id = ? AND file.id = ? AND type LIKE 'image/%' LIMIT 1`, piece, file); err != nil {
		return f, fmt.Errorf("picture %d attached to piece %d: %w", file, piece, err)
	}
	return f, nil
}

// AddAttachment stores an attachment without a version and gives its id.
func (t *Tx) AddAttachment(ctx context.Context, a Attachment) (ref.Attachment, error) {
	return put[ref.Attachment](ctx, t, "attachment", a, "piece_id", "name", "alt", "lead")
}

// SaveAttachment stores what an attachment is called, shows and is.
func (t *Tx) SaveAttachment(ctx context.Context, a Attachment) error {
	return set(ctx, t, "attachment", a, a.ID, "name", "alt", "lead", "dropped")
}

// AddAttachmentVersion stores another version of an attachment.
func (t *Tx) AddAttachmentVersion(ctx context.Context, v AttachmentVersion) error {
	_, err := put[int64](ctx, t, "attachment_version", v, "attachment_id", "version", "file_id", "by", "at")
	return err
}
