package copyroom

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// mostAttached is how many attachments a piece has at most.
const mostAttached = 100

// Attach adds a file to a piece, or with attachment a newer version of one that is there.
// Of pictures one can be the lead picture; a new lead picture takes the place of the old.
func (h Room) Attach(ctx context.Context, by ref.Person, piece ref.Piece, attachment ref.Attachment, file *Upload, lead bool, alt string) error {
	return h.Preparing(ctx, by, piece, func(a *newsroom.Command, was store.Row) error {
		if file == nil {
			return newsroom.Invalid("file", "Choose a file to attach.")
		}
		all, err := store.Attachments(a, a.Tx, piece)
		if err != nil {
			return err
		}
		x := store.Attachment{PieceID: piece, Name: file.Name, Lead: lead, Alt: strings.TrimSpace(alt)}
		i := slices.IndexFunc(all, func(y store.Attachment) bool { return y.ID == attachment || attachment == 0 && lead && y.Lead })
		switch {
		case attachment != 0 && i < 0:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Somebody has put this away meanwhile. Attach the file anew."}
		case len([]rune(x.Alt)) > 300:
			return newsroom.Invalid("alt", "Say in up to 300 characters what the picture shows.")
		case i < 0 && len(all) >= mostAttached:
			return newsroom.Invalid("file", "There are %d files already. Put some away first.", mostAttached)
		case (lead || i >= 0 && all[i].Lead) && !isPicture(file):
			return newsroom.Invalid("file", "The lead picture is a picture: a JPEG, PNG, GIF or WebP.")
		}
		if i >= 0 {
			now := all[i]
			x.ID, x.Version, x.Lead = now.ID, now.Version, now.Lead
			if x.Alt == "" {
				x.Alt = now.Alt
			}
			err = a.Tx.SaveAttachment(a, x)
		} else {
			x.ID, err = a.Tx.AddAttachment(a, x)
		}
		if err != nil {
			return err
		}
		v := store.AttachmentVersion{AttachmentID: x.ID, Version: x.Version + 1, By: by, At: a.Now}
		if v.FileID, err = AddFile(a, *file, piece, 0); err != nil {
			return err
		}
		if err := a.Tx.AddAttachmentVersion(a, v); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "attached", What: fmt.Sprintf("attached “%s”, version %d", file.Name, v.Version), Version: was.Version})
	})
}

// Detach puts an attachment away; its versions stay stored.
func (h Room) Detach(ctx context.Context, by ref.Person, piece ref.Piece, attachment ref.Attachment) error {
	return h.Preparing(ctx, by, piece, func(a *newsroom.Command, was store.Row) error {
		all, err := store.Attachments(a, a.Tx, piece)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(y store.Attachment) bool { return y.ID == attachment })
		if i < 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "It has been put away already."}
		}
		all[i].Dropped = true
		if err := a.Tx.SaveAttachment(a, all[i]); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "put away", What: fmt.Sprintf("put away the attachment “%s”", all[i].Name), Version: was.Version})
	})
}

// Attached gives the attachments of a piece that somebody may see already: the newest of
// each, all of their versions, and what is known of their files, without the bytes.
func (r Room) Attached(ctx context.Context, piece ref.Piece) ([]store.Attachment, []store.AttachmentVersion, []store.File, error) {
	view := r.DB.View()
	all, err := store.Attachments(ctx, view, piece)
	if err != nil || len(all) == 0 {
		return nil, nil, nil, err
	}
	versions, err := store.AttachmentVersions(ctx, view, piece)
	if err != nil {
		return nil, nil, nil, err
	}
	files, err := store.FilesOf(ctx, view, piece, 0)
	return all, versions, files, err
}

// AttachedTo gives the attachments of a piece in their newest versions, to who may read its copy.
func (r Room) AttachedTo(ctx context.Context, who ref.Person, piece ref.Piece) ([]store.Attachment, error) {
	if _, err := r.See(ctx, who, piece, relay.ActRead); err != nil {
		return nil, err
	}
	return store.Attachments(ctx, r.DB.View(), piece)
}
