package format

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"greenbaton/core/ref"
	"io"
	"strconv"
)

// LogEntry is an entry of the logbook as it is exported.
type LogEntry struct {
	Seq     int64     `json:"seq"`
	At      string    `json:"at"` // RFC 3339
	Who     string    `json:"who"`
	Act     string    `json:"act"`
	What    string    `json:"what"`
	Why     string    `json:"why,omitempty"`
	Before  string    `json:"before,omitempty"`
	After   string    `json:"after,omitempty"`
	Piece   ref.Piece `json:"piece,omitempty"`
	Version int       `json:"version,omitempty"`
	Prev    string    `json:"prev"`
	Hash    string    `json:"hash"`
}

// Log writes entries of the logbook as CSV or as JSON, the first of them and then as many
// as next gives. Cells that a spreadsheet would take for a formula are written with an
// apostrophe before them.
func Log(w io.Writer, as string, first []LogEntry, next func() ([]LogEntry, error)) error {
	put, end := logCSV(w)
	if as == "json" {
		put, end = logJSON(w)
	}
	for part := first; len(part) > 0; {
		for _, e := range part {
			if err := put(e); err != nil {
				return fmt.Errorf("export the logbook: %w", err)
			}
		}
		var err error
		if part, err = next(); err != nil {
			return err
		}
	}
	return end()
}

func logCSV(w io.Writer) (put func(LogEntry) error, end func() error) {
	out := csv.NewWriter(w)
	header := false
	put = func(e LogEntry) error {
		if !header {
			header = true
			if err := out.Write([]string{"seq", "at", "who", "act", "what", "why", "before", "after", "piece", "version", "prev", "hash"}); err != nil {
				return err
			}
		}
		return out.Write([]string{strconv.FormatInt(e.Seq, 10), e.At, plainCell(e.Who), plainCell(e.Act), plainCell(e.What), plainCell(e.Why), plainCell(e.Before), plainCell(e.After), strconv.FormatInt(int64(e.Piece), 10), strconv.Itoa(e.Version), e.Prev, e.Hash})
	}
	return put, func() error { out.Flush(); return out.Error() }
}

func logJSON(w io.Writer) (put func(LogEntry) error, end func() error) {
	before := "[\n"
	put = func(e LogEntry) error {
		b, err := json.Marshal(e)
		if err == nil {
			_, err = w.Write(append([]byte(before), b...))
		}
		before = ",\n"
		return err
	}
	return put, func() error {
		tail := "\n]\n"
		if before == "[\n" {
			tail = "[]\n"
		}
		_, err := io.WriteString(w, tail)
		return err
	}
}
