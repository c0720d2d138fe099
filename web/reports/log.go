package reports

import (
	"cmp"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/weblog"
	"greenbaton/newsroom/figures"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// mostLog is how large a log may be that is sent.
const mostLog = 256 << 20

// logs is the logs that are being counted, one after the other, and how the last of each person ended.
type logs struct {
	mu   sync.Mutex
	of   map[ref.Person]*logJob
	turn sync.Mutex
}

// logJob is a log that is counted.
type logJob struct {
	name    string
	desk    ref.Desk
	lines   int
	moving  bool
	found   []string     // in the log, in sentences
	elses   []kit.Option // pages most asked for that are no pieces
	problem *relay.Refusal
}

func (l *logs) get(who ref.Person) (logJob, bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	j := l.of[who]
	if j == nil {
		return logJob{}, false
	}
	return *j, true
}

func (l *logs) change(who ref.Person, f func(*logJob)) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.of == nil {
		l.of = map[ref.Person]*logJob{}
	}
	if l.of[who] == nil {
		l.of[who] = &logJob{}
	}
	f(l.of[who])
}

// figuresView is the page on which figures are brought in.
type figuresView struct {
	Measures []store.Measure
	Form     url.Values
	Moving   bool
	Lines    int
	Name     string
	Done     []string // what was found in the last log, in sentences
	Elses    []kit.Option
	Problem  string
	Field    string
}

func (s *Section) figures(c *echo.Context) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	return s.showFigures(c, http.StatusOK, url.Values{"ours": {b.Desk(kit.Here(c)).OwnHosts}}, nil)
}

func (s *Section) showFigures(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	v := figuresView{Measures: b.MeasuresOf(kit.Here(c)), Form: form}
	if j, ok := s.logs.get(kit.Me(c).ID); ok && j.desk == kit.Here(c) {
		v.Moving, v.Lines, v.Name = j.moving, j.lines, j.name
		switch {
		case j.problem != nil && refusal == nil:
			refusal = j.problem
		case !j.moving && j.problem == nil:
			v.Done, v.Elses = j.found, j.elses
		}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "figures", "Bring in figures", v)
}

// sayTally says what was found in a log, and which pages that are no pieces were most asked for.
func sayTally(t weblog.Tally) ([]string, []kit.Option) {
	visits := 0
	for _, n := range t.Visits {
		visits += n
	}
	out := []string{fmt.Sprintf("%s of pieces in %s.", english.UpperFirst(english.Plural(visits, "visit")), english.Plural(t.Lines, "line"))}
	for _, x := range []struct {
		n    int
		says string
	}{{t.Again, "were further requests of the same visit"}, {t.Robots, "came from robots"}, {t.Ours, "came from the house"}, {t.Failed, "were not answered with a page"}, {t.Else, "were for what is no piece"}, {t.Broken, "are in neither of the formats"}} {
		if x.n > 0 {
			out = append(out, fmt.Sprintf("%s %s.", english.Number(x.n), x.says))
		}
	}
	var pages []kit.Option
	for p, n := range t.Pages {
		pages = append(pages, kit.Option{Name: english.Cut(p, 80), Value: fmt.Sprint(n)})
	}
	slices.SortFunc(pages, func(x, y kit.Option) int {
		return cmp.Or(t.Pages[y.Name]-t.Pages[x.Name], strings.Compare(x.Name, y.Name))
	})
	return out, pages[:min(8, len(pages))]
}

// log takes a log and counts it, while the page says how far it is.
func (s *Section) log(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	show := func(status int, r *relay.Refusal) error { return s.showFigures(c, status, form, r) }
	h, err := c.FormFile("file")
	if err != nil || h.Size == 0 {
		return show(http.StatusUnprocessableEntity, &relay.Refusal{Reason: relay.ErrInput, Field: "file", Text: "Choose the access log of the web server, as it is or gzipped."})
	}
	f, err := h.Open()
	if err != nil {
		return err
	}
	who, here := kit.Me(c).ID, kit.Here(c)
	if j, ok := s.logs.get(who); ok && j.moving {
		f.Close()
		return show(http.StatusConflict, &relay.Refusal{Reason: relay.ErrNotNow, Text: "A log of yours is being counted. Wait until it is in."})
	}
	l := figures.Log{Desk: here, Measure: kit.Int[ref.Measure](form, "measure"), Name: h.Filename, Ours: form.Get("ours")}
	s.logs.change(who, func(j *logJob) { *j = logJob{name: h.Filename, desk: here, moving: true} })
	l.Far = func(lines int) error {
		s.logs.change(who, func(j *logJob) { j.lines = lines })
		return nil
	}
	ctx, done := context.WithoutCancel(c.Request().Context()), make(chan error, 1)
	go func() { done <- s.count(ctx, who, l, f) }()
	select {
	case err := <-done:
		var refusal *relay.Refusal
		if errors.As(err, &refusal) {
			return show(kit.StatusOf(refusal), refusal)
		} else if err != nil {
			return err
		}
	case <-time.After(400 * time.Millisecond):
	}
	return c.Redirect(http.StatusSeeOther, "/reports/figures")
}

// count counts a log and notes how it ended.
func (s *Section) count(ctx context.Context, who ref.Person, l figures.Log, f io.ReadCloser) error {
	defer f.Close()
	s.logs.turn.Lock()
	defer s.logs.turn.Unlock()
	r, err := plain(f)
	var t weblog.Tally
	if err == nil {
		t, err = s.Figures.CountLog(ctx, who, l, r)
	}
	if errors.Is(err, gzip.ErrHeader) || errors.Is(err, gzip.ErrChecksum) || errors.Is(err, io.ErrUnexpectedEOF) {
		err = &relay.Refusal{Reason: relay.ErrInput, Field: "file", Text: "The file is gzipped and damaged. Send it again."}
	}
	var refusal *relay.Refusal
	if err != nil && !errors.As(err, &refusal) {
		s.Log.Error("count a log", "problem", err)
		refusal = &relay.Refusal{Reason: relay.ErrMachine, Text: "The log could not be counted. Whoever runs Green Baton finds the reason in its log."}
	}
	found, elses := sayTally(t)
	s.logs.change(who, func(j *logJob) {
		j.moving, j.found, j.elses, j.problem, j.lines = false, found, elses, refusal, t.Lines
	})
	return err
}

// plain gives what is in a file, unpacked where it is gzipped.
func plain(f io.ReadCloser) (io.Reader, error) {
	seeks, ok := f.(io.ReadSeeker)
	if !ok {
		return f, nil
	}
	var head [2]byte
	n, err := io.ReadFull(seeks, head[:])
	if err != nil && n == 0 {
		return f, err
	}
	if _, err := seeks.Seek(0, io.SeekStart); err != nil {
		return f, err
	}
	if head == [2]byte{0x1f, 0x8b} {
		return gzip.NewReader(seeks)
	}
	return f, nil
}

// logNow says how far a log is.
func (s *Section) logNow(c *echo.Context) error {
	j, _ := s.logs.get(kit.Me(c).ID)
	return c.JSON(http.StatusOK, map[string]any{"done": j.lines, "moving": j.moving})
}
