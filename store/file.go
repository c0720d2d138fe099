package store

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"fmt"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// File is something that was sent along with a piece or a request.
type File struct {
	ID        ref.File
	PieceID   ref.Piece
	RequestID ref.Request
	Name      string
	Type      string // what its bytes are
	Size      int
	Data      []byte
	By        ref.Person
	At        day.Moment
}

// FileByID reads a file with its bytes; ErrNone if there is none.
func FileByID(ctx context.Context, r Reader, id ref.File) (File, error) {
	var f File
	if err := r.Get(ctx, &f, "SELECT * FROM file WHERE id = ?", id); err != nil {
		return f, fmt.Errorf("file %d: %w", id, err)
	}
	return f, nil
}

// FilesOf reads the files of a piece or of a request, without their bytes.
func FilesOf(ctx context.Context, r Reader, piece ref.Piece, request ref.Request) ([]File, error) {
	var out []File
	err := r.Select(ctx, &out, `SELECT id, piece_id, request_id, name, type, size, by, at FROM file
		WHERE ? <> 0 AND piece_id = ? OR ? <> 0 AND request_id = ? ORDER BY at, id`, piece, piece, request, request)
	return out, err
}

// AddFile stores a file and gives its id, which nobody can guess: it is in addresses.
func (t *Tx) AddFile(ctx context.Context, f File) (ref.File, error) {
	var b [8]byte
	rand.Read(b[:])                                               // never fails
	f.ID = 1<<47 | ref.File(binary.LittleEndian.Uint64(b[:])>>17) // of 48 bits, which scripts can count with
	return put[ref.File](ctx, t, "file", f, "id", "piece_id", "request_id", "name", "type", "size", "data", "by", "at")
}

// GiveFiles puts the files of a request on the piece that was made of it as well.
func (t *Tx) GiveFiles(ctx context.Context, request ref.Request, piece ref.Piece) error {
	_, err := t.Exec(ctx, "UPDATE file SET piece_id = ? WHERE request_id = ?", piece, request)
	return err
}

// Small is a picture made smaller.
type Small struct {
	FileID ref.File
	Type   string
	Data   []byte
}

// SmallOf reads a picture made smaller; ErrNone if it is shown as it is.
func SmallOf(ctx context.Context, r Reader, file ref.File) (Small, error) {
	var s Small
	err := r.Get(ctx, &s, "SELECT * FROM file_small WHERE file_id = ?", file)
	return s, err
}

// AddSmall stores a picture made smaller.
func (t *Tx) AddSmall(ctx context.Context, s Small) error {
	_, err := put[int64](ctx, t, "file_small", s, "file_id", "type", "data")
	return err
}

// AddPicture lets the copy of a piece hold a picture.
func (t *Tx) AddPicture(ctx context.Context, piece ref.Piece, file ref.File) error {
	_, err := t.Exec(ctx, "INSERT OR IGNORE INTO picture (piece_id, file_id) VALUES (?, ?)", piece, file)
	return err
}

// PicturesOf gives the pictures that the copy of a piece may hold.
func PicturesOf(ctx context.Context, r Reader, piece ref.Piece) (map[ref.File]bool, error) {
	var ids []ref.File
	if err := r.Select(ctx, &ids, "SELECT file_id FROM picture JOIN file ON file.id = file_id WHERE picture.piece_id = ? AND type LIKE 'image/%'", piece); err != nil {
		return nil, fmt.Errorf("pictures of piece %d: %w", piece, err)
	}
	out := make(map[ref.File]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out, nil
}

// PictureOf reads a picture that the copy of a piece may hold, with its bytes; ErrNone if
// it may hold none such.
func PictureOf(ctx context.Context, r Reader, piece ref.Piece, file ref.File) (File, error) {
	var f File
	if err := r.Get(ctx, &f, "SELECT file.* FROM file JOIN picture ON file_id = file.id WHERE picture.piece_id = ? AND file_id = ? AND type LIKE 'image/%'", piece, file); err != nil {
		return f, fmt.Errorf("picture %d of piece %d: %w", file, piece, err)
	}
	return f, nil
}
