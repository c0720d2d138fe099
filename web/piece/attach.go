package piece

import (
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// attachedView is the files that belong to a piece.
type attachedView struct {
	Piece ref.Piece
	Lead  *attachedFile
	Files []attachedFile
}

type attachedFile struct {
	store.Attachment
	Size     string
	By, When string
	Older    []attachedFile
}

func (s *Section) attachedFor(c *echo.Context, b *newsroom.Setup, row store.Row) (attachedView, error) {
	v := attachedView{Piece: row.ID}
	all, versions, files, err := s.Copyroom.Attached(c.Request().Context(), row.ID)
	if err != nil || len(all) == 0 {
		return v, err
	}
	sizes := map[ref.File]string{}
	for _, f := range files {
		sizes[f.ID] = english.Size(f.Size)
	}
	for _, x := range all {
		f := attachedFile{Attachment: x, Size: sizes[x.FileID], By: b.Name(x.By), When: b.At(x.At, row.DeskID)}
		for _, y := range versions {
			if y.AttachmentID == x.ID && y.Version < x.Version {
				f.Older = append(f.Older, attachedFile{Attachment: store.Attachment{FileID: y.FileID, Version: y.Version}, By: b.Name(y.By), When: b.At(y.At, row.DeskID)})
			}
		}
		v.Files = append(v.Files, f)
		if x.Lead {
			lead := f
			v.Lead = &lead
		}
	}
	return v, nil
}

// attach adds a file to a piece, or a newer version of one.
func (s *Section) attach(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		file, err := kit.Upload(c, "file")
		if err != nil {
			return "", err
		}
		return "The file is attached.", s.Copyroom.Attach(c.Request().Context(), kit.Me(c).ID, id, kit.Int[ref.Attachment](form, "attachment"), file, form.Get("lead") != "", form.Get("alt"))
	})
}

// detach puts an attachment away.
func (s *Section) detach(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		return "The file is removed. Its versions are kept.", s.Copyroom.Detach(c.Request().Context(), kit.Me(c).ID, id, kit.Int[ref.Attachment](form, "attachment"))
	})
}
