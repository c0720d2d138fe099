package web

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
)

// heard is what one listener was told, piece by piece, until it has heard so much.
type heard struct {
	pieces []ref.Piece
	mark   string
}

// listen opens the stream of news after a mark and reads until the piece that comes
// last is among them.
func (c *client) listen(ctx context.Context, mark string, last ref.Piece) (heard, error) {
	h := heard{mark: mark}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.url+"/live", nil)
	if err != nil {
		return h, err
	}
	req.Header.Set("Last-Event-ID", mark)
	res, err := c.http.Do(req)
	if err != nil {
		return h, err
	}
	defer res.Body.Close()
	for s := bufio.NewScanner(res.Body); s.Scan(); {
		if id, ok := strings.CutPrefix(s.Text(), "id: "); ok {
			h.mark = id
		}
		data, ok := strings.CutPrefix(s.Text(), "data: ")
		if !ok {
			continue
		}
		var e kit.Event
		if err := json.Unmarshal([]byte(data), &e); err != nil {
			return h, err
		}
		h.pieces = append(h.pieces, e.Pieces...)
		if slices.Contains(e.Pieces, last) {
			return h, nil
		}
	}
	return h, fmt.Errorf("the stream ended after %d pieces", len(h.pieces))
}

// Two hundred pages listen while pieces change one after another: each hears of all of
// them in order, also those that lose their connection in the middle.
func TestTwoHundredPagesHearEverythingInOrder(t *testing.T) {
	house, handler := open(t, true)
	t.Cleanup(house.Events.Close)
	first := visit(t, handler).as(1)
	b, err := house.Setup(ctx)
	if err != nil {
		t.Fatal(err)
	}
	running, err := house.Planning.List(ctx, 1, planning.Filter{Look: planning.Look{Desks: []ref.Desk{b.Desks[0].ID}}, Text: "mill"})
	if err != nil {
		t.Fatal(err)
	}
	var order []ref.Piece
	for _, r := range running.Rows[:12] {
		order = append(order, r.ID)
	}
	waits, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	mark := house.Events.Mark()
	const pages = 200
	got, errs := make([]heard, pages), make([]error, pages)
	var before, during runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var wg sync.WaitGroup
	ready := make(chan struct{}, pages)
	for k := range pages {
		wg.Add(1)
		go func() {
			defer wg.Done()
			ready <- struct{}{}
			last := order[len(order)-1]
			if k%4 == 0 { // this one loses its connection after the fifth, and comes back
				one, err := first.listen(waits, mark, order[4])
				if err != nil {
					errs[k] = err
					return
				}
				two, err := first.listen(waits, one.mark, last)
				got[k], errs[k] = heard{append(one.pieces, two.pieces...), two.mark}, err
				return
			}
			got[k], errs[k] = first.listen(waits, mark, last)
		}()
	}
	for range pages {
		<-ready
	}
	runtime.ReadMemStats(&during)
	for i, id := range order {
		priority := relay.Priority(1 + i%2)
		if err := house.Planning.EditPieces(ctx, 1, []planning.Edit{{Piece: id, Priority: &priority}}); err != nil {
			t.Fatal(err)
		}
	}
	wg.Wait()
	for k := range pages {
		if errs[k] != nil || !slices.Equal(got[k].pieces, order) {
			t.Errorf("page %d heard of %v, not of %v: %v", k, got[k].pieces, order, errs[k])
		}
	}
	t.Logf("%d connections, both ends: %d KB of heap and stack each", pages, (during.HeapInuse+during.StackInuse-before.HeapInuse-before.StackInuse)/1024/pages)
}

// Who comes back too late, or to a house that was started anew, looks at everything.
func TestWhoMissedTooMuchLooksAtEverything(t *testing.T) {
	w := newsroom.NewEvents()
	old := w.Mark()
	for range 5000 {
		w.Send(newsroom.Event{Kind: newsroom.Changed, Pieces: []ref.Piece{1}})
	}
	for _, mark := range []string{old, "", "another-7", newsroom.NewEvents().Mark()} {
		news, next, gap, err := w.After(ctx, mark)
		if !gap || len(news) > 0 || next != w.Mark() || err != nil {
			t.Errorf("after %q: %d news, gap %v, %v", mark, len(news), gap, err)
		}
	}
	w.Send(newsroom.Event{Kind: newsroom.Changed, Pieces: []ref.Piece{2}})
	if news, _, gap, err := w.After(ctx, old); !gap || err != nil {
		t.Error(news, gap, err)
	}
	w.Close()
	if _, _, _, err := w.After(ctx, w.Mark()); err == nil {
		t.Error("a closed wire goes on")
	}
}

// People hear only of what is on their desks, and who holds a piece only its staff.
func TestNewsIsForThoseItConcerns(t *testing.T) {
	house, handler := open(t, true)
	t.Cleanup(house.Events.Close)
	lead := visit(t, handler).as(1)
	petra := lead.another().as(4)
	path, _ := pieceNamed(t, house, "Millstone grit")
	id := ref.Piece(0)
	fmt.Sscan(strings.TrimPrefix(path, "/pieces/"), &id)
	mark := house.Events.Mark()
	if res, _ := petra.post(path+"/hold", url.Values{"held": {"yes"}}); res.StatusCode != http.StatusNotFound {
		t.Errorf("a freelancer holds a piece that is not hers: %d", res.StatusCode)
	}
	if res, _ := lead.post(path+"/hold", url.Values{"held": {"yes"}}); res.StatusCode != http.StatusNoContent {
		t.Errorf("%d", res.StatusCode)
	}
	house.Events.Send(newsroom.Event{Kind: newsroom.Changed, Pieces: []ref.Piece{77}, Desks: []ref.Desk{99}}) // of a desk elsewhere
	house.Events.Send(newsroom.Event{Kind: newsroom.Changed, Pieces: []ref.Piece{78}, Desks: []ref.Desk{1}})
	waits, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	for _, x := range []struct {
		who  *client
		want []ref.Piece
	}{{lead.another().as(2), []ref.Piece{id, 78}}, {petra, []ref.Piece{78}}, {lead, []ref.Piece{78}}} {
		if got, err := x.who.listen(waits, mark, 78); err != nil || !slices.Equal(got.pieces, x.want) {
			t.Errorf("heard of %v, want %v: %v", got.pieces, x.want, err)
		}
	}
}
