package web

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// bend changes the data behind the program's back.
func bend(t testing.TB, h *rooms.Newsroom, query string) {
	t.Helper()
	if err := h.DB.Write(ctx, func(tx *store.Tx) error { _, err := tx.Exec(ctx, query); return err }); err != nil {
		t.Fatal(err)
	}
}

// What was stored is never answered as if nothing had been done: here the session that
// keeps the sentence for the next page cannot be stored after the idea is.
func TestWhatWasStoredIsSaidToBe(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	bend(t, house, "CREATE TRIGGER breaks BEFORE INSERT ON session BEGIN SELECT RAISE(ABORT, 'no'); END")
	res, body := c.post("/topics", url.Values{"topic": {"Sluices"}})
	if res.StatusCode != http.StatusInternalServerError || !strings.Contains(body, "is stored; do not do it again") || strings.Contains(body, "nothing was changed") {
		t.Errorf("%d %s", res.StatusCode, body)
	}
	var n int
	if err := house.DB.Get(ctx, &n, "SELECT COUNT(*) FROM topic WHERE name = 'Sluices'"); err != nil || n != 1 {
		t.Errorf("%d topics, %v", n, err)
	}
}

// A form that cannot be stored because the disk is full is shown again with what was
// typed, and says why; pages can still be read; with room on the disk it goes on.
func TestAFormOutlivesAFullDisk(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	if res, _ := c.get("/"); res.StatusCode != http.StatusOK {
		t.Fatal(res.StatusCode)
	}
	bend(t, house, "PRAGMA max_page_count = 1")
	form := url.Values{"title": {"The long dam"}, "format": {"1"}, "brief": {strings.Repeat("what was typed ", 1000)}, "owner": {"1"}, "do": {"make"}}
	res, body := c.post("/pieces/new", form)
	if res.StatusCode != http.StatusServiceUnavailable || !strings.Contains(body, "The disk with the data is full") || !strings.Contains(body, "The long dam") || !strings.Contains(body, strings.Repeat("what was typed ", 1000)) {
		t.Errorf("%d: the form says not what the matter is, or loses what was typed", res.StatusCode)
	}
	for _, path := range []string{"/", "/pieces", "/lineup", "/pieces/391"} {
		if res, _ := c.get(path); res.StatusCode != http.StatusOK {
			t.Errorf("%s: %d", path, res.StatusCode)
		}
	}
	bend(t, house, "PRAGMA max_page_count = 1000000")
	if _, body = c.post("/pieces/new", form); !strings.Contains(body, "The long dam” is made") {
		t.Error("with room on the disk, it does not go on")
	}
}

// A damaged page of the data file is said to be one.
func TestDamagedDataIsSaidToBeDamaged(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	bend(t, house, "CREATE TABLE broken (x); ")
	bend(t, house, "PRAGMA writable_schema = ON")
	bend(t, house, "UPDATE sqlite_schema SET rootpage = 99999999 WHERE name = 'idea'")
	house.Forget()
	res, body := c.get("/ideas")
	if res.StatusCode != http.StatusServiceUnavailable || !strings.Contains(body, "is damaged") || !strings.Contains(body, "greenbaton restore") {
		t.Errorf("%d %s", res.StatusCode, body)
	}
}
