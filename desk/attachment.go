package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// mostAttached is how many attachments a piece has at most.
const mostAttached = 100

// Attach adds a file to a piece, or with attachment a newer version of one that is there.
// Of pictures one can be the lead picture; a new lead picture takes the place of the old.
func (h *House) Attach(ctx context.Context, by, piece, attachment int64, file *Upload, lead bool, alt string) error {
	return h.preparing(ctx, by, piece, func(a *act, was store.Row) error {
		if file == nil {
			return bad("file", "Choose a file to attach.")
		}
		all, err := store.Attachments(a, a.tx, piece)
		if err != nil {
			return err
		}
		x := store.Attachment{PieceID: piece, Name: file.Name, Lead: lead, Alt: strings.TrimSpace(alt)}
		i := slices.IndexFunc(all, func(y store.Attachment) bool { return y.ID == attachment || attachment == 0 && lead && y.Lead })
		switch {
		case attachment != 0 && i < 0:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Somebody has put this away meanwhile. Attach the file anew."}
		case len([]rune(x.Alt)) > 300:
			return bad("alt", "Say in up to 300 characters what the picture shows.")
		case i < 0 && len(all) >= mostAttached:
			return bad("file", "There are %d files already. Put some away first.", mostAttached)
		case (lead || i >= 0 && all[i].Lead) && !isPicture(file):
			return bad("file", "The lead picture is a picture: a JPEG, PNG, GIF or WebP.")
		}
		if i >= 0 {
			now := all[i]
			x.ID, x.Version, x.Lead = now.ID, now.Version, now.Lead
			if x.Alt == "" {
				x.Alt = now.Alt
			}
			err = a.tx.SaveAttachment(a, x)
		} else {
			x.ID, err = a.tx.AddAttachment(a, x)
		}
		if err != nil {
			return err
		}
		v := store.AttachmentVersion{AttachmentID: x.ID, Version: x.Version + 1, By: by, At: a.now}
		if v.FileID, err = a.addFile(*file, piece, 0); err != nil {
			return err
		}
		if err := a.tx.AddAttachmentVersion(a, v); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "attached", What: fmt.Sprintf("attached “%s”, version %d", file.Name, v.Version), Version: was.Version})
	})
}

// Detach puts an attachment away; its versions stay stored.
func (h *House) Detach(ctx context.Context, by, piece, attachment int64) error {
	return h.preparing(ctx, by, piece, func(a *act, was store.Row) error {
		all, err := store.Attachments(a, a.tx, piece)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(y store.Attachment) bool { return y.ID == attachment })
		if i < 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "It has been put away already."}
		}
		all[i].Dropped = true
		if err := a.tx.SaveAttachment(a, all[i]); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "put away", What: fmt.Sprintf("put away the attachment “%s”", all[i].Name), Version: was.Version})
	})
}
