package release

import (
	"slices"
	"strings"
	"testing"
	"time"
)

func TestChaptersAreReadAsTheyAreTyped(t *testing.T) {
	got, err := ReadChapters("0:00 Begin\n\n 4:05   The first  stone \n1:04:05 Späte Fragen: 水車\n")
	want := []Chapter{{0, "Begin"}, {245, "The first  stone"}, {3845, "Späte Fragen: 水車"}}
	if err != nil || !slices.Equal(got, want) {
		t.Errorf("%v, %v", got, err)
	}
	for _, c := range want {
		if s, ok := readTime(SayTime(c.Seconds)); !ok || s != c.Seconds {
			t.Errorf("%s is read as %d", SayTime(c.Seconds), s)
		}
	}
	for _, bad := range []string{"Begin", "4:05", "4:5 x", "4:60 x", "1:60:00 x", "-1:00 x", "99:99:99 x", "24:00:00 x", "1:2:3:4 x", "0:10 a\n0:10 b", "0:10 a\n0:05 b", strings.Repeat("0:00 a\n", 2), "٠:٠٠ x"} {
		if got, err := ReadChapters(bad); err == nil {
			t.Errorf("%q is read as %v", bad, got)
		}
	}
	if got, err := ReadChapters(" \n"); err != nil || got != nil {
		t.Errorf("nothing is read as %v, %v", got, err)
	}
}

func TestAnOutletIsChecked(t *testing.T) {
	good := []Outlet{
		{}, {Kind: Site, Address: "ignored"}, {Kind: Folder, Folder: " /site/posts/ "}, {Kind: Micropub, Address: "https://x.example/micropub", Secret: "t", Pages: "https://x.example/{year}/{month}/{slug}"},
		{Kind: Request, Address: "https://x.example", Secret: "sixteen letters!"}, {Kind: Letter}, {Kind: Letter, To: "list@x.example", From: "Grain notes"},
	}
	for _, o := range good {
		is, err := o.Check()
		if err != nil {
			t.Errorf("%+v: %v", o, err)
		}
		if again, err := is.Check(); err != nil || again != is {
			t.Errorf("%+v, checked twice, is %+v, %v", is, again, err)
		}
	}
	bad := []Outlet{
		{Kind: "carrier pigeon"}, {Kind: Folder}, {Kind: Folder, Folder: "../etc"}, {Kind: Folder, Folder: "a/../../b"}, {Kind: Folder, Folder: "a//b"}, {Kind: Folder, Folder: "a/.git"}, {Kind: Folder, Folder: `a\..\b`},
		{Kind: Folder, Folder: "a\x00b"}, {Kind: Micropub, Address: "x.example", Secret: "t"}, {Kind: Micropub, Address: "file:///etc/passwd", Secret: "t"}, {Kind: Micropub, Address: "https://me:pw@x.example", Secret: "t"},
		{Kind: Micropub, Address: "https://x.example"}, {Kind: Request, Address: "https://x.example", Secret: "short"}, {Kind: Letter, To: "no address"}, {Kind: Letter, To: "A <a@x.example>"}, {Kind: Letter, From: "a\nBcc: b@x.example"},
		{Kind: Folder, Folder: "a", Pages: "/{slug}"}, {Kind: Folder, Folder: "a", Pages: "https://x.example/page"}, {Kind: Folder, Folder: "a", Pages: "https://x.example/{title}/{slug}"}, {Kind: Folder, Folder: strings.Repeat("a", 3000)},
	}
	for _, o := range bad {
		if is, err := o.Check(); err == nil {
			t.Errorf("%+v is taken as %+v", o, is)
		}
	}
	at := time.Date(2026, 3, 9, 8, 0, 0, 0, time.UTC)
	if got := (Outlet{Pages: "https://x.example/{year}/{month}/{day}/{number}-{slug}"}).Page("a b/ü", 7, at); got != "https://x.example/2026/03/09/7-a%20b%2F%C3%BC" { // RFC 3986, 2.1 and 3.3
		t.Errorf("the address of a page is %s", got)
	}
}
