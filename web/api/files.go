package api

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/scope"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/programs"
	"greenbaton/newsroom/review"
)

// File is something that is attached to a piece.
type File struct {
	ID      int64     `json:"id" doc:"Under which it is fetched; another for each version."`
	Of      int64     `json:"attachment" doc:"It is a version of; the same for all of them."`
	Name    string    `json:"name"`
	Alt     string    `json:"alt,omitempty" doc:"A picture in words."`
	Lead    bool      `json:"lead,omitempty" doc:"It is the lead picture."`
	Version int       `json:"version"`
	By      int64     `json:"by,omitempty"`
	At      time.Time `json:"at"`
}

func (s *Section) files(a huma.API) {
	type filesOut struct {
		Body struct {
			Files []File `json:"files"`
		}
	}
	attached := func(ctx context.Context, k programs.Key, in *OnePiece) (*filesOut, error) {
		all, err := s.Copyroom.AttachedTo(ctx, k.Person.ID, ref.Piece(in.ID))
		if err != nil {
			return nil, err
		}
		o := &filesOut{}
		o.Body.Files = []File{}
		for _, x := range all {
			o.Body.Files = append(o.Body.Files, File{ID: int64(x.FileID), Of: int64(x.ID), Name: x.Name, Alt: x.Alt, Lead: x.Lead, Version: x.Version, By: int64(x.By), At: *timeOf(max(x.At, 1))})
		}
		return o, nil
	}
	add(s, a, ask{method: http.MethodGet, path: "/pieces/{id}/files", id: "listFiles", says: "What is attached to a piece, in the newest versions", area: scope.Copy, right: scope.Read, tag: "Copy"}, attached)
	type attachIn struct {
		OnePiece
		Name       string `query:"name" required:"true" minLength:"1" maxLength:"200" doc:"Of the file, with its ending."`
		Alt        string `query:"alt" maxLength:"300" doc:"A picture in words."`
		Lead       bool   `query:"lead" doc:"It is the lead picture."`
		Attachment int64  `query:"attachment" minimum:"0" doc:"It is a newer version of this."`
		RawBody    []byte `contentType:"application/octet-stream"`
	}
	add(s, a, ask{method: http.MethodPost, path: "/pieces/{id}/files", id: "attachFile", says: "Attaches a file to a piece, or a newer version of one", area: scope.Copy, right: scope.Write, made: true, file: true, tag: "Copy"},
		func(ctx context.Context, k programs.Key, in *attachIn) (*filesOut, error) {
			u, err := copyroom.ReadUpload("name", in.Name, in.RawBody)
			if err != nil {
				return nil, err
			}
			if err := s.Copyroom.Attach(ctx, k.Person.ID, ref.Piece(in.ID), ref.Attachment(in.Attachment), u, in.Lead, in.Alt); err != nil {
				return nil, err
			}
			return attached(ctx, k, &in.OnePiece)
		})
	type fileIn struct {
		ID int64 `path:"id" minimum:"1"`
	}
	type fileOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Body               []byte
	}
	add(s, a, ask{method: http.MethodGet, path: "/files/{id}", id: "getFile", says: "A file as it was attached", area: scope.Copy, right: scope.Read, tag: "Copy"},
		func(ctx context.Context, k programs.Key, in *fileIn) (*fileOut, error) {
			f, err := s.Intake.File(ctx, k.Person.ID, ref.File(in.ID))
			if err != nil {
				return nil, err
			}
			return &fileOut{ContentType: "application/octet-stream", ContentDisposition: fmt.Sprintf("attachment; filename*=UTF-8''%s", escaped(f.Name)), Body: f.Data}, nil
		})
	type verdictIn struct {
		OnePiece
		IfMatch string `header:"If-Match" required:"true" maxLength:"100" doc:"The ETag with which the copy was read: a verdict is on exactly that."`
		Body    struct {
			Say  string `json:"say" enum:"signed off,with notes,sent back"`
			Text string `json:"text,omitempty" maxLength:"2000" doc:"Notes, or what is to be changed."`
		}
	}
	add(s, a, ask{method: http.MethodPost, path: "/pieces/{id}/verdicts", id: "sayVerdict", says: "Says a verdict on the copy that was read, for who is asked for one", area: scope.Copy, right: scope.Write, tag: "Copy"},
		func(ctx context.Context, k programs.Key, in *verdictIn) (*struct{}, error) {
			version, err := versionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			return nil, s.Review.SayVerdict(ctx, review.Key{Who: k.Person.ID, Piece: ref.Piece(in.ID)}, review.Verdict{Say: relay.Say(in.Body.Say), Text: in.Body.Text, Seq: version - 1})
		})
}

// escaped writes a name for a header as RFC 8187 has it.
func escaped(name string) string {
	out := ""
	for _, b := range []byte(name) {
		if b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z' || b >= '0' && b <= '9' || b == '.' || b == '-' || b == '_' {
			out += string(rune(b))
		} else {
			out += fmt.Sprintf("%%%02X", b)
		}
	}
	return out
}
