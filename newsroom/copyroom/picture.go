package copyroom

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"

	"golang.org/x/image/draw"
	"golang.org/x/sync/semaphore"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// SmallWidth is how wide the small version of a picture is, in points; a picture that is
// not much wider has none.
const SmallWidth = 1200

// Decoding is the memory, in bytes, that all pictures take which are decoded at once.
const Decoding = 400 << 20

var Decoder = semaphore.NewWeighted(Decoding)

// Weight is about how many bytes it takes to decode a picture, by what its head says; 0
// for a kind that is not decoded.
func Weight(data []byte, c image.Config, kind string) int64 {
	points := int64(c.Width) * int64(c.Height)
	switch {
	case kind == "jpeg" && progressive(data) && c.ColorModel == color.CMYKModel:
		return points * 4 * (4 + 1) // all coefficients are kept, four bytes each
	case kind == "jpeg" && progressive(data):
		return points * 3 * (4 + 1)
	case kind == "jpeg":
		return points * 4
	case kind == "png" && (c.ColorModel == color.RGBA64Model || c.ColorModel == color.NRGBA64Model || c.ColorModel == color.Gray16Model):
		return points * 8
	case kind == "png", kind == "webp":
		return points * 5
	}
	return 0
}

// progressive reports whether a JPEG comes in several scans: whether its frame is another
// than a baseline or extended sequential one (ITU-T T.81, table B.1).
func progressive(data []byte) bool {
	for at := 2; at+4 <= len(data) && data[at] == 0xff; {
		marker := data[at+1]
		switch {
		case marker == 0xff: // a fill byte
			at++
			continue
		case marker == 0xc0 || marker == 0xc1:
			return false
		case marker >= 0xc0 && marker <= 0xcf && marker != 0xc4 && marker != 0xc8 && marker != 0xcc:
			return true
		}
		at += 2 + int(data[at+2])<<8 + int(data[at+3])
	}
	return true // what cannot be told is taken for the heavier
}

// Smaller gives a picture at smallWidth, nil if it is not wider, may move, or would take
// more memory than there is for it; as PNG where parts of it can be seen through,
// otherwise as JPEG. It waits until there is memory for it.
func Smaller(data []byte) ([]byte, string, error) {
	c, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil || c.Width <= SmallWidth*5/4 {
		return nil, "", err
	}
	return Narrowed(data, SmallWidth)
}

// Narrowed gives a picture at a width, as Smaller does; nil if it is not wider.
func Narrowed(data []byte, width int) ([]byte, string, error) {
	c, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil || c.Width <= width {
		return nil, "", err
	}
	need := Weight(data, c, kind)
	if need == 0 || need > Decoding {
		return nil, "", nil
	}
	if err := Decoder.Acquire(context.Background(), need); err != nil {
		return nil, "", err
	}
	defer Decoder.Release(need)
	full, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, "", err
	}
	size := full.Bounds().Size()
	to := image.NewRGBA(image.Rect(0, 0, width, max(1, size.Y*width/size.X)))
	draw.ApproxBiLinear.Scale(to, to.Bounds(), full, full.Bounds(), draw.Src, nil)
	var out bytes.Buffer
	if to.Opaque() {
		err = jpeg.Encode(&out, to, &jpeg.Options{Quality: 84})
		return out.Bytes(), "image/jpeg", err
	}
	err = png.Encode(&out, to)
	return out.Bytes(), "image/png", err
}

// AddPicture stores a picture for the copy of a piece, by who writes or proposes in it,
// and gives its file. It is put into the copy by an edit.
func (h Room) AddPicture(ctx context.Context, by ref.Person, piece ref.Piece, file *Upload) (ref.File, error) {
	var id ref.File
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActRead, Piece: piece})
		if err != nil {
			return err
		}
		if _, err := HandIn(a, &was, by); err != nil {
			return err
		}
		if file == nil || !isPicture(file) {
			return newsroom.Invalid("picture", "Choose a picture: a JPEG, PNG, GIF or WebP.")
		}
		if id, err = AddFile(a, *file, piece, 0); err != nil {
			return err
		}
		return a.Tx.AddPicture(a, piece, id)
	})
	return id, err
}

func isPicture(u *Upload) bool { return len(u.Type) > 6 && u.Type[:6] == "image/" }

// Picture gives a picture in the copy of a piece for who may read it.
func (h Room) Picture(ctx context.Context, who ref.Person, piece ref.Piece, file ref.File) (store.File, error) {
	if _, err := h.See(ctx, who, piece, relay.ActRead); err != nil {
		return store.File{}, err
	}
	f, err := store.PictureOf(ctx, h.DB.View(), piece, file)
	if errors.Is(err, store.ErrNone) {
		return f, newsroom.ErrNotFound
	}
	return f, err
}

// PagePicture gives a picture of the page of a piece, as it is shown: one of its copy, or
// one that was its lead picture.
func (h Room) PagePicture(ctx context.Context, piece ref.Piece, file ref.File) (store.File, error) {
	f, err := store.PictureOf(ctx, h.DB.View(), piece, file)
	if errors.Is(err, store.ErrNone) {
		f, err = store.AttachedPicture(ctx, h.DB.View(), piece, file)
	}
	if errors.Is(err, store.ErrNone) {
		return f, newsroom.ErrNotFound
	} else if err != nil {
		return f, err
	}
	return h.Shown(ctx, f)
}

// PageSound gives the recording of a page that is up.
func (h Room) PageSound(ctx context.Context, piece ref.Piece, file ref.File) (store.File, error) {
	f, err := store.Recording(ctx, h.DB.View(), piece, file)
	if errors.Is(err, store.ErrNone) {
		return f, newsroom.ErrNotFound
	}
	return f, err
}

// Given gives the copy of a piece as readers have it, for who may read it.
func (h Room) Given(ctx context.Context, who ref.Person, piece ref.Piece) (copy.Text, store.Row, error) {
	row, err := h.See(ctx, who, piece, relay.ActRead)
	if err != nil {
		return nil, row, err
	}
	_, text, _, err := newsroom.Newest(ctx, h.DB.View(), &row)
	return text.Clean(), row, err
}

// TakeIn brings a text into the copy of a piece, behind what is there or in its place;
// what was there before is kept as a version.
func (h Room) TakeIn(ctx context.Context, by ref.Person, piece ref.Piece, text copy.Text, instead bool) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActWrite, Piece: piece})
		if err != nil {
			return err
		}
		if text.Words() == 0 {
			return newsroom.Invalid("file", "There are no words in this file.")
		}
		s, err := Stage(a, piece)
		if err != nil {
			return err
		}
		if size(text)+size(s.Text) > copy.MaxBytes {
			return newsroom.Invalid("file", "The copy would be larger than %d MB. Split the piece in two.", copy.MaxBytes>>20)
		}
		if !instead && s.Text.Words() > 0 {
			text = append(append(copy.Text{}, s.Text...), text...)
		}
		_, err = SaveCopy(a, was, OnNewest, text, "as it was before a file was brought in")
		return err
	})
}

// Shown gives a file as pages show it: of a picture the small version, if there is one.
func (h Room) Shown(ctx context.Context, f store.File) (store.File, error) {
	small, err := store.SmallOf(ctx, h.DB.View(), f.ID)
	if errors.Is(err, store.ErrNone) {
		return f, nil
	} else if err != nil {
		return f, err
	}
	f.Type, f.Data = small.Type, small.Data
	return f, nil
}
