package copyroom

import (
	"bytes"
	"image"
	_ "image/gif"
	_ "image/jpeg"
	_ "image/png"
	"net/http"
	"path"
	"strings"
	"unicode"
	"unicode/utf8"

	_ "golang.org/x/image/webp"

	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Upload is a file that somebody sends, once it is looked at.
type Upload struct {
	Name      string
	Type      string // what its bytes are
	Data      []byte
	Small     []byte // a picture made smaller, where it is to be
	smallType string
}

// The limits of files that are sent along.
const (
	MaxFile   = 10 << 20 // bytes
	MaxSound  = 50 << 20 // of a recording
	maxPixels = 80 << 20 // of a picture, width times height
)

// fileTypes says by its ending what a file may be, and what its bytes then are: by the
// sniffing of the WHATWG MIME standard, as net/http does it.
var fileTypes = map[string]string{
	".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".gif": "image/gif", ".webp": "image/webp", ".pdf": "application/pdf",
	".docx": "application/zip", ".xlsx": "application/zip", ".odt": "application/zip", ".ods": "application/zip",
	".mp3": "audio/mpeg", ".m4a": "audio/mp4", ".wav": "audio/wave", ".ogg": "audio/ogg",
	".txt": "text/plain; charset=utf-8", ".md": "text/plain; charset=utf-8", ".csv": "text/plain; charset=utf-8",
}

// FileEndings are the endings of the files that are taken.
const FileEndings = ".png,.jpg,.jpeg,.gif,.webp,.mp3,.m4a,.wav,.ogg,.pdf,.docx,.xlsx,.odt,.ods,.txt,.md,.csv"

// ReadUpload looks at a file that somebody sends: its name, its size, and whether it is
// what its name says. A *relay.Refusal on the field says what to do.
func ReadUpload(field, name string, data []byte) (*Upload, error) {
	name = CleanName(name)
	ending := strings.ToLower(path.Ext(name))
	want, known := fileTypes[ending]
	is := sniff(data, want)
	most := MaxFile
	if strings.HasPrefix(want, "audio/") {
		most = MaxSound
	}
	if strings.HasPrefix(want, "text/") && utf8.Valid(data) && !bytes.ContainsRune(data, 0) {
		is = want // text is whatever can be read as such
	} else if strings.HasPrefix(want, "text/") {
		is = ""
	}
	switch {
	case len(data) == 0:
		return nil, newsroom.Invalid(field, "“%s” is empty. Choose the file again.", name)
	case len(data) > most:
		return nil, newsroom.Invalid(field, "“%s” is larger than %d MB. Make it smaller, or put in a link to it.", name, most>>20)
	case !known:
		return nil, newsroom.Invalid(field, "“%s” is of a kind that is not taken here. Send a picture, recording, PDF, text, table or document: %s.", name, strings.ReplaceAll(FileEndings, ",", " "))
	case want != is:
		return nil, newsroom.Invalid(field, "“%s” is not what its name says. Save it again in the program it comes from, and send that.", name)
	}
	u := &Upload{Name: name, Type: want, Data: data}
	if strings.HasPrefix(want, "image/") {
		c, _, err := image.DecodeConfig(bytes.NewReader(data))
		if err != nil || c.Width <= 0 || c.Height <= 0 {
			return nil, newsroom.Invalid(field, "“%s” cannot be read as a picture. Save it again, and send that.", name)
		}
		if c.Width > maxPixels/c.Height {
			return nil, newsroom.Invalid(field, "“%s” says it has %d × %d points, which is more than is taken. Make it smaller first.", name, c.Width, c.Height)
		}
		if u.Small, u.smallType, err = Smaller(data); err != nil {
			return nil, newsroom.Invalid(field, "“%s” cannot be read as a picture. Save it again, and send that.", name)
		}
	}
	return u, nil
}

// sniff says what the bytes of a file are. Some recordings that begin at once, without a head
// that the WHATWG MIME standard knows, are told by how their container begins.
func sniff(data []byte, want string) string {
	switch {
	case want == "audio/mpeg" && len(data) > 1 && data[0] == 0xFF && data[1]&0xE0 == 0xE0, // a frame of MPEG audio
		want == "audio/mp4" && len(data) > 11 && string(data[4:8]) == "ftyp",
		want == "audio/ogg" && bytes.HasPrefix(data, []byte("OggS")):
		return want
	}
	return http.DetectContentType(data)
}

// CleanName gives the last part of a file's name, without what a name cannot have.
func CleanName(name string) string {
	name = path.Base(strings.ReplaceAll(strings.ToValidUTF8(name, ""), "\\", "/"))
	name = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || strings.ContainsRune(`"<>|:*?`, r) || unicode.Is(unicode.Cf, r) {
			return -1
		}
		return r
	}, name)
	if r := []rune(name); len(r) > 120 {
		name = string(r[:100]) + path.Ext(name)
	}
	if name == "" || name == "." || name == "/" {
		return "file"
	}
	return name
}

// AddFile stores a file of a piece or of a request and gives its id.
func AddFile(a *newsroom.Command, u Upload, piece ref.Piece, request ref.Request) (ref.File, error) {
	id, err := a.Tx.AddFile(a, store.File{PieceID: piece, RequestID: request, Name: u.Name, Type: u.Type, Size: len(u.Data), Data: u.Data, By: a.Actor, At: a.Now})
	if err != nil {
		return 0, err
	}
	if u.Small == nil {
		return id, nil
	}
	return id, a.Tx.AddSmall(a, store.Small{FileID: id, Type: u.smallType, Data: u.Small})
}
