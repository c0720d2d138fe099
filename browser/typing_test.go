package browser

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
)

// slow gives a site whose answers to forms take a while, so that people go on typing
// meanwhile.
func (s *site) slow(wait time.Duration) *site {
	s.t.Helper()
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPost {
			time.Sleep(wait)
		}
		s.handler.ServeHTTP(w, r)
	}))
	s.t.Cleanup(srv.Close)
	return &site{s.t, s.Newsroom, srv.URL, s.handler}
}

// types presses keys at a pace; a tab goes on to the next field.
func (u *user) types(pace time.Duration, text string) {
	u.t.Helper()
	for _, r := range text {
		k := input.Key(r)
		if r == '\t' {
			k = input.Tab
		}
		u.keys(k)
		time.Sleep(pace)
	}
}

var paces = []time.Duration{20 * time.Millisecond, 60 * time.Millisecond, 180 * time.Millisecond}

// Whoever types on while a form is drawn anew finds every key where it was meant to go.
func TestKeysGoWhereTheyWereGoingWhileAFormIsDrawnAnew(t *testing.T) {
	t.Parallel()
	for _, pace := range paces {
		t.Run(fmt.Sprint(pace), func(t *testing.T) {
			t.Parallel()
			s := newSite(t)
			u := s.slow(150*time.Millisecond).as(maren, 1280)
			quietly := func() { time.Sleep(400 * time.Millisecond) } // what was begun last is drawn; the checks below wait besides
			is := func(selector, want string) {
				t.Helper()
				if !eventually(func() bool { return u.eval(`(s) => document.querySelector(s)?.value ?? ""`, selector) == want }) {
					t.Errorf("%s is %q, want %q", selector, u.eval(`(s) => document.querySelector(s)?.value ?? ""`, selector), want)
				}
			}
			u.open("/formats/1")
			key := u.eval(`() => document.querySelector("[data-leg]").dataset.leg`)
			next := u.eval(`() => document.querySelectorAll("[data-leg]")[1].dataset.leg`)
			u.focus("#name-" + key)
			u.eval(`(k) => document.getElementById("name-" + k).select()`, key)
			u.types(pace, "Outline\tdesk editor\t\t12\t7\t3.5")
			quietly()
			is("#name-"+key, "Outline")
			is("[name=role-"+key+"]", "desk editor")
			is("[name=days-"+key+"]", "12")
			is("[name=least-"+key+"]", "7")
			is("[name=effort-"+key+"]", "3.5")
			u.focus("#name-" + next)
			u.eval(`(k) => document.getElementById("name-" + k).select()`, next)
			u.types(pace, "First words\t")
			quietly()
			is("#name-"+next, "First words")
			if on := u.eval(`() => document.activeElement.name`); on != "role-"+next {
				t.Errorf("the focus is on %q", on)
			}

			u.open("/pieces/new?format=1")
			u.waits(`() => document.querySelectorAll("[name^=days-]").length > 3`, "no legs")
			fields := strings.Fields(u.eval(`() => [...document.querySelectorAll("[name^=days-]")].map((f) => f.name).join(" ")`))
			u.focus("[name=" + fields[0] + "]")
			u.eval(`(n) => document.querySelector("[name=" + n + "]").select()`, fields[0])
			u.types(pace, "11\t\t12\t\t13")
			quietly()
			for i, want := range []string{"11", "12", "13"} {
				is("[name="+fields[i]+"]", want)
			}

			u.open("/rules/new")
			u.choose("select[name=when]", "quiet")
			u.waits(`() => Boolean(document.querySelector("input[name=n]"))`, "the days are not asked for")
			u.focus("input[name=n]")
			u.eval(`() => document.querySelector("input[name=n]").select()`)
			u.types(pace, "12\t")
			quietly()
			is("input[name=n]", "12")
			u.see("12 working days")
		})
	}
}

// What was typed while its form was drawn anew is sent like any other once its field is
// left: what follows from it is drawn again.
func TestWhatIsTypedWhileAFormIsDrawnAnewIsSentWhenItIsLeft(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.slow(150*time.Millisecond).as(maren, 1280)
	u.open("/pieces/new?format=1")
	const days = `[...document.querySelectorAll("[name^=days-]")]`
	u.waits(`() => `+days+`.length > 3`, "no legs")
	u.eval(`() => { ` + days + `[0].select(); ` + days + `[0].dataset.old = "yes" }`)
	u.types(0, "11\t\t1")
	u.waits(`() => !`+days+`[0].dataset.old && `+days+`[1].value === "1"`, "the form is not drawn anew, or what was typed is lost")
	u.types(0, "2")
	time.Sleep(600 * time.Millisecond) // nothing is drawn by itself
	if got := u.eval(`() => ` + days + `[1].value`); got != "12" {
		t.Errorf("typed while it was drawn and after is %q, want 12", got)
	}
	u.eval(`() => { ` + days + `[1].dataset.old = "yes" }`)
	u.types(0, "\t")
	u.waits(`() => !`+days+`[1].dataset.old && `+days+`[1].defaultValue === "12"`, "what follows from what was typed is not drawn")
}
