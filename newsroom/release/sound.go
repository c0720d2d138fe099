package release

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/hajimehoshi/go-mp3"

	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// soundOf gives the recording that is chosen on a sheet; none if there is none, or no more.
func soundOf(ctx context.Context, r store.Reader, s *Sheet) (newsroom.Sound, error) {
	if !slices.ContainsFunc(s.Asks.Fields, func(f release.Field) bool { return f.Kind == release.Recording }) {
		return newsroom.Sound{}, nil
	}
	i := slices.IndexFunc(s.Sounds, func(x store.Attachment) bool { return fmt.Sprint(int64(x.ID)) == s.Fields[release.Recording] })
	if i < 0 {
		return newsroom.Sound{}, nil
	}
	f, err := store.Recording(ctx, r, s.Row.ID, s.Sounds[i].FileID)
	if errors.Is(err, store.ErrNone) {
		return newsroom.Sound{}, nil
	} else if err != nil {
		return newsroom.Sound{}, err
	}
	return newsroom.Sound{File: f.ID, Name: f.Name, Type: f.Type, Length: len(f.Data), Seconds: Seconds(f.Type, f.Data)}, nil
}

// Seconds gives how long a recording lasts: MP3 by its frames, WAVE by what its header says of
// its data; 0 where that is not known.
func Seconds(kind string, data []byte) (seconds int) {
	defer func() {
		if recover() != nil { // what cannot be read has no length
			seconds = 0
		}
	}()
	switch kind {
	case "audio/mpeg":
		d, err := mp3.NewDecoder(bytes.NewReader(data))
		if err != nil || d.SampleRate() <= 0 {
			return 0
		}
		return int((d.Length()/4 + int64(d.SampleRate())/2) / int64(d.SampleRate())) // 4 bytes a sample
	case "audio/wave":
		rate := uint32(0)
		for at := 12; at+8 <= len(data); {
			size := binary.LittleEndian.Uint32(data[at+4:])
			switch string(data[at : at+4]) {
			case "fmt ":
				if at+20 <= len(data) {
					rate = binary.LittleEndian.Uint32(data[at+16:]) // bytes a second
				}
			case "data":
				if rate == 0 {
					return 0
				}
				return int((min(int64(size), int64(len(data)-at-8)) + int64(rate)/2) / int64(rate))
			}
			at += 8 + int(size) + int(size&1)
			if at < 0 {
				return 0
			}
		}
	}
	return 0
}

// sounds gives those attachments that are recordings, by the ends of their names.
func sounds(all []store.Attachment) []store.Attachment {
	var out []store.Attachment
	for _, x := range all {
		low := strings.ToLower(x.Name)
		if slices.ContainsFunc([]string{".mp3", ".wav", ".m4a", ".ogg"}, func(end string) bool { return strings.HasSuffix(low, end) }) {
			out = append(out, x)
		}
	}
	return out
}
