package release

import (
	"fmt"
	"strconv"
	"strings"
)

// Chapter is where a part of a recording begins.
type Chapter struct {
	Seconds int    `json:"seconds"`
	Title   string `json:"title"`
}

// MaxChapters is how many chapters a recording has at most.
const MaxChapters = 200

// ReadChapters reads chapters as people type them, each in a line of its own: its time in a
// recording of up to a day, as 4:05 or 1:04:05, and its title. A *relay.Refusal names the line
// that cannot be read, or comes before the one above it.
func ReadChapters(text string) ([]Chapter, error) {
	var out []Chapter
	for line := range strings.Lines(text) {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		at, title, _ := strings.Cut(line, " ")
		seconds, ok := readTime(at)
		title = strings.TrimSpace(title)
		switch {
		case !ok || title == "":
			return nil, bad("field-chapters", "“%s” is no chapter. Write its time and its title, like 4:05 The first stone.", line)
		case len(out) > 0 && seconds <= out[len(out)-1].Seconds:
			return nil, bad("field-chapters", "“%s” does not come after “%s”. Put the chapters in the order in which they are heard.", line, SayTime(out[len(out)-1].Seconds)+" "+out[len(out)-1].Title)
		case len(out) == MaxChapters:
			return nil, bad("field-chapters", "There are more than %d chapters. Leave some out.", MaxChapters)
		}
		out = append(out, Chapter{seconds, title})
	}
	return out, nil
}

// readTime reads a time as 5:07 or 1:05:07, in seconds.
func readTime(s string) (int, bool) {
	parts := strings.Split(s, ":")
	if len(parts) < 2 || len(parts) > 3 {
		return 0, false
	}
	total := 0
	for i, p := range parts {
		n, err := strconv.Atoi(p)
		if err != nil || n < 0 || len(p) > 3 || i > 0 && (n > 59 || len(p) != 2) {
			return 0, false
		}
		total = total*60 + n
	}
	return total, total < 24*3600
}

// SayTime writes a time in a recording as 5:07 or 1:05:07.
func SayTime(seconds int) string {
	if h := seconds / 3600; h > 0 {
		return fmt.Sprintf("%d:%02d:%02d", h, seconds/60%60, seconds%60)
	}
	return fmt.Sprintf("%d:%02d", seconds/60, seconds%60)
}
