package web

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"

	"greenbaton/newsroom/copyroom"
	"greenbaton/web/kit"
)

// certificate makes a certificate for this machine, in two files, and what trusts it.
func certificate(t *testing.T, dir string) (cert, key string, pool *x509.CertPool) {
	t.Helper()
	k, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	x := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "localhost"}, DNSNames: []string{"localhost"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IsCA: true, BasicConstraintsValid: true}
	der, err := x509.CreateCertificate(rand.Reader, x, x, &k.PublicKey, k)
	if err != nil {
		t.Fatal(err)
	}
	secret, err := x509.MarshalPKCS8PrivateKey(k)
	if err != nil {
		t.Fatal(err)
	}
	cert, key = filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	for file, b := range map[string]*pem.Block{cert: {Type: "CERTIFICATE", Bytes: der}, key: {Type: "PRIVATE KEY", Bytes: secret}} {
		if err := os.WriteFile(file, pem.EncodeToMemory(b), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	pool = x509.NewCertPool()
	parsed, err := x509.ParseCertificate(der)
	if err != nil {
		t.Fatal(err)
	}
	pool.AddCert(parsed)
	return cert, key, pool
}

// freePort is a port that nobody listens at just now.
func freePort(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return fmt.Sprint(l.Addr().(*net.TCPAddr).Port)
}

// proxied is a server with a proxy in front.
type proxied struct {
	*Server
	base   string
	client *http.Client // trusts the proxy's certificate
}

// behind starts a server, and a proxy before it by a configuration that says where things are.
func behind(t *testing.T, secure bool, configure func(dir, upstream, port, cert, key string) []string) proxied {
	t.Helper()
	s, _ := openServer(t, true)
	dir := t.TempDir()
	if err := os.Chmod(filepath.Dir(dir), 0o755); err != nil { // workers of a proxy are somebody else
		t.Fatal(err)
	}
	cert, key, pool := certificate(t, dir)
	port := freePort(t)
	scheme := map[bool]string{true: "https", false: "http"}[secure]
	base := scheme + "://localhost:" + port
	s.Newsroom.Base, s.Secure, s.Proxied = base, secure, secure
	h, err := s.Handler()
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer(h)
	t.Cleanup(func() {
		s.Newsroom.Events.Close()
		srv.CloseClientConnections()
		srv.Close()
	})
	args := configure(dir, strings.TrimPrefix(srv.URL, "http://"), port, cert, key)
	if _, err := exec.LookPath(args[0]); err != nil {
		t.Fatalf("%s is not installed; ./test installs it", args[0])
	}
	cmd := exec.Command(args[0], args[1:]...)
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr = &said, &said
	cmd.Env = append(os.Environ(), "HOME="+dir, "XDG_DATA_HOME="+dir, "XDG_CONFIG_HOME="+dir)
	endsWithUs(cmd)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = cmd.Process.Signal(os.Interrupt) // it may have ended already
		_ = cmd.Wait()
		if t.Failed() {
			t.Logf("%s says: %s", args[0], said.String())
		}
	})
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	p := proxied{s, base, &http.Client{Jar: jar, Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}}}}
	for end := time.Now().Add(time.Minute); ; time.Sleep(20 * time.Millisecond) {
		res, err := p.client.Get(base + "/healthz")
		if err == nil {
			res.Body.Close()
			return p
		}
		if time.Now().After(end) {
			t.Fatalf("%s does not answer: %v %s", args[0], err, said.String())
		}
	}
}

// example reads a configuration in docs/proxy with its names replaced by those of a test.
func example(t *testing.T, name string, replace ...string) string {
	t.Helper()
	b, err := os.ReadFile("../docs/proxy/" + name)
	if err != nil {
		t.Fatal(err)
	}
	for i := 0; i < len(replace); i += 2 {
		if !strings.Contains(string(b), replace[i]) {
			t.Fatalf("%s has no %q", name, replace[i])
		}
	}
	return strings.NewReplacer(replace...).Replace(string(b))
}

func write(t *testing.T, file, text string) string {
	t.Helper()
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	return file
}

// nginx gives how nginx is started with something in its http block.
func nginx(t *testing.T, dir, http string) []string {
	conf := fmt.Sprintf("daemon off; pid %[1]s/nginx.pid; error_log stderr;\nevents {}\nhttp {\naccess_log off; client_body_temp_path %[1]s/a; proxy_temp_path %[1]s/b; fastcgi_temp_path %[1]s/c; uwsgi_temp_path %[1]s/d; scgi_temp_path %[1]s/e;\n%[2]s\n}\n", dir, http)
	if os.Geteuid() == 0 {
		conf = "user root;\n" + conf
	}
	return []string{"nginx", "-e", "stderr", "-p", dir, "-c", write(t, filepath.Join(dir, "nginx.conf"), conf)}
}

// The examples in docs/proxy are whole: nothing is missing, and what needs more than a plain
// request works through them.
func TestTheExamplesForProxiesAreWhole(t *testing.T) {
	for name, configure := range map[string]func(dir, upstream, port, cert, key string) []string{
		"nginx": func(dir, upstream, port, cert, key string) []string {
			return nginx(t, dir, example(t, "nginx.conf", "listen 443", "listen 127.0.0.1:"+port, "desk.example;", "localhost;", "/etc/ssl/desk.example.pem", cert, "/etc/ssl/desk.example.key", key, "127.0.0.1:8080", upstream))
		},
		"Caddy": func(dir, upstream, port, cert, key string) []string {
			text := example(t, "Caddyfile", "desk.example {", "https://localhost:"+port+" {\n\ttls "+cert+" "+key, "127.0.0.1:8080", upstream)
			return []string{"caddy", "run", "--adapter", "caddyfile", "--config", write(t, filepath.Join(dir, "Caddyfile"), "{\n\tadmin off\n\tauto_https off\n\tskip_install_trust\n}\n"+text)}
		},
	} {
		t.Run(name, func(t *testing.T) {
			p := behind(t, true, configure)
			for _, missing := range p.CheckFront(ctx, p.client) {
				t.Error(missing)
			}
			p.worksWhole(t)
		})
	}
}

// worksWhole signs in through the proxy as a browser does, and does what a plain request
// does not need.
func (p proxied) worksWhole(t *testing.T) {
	t.Helper()
	do := func(method, path, kind string, body *bytes.Buffer) *http.Response {
		t.Helper()
		req, err := http.NewRequest(method, p.base+path, body)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", kind)
		req.Header.Set("Origin", p.base)
		req.Header.Set("X-Forwarded-For", "198.51.100.1") // as somebody who would be another
		res, err := p.client.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res
	}
	res := do(http.MethodPost, "/signin/as", "application/x-www-form-urlencoded", bytes.NewBufferString("person=1"))
	if res.StatusCode != http.StatusOK || res.Request.URL.Path != "/" {
		t.Fatalf("signing in: %s at %s", res.Status, res.Request.URL)
	}
	if got := res.Header.Get("Strict-Transport-Security"); got != "max-age=31536000" {
		t.Errorf("Strict-Transport-Security is %q", got)
	}
	u, err := url.Parse(p.base)
	if err != nil {
		t.Fatal(err)
	}
	names := map[string]bool{}
	for _, c := range p.client.Jar.Cookies(u) {
		names[c.Name] = true
	}
	if !names["__Host-greenbaton"] || !names["__Host-greenbaton-device"] {
		t.Errorf("cookies: %v", names)
	}
	var host string
	if err := p.Newsroom.DB.Get(ctx, &host, "SELECT host FROM visit ORDER BY id DESC LIMIT 1"); err != nil || host != "127.0.0.1" && host != "::1" {
		t.Errorf("whoever signs in is held to be at %s, %v", host, err)
	}
	var id int64
	if err := p.Newsroom.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = 'The last tide mill on the Severn'"); err != nil {
		t.Fatal(err)
	}
	conn, _, err := websocket.Dial(ctx, fmt.Sprintf("%s/pieces/%d/copy/line?page=p&after=0", p.base, id), &websocket.DialOptions{HTTPClient: p.client, HTTPHeader: http.Header{"Origin": {p.base}}})
	if err != nil {
		t.Errorf("a copy's line: %v", err)
	} else {
		_ = conn.CloseNow() // it was made
	}
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	f, err := w.CreateFormFile("file", "long.txt")
	if err == nil {
		_, err = f.Write(bytes.Repeat([]byte("a long file "), copyroom.MaxFile/12))
	}
	if err != nil || w.Close() != nil {
		t.Fatal(err)
	}
	if res := do(http.MethodPost, fmt.Sprintf("/pieces/%d/attachments", id), w.FormDataContentType(), &form); res.StatusCode != http.StatusOK {
		t.Errorf("a file of 10 MB: %s", res.Status)
	}
}

// A proxy that was told nothing but where to pass things on to: what it is missing is said,
// to leads on the page of the desk, and signing in works all the same.
func TestWhatAPlainProxyIsMissingIsSaid(t *testing.T) {
	p := behind(t, false, func(dir, upstream, port, _, _ string) []string {
		return nginx(t, dir, "server { listen 127.0.0.1:"+port+"; location / { proxy_pass http://"+upstream+"; } }")
	})
	p.kit.Proxied = true
	found := p.CheckFront(ctx, p.client)
	all := strings.Join(found, "\n")
	for _, says := range []string{"let it pass on the Host", "does not say who asks", "lets no WebSocket through", "does not take files of 10 MB"} {
		if !strings.Contains(all, says) {
			t.Errorf("it is not said that it %s", says)
		}
	}
	if len(found) != 4 {
		t.Errorf("found:\n%s", all)
	}
	c := &client{t, p.base, p.client}
	c.as(1)
	if _, body := c.get("/desk"); !strings.Contains(body, "What the proxy in front is missing") || !strings.Contains(body, "lets no WebSocket through") {
		t.Error("a lead is not told")
	}
	if _, body := c.another().as(3).get("/desk"); strings.Contains(body, "What the proxy") {
		t.Error("somebody who is no lead is told")
	}
	if res, err := p.client.Get(p.base + "/healthz/front?token="); err != nil || res.StatusCode != http.StatusNotFound {
		t.Error("anybody can ask how requests come in")
	}
}

// Only what the nearest proxy says of who asks is believed, also where it adds a line of its
// own to the client's; without a proxy, nothing of it is.
func TestWhoAsksIsSaidByTheProxyAlone(t *testing.T) {
	for name, x := range map[string]struct {
		proxied bool
		lines   []string
		want    string
	}{
		"one line, appended to": {true, []string{"198.51.100.1, 192.0.2.7"}, "192.0.2.7"}, "a line of its own": {true, []string{"198.51.100.1", "192.0.2.7"}, "192.0.2.7"},
		"replaced": {true, []string{"192.0.2.7"}, "192.0.2.7"}, "none": {true, nil, "10.9.8.7"}, "no address": {true, []string{"192.0.2.7", "unknown"}, "10.9.8.7"}, "without a proxy": {false, []string{"192.0.2.7"}, "10.9.8.7"},
	} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.RemoteAddr = "10.9.8.7:1234"
		r.Header["X-Forwarded-For"] = x.lines
		if got := (&kit.Server{Proxied: x.proxied}).HostOf(r); got != x.want {
			t.Errorf("%s: %s", name, got)
		}
	}
	s, h := openServer(t, true)
	r := httptest.NewRequest(http.MethodGet, "/signin", nil)
	h.ServeHTTP(httptest.NewRecorder(), r)
	if len(s.Missing()) != 0 {
		t.Errorf("without a proxy: %v", s.Missing())
	}
	r.Header.Set("X-Forwarded-For", "192.0.2.7")
	h.ServeHTTP(httptest.NewRecorder(), r)
	if len(s.Missing()) != 1 || !strings.Contains(s.Missing()[0], "--behind-proxy") {
		t.Errorf("with one that was not named: %v", s.Missing())
	}
}

// Feeds go by the address people open, never by what a request calls the host.
func TestFeedsGoByTheAddressPeopleOpen(t *testing.T) {
	s, _ := openServer(t, true)
	s.Newsroom.Base = "https://desk.example"
	h, err := s.Handler()
	if err != nil {
		t.Fatal(err)
	}
	r := httptest.NewRequest(http.MethodGet, "/site/web/feed.atom", nil)
	r.Host = "evil.example"
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	if body := w.Body.String(); strings.Contains(body, "evil.example") || !strings.Contains(body, "https://desk.example/site/web/") {
		t.Errorf("%.400s", body)
	}
}
