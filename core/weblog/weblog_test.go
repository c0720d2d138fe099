package weblog

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"greenbaton/core/ref"
)

// The examples of the Apache HTTP Server's documentation, "Log Files", of the Common and the
// Combined Log Format.
func TestTheExamplesOfTheDocumentation(t *testing.T) {
	common := `127.0.0.1 - frank [10/Oct/2000:13:55:36 -0700] "GET /apache_pb.gif HTTP/1.0" 200 2326`
	want := Line{Host: "127.0.0.1", At: time.Date(2000, 10, 10, 20, 55, 36, 0, time.UTC), Method: "GET", Path: "/apache_pb.gif", Status: 200}
	combined := want
	combined.Agent = "Mozilla/4.08 [en] (Win98; I ;Nav)"
	for _, x := range []struct {
		line string
		want Line
	}{{common, want}, {common + ` "http://www.example.com/start.html" "Mozilla/4.08 [en] (Win98; I ;Nav)"`, combined}, {common + "\r\n", want}} {
		got, err := Parse([]byte(x.line))
		got.At = got.At.UTC()
		if err != nil || got != x.want {
			t.Errorf("%s\ngot  %+v %v\nwant %+v", x.line, got, err, x.want)
		}
	}
}

func TestLinesThatAreNone(t *testing.T) {
	for _, line := range []string{
		"", "\n", "x", "x y z", "\x00\x01", `h - - [10/Oct/2000:13:55:36 -0700] "GET / HTTP/1.0`, `h - - [10/Oct/2000:13:55:36 -0700] "GET /" abc 1`, `h - - [32/Oct/2000:13:55:36 -0700] "GET /" 200 1`,
		`h - - [10/Oct/2000:13:55:36 -0700] "GET /"`, `h - - "GET /" 200 [x] 1`, `h - - [10/Oct/2000:13:55:36 -0700] "GET /" 20 1`, strings.Repeat("x", longest+1),
	} {
		if l, err := Parse([]byte(line)); !errors.Is(err, ErrLine) {
			t.Errorf("%.60q is read as %+v, %v", line, l, err)
		}
	}
	l, err := Parse([]byte(`h - - [10/Oct/2000:13:55:36 -0700] "\x16\x03" 400 0 "-" "-"`))
	if err != nil || l.Method != "" || l.Status != 400 {
		t.Errorf("what is no request is %+v, %v", l, err)
	}
}

// FuzzParse: whatever a line holds, it is read or refused.
func FuzzParse(f *testing.F) {
	f.Add([]byte(`h - - [10/Oct/2000:13:55:36 -0700] "GET /a%zz?b HTTP/1.0" 200 2326 "-" "M \"x\" \\"`))
	f.Fuzz(func(t *testing.T, line []byte) {
		l, err := Parse(line)
		if err == nil && (l.Host == "" || l.Status < 0 || l.Status > 999) {
			t.Errorf("%q is %+v", line, l)
		}
	})
}

// independent is what testdata/counts.py, which shares nothing with this package, counts in a log.
type independent struct {
	Sums   map[string]int
	Visits map[string]map[string]int
}

func readIndependent(t testing.TB) (data []byte, want independent) {
	t.Helper()
	b, err := os.ReadFile("testdata/counts.json")
	if err == nil {
		err = json.Unmarshal(b, &want)
	}
	if err == nil {
		data, err = os.ReadFile("testdata/access.log.gz")
	}
	if err != nil {
		t.Fatal(err)
	}
	return data, want
}

// pieceAt gives the pieces of the log.
func pieceAt(path string) (ref.Piece, bool) {
	if path == "/site/web/müller" {
		return 99, true
	}
	n, ok := strings.CutSuffix(strings.TrimPrefix(path, "/site/web/"), "-piece")
	i, err := strconv.Atoi(n)
	return ref.Piece(i), ok && err == nil && i >= 1 && i <= 12
}

func TestVisitsAreThoseOfAnIndependentReader(t *testing.T) {
	data, want := readIndependent(t)
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	ours, wrong := Prefixes("198.51.100.7, 10.0.0.0/8")
	if wrong != "" {
		t.Fatal(wrong)
	}
	got, err := Count(z, pieceAt, ours, time.UTC, nil)
	if err != nil {
		t.Fatal(err)
	}
	sums := map[string]int{"lines": got.Lines, "broken": got.Broken, "robots": got.Robots, "ours": got.Ours, "failed": got.Failed, "again": got.Again, "other": got.Else}
	if !maps.Equal(sums, want.Sums) {
		t.Errorf("got %v, want %v", sums, want.Sums)
	}
	visits := map[string]map[string]int{}
	for k, n := range got.Visits {
		d := k.Day.String()
		if visits[d] == nil {
			visits[d] = map[string]int{}
		}
		visits[d][fmt.Sprint(k.Piece)] += n
	}
	if len(visits) < 3 || fmt.Sprint(visits) != fmt.Sprint(want.Visits) {
		t.Errorf("got  %v\nwant %v", visits, want.Visits)
	}
	if got.Pages["/style.css"] == 0 || got.Pages["/"] == 0 {
		t.Errorf("what is no piece is %v", got.Pages)
	}
}

func TestAVisitGoesOnOverMidnight(t *testing.T) {
	var v Visits
	at := time.Date(2026, 11, 24, 23, 50, 0, 0, time.UTC)
	for i, want := range []bool{true, false, false, true} {
		if got := v.Take("h", "a", 1, at); got != want {
			t.Errorf("request %d at %s: %v", i, at.Format(time.TimeOnly), got)
		}
		at = at.Add(time.Duration(i*10+15) * time.Minute)
	}
	if !v.Take("h", "b", 1, at) || !v.Take("h", "a", 2, at) || !v.Take("g", "a", 1, at) {
		t.Error("another agent, piece or address is no visit of its own")
	}
}

func TestALogCanBeStopped(t *testing.T) {
	stop := errors.New("stop")
	log := strings.Repeat("x\n", 50_000)
	got, err := Count(strings.NewReader(log), pieceAt, nil, time.UTC, func(int) error { return stop })
	if !errors.Is(err, stop) || got.Lines != 20_000 || got.Broken != 20_000 {
		t.Errorf("%d lines, %v", got.Lines, err)
	}
	long := strings.Repeat("x", 1<<20) + "\n" + strings.Repeat("\x00", 1<<20)
	if got, err := Count(strings.NewReader(long), pieceAt, nil, time.UTC, nil); err != nil || got.Lines != 2 || got.Broken != 2 {
		t.Errorf("lines of a megabyte are %+v, %v", got, err)
	}
}

func TestAddressesOfTheHouse(t *testing.T) {
	got, wrong := Prefixes("203.0.113.7\n2001:db8::/32;10.1.2.3/8")
	if fmt.Sprint(got) != "[203.0.113.7/32 2001:db8::/32 10.0.0.0/8]" || wrong != "" {
		t.Errorf("%v %q", got, wrong)
	}
	if _, wrong := Prefixes("203.0.113.7 our office"); wrong != "our" {
		t.Errorf("%q", wrong)
	}
}

// A million lines; see docs/measures.md.
func BenchmarkAMillionLines(b *testing.B) {
	data, _ := readIndependent(b)
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		b.Fatal(err)
	}
	var log bytes.Buffer
	if _, err := log.ReadFrom(z); err != nil {
		b.Fatal(err)
	}
	many := bytes.Repeat(log.Bytes(), 1_000_000/6012+1)
	b.ReportAllocs()
	for b.Loop() {
		got, err := Count(bytes.NewReader(many), pieceAt, nil, time.UTC, nil)
		if err != nil || got.Lines < 1_000_000 {
			b.Fatal(got.Lines, err)
		}
	}
}
