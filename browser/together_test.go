package browser

import (
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"greenbaton/core/copy"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// program is the program itself, which can be killed and started again.
type program struct {
	t    testing.TB
	dir  string
	addr string
	bin  string
	cmd  *exec.Cmd
}

func newProgram(t testing.TB) *program {
	t.Helper()
	p := &program{t: t, dir: t.TempDir(), bin: filepath.Join(t.TempDir(), "greenbaton")}
	if out, err := exec.Command("go", "build", "-o", p.bin, "greenbaton/cmd/greenbaton").CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	b, err := os.ReadFile(start)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range []string{store.FileName, "start.db"} {
		if err := os.WriteFile(filepath.Join(p.dir, f), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	p.addr = l.Addr().String()
	l.Close()
	p.start()
	t.Cleanup(p.kill)
	return p
}

func (p *program) start() {
	p.t.Helper()
	p.cmd = exec.Command(p.bin, "demo", "--keep", "--data", p.dir, "--addr", p.addr)
	p.cmd.Stderr = os.Stderr
	EndsWithUs(p.cmd)
	if err := p.cmd.Start(); err != nil {
		p.t.Fatal(err)
	}
	if !eventually(func() bool {
		res, err := http.Get("http://" + p.addr + "/healthz")
		if err != nil {
			return false
		}
		return res.Body.Close() == nil
	}) {
		p.t.Fatal("the program does not answer")
	}
}

// kill ends the program without letting it finish anything.
func (p *program) kill() {
	_ = p.cmd.Process.Kill() // it may have ended already
	_ = p.cmd.Wait()
}

// wire is a connection to the program that can be cut.
type wire struct {
	l     net.Listener
	to    string
	mu    sync.Mutex
	cut   bool
	conns []net.Conn
}

func newWire(t testing.TB, to string) *wire {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	w := &wire{l: l, to: to}
	t.Cleanup(func() { l.Close(); w.set(true) })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go w.carry(c)
		}
	}()
	return w
}

func (w *wire) carry(c net.Conn) {
	defer c.Close()
	w.mu.Lock()
	if w.cut {
		w.mu.Unlock()
		return
	}
	on, err := net.Dial("tcp", w.to)
	if err != nil {
		w.mu.Unlock()
		return
	}
	defer on.Close()
	w.conns = append(w.conns, c, on)
	w.mu.Unlock()
	go func() {
		_, _ = io.Copy(on, c) // until one of them goes
		on.Close()
	}()
	_, _ = io.Copy(c, on)
}

func (w *wire) set(cut bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.cut = cut
	if cut {
		for _, c := range w.conns {
			c.Close()
		}
		w.conns = nil
	}
}

// Three people write, propose, ask and decide in one copy at the same time. One of them
// loses the connection for a while, and the program is killed in the middle of it and
// started again. In the end all three pages and the data hold the same copy, and every
// character that was typed is in it.
func TestThreeAtOnceWithAKillLoseNothing(t *testing.T) {
	t.Parallel()
	p := newProgram(t)
	w := newWire(t, p.addr)
	here := &site{t: t, url: "http://" + p.addr}
	away := &site{t: t, url: "http://" + w.l.Addr().String()}
	path := "/pieces/391"
	lead, one, two := here.as(maren, 1280), away.as(yusuf, 1280), here.as(adaeze, 1280)
	people := map[*user]string{lead: "ᛗ", one: "ᛃ", two: "ᚨ"}
	for u := range people {
		u.forgiven = "net::ERR_"
		u.openCopy(path)
	}
	typed := map[*user]int{}
	var mu sync.Mutex
	run := func(u *user, letter string, rounds int) {
		r := rand.New(rand.NewPCG(uint64([]rune(letter)[0]), uint64(rounds)))
		for i := range rounds {
			u.eval(`(f) => { const q = document.querySelector("[data-copy]").copy.quill; q.focus(); q.setSelection(Math.floor(Number(f) * (q.getLength() - 1)), 0) }`, fmt.Sprint(r.Float64()))
			n := 1 + r.IntN(4)
			for range n {
				u.must(u.page.InsertText(letter))
			}
			mu.Lock()
			typed[u] += n
			mu.Unlock()
			switch {
			case u == lead && r.IntN(3) == 0: // she takes what is proposed
				u.eval(`() => document.querySelector("[data-margin] [name=do][value=take]")?.click()`)
			case u == two && i == 1: // she asks about some words
				u.eval(`() => { const c = document.querySelector("[data-copy]"), m = c.margin; c.copy.quill.setSelection(30, 12); m.ask(); m.form.elements.text.value = "Which?"; m.form.requestSubmit() }`)
			}
		}
	}
	all := func(rounds int) {
		var wg sync.WaitGroup
		for u, letter := range people {
			wg.Go(func() { run(u, letter, rounds) })
		}
		wg.Wait()
	}
	more := func(n int) { // waits until they have typed some more
		mu.Lock()
		was := typed[lead] + typed[one] + typed[two]
		mu.Unlock()
		eventually(func() bool {
			mu.Lock()
			defer mu.Unlock()
			return typed[lead]+typed[one]+typed[two] >= was+n
		})
	}
	all(8)
	w.set(true) // he is cut off, and goes on
	var wg sync.WaitGroup
	wg.Go(func() { all(8) })
	more(10)
	p.kill()
	more(10)
	p.start()
	wg.Wait()
	one.see("Not connected")
	one.reload() // with what he typed unsent
	w.set(false)
	one.open(path)
	all(4)
	for range 3 { // what one sends moves the others
		for u := range people {
			u.rests()
		}
	}
	eventually(func() bool { return lead.copyIs() == one.copyIs() && one.copyIs() == two.copyIs() })
	copies := map[string]string{}
	for u, letter := range people {
		copies[letter] = u.copyIs()
	}
	p.kill()

	db, err := store.Open(ctx, p.dir)
	here.must(err)
	defer db.Close()
	h := rooms.Open(db, quiet)
	here.must(h.Copyroom.Recover(ctx))
	stored, err := h.Planning.Newest(ctx, maren, 391)
	here.must(err)
	is, err := copy.Parse([]byte(stored.Text))
	here.must(err)
	for letter, text := range copies {
		x, err := copy.Parse([]byte(text))
		here.must(err)
		if string(x.JSON()) != string(is.JSON()) {
			t.Errorf("%s has\n%s\nthe data\n%s", letter, x.JSON(), is.JSON())
		}
	}
	for u, letter := range people {
		if n := strings.Count(is.Plain(), letter); n != typed[u] {
			t.Errorf("%d of %d %s are in the copy", n, typed[u], letter)
		}
	}
	if len(is.Places()) == 0 {
		t.Error("no query is on it")
	}
	t.Logf("typed %d, %d and %d", typed[lead], typed[one], typed[two])
}

// reload loads the page again, which fails without a connection and leaves what it kept.
func (u *user) reload() {
	u.t.Helper()
	u.eval(`() => { window.before = true; location.reload() }`)
	u.waits(`() => window.before === undefined`, "the page is not left")
}
