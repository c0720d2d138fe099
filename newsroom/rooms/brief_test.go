package rooms_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/png"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/brief"
	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

var strict = brief.Form{{Key: "angle", Must: true}, {Key: "audience"}, {Key: "musts"}}

// asks makes the format of the test house ask for an angle, a chosen title if so, and
// begin its copies with an outline.
func (x *testHouse) asks(titled bool) {
	x.t.Helper()
	x.must(x.Settings.SaveFormatBrief(ctx, lead, 1, strict, titled, brief.Outline{{Advice: "Open on a person."}, {Heading: "How it works", Advice: "Explain."}}))
	x.Refresh(ctx)
}

// proposed gives a title that the editor proposed for a piece.
func (x *testHouse) proposed(piece ref.Piece) ref.Candidate {
	return ref.Candidate(x.count("SELECT MAX(id) FROM candidate WHERE piece_id = ?", piece))
}

// offered opens the draft of a piece to the freelancer.
func (x *testHouse) offered(piece ref.Piece) ref.Piece {
	x.t.Helper()
	x.must(x.Planning.OfferLeg(ctx, lead, planning.Offer{Piece: piece, Leg: "draft", To: []ref.Person{freelance}}))
	return piece
}

func (x *testHouse) brief(who ref.Person, piece ref.Piece) planning.BriefSheet {
	x.t.Helper()
	s, err := x.Planning.BriefSheet(ctx, who, piece)
	x.must(err)
	return s
}

func TestWhatIsNeededBeforeTheWritingHoldsTheLegsThatLeadToIt(t *testing.T) {
	h := newHouse(t)
	h.asks(true)
	id := h.make("")
	err := h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief"})
	var r *relay.Refusal
	if !errors.As(err, &r) || !slices.Equal(r.Unmet, []string{"the brief does not say “Angle”", "no title is chosen"}) {
		t.Fatalf("passed with %v", err)
	}
	if s := h.brief(lead, id); !slices.Equal(s.Must, []string{"Angle"}) || !slices.Equal(s.Rest, []string{"Audience", "Must be in it"}) || s.Locked != 0 {
		t.Errorf("missing %v and %v, locked %d", s.Must, s.Rest, s.Locked)
	}
	h.must(h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "The tide mill", Owner: lead, WordsFrom: 3, WordsTo: 9, Answers: map[string]string{"angle": "It stops."}}))
	h.must(h.Planning.AddCandidate(ctx, writer, id, "title", "Twice a day", nil))
	c := h.brief(lead, id).Candidates[0]
	h.must(h.Planning.Vote(ctx, editor, id, c.ID, true))
	h.must(h.Planning.Choose(ctx, lead, id, c.ID))
	if s := h.brief(lead, id); s.Row.Title != "Twice a day" || !slices.Equal(s.Candidates[0].Votes, []ref.Person{editor, writer}) || s.Version != 1 {
		t.Errorf("%q, votes %v, version %d", s.Row.Title, s.Candidates[0].Votes, s.Version)
	}
	u, err := h.LastUndo(ctx, lead)
	h.must(err)
	_, _, err = h.Undo(ctx, lead, u.ID)
	h.must(err)
	if s := h.brief(lead, id); s.Row.Title != "The tide mill" || s.Chosen {
		t.Errorf("taken back it is %q, chosen %v", s.Row.Title, s.Chosen)
	}
	h.must(h.Planning.Choose(ctx, lead, id, c.ID))
	if s := h.brief(freelance, h.offered(id)); !s.Chosen { // also for who sees nothing else of the preparation
		t.Error("whoever could take a leg is told that no title is chosen")
	}
	h.must(h.Planning.GiveLeg(ctx, lead, id, "draft", writer, 0))
	h.must(h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief"}))
	if s := h.brief(writer, id); s.Locked != 1 || len(s.Since) != 0 {
		t.Errorf("locked %d, since %v", s.Locked, s.Since)
	}
}

// From when the writing begins on, a brief keeps its versions and its holder is told.
func TestABriefThatChangesUnderAWriterIsShownAndTakenBack(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-11")
	h.must(h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "Mill", Owner: lead, WordsFrom: 3, WordsTo: 9, Answers: map[string]string{"angle": "It stops.", "musts": "Joan\nThe lease"}}))
	h.must(h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief"}))
	h.now = h.now.Add(600 * time.Second)
	h.must(h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "Mill", Owner: lead, WordsFrom: 5, WordsTo: 9, Answers: map[string]string{"angle": "It stops.", "musts": "Joan\nThe lease\nThe board"}}))
	s := h.brief(writer, id)
	want := []brief.Change{{Name: "Words", Was: "3 to 9", Is: "5 to 9"}, {Name: "Must be in it", Was: "Joan\nThe lease", Is: "Joan\nThe lease\nThe board"}}
	if s.Version != 2 || s.Locked != 1 || !slices.Equal(s.Since, want) || s.SinceBy != lead {
		t.Errorf("version %d, locked %d, since %v by %d", s.Version, s.Locked, s.Since, s.SinceBy)
	}
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id = 3 AND kind = 'brief' AND text LIKE '%words and must be in it%'"); n != 1 {
		t.Errorf("the writer was told %d times", n)
	}
	u, err := h.LastUndo(ctx, lead)
	h.must(err)
	if _, _, err := h.Undo(ctx, lead, u.ID); err != nil {
		t.Fatal(err)
	}
	if s := h.brief(writer, id); len(s.Since) != 0 || s.Brief.WordsFrom != 3 || s.Row.WordsFrom != 3 || s.Version != 3 {
		t.Errorf("taken back it says %+v, since %v", s.Brief, s.Since)
	}
	err = h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "Mill", Owner: lead, Answers: map[string]string{"headings": "many"}})
	var r *relay.Refusal
	if !errors.As(err, &r) || r.Field != "headings" {
		t.Errorf("refused with %v", err)
	}
}

func TestACopyBeginsWithItsOutlineAndAnEditionWithTheOldCopy(t *testing.T) {
	h := newHouse(t)
	h.asks(false)
	id := h.make("12-11")
	text, err := h.Planning.Newest(ctx, lead, id)
	h.must(err)
	if want := `[{"insert":"\n","attributes":{"advice":"Open on a person."}},{"insert":"How it works"},{"insert":"\n","attributes":{"header":2}},{"insert":"\n","attributes":{"advice":"Explain."}}]`; text.Text != want || text.Words != 3 {
		t.Errorf("it begins with %s, %d words", text.Text, text.Words)
	}
	h.must(h.Planning.EditBrief(ctx, lead, id, 0, planning.Brief{Title: "Mill", Owner: lead, WordsFrom: 3, WordsTo: 9, Brief: "The mill.", Answers: map[string]string{"angle": "It stops.", "audience": "Bakers"}}))
	h.must(h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief"}))
	old := `[{"insert":"Joan"},{"insert":"\n","attributes":{"header":3}},{"insert":"She opens the sluice.\n"}]`
	_, err = h.Copyroom.SaveCopy(ctx, writer, id, copyroom.OnNewest, []byte(old))
	h.must(err)

	for _, x := range []struct {
		edition            bool
		title, copy, angle string
		number             int
	}{
		{true, "Mill", old, "It stops.", 2},
		{false, "", `[{"insert":"Joan"},{"insert":"\n","attributes":{"header":3}},{"insert":"\n"}]`, "", 0},
	} {
		d, err := h.Planning.Again(ctx, lead, id, x.edition)
		h.must(err)
		if d.Title != x.title || d.Answers["angle"] != x.angle || d.Answers["audience"] != "Bakers" || d.WordsTo != 9 {
			t.Errorf("drafted %+v", d)
		}
		d.Title = "Again"
		again, err := h.Intake.Create(ctx, lead, d)
		h.must(err)
		p, c := h.piece(again), store.Copy{}
		if c, err = h.Planning.Newest(ctx, lead, again); err != nil || c.Text != x.copy {
			t.Errorf("the copy is %s, %v", c.Text, err)
		}
		if p.FromPiece != id || p.Edition != x.number {
			t.Errorf("of %d, edition %d", p.FromPiece, p.Edition)
		}
	}
	second, err := h.Planning.Again(ctx, lead, id+1, true)
	h.must(err)
	third, err := h.Intake.Create(ctx, lead, second)
	h.must(err)
	if p := h.piece(third); p.FromPiece != id || p.Edition != 3 {
		t.Errorf("the edition of an edition is of %d, number %d", p.FromPiece, p.Edition)
	}
	if kin, err := h.Planning.Kin(ctx, lead, id); err != nil || len(kin) != 3 {
		t.Errorf("%d of the same piece, %v", len(kin), err)
	}
	if kin, _ := h.Planning.Kin(ctx, lead, third); len(kin) != 2 {
		t.Errorf("%d of the same piece as the third edition", len(kin))
	}
	if c, err := h.Planning.Newest(ctx, lead, id); err != nil || c.Text != old {
		t.Errorf("the old piece has %s, %v", c.Text, err)
	}
}

// A piece like another runs the legs that one ran, with whom its route chooses.
func TestAnotherPieceInTheShapeOfOneRunsItsLegs(t *testing.T) {
	h := newHouse(t)
	b, err := h.Setup(ctx)
	h.must(err)
	way := route.Route{Legs: slices.Clone(b.Latest(1).Way.Legs)}
	way.Legs[2].Usual, way.Legs[4].Usual = route.MostRoom, route.LastInSeries
	_, err = h.Settings.SaveRoute(ctx, lead, 1, 1, way)
	h.must(err)
	id := h.make("")
	h.must(h.Planning.NeedLeg(ctx, lead, id, "welsh", 0))
	d, err := h.Planning.Again(ctx, lead, id, false)
	h.must(err)
	d.Title = "Another"
	again, err := h.Intake.Create(ctx, lead, d)
	h.must(err)
	if p := h.piece(again); p.Leg("welsh").State != relay.Waiting || p.Leg("pics").Holder == 0 {
		t.Errorf("welsh is %s, pictures are with %d", p.Leg("welsh").State, p.Leg("pics").Holder)
	}
}

func TestAGuideIsVersionedAndAWriterSeesThatItChanged(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-11")
	n, err := h.Settings.SaveGuide(ctx, lead, 1, 0, copy.FromPlain("One place, one person.").JSON(), id)
	h.must(err)
	if n != 1 {
		t.Fatalf("version %d", n)
	}
	h.must(h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief"}))
	if s := h.brief(writer, id); s.Guide == nil || s.Guide.Version != 1 || s.GuideThen != 1 || s.Example == nil {
		t.Fatalf("guide %+v, then %d", s.Guide, s.GuideThen)
	}
	h.now = h.now.Add(60 * time.Second)
	if _, err := h.Settings.SaveGuide(ctx, lead, 1, 0, copy.FromPlain("Another.").JSON(), 0); !refused(err, relay.ErrChanged) {
		t.Errorf("written over: %v", err)
	}
	_, err = h.Settings.SaveGuide(ctx, lead, 1, 1, copy.FromPlain("One place, one person, one question.").JSON(), 0)
	h.must(err)
	if s := h.brief(writer, id); s.Guide.Version != 2 || s.GuideThen != 1 {
		t.Errorf("guide %d, then %d", s.Guide.Version, s.GuideThen)
	}
	if n, err := h.Settings.SaveGuide(ctx, lead, 1, 2, copy.FromPlain("One place, one person, one question.").JSON(), 0); n != 2 || err != nil {
		t.Errorf("the same again is version %d, %v", n, err)
	}
	if _, err := h.Settings.SaveGuide(ctx, lead, 1, 2, copy.FromPlain(" ").JSON(), 0); !refused(err, relay.ErrInput) {
		t.Errorf("an empty guide: %v", err)
	}
}

// A freelancer who could take an open leg reads title, brief and guide, nothing else.
func TestWhoOnlyCouldTakeALegSeesNothingOfThePreparation(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-11")
	h.must(h.Planning.AddCandidate(ctx, lead, id, "title", "Twice a day", nil))
	h.must(h.Planning.Note(ctx, lead, id, 0, "The lease", "https://mill.example/lease", nil))
	h.must(h.Planning.AddCandidate(ctx, lead, id, "picture", "A mill", h.picture()))
	file := h.brief(lead, id).Files[0].ID
	h.must(h.Planning.GiveLeg(ctx, lead, id, "draft", 0, 0))
	s := h.brief(freelance, id)
	if s.Discuss || s.Edit || s.Candidates != nil || s.Findings != nil || s.Files != nil {
		t.Errorf("sees %+v", s)
	}
	if err := h.Planning.Note(ctx, freelance, id, 0, "Mine", "", nil); !refused(err, relay.ErrNotYours) {
		t.Errorf("notes: %v", err)
	}
	if _, err := h.Intake.File(ctx, freelance, file); !refused(err, relay.ErrNotYours) {
		t.Errorf("opens the file: %v", err)
	}
	h.must(h.Planning.TakeLeg(ctx, freelance, id, "draft"))
	h.must(h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief"}))
	if s := h.brief(freelance, id); !s.Discuss || len(s.Candidates) != 2 || len(s.Findings) != 1 {
		t.Errorf("who holds it sees %d candidates, %d findings", len(s.Candidates), len(s.Findings))
	}
	if f, err := h.Intake.File(ctx, freelance, file); err != nil || f.Type != "image/png" {
		t.Errorf("%s, %v", f.Type, err)
	}
	if _, err := h.Planning.BriefSheet(ctx, outside, id); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("an outside reviewer: %v", err)
	}
}

func TestResearchIsCommentedOnAndPutAwayByItsOwn(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-11")
	h.must(h.Planning.Note(ctx, writer, id, 0, "The lease", "", nil))
	note := h.brief(lead, id).Findings[0].ID
	h.must(h.Planning.Note(ctx, lead, id, note, "Quote it.", "", nil))
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE person_id = 3 AND kind = 'research'"); n != 1 {
		t.Errorf("told %d times", n)
	}
	if err := h.Planning.DropNote(ctx, pictures, id, note); !refused(err, relay.ErrNotYours) {
		t.Errorf("somebody else puts it away: %v", err)
	}
	h.must(h.Planning.DropNote(ctx, writer, id, note))
	if err := h.Planning.Note(ctx, lead, id, note, "Late", "", nil); !refused(err, relay.ErrNotNow) {
		t.Errorf("a comment on what is away: %v", err)
	}
	for _, link := range []string{"javascript:alert(1)", "lease", "//mill.example"} {
		if err := h.Planning.Note(ctx, lead, id, 0, "", link, nil); !refused(err, relay.ErrInput) {
			t.Errorf("%s: %v", link, err)
		}
	}
}

func (x *testHouse) picture() *copyroom.Upload {
	x.t.Helper()
	var b bytes.Buffer
	x.must(png.Encode(&b, image.NewGray(image.Rect(0, 0, 4, 3))))
	u, err := copyroom.ReadUpload("picture", `C:\mill\a "mill".png`, b.Bytes())
	x.must(err)
	if u.Name != "a mill.png" {
		x.t.Errorf("the name is %q", u.Name)
	}
	return u
}

func TestAFileThatIsNotWhatItsNameSaysIsRefused(t *testing.T) {
	head := "IHDR\x00\x00\xc3\x50\x00\x00\xc3\x50\x08\x02\x00\x00\x00"
	huge := binary.BigEndian.AppendUint32([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00\r"+head), crc32.ChecksumIEEE([]byte(head)))
	for _, x := range []struct {
		name string
		data []byte
		says string
	}{
		{"mill.png", []byte("<svg onload=alert(1)>"), "not what its name says"}, {"mill.svg", []byte("<svg/>"), "of a kind"}, {"mill", []byte("x"), "of a kind"},
		{"mill.txt", []byte("a\x00b"), "not what its name says"}, {"mill.csv", []byte("\xff\xfe1"), "not what its name says"}, {"mill.pdf", []byte("%PD"), "not what its name says"},
		{"mill.txt", nil, "is empty"}, {"mill.txt", make([]byte, copyroom.MaxFile+1), "larger than 10 MB"}, {"mill.png", huge, "50000 × 50000 points"}, {"mill.png", huge[:16], "cannot be read"},
		{"mill.docx", []byte("PK nothing"), "not what its name says"},
	} {
		_, err := copyroom.ReadUpload("f", x.name, x.data)
		var r *relay.Refusal
		if !errors.As(err, &r) || r.Field != "f" || !strings.Contains(r.Text, x.says) {
			t.Errorf("%s: %v, want %q", x.name, err, x.says)
		}
	}
	for name, data := range map[string]string{"a.md": "# Mühle", "b.csv": "a,b\n", "page.txt": "<b>only text</b>", "c.pdf": "%PDF-1.7\n"} {
		if _, err := copyroom.ReadUpload("f", name, []byte(data)); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// badWriter is a brief writer that says what no brief can have.
type badWriter struct{ err error }

func (w badWriter) WriteBrief(context.Context, newsroom.BriefAsk) (newsroom.BriefDraft, error) {
	return newsroom.BriefDraft{About: "About", Answers: map[string]string{"headings": "many", "angle": " Good. ", "unknown": "x"}, Outline: brief.Outline{{Heading: "A"}, {Advice: "no heading"}}}, w.err
}

func TestADraftedBriefIsOnlyADraft(t *testing.T) {
	h := newHouse(t)
	h.asks(false)
	id := h.make("12-11")
	h.must(h.Planning.Note(ctx, lead, id, 0, "Joan Arkell opened the sluice in 1987. It leaks a little.", "https://mill.example/lease", nil))
	before := h.everything()
	d, err := h.Intake.DraftBrief(ctx, lead, id)
	h.must(err)
	again, err := h.Intake.DraftBrief(ctx, lead, id)
	h.must(err)
	if d.Answers["musts"] != "Joan Arkell opened the sluice in 1987." || d.Answers["angle"] == "" || d.Answers["links"] != "" || !strings.Contains(d.Says, "1 note") {
		t.Errorf("drafted %+v", d)
	}
	if d.Says != again.Says || d.Answers["angle"] != again.Answers["angle"] || len(d.Outline) != 2 {
		t.Errorf("drafted again %+v", again)
	}
	if before != h.everything() {
		t.Error("drafting stored something")
	}
	if _, err := h.Intake.DraftBrief(ctx, writer, id); !refused(err, relay.ErrNotYours) {
		t.Errorf("somebody else drafts: %v", err)
	}
	h.Briefs = badWriter{}
	if d, err = h.Intake.DraftBrief(ctx, lead, id); err != nil || len(d.Answers) != 1 || d.Answers["angle"] != "Good." || d.Outline != nil {
		t.Errorf("what a brief cannot have is left out: %+v, %v", d, err)
	}
	h.Briefs = badWriter{errors.New("gone")}
	if _, err = h.Intake.DraftBrief(ctx, lead, id); !refused(err, relay.ErrNotNow) {
		t.Errorf("without an answer: %v", err)
	}
	h.must(h.Intake.BeginWith(ctx, lead, id, brief.Outline{{Heading: "Low water"}}))
	h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: "brief", Why: "it is Friday"}))
	if err := h.Intake.BeginWith(ctx, lead, id, brief.Outline{{Heading: "High water"}}); err != nil {
		t.Error(err)
	}
	_, err = h.Copyroom.SaveCopy(ctx, writer, id, copyroom.OnNewest, copy.FromPlain("Four words and more").JSON())
	h.must(err)
	if err := h.Intake.BeginWith(ctx, lead, id, brief.Outline{{Heading: "Too late"}}); !refused(err, relay.ErrNotNow) {
		t.Errorf("put over what is written: %v", err)
	}
}
