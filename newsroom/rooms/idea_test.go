package rooms_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"

	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

func (x *testHouse) caught(by ref.Person, title string) ref.Idea {
	x.t.Helper()
	id, _, err := x.Intake.Catch(ctx, by, idea.Idea{DeskID: 1, Title: title}, 0)
	x.must(err)
	return id
}

func (x *testHouse) idea(id int64) intake.IdeaRow {
	x.t.Helper()
	r, _, err := x.Intake.Idea(ctx, lead, ref.Idea(id))
	x.must(err)
	return r
}

// A device that does not know whether its idea came in sends it again, and again.
func TestAnIdeaSentTwiceIsCaughtOnce(t *testing.T) {
	h := newHouse(t)
	var wg sync.WaitGroup
	first := make([]bool, 20)
	for i := range first {
		wg.Add(1)
		go func() {
			defer wg.Done()
			_, fresh, err := h.Intake.Catch(ctx, writer, idea.Idea{DeskID: 1, Title: "Rye", Key: "a1"}, 7200)
			if err != nil {
				t.Error(err)
			}
			first[i] = fresh
		}()
	}
	wg.Wait()
	n := 0
	for _, f := range first {
		if f {
			n++
		}
	}
	if n != 1 || h.count("SELECT COUNT(*) FROM idea") != 1 {
		t.Errorf("%d were fresh, %d are kept", n, h.count("SELECT COUNT(*) FROM idea"))
	}
	if r := h.idea(1); int64(h.Now())-int64(r.CaughtAt) != 7200 {
		t.Errorf("caught at %d, it is %d", r.CaughtAt, h.Now())
	}
	if _, fresh, err := h.Intake.Catch(ctx, editor, idea.Idea{DeskID: 1, Title: "Rye", Key: "a1"}, 0); err != nil || !fresh {
		t.Error("the same key of somebody else is another idea", err)
	}
}

func TestAUsedIdeaLeadsToItsPieceAndIsNotUsedTwice(t *testing.T) {
	h := newHouse(t)
	id := h.caught(writer, "Rye, slowly")
	h.must(h.Intake.EditIdea(ctx, writer, idea.Idea{ID: id, Title: "Rye, slowly", Tags: "rye, grain"}))
	piece, err := h.Intake.Create(ctx, lead, planning.Draft{Title: "Rye", Format: 1, Owner: lead, Idea: id})
	h.must(err)
	r := h.idea(int64(id))
	if r.State != idea.Used || r.PieceID != piece || r.Piece == nil || r.Piece.Title != "Rye" || r.SettledBy != lead {
		t.Errorf("%+v", r.Idea)
	}
	if p := h.piece(piece); p.Tags != "grain,rye" {
		t.Errorf("the piece has the tags %q", p.Tags)
	}
	before := h.everything()
	if _, err := h.Intake.Create(ctx, editor, planning.Draft{Title: "Rye again", Format: 1, Owner: lead, Idea: id}); !refused(err, relay.ErrNotNow) {
		t.Errorf("used twice: %v", err)
	}
	if err := h.Intake.SettleIdeas(ctx, lead, []ref.Idea{id}, idea.Turned, "no", 0); !refused(err, relay.ErrNotNow) {
		t.Errorf("turned down: %v", err)
	}
	if h.everything() != before {
		t.Error("something changed")
	}
}

// Of several that are decided on at once, all are or none; whoever caught them is told
// why; and it can be taken back.
func TestDecidingOnIdeas(t *testing.T) {
	h := newHouse(t)
	a, b, c := h.caught(writer, "A"), h.caught(pictures, "B"), h.caught(lead, "C")
	used := h.caught(writer, "D")
	_, err := h.Intake.Create(ctx, lead, planning.Draft{Title: "D", Format: 1, Owner: lead, Idea: used})
	h.must(err)
	before := h.everything()
	if err := h.Intake.SettleIdeas(ctx, lead, []ref.Idea{a, used}, idea.Turned, "no room", 0); err == nil || h.everything() != before {
		t.Errorf("half of them: %v", err)
	}
	h.must(h.Intake.SettleIdeas(ctx, lead, []ref.Idea{a, b, c}, idea.Turned, "no room", 0))
	if h.count("SELECT COUNT(*) FROM idea WHERE state = 'turned down' AND why = 'no room'") != 3 || h.count("SELECT COUNT(*) FROM inbox WHERE kind = 'idea' AND why = 'no room'") != 2 {
		t.Error("not all are turned down, or not all are told")
	}
	u, err := h.LastUndo(ctx, lead)
	h.must(err)
	_, _, err = h.Undo(ctx, lead, u.ID)
	h.must(err)
	if l, err := h.Intake.Ideas(ctx, lead, intake.IdeaFilter{Desk: 1, State: idea.Waiting}); err != nil || l.Total != 3 {
		t.Errorf("%d wait after it was taken back, %v", l.Total, err)
	}
	// What was changed since is not taken back.
	h.must(h.Intake.JudgeIdea(ctx, lead, a, "reach", 4))
	u, err = h.LastUndo(ctx, lead)
	h.must(err)
	h.must(h.Intake.JudgeIdea(ctx, editor, a, "reach", 5))
	if _, _, err := h.Undo(ctx, lead, u.ID); !refused(err, relay.ErrChanged) || h.idea(int64(a)).Reach != 5 {
		t.Errorf("taken back over what somebody else said: %v", err)
	}
	if err := h.Intake.EditIdea(ctx, writer, idea.Idea{ID: a, Title: "A, better", Version: 1}); !refused(err, relay.ErrChanged) {
		t.Errorf("an old version was saved: %v", err)
	}
}

func TestACaughtIdeaCanBeTakenBack(t *testing.T) {
	h := newHouse(t)
	h.caught(writer, "Oops")
	u, err := h.LastUndo(ctx, writer)
	h.must(err)
	_, _, err = h.Undo(ctx, writer, u.ID)
	h.must(err)
	l, err := h.Intake.Ideas(ctx, lead, intake.IdeaFilter{Desk: 1})
	h.must(err)
	likes, err := h.Intake.Likes(ctx, lead, 1, "Oops", 0, 9)
	h.must(err)
	if l.Total != 0 || len(likes) != 0 || h.count("SELECT COUNT(*) FROM idea") != 0 {
		t.Errorf("%d ideas, %v like it", l.Total, likes)
	}
}

func TestAFreelancerSeesOnlyTheirOwnIdeas(t *testing.T) {
	h := newHouse(t)
	h.caught(lead, "Secret plans for rye")
	mine := h.caught(freelance, "Rye, from me")
	l, err := h.Intake.Ideas(ctx, freelance, intake.IdeaFilter{Desk: 1})
	h.must(err)
	if l.Total != 1 || l.Rows[0].ID != mine || l.Counts[idea.Waiting] != 1 || !slices.Equal(l.People, []ref.Person{freelance}) {
		t.Errorf("they see %+v", l)
	}
	id := h.make("12-18")
	likes, err := h.Intake.Likes(ctx, freelance, 1, "Secret plans for rye", 0, 9)
	h.must(err)
	more, err := h.Intake.Likes(ctx, freelance, 1, "The tide mill", 0, 9)
	h.must(err)
	for _, x := range append(likes, more...) {
		if x.Idea == nil || x.Idea.ID != mine {
			t.Errorf("they are told of %+v", x)
		}
	}
	ready := h.ready("12-02")
	h.must(h.Review.SendOut(ctx, lead, ready, 0, ""))
	if likes, err = h.Intake.Likes(ctx, freelance, 1, "The tide mill", 0, 9); err != nil || len(likes) != 1 || likes[0].Piece.ID != ready {
		t.Errorf("of what is published they are told %v %v; %d is not", likes, err, id)
	}
}

// By copy as well: a piece that has all the telling words of a title in its text.
func TestWhatIsLikeATitleIsFoundInCopies(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	h.write(writer, id, "The sluice at Skelder is opened by hand, twice a day, for the eels")
	likes, err := h.Intake.Likes(ctx, lead, 1, "Eels at the sluice of Skelder", 0, 5)
	h.must(err)
	if len(likes) != 1 || likes[0].By != "copy" || !strings.Contains(likes[0].Snippet, intake.Mark+"sluice") {
		t.Errorf("%+v", likes)
	}
}

// What a key pressed in the title costs: 50,000 pieces, and as many ideas.
func BenchmarkLikes(b *testing.B) {
	h := manyTitles(b, 50_000)
	for b.Loop() {
		if _, err := h.Intake.Likes(context.Background(), 1, 1, "Why the last mills on the river grind", 0, 5); err != nil {
			b.Fatal(err)
		}
	}
}

// A page of the best of 50,000 ideas.
func BenchmarkIdeas(b *testing.B) {
	h := manyTitles(b, 50_000)
	for b.Loop() {
		if _, err := h.Intake.Ideas(context.Background(), 1, intake.IdeaFilter{Desk: 1, State: idea.Waiting, Order: "score", Text: "mill"}); err != nil {
			b.Fatal(err)
		}
	}
}

// manyTitles makes a house with very many pieces with a copy each, and ideas.
func manyTitles(b *testing.B, n int) *rooms.Newsroom {
	b.Helper()
	h := newHouse(b).Newsroom
	r := rand.New(rand.NewPCG(7, 7))
	words := strings.Fields("tide mill last severn rye slowly winter bread letter stone dressed flour dust lungs miller baker year twelve loaves ovens village night boat grit spelt second look barley bannocks soda wholemeal school bolting cloth thread tithe sourdough flood weir lease river leat sluice wheel grain harvest emmer einkorn oats kitchen children pond heron carter grinds mills")
	say := func(n int) string {
		var out []string
		for range n {
			out = append(out, words[r.IntN(len(words))])
		}
		return strings.Join(out, " ")
	}
	err := h.DB.Write(context.Background(), func(tx *store.Tx) error {
		for i := range n {
			p := relay.Piece{Number: 1000 + i, DeskID: 1, FormatID: 1, RouteID: 1, ChannelID: 1, Title: say(3 + r.IntN(5)), Owner: 1, Stage: relay.Out, Version: 1, CopyVersion: 1, CreatedAt: 1}
			id, err := tx.AddPiece(context.Background(), p)
			if err != nil {
				return err
			}
			if err := tx.AddCopy(context.Background(), store.Copy{PieceID: id, Version: 1, Text: fmt.Sprintf(`[{"insert":%q}]`, say(120)+"\n"), Words: 120, By: 1, At: 1}); err != nil {
				return err
			}
			if _, err := tx.SaveIdea(context.Background(), idea.Idea{DeskID: 1, Title: say(3 + r.IntN(5)), Notes: say(20), Source: idea.Own, State: idea.Waiting, By: 1, CaughtAt: 1, Reach: r.IntN(6), Fit: r.IntN(6), Effort: r.IntN(6)}); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		b.Fatal(err)
	}
	h.Forget()
	if _, err := h.Intake.Likes(context.Background(), 1, 1, "warm", 0, 1); err != nil && !errors.Is(err, newsroom.ErrNotFound) {
		b.Fatal(err)
	}
	return h
}
