package format

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	reader "github.com/emersion/go-ical"

	"greenbaton/core/calendar"
	"greenbaton/core/day"
)

var icalZones = []string{"Europe/London", "America/New_York", "Australia/Lord_Howe", "Africa/Casablanca", "Asia/Kolkata", "UTC"}

// Whatever is written is read back by github.com/emersion/go-ical, which shares nothing with what
// wrote it, over both clock changes of the year; lines keep to RFC 5545, 3.1.
func TestWhatIsWrittenForCalendarsIsReadByAnotherReader(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 1))
	bits := []string{"mill", "a, b; c", `back\slash`, "“quoted”", "ü", "日本語の見出し", "👩‍🌾", ":", "two\nlines", "\"q\"", "\\n", " ", strings.Repeat("long ", 30)}
	text := func() string {
		var s []string
		for range 1 + r.IntN(6) {
			s = append(s, bits[r.IntN(len(bits))])
		}
		return strings.Join(s, "")
	}
	for range 200 {
		var events []calendar.Kept
		for i := range 1 + r.IntN(12) {
			e := calendar.Event{UID: fmt.Sprintf("piece-%d.c1", i), Title: text(), Note: text(), Page: "https://millrace.example/pieces/7?a=1,2;b", Day: day.NewDate(2026, 1, 1) + day.Date(r.IntN(500))}
			if i%2 == 0 {
				e.Zone = icalZones[r.IntN(len(icalZones))]
				zone, _ := time.LoadLocation(e.Zone)
				near := []day.Date{day.NewDate(2026, 3, 29), day.NewDate(2026, 10, 25), day.NewDate(2026, 11, 1), day.NewDate(2026, 3, 8), day.NewDate(2026, 4, 5)}[r.IntN(5)]
				e.Day = near + day.Date(r.IntN(3)-1)
				e.At = day.Wall(e.Day, r.IntN([]int{4, 24}[r.IntN(2)]*60), zone) + day.Moment(r.IntN(3)*3600)
				e.Day = e.At.Date(zone)
			}
			events = append(events, calendar.Kept{Event: e, Sequence: r.IntN(9), Changed: day.Moment(1_790_000_000 + r.IntN(1e6)), Off: r.IntN(4) == 0})
		}
		var out bytes.Buffer
		if err := ICal(&out, "Pieces of "+text(), "millrace.example", events); err != nil {
			t.Fatal(err)
		}
		for line := range strings.SplitSeq(strings.TrimSuffix(out.String(), "\r\n"), "\r\n") {
			if len(line) > 75 || !utf8.ValidString(line) || strings.ContainsAny(line, "\r\n") {
				t.Fatalf("a line of %d octets: %q", len(line), line)
			}
		}
		cal, err := reader.NewDecoder(bytes.NewReader(out.Bytes())).Decode()
		if err != nil {
			t.Fatalf("%v in\n%s", err, out.String())
		}
		got := cal.Events()
		if len(got) != len(events) {
			t.Fatalf("%d of %d events", len(got), len(events))
		}
		zones := zonesRead(t, cal)
		for i, k := range events {
			sameEvent(t, k, got[i], zones)
		}
	}
}

func sameEvent(t *testing.T, k calendar.Kept, e reader.Event, zones map[string][]onset) {
	t.Helper()
	text := func(name string) string {
		s, err := e.Props.Text(name)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		return s
	}
	seq, _ := e.Props.Get("SEQUENCE").Int()
	stamp, err := e.Props.DateTime("DTSTAMP", time.UTC)
	status, _ := e.Status()
	if err != nil || text("UID") != k.UID+"@millrace.example" || text("SUMMARY") != oneLine(k.Title) || text("DESCRIPTION") != k.Note || seq != k.Sequence || stamp.Unix() != int64(k.Changed) || (status == reader.EventCancelled) != k.Off {
		t.Fatalf("%+v was read as %+v", k, e.Props)
	}
	start := e.Props.Get("DTSTART")
	if k.At == 0 {
		last, err := e.DateTimeEnd(time.UTC)
		if start.ValueType() != reader.ValueDate || start.Value != k.Day.Format("20060102") || err != nil || last.Format("20060102") != (k.Day+1).Format("20060102") {
			t.Fatalf("%+v lasts from %+v to %v", k, start, last)
		}
		return
	}
	at, err := e.DateTimeStart(time.UTC)
	if err != nil {
		t.Fatalf("%+v: %v", k, err)
	}
	if wall, ok := strings.CutSuffix(start.Value, "Z"); ok {
		if read, err := time.Parse("20060102T150405", wall); err != nil || read.Unix() != int64(k.At) {
			t.Fatalf("%+v is at %v", k, start.Value)
		}
	} else if by := byOnsets(t, start.Value, zones[k.Zone]); by != int64(k.At) || at.Unix() != by && at.Format("20060102T150405") != start.Value { // which of two the reader takes is its own
		t.Fatalf("%+v: by the description of its zone it is at %v, not %v", k, time.Unix(by, 0).UTC(), at)
	}
}

// A calendar without events holds one component all the same (RFC 5545, 3.6).
func TestAnEmptyCalendarIsOne(t *testing.T) {
	var out bytes.Buffer
	if err := ICal(&out, "Nothing", "millrace.example", nil); err != nil {
		t.Fatal(err)
	}
	cal, err := reader.NewDecoder(&out).Decode()
	if err != nil || len(cal.Children) != 1 || len(zonesRead(t, cal)["Etc/UTC"]) != 1 {
		t.Errorf("%v %+v", err, cal)
	}
}

// onset is one observance of a zone as its description has it.
type onset struct {
	local    time.Time
	from, to int // seconds
}

func zonesRead(t *testing.T, cal *reader.Calendar) map[string][]onset {
	out := map[string][]onset{}
	for _, z := range cal.Children {
		if z.Name != "VTIMEZONE" {
			continue
		}
		id, _ := z.Props.Text("TZID")
		for _, o := range z.Children {
			local, err := time.Parse("20060102T150405", o.Props.Get("DTSTART").Value)
			if err != nil {
				t.Fatal(err)
			}
			out[id] = append(out[id], onset{local, seconds(t, o.Props.Get("TZOFFSETFROM").Value), seconds(t, o.Props.Get("TZOFFSETTO").Value)})
		}
	}
	return out
}

func seconds(t *testing.T, s string) int {
	var h, m int
	if _, err := fmt.Sscanf(s[1:], "%2d%2d", &h, &m); err != nil {
		t.Fatal(err)
	}
	if n := h*3600 + m*60; s[0] == '-' {
		return -n
	} else {
		return n
	}
}

// byOnsets gives the instant of a time as the clocks show it: by the last observance that had begun
// (RFC 5545, 3.6.5); one that is skipped is read by the offset before (3.3.5).
func byOnsets(t *testing.T, value string, all []onset) int64 {
	local, err := time.Parse("20060102T150405", value)
	if err != nil {
		t.Fatal(err)
	}
	off := 0
	for i, o := range all {
		begins := o.local.Add(time.Duration(max(0, o.to-o.from)) * time.Second) // an hour that is skipped has the offset before
		if i == 0 || !local.Before(begins) {
			off = o.to
		}
	}
	return local.Unix() - int64(off)
}
