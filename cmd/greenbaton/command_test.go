package main

import (
	"encoding/json"
	"errors"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"greenbaton/store"
)

// run runs a command to its end, and gives what it prints and with what it ends.
func run(t *testing.T, args ...string) (out, problem string, code int) {
	t.Helper()
	cmd := exec.Command(os.Args[0], args...)
	cmd.Env = append(os.Environ(), "GREENBATON_RUN=1")
	var printed, said strings.Builder
	cmd.Stdout, cmd.Stderr = &printed, &said
	var exit *exec.ExitError
	if err := cmd.Run(); errors.As(err, &exit) {
		code = exit.ExitCode()
	} else if err != nil {
		t.Fatal(err)
	}
	return printed.String(), said.String(), code
}

// The check says of each thing whether it is as it should be, ends with 1 where something is not, and
// leaves no trace.
func TestCheckSaysWhatIsMissing(t *testing.T) {
	dir := t.TempDir()
	found := func(args ...string) (map[string]finding, int) {
		out, problem, code := run(t, append([]string{"check", "--json", "--data", dir}, args...)...)
		var all []finding
		if err := json.Unmarshal([]byte(out), &all); err != nil {
			t.Fatalf("%v in %q, %q", err, out, problem)
		}
		by := map[string]finding{}
		for _, f := range all {
			by[f.What] = f
		}
		return by, code
	}
	if all, code := found(); code != 1 || all["data"].OK || !all["disk"].OK || !all["address"].OK || !all["mail"].OK {
		t.Errorf("an empty folder: %d %+v", code, all)
	}
	if left, err := os.ReadDir(dir); err != nil || len(left) != 0 {
		t.Errorf("it leaves %v", left)
	}
	db, err := store.Open(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/healthz" {
			w.WriteHeader(http.StatusNotFound)
		}
	}))
	defer web.Close()
	if all, code := found("--base", web.URL, "--smtp-host", "127.0.0.1", "--smtp-port", says(t, "220 mail.example\r\n")); code != 0 || !all["data"].OK || !all["address"].OK || !all["mail"].OK || !strings.Contains(all["program"].Says, "version") {
		t.Errorf("all is there: %d %+v", code, all)
	}
	if all, code := found("--base", web.URL+"/below", "--smtp-host", "127.0.0.1", "--smtp-port", says(t, "HTTP/1.1 400\r\n")); code != 1 || all["address"].OK || all["mail"].OK {
		t.Errorf("another server: %d %+v", code, all)
	}
	if out, _, code := run(t, "check", "--data", filepath.Join(dir, "none")); code != 1 || !strings.Contains(out, "WRONG  data") || !strings.Contains(out, "WRONG  disk") {
		t.Errorf("no folder: %d\n%s", code, out)
	}
}

// says is a server that says something to whoever calls; it gives its port.
func says(t *testing.T, hello string) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			_, _ = c.Write([]byte(hello))
			_ = c.Close()
		}
	}()
	_, port, err := net.SplitHostPort(l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	return port
}

// A token is made for somebody who signs in, while nothing runs on the data.
func TestTokensAreMadeOnTheCommandLine(t *testing.T) {
	dir := t.TempDir()
	if _, problem, code := run(t, "token", "Sheet", "--for", "maren@millrace.example", "--may", "pieces:write", "--data", dir); code != 1 || !strings.Contains(problem, "nobody with the mail address") {
		t.Errorf("an empty house: %d %s", code, problem)
	}
	cmd, _ := start(t, "demo", "--addr", "127.0.0.1:0", "--data", dir)
	if _, problem, code := run(t, "token", "Sheet", "--for", "maren@millrace.example", "--may", "pieces:write", "--data", dir); code != 1 || !strings.Contains(problem, "another Green Baton runs") {
		t.Errorf("while it runs: %d %s", code, problem)
	}
	if err := cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = cmd.Wait() // it was killed
	if _, problem, code := run(t, "token", "Sheet", "--for", "maren@millrace.example", "--may", "mill:write", "--data", dir); code != 1 || !strings.Contains(problem, `"mill" is no area`) {
		t.Errorf("no area: %d %s", code, problem)
	}
	out, problem, code := run(t, "token", "Sheet", "--for", "Maren@millrace.example", "--may", "pieces:write copy:read", "--data", dir, "--json")
	var made struct{ Token, May string }
	if err := json.Unmarshal([]byte(out), &made); err != nil || code != 0 || !strings.HasPrefix(made.Token, "baton_") || made.May != "copy:read pieces:write" {
		t.Fatalf("%v, %d %s %s", err, code, out, problem)
	}
	_, address := start(t, "demo", "--addr", "127.0.0.1:0", "--data", dir, "--keep")
	req, err := http.NewRequest(http.MethodGet, address+"/api/v1/me", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+made.Token)
	res, err := http.DefaultClient.Do(req)
	if err != nil || res.StatusCode != http.StatusOK {
		t.Errorf("%v %v", err, res)
	}
}

// A desk is written out while the newsroom runs, as a folder or an archive, and brought into an empty
// house; what is wrong is said, and leaves nothing.
func TestADeskMovesOnTheCommandLine(t *testing.T) {
	dir, to := t.TempDir(), t.TempDir()
	at := func(name string) string { return filepath.Join(to, name) }
	if _, problem, code := run(t, "export", at("none"), "--data", dir); code != 1 || !strings.Contains(problem, "there is no data at") {
		t.Errorf("no data: %d %s", code, problem)
	}
	_, address := start(t, "demo", "--addr", "127.0.0.1:0", "--data", dir)
	if _, problem, code := run(t, "export", at("desk"), "--data", dir, "--desk", "Millpond"); code != 1 || !strings.Contains(problem, "no desk is called “Millpond”; there is “Millrace”") {
		t.Errorf("another desk: %d %s", code, problem)
	}
	out, problem, code := run(t, "export", at("desk"), "--data", dir)
	if code != 0 || !strings.Contains(out, "411 pieces") {
		t.Fatalf("%d %s %s", code, out, problem)
	}
	if _, problem, code := run(t, "export", at("desk"), "--data", dir); code != 1 || !strings.Contains(problem, "exists already") {
		t.Errorf("over another: %d %s", code, problem)
	}
	out, _, code = run(t, "export", at("desk.zip"), "--data", dir, "--desk", "millrace", "--json")
	var wrote struct {
		Desk  string
		Files int
	}
	if err := json.Unmarshal([]byte(out), &wrote); err != nil || code != 0 || wrote.Desk != "Millrace" || wrote.Files < 450 {
		t.Errorf("%d %v %s", code, err, out)
	}
	if _, problem, code := run(t, "import", at("desk"), "--data", dir); code != 1 || !strings.Contains(problem, "another Green Baton runs") {
		t.Errorf("into one that runs: %d %s", code, problem)
	}
	if res, err := http.Get(address + "/healthz"); err != nil || res.StatusCode != http.StatusOK {
		t.Errorf("the newsroom no longer answers: %v", err)
	}
	for _, from := range []string{"desk", "desk.zip"} {
		house := t.TempDir()
		out, problem, code := run(t, "import", at(from), "--data", house, "--json")
		var came struct {
			Desk, Mail, Password string
			Pieces               int
			Chain                bool
		}
		if err := json.Unmarshal([]byte(out), &came); err != nil || code != 0 || came.Pieces != 411 || !came.Chain || len(came.Password) < 10 {
			t.Fatalf("%d %v %s %s", code, err, out, problem)
		}
		if out, problem, code := run(t, "verify", "--data", house); code != 0 || strings.Contains(out, "Beside it") {
			t.Errorf("%d %s %s", code, out, problem)
		}
		if _, problem, code := run(t, "import", at(from), "--data", house); code != 1 || !strings.Contains(problem, "a newsroom in") {
			t.Errorf("into one that is set up: %d %s", code, problem)
		}
		if left, _ := filepath.Glob(filepath.Join(house, "moving-in*")); left != nil {
			t.Errorf("%v is left", left)
		}
	}
	if err := os.Remove(at("desk/tables/leg.csv")); err != nil {
		t.Fatal(err)
	}
	house := t.TempDir()
	if _, problem, code := run(t, "import", at("desk"), "--data", house); code != 1 || !strings.Contains(problem, "tables/leg.csv is missing") || !strings.Contains(problem, "nothing was changed") {
		t.Errorf("a file is missing: %d %s", code, problem)
	}
	if _, err := os.Stat(filepath.Join(house, store.FileName)); err == nil {
		t.Error("what failed left data")
	}
	if _, problem, code := run(t, "import", at("desk.zap"), "--data", house); code != 1 || !strings.Contains(problem, "there is nothing at") {
		t.Errorf("nothing: %d %s", code, problem)
	}
}

// A list comes into a desk on the command line as it does on its page, and says what did not; a list of
// pieces goes out as somebody sees it.
func TestListsComeInAndGoOutOnTheCommandLine(t *testing.T) {
	dir, out := played(t), t.TempDir()
	list := filepath.Join(out, "list.csv")
	if err := os.WriteFile(list, []byte("Phrase,SV,Remark\nrye bread at home,1.900,a\nbarley bannock,40,b\n,3,c\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	in := func(args ...string) (string, string, int) {
		return run(t, append([]string{"import", list, "--data", dir, "--desk", "millrace", "--as", "phrases"}, args...)...)
	}
	if _, problem, code := run(t, "import", list, "--data", dir); code != 1 || !strings.Contains(problem, "say with --as") {
		t.Errorf("%d %s", code, problem)
	}
	for _, args := range [][]string{{"--for", "nobody@millrace.example"}, {"--desk", "No such"}, {"--format", "No such"}, {"--who", "Somebody=nobody@x.example"}, {"--as", "nonsense"}, {"--days", "dym"}} {
		if _, problem, code := in(args...); code == 0 || code == 2 || problem == "" {
			t.Errorf("%v: %d %s", args, code, problem)
		}
	}
	if says, _, code := in("--look"); code != 0 || !strings.Contains(says, "One row of list.csv would come in") || !strings.Contains(says, "Column “Remark” is not read") || !strings.Contains(says, "can be read in two ways") {
		t.Errorf("%d %s", code, says)
	}
	said, problem, code := in("--mark", "comma", "--json")
	var x listed
	if err := json.Unmarshal([]byte(said), &x); err != nil || code != 2 || x.CameIn != 2 || x.Bad != 1 || len(x.Left) != 1 || x.Left[0].Line != 4 {
		t.Fatalf("%v %d %s %s", err, code, said, problem)
	}
	if says, _, code := in("--mark", "comma"); code != 1 || !strings.Contains(says, "2 are here already") {
		t.Errorf("once more: %d %s", code, says)
	}
	pages := filepath.Join(out, "pages")
	if err := os.MkdirAll(filepath.Join(pages, "2019"), 0o700); err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string]string{"one.md": "---\ntitle: Bread of long ago\ndate: 2019-05-06\nauthor: Old Hand\n---\nIts **crust**.\n", "two.md": "---\ntitle: Never out\ndate: 2019-05-07\ndraft: true\n---\nNo.\n"} {
		if err := os.WriteFile(filepath.Join(pages, "2019", name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if says, problem, code := run(t, "import", pages, "--data", dir, "--desk", "Millrace", "--as", "history", "--format", "Feature", "--who", "Old Hand=nobody"); code != 2 || !strings.Contains(says, "One row of pages came in") || !strings.Contains(says, "its state is “draft”") {
		t.Errorf("%d %s %s", code, says, problem)
	}

	csv := filepath.Join(out, "out.csv")
	get := func(to string, args ...string) (string, string, int) {
		return run(t, append([]string{"export", to, "--data", dir, "--desk", "Millrace", "--base", "https://desk.example"}, args...)...)
	}
	if _, problem, code := get(csv, "--list", "https://desk.example/pieces?text=bread+of+long&cols=title,format"); code != 0 {
		t.Fatal(problem)
	}
	if b, err := os.ReadFile(csv); err != nil || !strings.HasPrefix(string(b), "Piece,Format,Address\r\nBread of long ago,Feature,https://desk.example/pieces/") || strings.Count(string(b), "\n") != 2 {
		t.Errorf("%v %q", err, b)
	}
	for _, x := range []struct {
		to   string
		args []string
	}{{csv, nil}, {filepath.Join(out, "fees.csv"), []string{"--list", "/fees", "--for", "yusuf@millrace.example"}}, {filepath.Join(out, "x.csv"), []string{"--list", "/nowhere"}}, {filepath.Join(out, "x.json"), nil}} {
		if _, problem, code := get(x.to, x.args...); code != 1 || problem == "" {
			t.Errorf("%s %v: %d %s", x.to, x.args, code, problem)
		}
	}
	for name, begins := range map[string]string{"p.xlsx": "PK", "l.json": "[\n{\"seq\":1,"} {
		args := []string{"--json"}
		if name == "l.json" {
			args = append(args, "--list", "logbook")
		}
		if _, problem, code := get(filepath.Join(out, name), args...); code != 0 {
			t.Error(problem)
		}
		if b, err := os.ReadFile(filepath.Join(out, name)); err != nil || !strings.HasPrefix(string(b), begins) {
			t.Errorf("%s: %v %.40q", name, err, b)
		}
	}
	if left, err := filepath.Glob(filepath.Join(out, "*.part")); err != nil || len(left) != 0 {
		t.Errorf("it leaves %v", left)
	}
}

// A bench measures a desk of the size that is asked for.
func TestABenchMeasuresADesk(t *testing.T) {
	out, problem, code := run(t, "bench", "--pieces", "900", "--running", "60", "--people", "20", "--rounds", "1", "--at-once", "2", "--for", "50ms", "--json")
	var m measured
	if err := json.Unmarshal([]byte(out), &m); err != nil || code != 0 {
		t.Fatal(err, code, problem)
	}
	if m.Pieces < 900 || m.Pieces > 2000 || m.Running < 60 || m.People < 20 || len(m.Pages) != len(benchPages) || m.Large.Pages == 0 || m.Demo.Memory == 0 || m.Large.File == 0 {
		t.Errorf("%+v", m)
	}
	for _, p := range m.Pages {
		if p.Demo.Median <= 0 || p.Large.KB <= 0 {
			t.Errorf("%+v", p)
		}
	}
	if _, problem, code := run(t, "bench", "--pieces", "5", "--running", "6"); code != 1 || problem == "" {
		t.Errorf("more under way than there are: %d %s", code, problem)
	}
}

// played makes a data folder with the demo in it, which nothing runs on.
func played(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	_, _, close, err := openDemo(t.Context(), dir, "", slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	close()
	return dir
}
