// Command shots takes pictures of a running demo. Without paths it takes those
// of docs/screenshots.
package main

import (
	"flag"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"

	"greenbaton/browser"
)

type shot struct {
	name, path string
	person     int // who is signed in; 0 is nobody
	width      int
	prepare    string // a script run before the picture is taken
	then       string // and one on the page it leads to
}

var all = []shot{
	{"today", "/", 1, 1280, "", ""},
	{"lineup", "/lineup", 1, 1280, "", ""},
	{"ideas", "/ideas", 1, 1280, "", ""},
	{"sitting", "/sitting?idea=12&format=1", 1, 1280, `() => [...document.querySelectorAll(".sit-slot")].find((x) => x.textContent.includes("Mon 14 Dec")).querySelector("button").click()`, ""},
	{"reports", "/reports", 1, 1280, "", ""},
	{"track", "/track", 1, 1280, "", ""},
	{"load", "/load?unfold=3", 1, 1280, "", ""},
	{"piece", "/pieces?text=tide+mill", 1, 1280, `() => document.querySelector("a.title").click()`, ""},
	{"copy", "/pieces?text=tide+mill", 1, 1280, `() => document.querySelector("a.title").click()`, `() => new Promise((go) => setTimeout(() => { document.querySelector(".copy-grid").scrollIntoView(); go() }, 600))`},
	{"copy-phone", "/pieces?text=tide+mill", 3, 390, `() => document.querySelector("a.title").click()`, `() => new Promise((go) => setTimeout(() => { document.querySelector("[data-copy-column]").scrollIntoView(); go() }, 600))`},
	{"regulars", "/regulars", 1, 1280, "", ""},
	{"route", "/formats/1", 1, 1280, "", ""},
	{"pieces", "/pieces?pace=running&cols=title,format,who,due,out,pace,priority,tags,left&group=campaign&sort=due", 1, 1280, "", ""},
	{"rules", "/rules", 1, 1280, "", ""},
	{"fees", "/fees", 1, 1280, "", ""},
	{"release", "/pieces?text=six+ovens", 1, 1280, `() => { location.href = document.querySelector("a.title").href + "/sheet" }`, ""},
	{"review-phone", "/post?to=joan", 1, 390, `() => document.querySelector("a.title").click()`, `() => { location.href = document.querySelector("pre").textContent.match(/\/review\/\w+/)[0] }`},
	{"partner", "/partner", 9, 1280, "", ""},
	{"campaigns", "/campaigns", 1, 1280, "", ""},
}

func main() {
	base := flag.String("base", "http://127.0.0.1:8080", "the running demo")
	out := flag.String("out", "docs/screenshots", "the folder, or the file for a single path")
	as := flag.Int("as", 1, "who is signed in, for a single path")
	width := flag.Int("width", 1280, "width, for a single path")
	height := flag.Int("height", 800, "height")
	script := flag.String("run", "", "a script run first, for a single path")
	then := flag.String("then", "", "a script run on the page that leads to, for a single path")
	paper := flag.Bool("paper", false, "as it is printed, on A4 across, for a single path")
	session := flag.String("session", "", "the session to look with instead of signing in, for a single path on a house that is no demo")
	flag.Parse()
	b, stop, err := browser.Launch()
	if err != nil {
		log.Fatal(err)
	}
	defer stop()
	if flag.NArg() > 0 {
		s := shot{"", flag.Arg(0), *as, *width, *script, *then}
		if err := take(b, *base, s, *height, *out, *session, *paper); err != nil {
			log.Print(err)
		}
		return
	}
	for _, s := range all {
		if err := take(b, *base, s, *height, filepath.Join(*out, s.name+".png"), "", false); err != nil {
			log.Print(s.name, ": ", err)
		}
	}
}

func take(b *rod.Browser, base string, s shot, height int, to, session string, paper bool) (err error) {
	own, err := b.Incognito()
	if err != nil {
		return err
	}
	page, err := own.Page(proto.TargetCreateTarget{})
	if err != nil {
		return err
	}
	page = page.Timeout(30 * time.Second)
	if err := page.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: s.width, Height: height, DeviceScaleFactor: 1, Mobile: s.width < 500}); err != nil {
		return err
	}
	if session != "" {
		if err := page.SetCookies([]*proto.NetworkCookieParam{{Name: "greenbaton", Value: session, URL: base}}); err != nil {
			return err
		}
	} else if s.person != 0 {
		if err := page.Navigate(base + "/signin"); err != nil {
			return err
		}
		if err := page.WaitLoad(); err != nil {
			return err
		}
		wait := page.WaitNavigation(proto.PageLifecycleEventNameLoad)
		if _, err := page.Eval(`(id) => document.querySelector('input[name=person][value="' + id + '"]').form.submit()`, fmt.Sprint(s.person)); err != nil {
			return err
		}
		wait()
	}
	wait := page.WaitNavigation(proto.PageLifecycleEventNameLoad)
	if err := page.Navigate(base + s.path); err != nil {
		return err
	}
	wait()
	if s.prepare != "" {
		if _, err := page.Eval(s.prepare); err != nil {
			return err
		}
	}
	time.Sleep(700 * time.Millisecond) // fonts
	if s.then != "" {
		if _, err := page.Eval(s.then); err != nil {
			return err
		}
		time.Sleep(700 * time.Millisecond)
	}
	if paper {
		if err := (proto.EmulationSetEmulatedMedia{Media: "print"}).Call(page); err != nil {
			return err
		}
	}
	img, err := page.Screenshot(paper, nil)
	if err != nil {
		return err
	}
	return os.WriteFile(to, img, 0o644)
}
