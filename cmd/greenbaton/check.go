package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"time"

	"greenbaton/store"
	"greenbaton/store/replica"
)

type checkCmd struct {
	copyPlace
	Data     string `required:"" type:"path" help:"The data folder."`
	Base     string `help:"The address people open; it is asked whether Green Baton answers there."`
	SMTPHost string `name:"smtp-host" help:"The mail server; it is asked whether it answers."`
	SMTPPort int    `name:"smtp-port" default:"587" help:"Its port."`
	JSON     bool   `name:"json" help:"Print what is found as JSON."`
}

// finding is what was found of one thing.
type finding struct {
	What string `json:"what"`
	OK   bool   `json:"ok"`
	Says string `json:"says"`
}

// errFound is that something is not as it should be; what it is was printed.
var errFound = errors.New("something is not as it should be")

// Run looks whether all is there that a newsroom needs to run, and changes nothing. It ends with 1
// where something is not.
func (c *checkCmd) Run() error {
	all := []finding{c.data(), c.room(), c.copied(), c.address(), c.mail()}
	all = append(all, finding{"program", true, fmt.Sprintf("It is built with %s, and knows data up to version %d.", runtime.Version(), store.KnownVersion())})
	var err error
	for _, f := range all {
		if !f.OK {
			err = errFound
		}
	}
	if c.JSON {
		return errors.Join(json.NewEncoder(os.Stdout).Encode(all), err)
	}
	for _, f := range all {
		mark := "ok   "
		if !f.OK {
			mark = "WRONG"
		}
		fmt.Printf("%s  %-8s %s\n", mark, f.What, f.Says)
	}
	return err
}

// data looks at the data file and its logbook.
func (c *checkCmd) data() finding {
	f := finding{What: "data"}
	path := filepath.Join(c.Data, store.FileName)
	if _, err := os.Stat(path); err != nil {
		f.Says = fmt.Sprintf("There is none in %s. It is made when Green Baton is started on the folder the first time.", c.Data)
		return f
	}
	n, astray, err := store.VerifyFile(context.Background(), path)
	switch {
	case err != nil:
		f.Says = err.Error() + "."
	case len(astray) > 0:
		f.Says = fmt.Sprintf("All %d entries of the logbook hold; beside it, %s.", n, strings.Join(astray, "; "))
		f.OK = true
	default:
		f.OK, f.Says = true, fmt.Sprintf("All %d entries of the logbook are as they were written.", n)
	}
	return f
}

// room looks whether the folder can be written, and how much is left on its disk: twice what is stored,
// and 200 MB at least, so that a backup finds room beside it.
func (c *checkCmd) room() finding {
	f := finding{What: "disk"}
	probe, err := os.CreateTemp(c.Data, "check")
	if err != nil {
		f.Says = fmt.Sprintf("Nothing can be written into %s: %v.", c.Data, err)
		return f
	}
	if err := errors.Join(probe.Close(), os.Remove(probe.Name())); err != nil {
		f.Says = err.Error() + "."
		return f
	}
	left, known := freeBytes(c.Data)
	if !known {
		f.OK, f.Says = true, "It can be written; how much is left cannot be told on this system."
		return f
	}
	need := int64(200 << 20)
	if info, err := os.Stat(filepath.Join(c.Data, store.FileName)); err == nil {
		need = max(need, 2*info.Size())
	}
	f.OK = left >= need
	f.Says = fmt.Sprintf("%d MB are left.", left>>20)
	if !f.OK {
		f.Says += fmt.Sprintf(" Have %d MB at least, so that a backup finds room.", need>>20)
	}
	return f
}

// copied looks how far the copy that is kept up goes.
func (c *checkCmd) copied() finding {
	f := finding{What: "copy"}
	if c.Copy == "" {
		f.OK, f.Says = true, "None was given with --copy. Keep one up, or take a backup each night, on another disk."
		return f
	}
	p, err := c.place()
	if err != nil {
		f.Says = err.Error() + "."
		return f
	}
	from, to, err := replica.Span(context.Background(), p)
	switch {
	case err != nil:
		f.Says = err.Error() + "."
	case from.IsZero():
		f.Says = fmt.Sprintf("There is none at %s. Start Green Baton with --copy.", c.Copy)
	default:
		f.OK, f.Says = true, fmt.Sprintf("It goes back to %s; the last change in it is of %s.", from.Local().Format(time.DateTime), to.Local().Format(time.DateTime))
	}
	return f
}

// address asks whether Green Baton answers at the address people open.
func (c *checkCmd) address() finding {
	f := finding{What: "address"}
	if c.Base == "" {
		f.OK, f.Says = true, "None was given with --base; links in mail lead to the address it listens at."
		return f
	}
	u, err := url.Parse(c.Base)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" {
		f.Says = "--base is no address, which begins with https://."
		return f
	}
	client := http.Client{Timeout: 10 * time.Second}
	res, err := client.Get(strings.TrimRight(c.Base, "/") + "/healthz")
	if err != nil {
		f.Says = fmt.Sprintf("%s does not answer: %v. Start Green Baton, and look at the proxy before it.", c.Base, err)
		return f
	}
	defer res.Body.Close()
	switch {
	case res.StatusCode != http.StatusOK:
		f.Says = fmt.Sprintf("%s/healthz answers %d. Start Green Baton, and look at the proxy before it.", c.Base, res.StatusCode)
	case u.Scheme == "http" && u.Hostname() != "localhost" && u.Hostname() != "127.0.0.1":
		f.Says = c.Base + " answers, without TLS: what is typed there is read by whoever is between. Put a proxy with TLS before it."
	default:
		f.OK, f.Says = true, c.Base+" answers."
	}
	return f
}

// mail asks whether the mail server answers as one.
func (c *checkCmd) mail() finding {
	f := finding{What: "mail"}
	if c.SMTPHost == "" {
		f.OK, f.Says = true, "No server was given with --smtp-host; mail is only shown under Outgoing mail."
		return f
	}
	at := net.JoinHostPort(c.SMTPHost, strconv.Itoa(c.SMTPPort))
	conn, err := net.DialTimeout("tcp", at, 10*time.Second)
	if err != nil {
		f.Says = fmt.Sprintf("%s does not answer: %v.", at, err)
		return f
	}
	defer conn.Close()
	hello := make([]byte, 4)
	if err := conn.SetReadDeadline(time.Now().Add(10 * time.Second)); err != nil {
		f.Says = err.Error() + "."
		return f
	}
	if _, err := conn.Read(hello); err != nil || string(hello[:3]) != "220" {
		f.Says = at + " answers, and not as a mail server does (RFC 5321: 220)."
		return f
	}
	f.OK, f.Says = true, at+" answers."
	return f
}
