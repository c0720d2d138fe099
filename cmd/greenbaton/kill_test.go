package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"greenbaton/browser"
	"greenbaton/store"
)

// TestMain lets the test binary be the program itself, so that it can be killed.
func TestMain(m *testing.M) {
	if os.Getenv("GREENBATON_RUN") != "" {
		main()
		os.Exit(0)
	}
	os.Exit(m.Run())
}

// start runs the program and gives the address it prints.
func start(t *testing.T, args ...string) (*exec.Cmd, string) {
	t.Helper()
	cmd := exec.Command(os.Args[0], args...)
	cmd.Env = append(os.Environ(), "GREENBATON_RUN=1")
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	cmd.Stderr = os.Stderr
	browser.EndsWithUs(cmd)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill() }) // it may have ended already
	address := regexp.MustCompile(`http://[0-9.:]+`)
	for s := bufio.NewScanner(out); s.Scan(); {
		if a := address.FindString(s.Text()); a != "" {
			go io.Copy(io.Discard, out)
			return cmd, a
		}
	}
	t.Fatal("the program printed no address")
	return nil, ""
}

// What was acknowledged is there after a SIGKILL in the middle of the work, and
// the logbook is whole.
func TestWhatWasAcknowledgedSurvivesAKill(t *testing.T) {
	dir := t.TempDir()
	cmd, base := start(t, "serve", "--data", dir, "--addr", "127.0.0.1:0")
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	c := &http.Client{Jar: jar, Timeout: 2 * time.Minute}
	res, err := c.PostForm(base+"/welcome", url.Values{
		"name": {"Ines Ferro"}, "mail": {"ines@paper.example"}, "password": {"long enough now"}, "desk": {"The Paper"}, "zone": {"UTC"}, "weekday": {"1", "2", "3", "4", "5"},
		"channel": {"Web"}, "at": {"09:00"}, "format": {"Report"}, "leg-0": {"Draft"}, "days-0": {"2"},
	})
	if err != nil || res.Request.URL.Path != "/" {
		t.Fatal("set up: ", err, res.Request.URL)
	}
	var mu sync.Mutex
	made := map[string]int{} // path of the piece → words acknowledged
	var wg sync.WaitGroup
	for w := range 4 {
		wg.Add(1)
		go func() {
			defer wg.Done()
			for i := 0; ; i++ {
				res, err := c.PostForm(base+"/pieces/new", url.Values{"title": {fmt.Sprintf("Piece %d of %d", i, w)}, "format": {"1"}, "owner": {"1"}, "do": {"make"}})
				if err != nil {
					return
				}
				res.Body.Close()
				path := res.Request.URL.Path
				mu.Lock()
				made[path] = 0
				mu.Unlock()
				body := fmt.Sprintf(`{"page":"p%d","turn":1,"base":0,"change":[{"insert":"%s\n"}]}`, w, strings.Repeat("word ", i+1))
				res, err = c.Post(base+path+"/copy", "application/json", strings.NewReader(body))
				if err != nil {
					return
				}
				_, err = io.Copy(io.Discard, res.Body)
				res.Body.Close()
				if err != nil || res.StatusCode != http.StatusOK {
					return
				}
				mu.Lock()
				made[path] = i + 1
				mu.Unlock()
			}
		}()
	}
	for enough, end := false, time.Now().Add(2*time.Minute); !enough && time.Now().Before(end); time.Sleep(10 * time.Millisecond) {
		mu.Lock()
		enough = len(made) >= 40
		mu.Unlock()
	}
	if err := cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	wg.Wait()
	_ = cmd.Wait() // it was killed
	if len(made) < 8 {
		t.Fatalf("only %d pieces were made before the kill", len(made))
	}
	_, base = start(t, "serve", "--data", dir, "--addr", "127.0.0.1:0")
	for path, words := range made {
		res, err := c.Get(base + path) // the session survives too; cookies know no ports
		if err != nil {
			t.Fatal(err)
		}
		b, err := io.ReadAll(res.Body)
		res.Body.Close()
		if err != nil || res.StatusCode != http.StatusOK || words > 0 && !strings.Contains(string(b), fmt.Sprintf("%d word", words)) {
			t.Errorf("%s with %d words is lost: %d", path, words, res.StatusCode)
		}
	}
	t.Logf("%d pieces were acknowledged and are there", len(made))
	if out, err := command("verify", "--data", dir); err != nil || !strings.Contains(out, "are as they were written") {
		t.Error(out, err)
	}
}

// The copy that is kept up is there after a SIGKILL, on another machine and of any moment; what is said
// of it is true.
func TestACopyIsKeptUp(t *testing.T) {
	dir, kept := t.TempDir(), filepath.Join(t.TempDir(), "copy")
	if out, err := command("check", "--data", dir, "--copy", kept); err == nil || !strings.Contains(out, "There is none at") {
		t.Error(out, err)
	}
	cmd, base := start(t, "serve", "--data", dir, "--addr", "127.0.0.1:0", "--copy", kept)
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	c := &http.Client{Jar: jar, Timeout: 2 * time.Minute}
	reaches := func(what string) {
		t.Helper()
		for end := time.Now().Add(2 * time.Minute); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
			to := t.TempDir()
			if _, err := command("restore", "--copy", kept, "--data", to); err != nil {
				continue
			}
			db, err := store.Open(context.Background(), to)
			if err != nil {
				t.Fatal(err)
			}
			var n int
			err = db.Get(context.Background(), &n, "SELECT COUNT(*) FROM desk WHERE name = ?", what)
			if err := errors.Join(err, db.Close()); err != nil {
				t.Fatal(err)
			}
			if n == 1 {
				return
			}
		}
		t.Fatalf("%s does not reach the copy", what)
	}
	if res, err := c.PostForm(base+"/welcome", url.Values{
		"name": {"Ines Ferro"}, "mail": {"ines@paper.example"}, "password": {"long enough now"}, "desk": {"The Paper"}, "zone": {"UTC"}, "weekday": {"1", "2", "3", "4", "5"},
		"channel": {"Web"}, "at": {"09:00"}, "format": {"Report"}, "leg-0": {"Draft"}, "days-0": {"2"},
	}); err != nil || res.Request.URL.Path != "/" {
		t.Fatal("set up: ", err, res.Request.URL)
	}
	reaches("The Paper")
	time.Sleep(1100 * time.Millisecond) // moments are typed to the second
	before := time.Now()
	time.Sleep(1100 * time.Millisecond)
	if res, err := c.PostForm(base+"/desks/new", url.Values{"name": {"The Weekend"}, "zone": {"UTC"}, "weekday": {"1"}, "quiet": {"3"}, "pass_by": {"holder"}}); err != nil || res.StatusCode != http.StatusOK {
		t.Fatal("another desk: ", err, res.StatusCode)
	}
	res, err := c.Get(base + "/kept")
	if err != nil {
		t.Fatal(err)
	}
	if b, err := io.ReadAll(res.Body); err != nil || !strings.Contains(string(b), "A copy of the data is kept up, and was as the data is on") {
		t.Errorf("the page says nothing of it: %v", err)
	}
	reaches("The Weekend")
	if err := cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = cmd.Wait() // it was killed
	if out, err := command("check", "--data", dir, "--copy", kept); err != nil || !strings.Contains(out, "It goes back to") {
		t.Error(out, err)
	}
	to := t.TempDir()
	for _, args := range [][]string{{"restore", "--data", to}, {"restore", "--data", to, "--copy", kept, "--at", "yesterday"}, {"restore", "--data", to, "--copy", kept, "--at", "2001-01-01 10:00"}, {"restore", "--data", to, "--copy", kept + "-nowhere"}} {
		if out, err := command(args...); err == nil || !strings.Contains(out, "greenbaton: error:") {
			t.Errorf("%v: %s", args, out)
		}
	}
	out, err := command("restore", "--data", to, "--copy", kept, "--at", before.Format(time.DateTime))
	if err != nil || !strings.Contains(out, "as it was on "+before.Format("Monday 2 January 2006, 15:04:05")) || strings.Contains(out, "INFO") {
		t.Fatal(out, err)
	}
	_, base = start(t, "serve", "--data", to, "--addr", "127.0.0.1:0", "--copy", kept)
	if res, err := c.Get(base + "/desk"); err != nil || res.StatusCode != http.StatusOK {
		t.Error(err, res)
	} else if b, err := io.ReadAll(res.Body); err != nil || !strings.Contains(string(b), "The Paper") || strings.Contains(string(b), "The Weekend") {
		t.Errorf("it is not as it was then: %v", err)
	}
}

func command(args ...string) (string, error) {
	cmd := exec.Command(os.Args[0], args...)
	cmd.Env = append(os.Environ(), "GREENBATON_RUN=1")
	out, err := cmd.CombinedOutput()
	return string(out), err
}

func TestBackupWhileRunningRestoreAndVerify(t *testing.T) {
	dir, file := t.TempDir(), filepath.Join(t.TempDir(), "backup.db")
	cmd, base := start(t, "demo", "--data", dir, "--addr", "127.0.0.1:0")
	for _, args := range [][]string{{"backup", file, "--data", dir}, {"verify", "--data", dir}} {
		if out, err := command(args...); err != nil {
			t.Fatal(out, err)
		}
	}
	for _, args := range [][]string{
		{"backup", file, "--data", dir},                    // the file exists
		{"restore", file, "--data", dir},                   // the newsroom runs
		{"serve", "--data", dir, "--addr", "127.0.0.1:0"},  // on the same folder
		{"backup", file + "2", "--data", dir + "-nowhere"}, // no data
	} {
		if out, err := command(args...); err == nil {
			t.Errorf("%v was done: %s", args, out)
		}
	}
	if res, err := http.Get(base + "/healthz"); err != nil || res.StatusCode != http.StatusOK {
		t.Error("not well", err)
	}
	if err := cmd.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	if err := cmd.Wait(); err != nil {
		t.Errorf("it did not end well: %v", err)
	}
	damage(t, dir)
	if out, err := command("verify", "--data", dir); err == nil || !strings.Contains(out, "entry 100 has been changed") {
		t.Errorf("a bent logbook passes: %s", out)
	}
	if out, err := command("restore", file, "--data", dir); err != nil {
		t.Fatal(out, err)
	}
	if out, err := command("verify", "--data", dir); err != nil {
		t.Error(out)
	}
	if err := os.WriteFile(file+".bad", []byte("not a database"), 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := command("restore", file+".bad", "--data", dir); err == nil {
		t.Errorf("restored from rubbish: %s", out)
	}
}

// damage changes an entry of the logbook behind the program's back.
func damage(t *testing.T, dir string) {
	t.Helper()
	ctx := context.Background()
	db, err := store.Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	change := func(sql string) error {
		return db.Write(ctx, func(tx *store.Tx) error { _, err := tx.Exec(ctx, sql); return err })
	}
	if change("UPDATE logbook SET what = 'nothing' WHERE seq = 100") == nil || change("DELETE FROM logbook WHERE seq = 100") == nil {
		t.Error("the logbook can be changed with a plain statement")
	}
	if err := change("DROP TRIGGER logbook_stays"); err != nil {
		t.Fatal(err)
	}
	if err := change("UPDATE logbook SET what = 'nothing' WHERE seq = 100"); err != nil {
		t.Fatal(err)
	}
}

func TestHelpOfEachCommand(t *testing.T) {
	for _, c := range []string{"", "demo", "serve", "backup", "restore", "verify"} {
		out, err := command(strings.Fields(c + " --help")...)
		if err != nil || !strings.Contains(out, "Usage: greenbaton") {
			t.Errorf("%s: %v %s", c, err, out)
		}
	}
}
