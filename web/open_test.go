package web

import (
	"fmt"
	"net/url"
	"strings"
	"sync"
	"testing"

	"greenbaton/core/bring"
	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// idOf finds a piece by its title.
func idOf(t testing.TB, h *rooms.Newsroom, title string) ref.Piece {
	t.Helper()
	var id ref.Piece
	if err := h.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = ?", title); err != nil {
		t.Fatal(err)
	}
	return id
}

// Fifty freelancers press Take at the same moment: one has the leg, the others are told
// kindly, and nothing is stored twice.
func TestOfFiftyWhoTakeALegAtOnceExactlyOneHasIt(t *testing.T) {
	house, h := open(t, true)
	first := visit(t, h)
	id := idOf(t, house, "Bolting cloth, thread by thread")
	const n = 50
	var clients []*client
	for i := range n {
		who, _, err := house.Settings.SavePerson(ctx, 1, 1, store.Person{Name: fmt.Sprintf("Free Lance %d", i), Mail: fmt.Sprintf("free%d@lance.example", i), Access: relay.Freelance, Roles: []string{"write"}, Hours: "0,240,240,240,240,0,0", Desks: []ref.Desk{1}})
		if err != nil {
			t.Fatal(err)
		}
		clients = append(clients, first.another().as(int(who)))
	}
	if err := house.Planning.OfferLeg(ctx, 1, planning.Offer{Piece: id, Leg: "draft", Fee: 18_000}); err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	begin, codes, says := make(chan struct{}), make([]int, n), make([]string, n)
	for i, c := range clients {
		wg.Add(1)
		go func() {
			defer wg.Done()
			<-begin
			res, body := c.post(fmt.Sprintf("/pieces/%d/take", id), url.Values{"leg": {"draft"}})
			codes[i], says[i] = res.StatusCode, body
		}()
	}
	close(begin)
	wg.Wait()
	won := 0
	for i := range codes {
		switch {
		case codes[i] == 200:
			won++
		case !strings.Contains(says[i], "Draft was taken a moment ago. Thank you for offering."):
			t.Errorf("%d is told %d and not that it is gone", i, codes[i])
		}
	}
	p, err := store.Piece(ctx, house.DB.View(), id)
	if err != nil {
		t.Fatal(err)
	}
	var taken int
	if err := house.DB.Get(ctx, &taken, "SELECT COUNT(*) FROM logbook WHERE piece_id = ? AND act = 'taken'", id); err != nil {
		t.Fatal(err)
	}
	if won != 1 || taken != 1 || p.Leg("draft").Holder == 0 {
		t.Errorf("%d won, %d takes in the logbook, %d has it", won, taken, p.Leg("draft").Holder)
	}
}

// A freelancer to whom one leg is open tries every address there is: none gives away
// what is prepared, who runs what, or what is written.
func TestAFreelancerFindsNothingOfThePreparationAtAnyAddress(t *testing.T) {
	server, h := openServer(t, true)
	house := server.Newsroom
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	id := idOf(t, house, "Bolting cloth, thread by thread")
	must(house.Planning.OfferLeg(ctx, 1, planning.Offer{Piece: id, Leg: "draft", To: []ref.Person{4}, Fee: 18_000}))
	_, err := house.Copyroom.SaveCopy(ctx, 1, id, copyroom.OnNewest, copy.FromPlain("The silk remembers what the miller forgot.").JSON())
	must(err)
	must(house.Planning.Note(ctx, 1, id, 0, "Between us: the mill may close.", "", nil))
	must(house.Intake.SettleIdeas(ctx, 1, []ref.Idea{12}, "resting", "Between us: too dear.", 0))
	_, err = house.Intake.LookAt(ctx, 1, 1, "ideas", "between us.csv", bring.Table{Header: []string{"Title"}, Rows: [][]string{{"between us"}}, Lines: []int{2}})
	must(err)
	secrets := []string{"silk remembers", "Between us", "between us", "Finer than a hair", "A mill in Corran", "One loaf, photographed", "The last tide mill on the Severn", "petra@", "yusuf@millrace"}

	var routes []string
	for _, a := range server.Addresses {
		if path, ok := strings.CutPrefix(a, "GET "); ok {
			routes = append(routes, path)
		}
	}
	c := visit(t, h).as(4)
	looked := 0
	for _, r := range routes {
		if r == "/live" || r == "/assets/*" { // one never ends, the other is for everybody
			continue
		}
		for _, n := range []string{fmt.Sprint(id), "1", "2", "12", "391"} {
			path := strings.NewReplacer(":id", n, ":leg", "edit", ":col", "owner", ":channel", "web", ":slug", "x", ":to", "day").Replace(r)
			for _, q := range []string{"", fmt.Sprintf("?q=silk&pieces=%d&from=%d&version=1&idea=12&title=silk&text=silk&state=all", id, id)} {
				res, body := c.get(path + q)
				looked++
				if res.StatusCode >= 500 {
					t.Errorf("%s: %d", path+q, res.StatusCode)
				}
				for _, s := range secrets {
					if strings.Contains(body, s) {
						t.Errorf("%s says %q", path+q, s)
					}
				}
			}
			if !strings.Contains(r, ":id") {
				break
			}
		}
	}
	t.Logf("looked at %d addresses", looked)
	for _, x := range []struct {
		path string
		form url.Values
	}{
		{"/pieces/%d/offer", url.Values{"leg": {"edit"}}}, {"/pieces/%d/brief", url.Values{"title": {"Mine"}}}, {"/pieces/%d/candidates", url.Values{"kind": {"title"}, "candidate": {"Mine"}}}, {"/pieces/%d/candidate", url.Values{"candidate": {"1"}, "do": {"choose"}}},
		{"/pieces/%d/research", url.Values{"text": {"Mine"}}}, {"/pieces/%d/giveback", url.Values{"leg": {"draft"}}}, {"/pieces/%d/copy", nil}, {"/bring/%d/in", nil}, {"/bring", url.Values{"kind": {"ideas"}, "pasted": {"Title\nMine"}}}, {"/sitting", url.Values{"put": {"12.1.1.0.0.0"}}}, {"/formats/%d/guide", url.Values{"text": {"[]"}}},
		{"/formats/%d/brief", url.Values{}},
	} {
		path := x.path
		if strings.Contains(path, "%d") {
			n := id
			if !strings.HasPrefix(path, "/pieces") {
				n = 1
			}
			path = fmt.Sprintf(path, n)
		}
		if res, _ := c.post(path, x.form); res.StatusCode != 403 && res.StatusCode != 404 && res.StatusCode != 422 {
			t.Errorf("%s: %d", path, res.StatusCode)
		}
	}
	var mine int
	if err := house.DB.Get(ctx, &mine, "SELECT (SELECT COUNT(*) FROM candidate WHERE text = 'Mine') + (SELECT COUNT(*) FROM finding WHERE text = 'Mine') + (SELECT COUNT(*) FROM idea WHERE title = 'Mine') + (SELECT COUNT(*) FROM piece WHERE title = 'Mine')"); err != nil || mine != 0 {
		t.Errorf("%d things were stored, %v", mine, err)
	}
	if _, body := c.get(fmt.Sprintf("/pieces/%d/brief/sheet", id)); !strings.Contains(body, "They look at a bag of flour and see a sieve.") || !strings.Contains(body, "How to write one") {
		t.Error("they do not see the brief and the guide")
	}
	_, body := c.get(fmt.Sprintf("/pieces/%d", id))
	for _, s := range []string{"with Maren", "does not say", "No day</span>", "Yusuf", "Ruth"} {
		if strings.Contains(body, s) {
			t.Errorf("the page of the piece says %q", s)
		}
	}
	if _, body := c.get("/open"); !strings.Contains(body, "£180") || !strings.Contains(body, "Draft: Bolting cloth") {
		t.Error("the leg is not among those open to them")
	}
}
