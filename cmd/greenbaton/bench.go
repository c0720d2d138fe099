package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"text/tabwriter"
	"time"

	"greenbaton/core/ref"
	"greenbaton/demo"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

type benchCmd struct {
	Pieces  int64         `default:"50000" help:"How many pieces are stored."`
	Running int64         `default:"2000" help:"How many of them are under way."`
	People  int64         `default:"200" help:"How many people share the work."`
	Rounds  int           `default:"20" help:"How often each page is asked for."`
	AtOnce  int           `default:"8" help:"How many ask at once in the end, when pages a second are counted."`
	For     time.Duration `default:"5s" help:"For how long they do."`
	JSON    bool          `name:"json" help:"Print what was measured as JSON."`
}

// measured is what a bench found: each page of the demo and of the large desk, asked for in turn.
type measured struct {
	Pieces  int64          `json:"pieces"`
	Running int64          `json:"running"`
	People  int64          `json:"people"`
	Cores   int            `json:"cores"`
	Made    float64        `json:"made_in_seconds"`
	Pages   []measuredPage `json:"pages"`
	Demo    carried        `json:"demo"`
	Large   carried        `json:"large"`
}

type measuredPage struct {
	Name  string `json:"name"`
	Path  string `json:"path"`
	Demo  timed  `json:"demo"`
	Large timed  `json:"large"`
}

// timed are milliseconds of the server for a page, and how large it is when it is packed.
type timed struct {
	Median float64 `json:"median_ms"`
	P95    float64 `json:"p95_ms"`
	KB     float64 `json:"kb"`
}

// carried is what a house takes and gives.
type carried struct {
	Memory float64 `json:"memory_mb"` // held for it once all pages were asked for
	File   float64 `json:"file_mb"`
	Pages  float64 `json:"pages_a_second"`
}

// benchPages are the pages that are measured, as a lead sees them.
var benchPages = []struct{ name, path string }{
	{"Today", "/"}, {"Lineup, five weeks", "/lineup?weeks=5"}, {"Track", "/track"}, {"Load", "/load"}, {"Pieces under way", "/pieces?pace=running"}, {"All pieces by title", "/pieces?sort=title"}, {"Found by words", "/pieces?text=tide"},
	{"A piece", "/pieces/400"}, {"Ideas", "/ideas"}, {"Inbox", "/inbox"}, {"Logbook", "/logbook"}, {"Reports", "/reports"}, {"The desk", "/desk"},
}

// benched is a house that is measured.
type benched struct {
	ask  asker
	h    *rooms.Newsroom
	size int64 // of the data file
	heap uint64
}

// Run measures the pages of a desk of any size beside those of the demo.
func (c *benchCmd) Run() (err error) {
	ctx := context.Background()
	if c.Rounds < 1 || c.AtOnce < 1 || c.Running < 0 || c.Pieces < c.Running {
		return errors.New("give --rounds and --at-once of one at least, and no more pieces under way than are stored")
	}
	if !c.JSON {
		fmt.Fprintln(os.Stderr, "Making the demo, and a desk as large as is asked for.")
	}
	from := time.Now()
	small, close, err := openBenched(ctx, "")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, close()) }()
	large, close2, err := openBenched(ctx, small.h.DB.Path(), demo.Lot{Stage: "running", Pieces: c.Running, People: c.People}, demo.Lot{Stage: "out", Pieces: c.Pieces - c.Running})
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, close2()) }()
	m := measured{Cores: runtime.NumCPU(), Made: time.Since(from).Seconds()}
	if err := large.h.DB.Get(ctx, &m, "SELECT COUNT(*) AS pieces, (SELECT COUNT(*) FROM piece WHERE stage = 'running') AS running, (SELECT COUNT(*) FROM person) AS people FROM piece"); err != nil {
		return err
	}
	for _, p := range benchPages {
		x := measuredPage{Name: p.name, Path: p.path}
		both := []*benched{small, large}
		took := make([][]float64, 2)
		for i := range c.Rounds + 1 { // the first is to warm up
			for k, b := range both {
				ms, kb, err := b.time(p.path)
				if err != nil {
					return err
				}
				if i > 0 {
					took[k] = append(took[k], ms)
				}
				[]*timed{&x.Demo, &x.Large}[k].KB = kb
			}
		}
		x.Demo.Median, x.Demo.P95 = ranks(took[0])
		x.Large.Median, x.Large.P95 = ranks(took[1])
		m.Pages = append(m.Pages, x)
	}
	for _, x := range []struct {
		b    *benched
		into *carried
	}{{small, &m.Demo}, {large, &m.Large}} {
		x.into.File, x.into.Memory = float64(x.b.size)/(1<<20), float64(x.b.heap)/(1<<20)
		if x.into.Pages, err = x.b.pagesPerSecond(c.AtOnce, c.For); err != nil {
			return err
		}
	}
	if c.JSON {
		return json.NewEncoder(os.Stdout).Encode(m)
	}
	return m.print(os.Stdout, c.AtOnce)
}

// openBenched makes the demo, or takes one that is made, as large as lots say, in a folder that goes when it
// is closed.
func openBenched(ctx context.Context, made string, lots ...demo.Lot) (*benched, func() error, error) {
	dir, err := os.MkdirTemp("", "greenbaton-bench")
	if err != nil {
		return nil, nil, err
	}
	if made != "" {
		if err := store.Backup(ctx, made, filepath.Join(dir, store.FileName)); err != nil {
			return nil, nil, errors.Join(err, os.RemoveAll(dir))
		}
	}
	before := heap()
	h, _, close, err := openDemo(ctx, dir, "http://127.0.0.1", slog.New(slog.DiscardHandler))
	if err != nil {
		return nil, nil, errors.Join(err, os.RemoveAll(dir))
	}
	done := func() error { close(); return os.RemoveAll(dir) }
	for _, x := range lots {
		if err := h.DB.Write(ctx, func(t *store.Tx) error { return x.Add(ctx, t) }); err != nil {
			return nil, nil, errors.Join(err, done())
		}
	}
	h.Forget()
	b := &benched{h: h}
	if b.ask, err = askAs(ctx, h, ref.Person(1), ref.Desk(1)); err != nil {
		return nil, nil, errors.Join(err, done())
	}
	b.ask.packed = true
	for _, p := range benchPages {
		if _, _, err := b.time(p.path); err != nil {
			return nil, nil, errors.Join(err, done())
		}
	}
	b.heap = heap() - before
	if info, err := os.Stat(h.DB.Path()); err == nil {
		b.size = info.Size()
	}
	return b, done, nil
}

// heap gives the bytes that are held.
func heap() uint64 {
	runtime.GC()
	runtime.GC() // what the first frees by finalizers
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapAlloc
}

// time asks for a page, and gives the milliseconds it took and how many kilobytes came.
func (b *benched) time(path string) (ms, kb float64, err error) {
	var n counted
	from := time.Now()
	x, err := b.ask.get(path, &n)
	ms = float64(time.Since(from).Microseconds()) / 1000
	if err == nil && x.status != 200 {
		err = fmt.Errorf("%s answers %d", path, x.status)
	}
	return ms, float64(n) / 1024, err
}

// counted counts the bytes that are written to it.
type counted int64

func (n *counted) Write(b []byte) (int, error) { *n += counted(len(b)); return len(b), nil }

// ranks gives the median and the 95th of a hundred.
func ranks(x []float64) (median, p95 float64) {
	slices.Sort(x)
	return x[len(x)/2], x[len(x)*95/100]
}

// pagesPerSecond counts the pages that are answered to so many who ask at once, each for one after the other.
func (b *benched) pagesPerSecond(atOnce int, span time.Duration) (float64, error) {
	var n atomic.Int64
	var wait sync.WaitGroup
	failed := make(chan error, atOnce)
	from := time.Now()
	for k := range atOnce {
		wait.Go(func() {
			for i := k; time.Since(from) < span; i++ {
				if _, _, err := b.time(benchPages[i%len(benchPages)].path); err != nil {
					failed <- err
					return
				}
				n.Add(1)
			}
		})
	}
	wait.Wait()
	close(failed)
	return float64(n.Load()) / time.Since(from).Seconds(), <-failed
}

func (m *measured) print(to io.Writer, atOnce int) error {
	fmt.Fprintf(to, "%d pieces, %d under way, %d people, on %d cores; the demo beside it. Milliseconds of the server, packing included.\n\n", m.Pieces, m.Running, m.People, m.Cores)
	w := tabwriter.NewWriter(to, 0, 0, 2, ' ', tabwriter.AlignRight)
	fmt.Fprintln(w, "demo\t95%\tthis\t95%\tKB\t  ")
	for _, p := range m.Pages {
		fmt.Fprintf(w, "%.1f\t%.1f\t%.1f\t%.1f\t%.0f\t  %s\n", p.Demo.Median, p.Demo.P95, p.Large.Median, p.Large.P95, p.Large.KB, p.Name)
	}
	if err := w.Flush(); err != nil {
		return err
	}
	_, err := fmt.Fprintf(to, "\n%d asking at once: %.0f pages a second of the demo, %.0f of this.\nHeld in memory: %.0f MB for the demo, %.0f MB for this. The data file: %.0f MB and %.0f MB.\n",
		atOnce, m.Demo.Pages, m.Large.Pages, m.Demo.Memory, m.Large.Memory, m.Demo.File, m.Large.File)
	return err
}
