package rooms_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"greenbaton/core/brief"
	"greenbaton/core/bring"
	"greenbaton/core/check"
	"greenbaton/core/copy"
	"greenbaton/core/idea"
	"greenbaton/core/plan"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/request"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/review"
	"greenbaton/store"
)

// look is at the first desk.
var look = planning.Look{Desks: []ref.Desk{1}}

// found turns what was not found into an error.
func found(err error, ok bool) error {
	if err == nil && !ok {
		return newsroom.ErrNotFound
	}
	return err
}

// Every act against every person; what is refused changes nothing at all.
func TestWhoMayDoWhatAndRefusedActsChangeNothing(t *testing.T) {
	everybody := []ref.Person{lead, editor, writer, freelance, pictures, outside, stranger}
	text := copy.FromPlain("three more words").JSON()
	for _, x := range []struct {
		name string
		may  []ref.Person
		do   func(h *testHouse, id ref.Piece, who ref.Person) error
	}{
		{"create", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Intake.Create(ctx, who, planning.Draft{Title: "T", Format: 1, Owner: lead})
			return err
		}},
		{"see", []ref.Person{lead, editor, writer, freelance, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Planning.Sheet(ctx, who, id)
			return err
		}},
		{"read the logbook", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Logbook.OfPiece(ctx, who, store.LogSieve{Piece: id, Limit: 9})
			return err
		}},
		{"read the desk's logbook", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, _, err := h.Logbook.OfDesk(ctx, who, store.LogSieve{Desk: 1, Limit: 9})
			return err
		}},
		{"write", []ref.Person{lead, writer}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Copyroom.SaveCopy(ctx, who, id, copyroom.OnNewest, text)
			return err
		}},
		{"tick", []ref.Person{lead, writer}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.TickStep(ctx, who, id, 1, false)
		}},
		{"pass", []ref.Person{lead, writer}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.PassLeg(ctx, who, planning.Pass{Piece: id, Leg: "draft"})
		}},
		{"send back", []ref.Person{lead, writer}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.SendBack(ctx, who, planning.Back{Piece: id, From: "draft", To: "brief", Reasons: "why"})
		}},
		{"skip", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.SkipLeg(ctx, who, id, "pics", 0, "")
		}},
		{"need", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.NeedLeg(ctx, who, id, "welsh", 0)
		}},
		{"give", []ref.Person{lead, writer}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.GiveLeg(ctx, who, id, "draft", pictures, 0)
		}},
		{"take", []ref.Person{freelance, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.TakeLeg(ctx, who, id, "pics")
		}},
		{"offer", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.OfferLeg(ctx, who, planning.Offer{Piece: id, Leg: "copy", To: []ref.Person{freelance}, Fee: 12_000})
		}},
		{"see what is open", []ref.Person{lead, editor, writer, freelance, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Planning.Open(ctx, who, 1)
			return err
		}},
		{"propose", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			text, seq := h.text(id)
			_, err := h.Copyroom.EditCopy(ctx, who, id, copyroom.CopyEdit{Client: "p", Turn: 1, Base: seq, Change: text.Propose(keep(0).Put("x", nil), fmt.Sprintf("%d.k", who))})
			return err
		}},
		{"ask", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Copyroom.AskAbout(ctx, who, id, copyroom.Ask{Query: query.Query{About: query.Piece, Text: "Why?"}})
			return err
		}},
		{"see the margin", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			m, _, err := h.Copyroom.MarginOf(ctx, who, id)
			return found(err, m.MayAsk)
		}},
		{"sit down to the copy", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, _, _, err := h.Copyroom.Join(ctx, who, id, "p", 0)
			return err
		}},
		{"see versions", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, _, err := h.Copyroom.Versions(ctx, who, id)
			return err
		}},
		{"compare versions", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Copyroom.Compare(ctx, who, id, "e0", copyroom.Now)
			return err
		}},
		{"bring a version back", []ref.Person{lead, writer}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Copyroom.BringBack(ctx, who, id, "e0", false)
		}},
		{"see the checks", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, _, err := h.Copyroom.Checks(ctx, who, id)
			return err
		}},
		{"add a word", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Copyroom.AddWord(ctx, who, id, "leat")
		}},
		{"set up checks", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Copyroom.SaveFormatChecks(ctx, who, 1, check.Rules{check.Ease: {Off: true}})
		}},
		{"bring a file in", []ref.Person{lead, writer}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Copyroom.TakeIn(ctx, who, id, copy.FromPlain("words"), false)
		}},
		{"take the copy out", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, _, err := h.Copyroom.Given(ctx, who, id)
			return err
		}},
		{"add a picture", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Copyroom.AddPicture(ctx, who, id, &copyroom.Upload{Name: "x.png", Type: "image/png", Data: []byte("x")})
			return err
		}},
		{"attach", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Copyroom.Attach(ctx, who, id, 0, &copyroom.Upload{Name: "x.png", Type: "image/png", Data: []byte("x")}, true, "")
		}},
		{"read the copy", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Planning.Newest(ctx, who, id)
			return err
		}},
		{"place", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Place(ctx, who, id, h.Now()+9*86400, 0)
		}},
		{"edit the brief", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.EditBrief(ctx, who, id, 0, planning.Brief{Title: "New", Owner: lead})
		}},
		{"edit from the list", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			high := relay.High
			return h.Planning.EditPieces(ctx, who, []planning.Edit{{Piece: id, Priority: &high}})
		}},
		{"put into order", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.OrderLegs(ctx, who, []planning.Place{{Piece: id, Leg: "draft"}})
		}},
		{"see the lineup", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			l, err := h.Planning.Lineup(ctx, who, 1, look, planning.Span{From: h.today(), To: h.today() + 35}, planning.Shows{})
			return found(err, len(l.Out) > 0)
		}},
		{"see the track", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			l, err := h.Planning.Track(ctx, who, 1, look, planning.ByPerson, 7)
			return found(err, l.Running > 0)
		}},
		{"see the load", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			l, err := h.Planning.Loads(ctx, who, 1, look, 2, nil)
			return found(err, len(l.Open) > 0)
		}},
		{"hold a card over the days", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Planning.Stands(ctx, who, id, planning.Span{From: h.today(), To: h.today() + 7}, 0)
			return err
		}},
		{"see how a leg fits people", []ref.Person{lead, writer}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Planning.Fits(ctx, who, id, "draft", 0)
			return err
		}},
		{"list", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			l, err := h.Planning.List(ctx, who, planning.Filter{Look: look})
			return found(err, slices.ContainsFunc(l.Rows, func(r planning.ListRow) bool { return r.ID == id }))
		}},
		{"find by title", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			f, err := h.Intake.Find(ctx, who, "tied mill", 200)
			return found(err, slices.ContainsFunc(f.Pieces, func(p intake.FoundPiece) bool { return p.ID == id }))
		}},
		{"find by copy", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			f, err := h.Intake.Find(ctx, who, "enough", 200)
			return found(err, slices.ContainsFunc(f.Pieces, func(p intake.FoundPiece) bool { return p.ID == id && strings.Contains(p.Snippet, intake.Mark) }))
		}},
		{"keep a view for the desk", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Planning.SaveView(ctx, who, store.View{DeskID: 1, Name: "Ours", Page: "track"})
			return err
		}},
		{"keep a view of one's own", []ref.Person{lead, editor, writer, freelance, pictures, outside}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Planning.SaveView(ctx, who, store.View{DeskID: 1, Owner: who, Name: "Mine", Page: "pieces"})
			return err
		}},
		{"lock a view", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Planning.SaveView(ctx, who, store.View{DeskID: 1, Name: "Locked", Page: "lineup", Locked: true})
			return err
		}},
		{"make a topic", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Settings.SaveTopic(ctx, who, store.Topic{DeskID: 1, Name: "Mills"})
		}},
		{"make a campaign", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Settings.SaveCampaign(ctx, who, store.Campaign{DeskID: 1, Name: "Winter", FromDay: 20_000, ToDay: 20_001})
		}},
		{"catch an idea", []ref.Person{lead, editor, writer, freelance, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, _, err := h.Intake.Catch(ctx, who, idea.Idea{DeskID: 1, Title: "Rye"}, 0)
			return err
		}},
		{"read an idea", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, _, err := h.Intake.Idea(ctx, who, 1)
			return err
		}},
		{"find an idea", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			l, err := h.Intake.Ideas(ctx, who, intake.IdeaFilter{Desk: 1, Text: "oats"})
			return found(err, len(l.Rows) > 0)
		}},
		{"be told of what is like it", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			l, err := h.Intake.Likes(ctx, who, 1, "The last tide mills", 0, 9)
			return found(err, slices.ContainsFunc(l, func(x intake.Like) bool { return x.Piece != nil && x.Piece.ID == id }))
		}},
		{"change an idea", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Intake.EditIdea(ctx, who, idea.Idea{ID: 1, Title: "Oats, again"})
		}},
		{"judge an idea", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Intake.JudgeIdea(ctx, who, 1, "fit", 1+int(who)%5)
		}},
		{"decide on an idea", []ref.Person{lead, editor}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Intake.SettleIdeas(ctx, who, []ref.Idea{ref.Idea(h.count("SELECT MAX(id) FROM idea"))}, idea.Resting, "", 0)
		}},
		{"use an idea", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Intake.Create(ctx, who, planning.Draft{Title: "T", Format: 1, Owner: lead, Idea: ref.Idea(h.count("SELECT MAX(id) FROM idea"))})
			return err
		}},
		{"read the brief", []ref.Person{lead, editor, writer, freelance, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Planning.BriefSheet(ctx, who, id)
			return err
		}},
		{"have a brief drafted", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Intake.DraftBrief(ctx, who, id)
			return err
		}},
		{"propose a title", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.AddCandidate(ctx, who, id, "title", "Twice a day", nil)
		}},
		{"vote for a title", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.Vote(ctx, who, id, h.proposed(id), true)
		}},
		{"choose a title", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.Choose(ctx, who, id, h.proposed(id))
		}},
		{"drop a title", []ref.Person{lead, editor}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.DropCandidate(ctx, who, id, h.proposed(id))
		}},
		{"add to the research", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Planning.Note(ctx, who, id, 0, "The lease", "", nil)
		}},
		{"read a guide", []ref.Person{lead, editor, writer, freelance, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Settings.Guides(ctx, who, 1)
			return err
		}},
		{"write a guide", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Settings.SaveGuide(ctx, who, 1, 0, text, 0)
			return err
		}},
		{"ask for a brief", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Settings.SaveFormatBrief(ctx, who, 1, brief.Form{{Key: "angle"}}, false, nil)
		}},
		{"begin in the shape of a piece", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Planning.Again(ctx, who, id, true)
			return err
		}},
		{"sit down to plan", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			s, err := h.Intake.Sitting(ctx, who, 1, []intake.Put{{Idea: ref.Idea(h.count("SELECT MAX(id) FROM idea")), Format: 1}}, intake.Put{}, 5)
			return found(err, len(s.Placed) == 1)
		}},
		{"place an idea", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Intake.PlaceIdeas(ctx, who, []intake.Put{{Idea: ref.Idea(h.count("SELECT MAX(id) FROM idea")), Format: 1}})
			return err
		}},
		{"bring in a list", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Intake.LookAt(ctx, who, 1, bring.Ideas, "x.csv", table("Title", "Rye"))
			return err
		}},
		{"go through requests", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Intake.Requests(ctx, who, 1, "")
			return err
		}},
		{"make a form", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Intake.SaveForm(ctx, who, request.Form{DeskID: 1, Name: "A", Slug: fmt.Sprint("a", who)})
			return err
		}},
		{"decide who passes", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error { return h.SetPassBy(ctx, who, 1, relay.ByOwner) }},
		{"read the post room", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			mails, err := h.Notify.PostRoom(ctx, who, "", 0, 9)
			if err == nil && len(mails) == 0 { // a lead of another desk finds nothing there
				return newsroom.ErrNotFound
			}
			return err
		}},
		{"make a house rule", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Rules.SaveRule(ctx, who, rule.Rule{DeskID: 1, When: rule.Created})
			return err
		}},
		{"try a house rule", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Rules.TryRule(ctx, who, rule.Rule{DeskID: 1, When: rule.Created, Then: []rule.Action{{Do: rule.SetDay}}}, 7, nil)
			return err
		}},
		{"read the house rules", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Rules.Rules(ctx, who, 1)
			return err
		}},
		{"ask an outsider", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Review.Invite(ctx, who, review.Invite{Piece: id, Name: "Joan", Mail: fmt.Sprintf("joan%d@out.example", id), May: store.MayRead})
			return err
		}},
		{"see the verdicts", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			x, err := h.Review.Verdicts(ctx, who, id)
			if err == nil && x.Legs == nil && x.Past == nil && !h.books().Person(who).Access.May(relay.SeeAll) {
				return newsroom.ErrNotFound // it says nothing to them
			}
			return err
		}},
		{"follow a piece", []ref.Person{lead, editor, writer, freelance, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Notify.FollowPiece(ctx, who, id, store.Follows)
		}},
		{"make a partner", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Review.SavePartner(ctx, who, store.Partner{DeskID: 1, Name: fmt.Sprint("Partner ", id)}, nil, nil)
			return err
		}},
		{"add a chat", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Notify.SaveHook(ctx, who, store.Hook{DeskID: 1, Name: "Chat", URL: "https://chat.example/"})
		}},
		{"word a message", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Notify.SaveWording(ctx, who, 1, "out", fmt.Sprint("Out: {piece} ", id))
		}},
		{"show a message with a piece", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, _, err := h.Notify.PreviewWording(ctx, who, 1, "out", "{piece}", id)
			return err
		}},
		{"send a message again", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error { return h.Notify.SendAgain(ctx, who, 1) }},
		{"end somebody’s access", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			return h.Account.EndAccess(ctx, who, 1, pictures, false)
		}},
		{"see what somebody leaves", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Account.LeftWith(ctx, who, 1, writer)
			return err
		}},
		{"take the logbook out", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, _, err := h.Logbook.OfDesk(ctx, who, store.LogSieve{Desk: 1, Oldest: true, Limit: 9})
			return err
		}},
		{"read where a piece came from", []ref.Person{lead, editor, writer, pictures}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Logbook.Origins(ctx, who, id)
			return err
		}},
		{"read a mail", []ref.Person{lead}, func(h *testHouse, id ref.Piece, who ref.Person) error {
			_, err := h.Notify.PostRoomMail(ctx, who, 1)
			return err
		}},
	} {
		t.Run(x.name, func(t *testing.T) {
			h := newHouse(t)
			for _, who := range everybody {
				_, _, err := h.Intake.Catch(ctx, editor, idea.Idea{DeskID: 1, Title: "Oats"}, 0)
				h.must(err)
				id := h.make("12-18") // its draft runs with the writer, its pictures are open
				h.pass(editor, id, "brief")
				h.write(writer, id, "four words are enough")
				h.must(h.Planning.GiveLeg(ctx, lead, id, "pics", 0, 0))
				h.must(h.Planning.AddCandidate(ctx, editor, id, "title", "What the tide turns", nil))
				before := h.everything()
				step := h.count("SELECT MAX(id) FROM step WHERE piece_id = ?", id)
				do := x.do
				if x.name == "tick" {
					do = func(h *testHouse, id ref.Piece, who ref.Person) error {
						return h.Planning.TickStep(ctx, who, id, ref.Step(step), false)
					}
				}
				err = do(h, id, who)
				if allowed := slices.Contains(x.may, who); allowed != (err == nil) {
					t.Errorf("person %d: %v", who, err)
				}
				if err != nil && !refused(err, relay.ErrNotYours) && !errors.Is(err, newsroom.ErrNotFound) {
					t.Errorf("person %d is refused with %v", who, err)
				}
				if err != nil && h.everything() != before {
					t.Errorf("person %d was refused and yet something changed", who)
				}
				if x.name == "decide who passes" && err == nil {
					h.must(h.SetPassBy(ctx, lead, 1, relay.ByHolder))
				}
			}
		})
	}
}

func TestAnOutsideReviewerSeesOnlyWhatWasSent(t *testing.T) {
	h := newHouse(t)
	id, err := h.Intake.Create(ctx, lead, planning.Draft{Title: "T", Format: 1, Owner: lead, Brief: "between us", WordsFrom: 3})
	h.must(err)
	if _, err := h.Planning.Sheet(ctx, outside, id); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("a piece that has not reached them: %v", err)
	}
	h.pass(editor, id, "brief")
	h.write(writer, id, "four words are enough")
	h.pass(writer, id, "draft")
	h.pass(pictures, id, "pics")
	h.pass(editor, id, "copy")
	s, err := h.Planning.Sheet(ctx, outside, id)
	h.must(err)
	if s.Row.Brief != "" || len(s.Log) != 0 || s.Whole || s.Copy.Words != 4 {
		t.Errorf("they see %+v", s)
	}
	if err := h.Planning.PassLeg(ctx, outside, planning.Pass{Piece: id, Leg: "yes", To: map[string]ref.Person{"yes": lead}}); !refused(err, relay.ErrNotYours) {
		t.Errorf("they choose people: %v", err)
	}
	h.pass(outside, id, "yes")
}

func TestReleaseIsForOwnerAndLeads(t *testing.T) {
	h := newHouse(t)
	id := h.ready("12-18")
	for _, who := range []ref.Person{editor, writer, freelance, outside, stranger} {
		before := h.everything()
		if h.Review.SendOut(ctx, who, id, 0, "") == nil || h.Review.Withdraw(ctx, who, id, 0, "") == nil || h.everything() != before {
			t.Errorf("person %d could", who)
		}
	}
	h.must(h.Review.SendOut(ctx, lead, id, 0, ""))
	h.must(h.Review.Withdraw(ctx, lead, id, 0, "wrong picture"))
}

func TestADeskCanLeavePassingToOwners(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.must(h.SetPassBy(ctx, lead, 1, relay.ByOwner))
	if err := h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief"}); !refused(err, relay.ErrNotYours) {
		t.Errorf("its holder passed it: %v", err)
	}
	h.pass(lead, id, "brief")
}

func TestAnActOnAStaleVersionIsRefusedWithWhatChanged(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	seen := h.piece(id).Version
	h.must(h.Planning.GiveLeg(ctx, lead, id, "draft", freelance, seen))
	before := h.everything()
	err := h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief", Version: seen})
	var r *relay.Refusal
	if !errors.As(err, &r) || !errors.Is(err, relay.ErrChanged) || len(r.Unmet) != 1 || !strings.Contains(r.Unmet[0], "Lea Lead gave Draft to Fred") {
		t.Errorf("%v: %+v", err, r)
	}
	if h.everything() != before {
		t.Error("something changed")
	}
}

func TestOfManyWhoTakeALegAtOnceExactlyOneHasIt(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.must(h.Planning.GiveLeg(ctx, lead, id, "pics", 0, 0))
	var wg sync.WaitGroup
	errs := make([]error, 20)
	for i := range errs {
		wg.Add(1)
		go func() {
			defer wg.Done()
			errs[i] = h.Planning.TakeLeg(ctx, []ref.Person{freelance, pictures}[i%2], id, "pics")
		}()
	}
	wg.Wait()
	won := 0
	for _, err := range errs {
		if err == nil {
			won++
		} else if !refused(err, relay.ErrNotNow) {
			t.Error(err)
		}
	}
	if won != 1 {
		t.Errorf("%d have it", won)
	}
}

func TestALegIsNotPassedBeforeItsConditionsHold(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	err := h.Planning.PassLeg(ctx, writer, planning.Pass{Piece: id, Leg: "draft", Why: "it will do"})
	var r *relay.Refusal
	if !errors.As(err, &r) || !errors.Is(err, relay.ErrUnmet) || len(r.Unmet) != 2 {
		t.Fatalf("the holder passed it with a reason of their own: %v", err)
	}
	h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: "draft", Why: "the printer waits"}))
	if h.count("SELECT COUNT(*) FROM logbook WHERE why = 'the printer waits'") != 1 {
		t.Error("the reason is not in the logbook")
	}
}

func TestAHandoffReachesInboxAndMail(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.must(h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief", To: map[string]ref.Person{"draft": freelance}}))
	items, err := h.Notify.Inbox(ctx, freelance, 0, 9)
	h.must(err)
	if len(items) != 1 || items[0].Text != "Draft is with you, from Edi. Due Mon 14 Dec." || items[0].ReadAt != 0 {
		t.Fatalf("%+v", items)
	}
	mails, err := h.Notify.PostRoom(ctx, lead, "p4@", 0, 9)
	h.must(err)
	if len(mails) != 1 || mails[0].SentAt != 0 || !strings.Contains(mails[0].Body, "http://house.example/pieces/") {
		t.Fatalf("%+v", mails)
	}
	h.must(h.Notify.DeliverMail(ctx))
	if mails, err = h.Notify.PostRoom(ctx, lead, "p4@", 0, 9); err != nil || mails[0].SentAt == 0 {
		t.Error("the mail is not delivered", err)
	}
	if _, err := h.Notify.OpenItem(ctx, writer, items[0].ID); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("somebody else opened it: %v", err)
	}
	if p, err := h.Notify.OpenItem(ctx, freelance, items[0].ID); err != nil || p.PieceID != id {
		t.Error(p, err)
	}
	if n, err := h.Notify.Unread(ctx, freelance); n != 0 || err != nil {
		t.Error(n, err)
	}
}

func TestSendingBackSetsADueDateForTheRework(t *testing.T) {
	h := newHouse(t)
	id := h.ready("12-18")
	h.must(h.Planning.SendBack(ctx, lead, planning.Back{Piece: id, To: "draft", Reasons: "begin with Joan"}))
	l := h.piece(id)
	if d := l.Leg("draft"); d.State != relay.Running || d.Due.String() != "2026-11-26" || d.Need() != 2 {
		t.Errorf("draft came back as %+v", d)
	}
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id = ? AND kind = 'sent back' AND why = 'begin with Joan'", writer); n != 1 {
		t.Error("its holder was not told why")
	}
	if n := h.count("SELECT COUNT(*) FROM leg_run WHERE piece_id = ?", id); n != 5 {
		t.Errorf("%d runs are on record, want 5", n)
	}
}

func TestTwoWhoSaveAtOnceLoseNothing(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	h.write(writer, id, "the first four words")
	before, err := h.Planning.Sheet(ctx, writer, id)
	h.must(err)
	_, err = h.Copyroom.SaveCopy(ctx, lead, id, before.Seq, copy.FromPlain("what the lead wrote").JSON())
	h.must(err)
	saved, err := h.Copyroom.SaveCopy(ctx, writer, id, before.Seq, copy.FromPlain("the first four words and more").JSON())
	h.must(err)
	s, err := h.Planning.Sheet(ctx, writer, id)
	h.must(err)
	if s.Text.Plain() != "what the lead wrote and more\n" || saved.Words != 6 {
		t.Fatalf("copy %q, %+v", s.Text.Plain(), saved)
	}
}

func TestOneSittingIsOneVersion(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	h.pass(editor, id, "brief")
	for _, s := range []string{"one", "one two", "one two three"} {
		h.write(writer, id, s)
		h.now = h.now.Add(time.Minute)
	}
	h.now = h.now.Add(time.Hour)
	h.write(writer, id, "one two three four")
	if n := h.count("SELECT COUNT(*) FROM copy WHERE piece_id = ?", id); n != 2 {
		t.Errorf("%d versions are kept, want 2", n)
	}
	for _, bad := range []string{"", "{", `[{"delete":3}]`, `[{"insert":{"video":"x"}}]`} {
		if _, err := h.Copyroom.SaveCopy(ctx, writer, id, copyroom.OnNewest, []byte(bad)); !refused(err, relay.ErrInput) {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

func TestAPieceGoesOutAtItsTimeAndOneThatIsNotReadyDoesNot(t *testing.T) {
	h := newHouse(t)
	ready, late := h.ready("12-02"), h.make("12-02")
	h.now = time.Date(2026, 12, 2, 7, 59, 59, 0, time.UTC)
	h.must(h.Tick(ctx))
	if h.piece(ready).Stage != relay.UnderWay {
		t.Fatal("it went out too early")
	}
	h.now = h.now.Add(time.Second)
	h.must(h.Tick(ctx))
	h.must(h.Tick(ctx)) // again: nothing happens twice
	if r := h.piece(ready); r.Stage != relay.Out || r.Pace != plan.Out {
		t.Errorf("the ready piece is %s", r.Stage)
	}
	pages, err := store.SitePages(ctx, h.DB, "web", 9)
	h.must(err)
	if len(pages) != 1 || pages[0].Author != "Wim Writer" || !strings.Contains(pages[0].Body, "four words") {
		t.Errorf("pages %+v", pages)
	}
	if r := h.piece(late); r.Stage != relay.UnderWay || r.MissedAt != r.GoesOut {
		t.Errorf("the late piece is %s", r.Stage)
	}
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE kind = 'missed' AND piece_id = ?", late); n != 1 {
		t.Errorf("owner and leads were told %d times", n)
	}
	h.must(h.Review.Withdraw(ctx, lead, ready, 0, "wrong"))
	h.must(h.Tick(ctx))
	if pages, err = store.SitePages(ctx, h.DB, "web", 9); err != nil || len(pages) != 0 {
		t.Error("it is still up", err)
	}
	h.must(h.Review.SendOut(ctx, lead, ready, 0, ""))
	h.must(h.Tick(ctx))
	if pages, err = store.SitePages(ctx, h.DB, "web", 9); err != nil || len(pages) != 1 {
		t.Error("it is not up again", err)
	}
}

// flaky is a mail server that refuses the first mails.
type flaky struct {
	fails int
	keys  []string
}

func (f *flaky) Send(_ context.Context, m newsroom.Mail) error {
	if f.fails > 0 {
		f.fails--
		return errors.New("the server is away")
	}
	f.keys = append(f.keys, m.Key)
	return nil
}

func TestTheCourierTriesAgainWithGrowingPausesAndSendsOnce(t *testing.T) {
	h := newHouse(t)
	f := &flaky{fails: 2}
	h.Newsroom.Mail = f
	h.make("12-18")
	h.now = h.now.Add(time.Second)
	for range 3 {
		h.must(h.Notify.DeliverMail(ctx))
	}
	if len(f.keys) != 0 || f.fails != 1 {
		t.Fatalf("it did not wait: %d left", f.fails)
	}
	for _, pause := range []time.Duration{31 * time.Second, 61 * time.Second, time.Hour} {
		h.now = h.now.Add(pause)
		h.must(h.Notify.DeliverMail(ctx))
	}
	if len(f.keys) != 1 || f.keys[0] != "item 1" {
		t.Errorf("delivered %v", f.keys)
	}
}

func TestDatesOfADraftAreThoseThatAreStored(t *testing.T) {
	h := newHouse(t)
	d := planning.Draft{Title: "T", Format: 1, Owner: lead, GoesOut: h.Now() + 20*86400, Legs: map[string]planning.DraftLeg{
		"draft": {Holder: freelance, Days: 6}, "welsh": {Needed: true, Days: 2},
	}}
	p, err := h.Planning.Prospect(ctx, lead, d)
	h.must(err)
	id, err := h.Intake.Create(ctx, lead, d)
	h.must(err)
	for i, l := range h.piece(id).Legs {
		if w := p.Piece.Legs[i]; l.Due != w.Due || l.Holder != w.Holder || l.State != w.State {
			t.Errorf("%s: stored %v with %d, shown %v with %d", l.Key, l.Due, l.Holder, w.Due, w.Holder)
		}
	}
	d.GoesOut = 0
	if p, err = h.Planning.Prospect(ctx, lead, d); err != nil || p.CouldGoOut == 0 {
		t.Error("with no day, the earliest is not said", err)
	}
}

func TestBadInputIsRefusedAtItsField(t *testing.T) {
	h := newHouse(t)
	ok := planning.Draft{Title: "T", Format: 1, Owner: lead}
	for field, spoil := range map[string]func(*planning.Draft){
		"title":        func(d *planning.Draft) { d.Title = "  " },
		"format":       func(d *planning.Draft) { d.Format = 99 },
		"channel":      func(d *planning.Draft) { d.Channel = 99 },
		"owner":        func(d *planning.Draft) { d.Owner = freelance },
		"words":        func(d *planning.Draft) { d.WordsFrom, d.WordsTo = 9, 3 },
		"day":          func(d *planning.Draft) { d.GoesOut = h.Now() - 1 },
		"days-draft":   func(d *planning.Draft) { d.Legs = map[string]planning.DraftLeg{"draft": {Days: -1}} },
		"holder-draft": func(d *planning.Draft) { d.Legs = map[string]planning.DraftLeg{"draft": {Holder: stranger, Days: 1}} },
	} {
		d := ok
		spoil(&d)
		_, err := h.Intake.Create(ctx, lead, d)
		var r *relay.Refusal
		if !errors.As(err, &r) || r.Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	if n := h.count("SELECT COUNT(*) FROM piece"); n != 0 {
		t.Errorf("%d pieces were made", n)
	}
}
