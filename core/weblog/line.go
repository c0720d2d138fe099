package weblog

import (
	"bytes"
	"errors"
	"net/netip"
	"net/url"
	"strings"
	"time"
)

// Line is what is read of one line of a log.
type Line struct {
	Host   string
	At     time.Time
	Method string
	Path   string // of what was asked for, without what follows a question mark
	Status int
	Agent  string // empty in the Common format
}

// ErrLine says that a line is in neither of the formats.
var ErrLine = errors.New("it is in neither the Common nor the Combined Log Format")

// longest is how long a line is at most that is read.
const longest = 16 << 10

// stamp is how a log writes the time: [10/Oct/2000:13:55:36 -0700].
const stamp = "02/Jan/2006:15:04:05 -0700"

// Parse reads a line: host ident user [time] "request" status bytes, and in the Combined format
// "referer" "agent" behind that. A user may have spaces; quotes within quotes are escaped by a
// stroke. Whatever else is ErrLine.
func Parse(line []byte) (Line, error) {
	var l Line
	if len(line) > longest || bytes.IndexByte(line, 0) >= 0 {
		return l, ErrLine
	}
	rest := strings.TrimRight(string(line), "\r\n")
	var ok bool
	if l.Host, rest, ok = strings.Cut(rest, " "); !ok || l.Host == "" {
		return l, ErrLine
	}
	at := strings.Index(rest, " [")
	end := strings.Index(rest, "] \"")
	if at < 0 || end < at {
		return l, ErrLine
	}
	var err error
	if l.At, err = time.Parse(stamp, rest[at+2:end]); err != nil {
		return l, ErrLine
	}
	request, rest, ok := quoted(rest[end+2:])
	if !ok {
		return l, ErrLine
	}
	status, _, _ := strings.Cut(strings.TrimLeft(rest, " "), " ")
	if len(status) != 3 {
		return l, ErrLine
	}
	for _, c := range []byte(status) {
		if c < '0' || c > '9' {
			return l, ErrLine
		}
		l.Status = 10*l.Status + int(c-'0')
	}
	if i := strings.IndexByte(rest, '"'); i >= 0 {
		if _, rest, ok = quoted(rest[i:]); ok {
			l.Agent, _, _ = quoted(strings.TrimLeft(rest, " "))
		}
	}
	l.Method, l.Path = asked(request)
	return l, nil
}

// unescape takes the strokes away before what was escaped by them.
var unescape = strings.NewReplacer(`\"`, `"`, `\\`, `\`)

// quoted takes a text in quotes from the beginning of another, with what is escaped in it.
func quoted(s string) (text, rest string, ok bool) {
	if s == "" || s[0] != '"' {
		return "", s, false
	}
	for i := 1; i < len(s); i++ {
		switch s[i] {
		case '\\':
			i++
		case '"':
			text = s[1:i]
			if strings.IndexByte(text, '\\') >= 0 {
				text = unescape.Replace(text)
			}
			return text, s[i+1:], true
		}
	}
	return "", s, false
}

// asked reads the first line of a request: GET /a/page?x=y HTTP/1.1.
func asked(request string) (method, path string) {
	method, rest, ok := strings.Cut(strings.TrimLeft(request, " "), " ")
	address, _, _ := strings.Cut(strings.TrimLeft(rest, " "), " ")
	if !ok || address == "" {
		return "", ""
	}
	return method, PathOf(address)
}

// PathOf gives the path of an address as pieces are found by it: without host, question mark and
// what follows, signs decoded, without a stroke at its end.
func PathOf(address string) string {
	if strings.HasPrefix(address, "/") && !strings.HasPrefix(address, "//") && !strings.ContainsAny(address, "%# ") { // as most are
		address, _, _ = strings.Cut(address, "?")
		if p := strings.TrimSuffix(address, "/"); p != "" {
			return p
		}
		return "/"
	}
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil {
		return ""
	}
	if p := strings.TrimSuffix(u.Path, "/"); p != "" {
		return p
	}
	return "/"
}

// robots are words by which programs name themselves that are no readers; common practice, no source.
var robots = []string{"bot", "crawl", "spider", "slurp", "fetch", "monitor", "preview", "headless", "curl", "wget", "python", "java/", "go-http", "libwww", "httpclient", "okhttp", "axios", "scrapy", "feed", "rss", "archive", "scan", "probe", "uptime", "validator", "lighthouse", "phantom"}

// Robot reports whether an agent names itself as a program, or not at all.
func Robot(agent string) bool {
	if agent == "" || agent == "-" {
		return true
	}
	low := strings.ToLower(agent)
	for _, w := range robots {
		if strings.Contains(low, w) {
			return true
		}
	}
	return false
}

// Prefixes reads addresses and spans of addresses, with spaces, commas or line breaks between
// them: 203.0.113.7, 2001:db8::/32. What is none is given back.
func Prefixes(text string) (out []netip.Prefix, wrong string) {
	for _, w := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' || r == ' ' || r == '\n' || r == '\r' || r == '\t' }) {
		if p, err := netip.ParsePrefix(w); err == nil {
			out = append(out, p.Masked())
		} else if a, err := netip.ParseAddr(w); err == nil {
			out = append(out, netip.PrefixFrom(a, a.BitLen()))
		} else {
			return out, w
		}
	}
	return out, ""
}
