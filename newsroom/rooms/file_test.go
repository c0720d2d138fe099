package rooms_test

import (
	"bytes"
	"errors"
	"image"
	"image/png"
	"strings"
	"testing"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// upload makes a file of a kind as somebody sends it.
func (x *testHouse) upload(name string) *copyroom.Upload {
	x.t.Helper()
	data := []byte("%PDF-1.4 a contract")
	if strings.HasSuffix(name, ".png") {
		var b bytes.Buffer
		x.must(png.Encode(&b, image.NewGray(image.Rect(0, 0, 3, 2))))
		data = b.Bytes()
	}
	u, err := copyroom.ReadUpload("file", name, data)
	x.must(err)
	return u
}

// pictured makes a piece with a picture in its copy.
func (x *testHouse) pictured() (piece ref.Piece, picture ref.File) {
	x.t.Helper()
	piece = x.drafted("four words are here")
	picture, err := x.Copyroom.AddPicture(ctx, writer, piece, x.upload("mill.png"))
	x.must(err)
	_, seq := x.text(piece)
	x.edit(writer, piece, "pictures", 1, seq, copy.Change{{Embed: copy.PictureOf(picture)}})
	return piece, picture
}

// A copy holds only pictures of its own piece, whichever way they come into it, and files
// of another piece, or that are no pictures, are neither read nor published by naming them.
func TestACopyHoldsOnlyPicturesOfItsOwnPiece(t *testing.T) {
	x := newHouse(t)
	secret, foreign := x.pictured()
	x.must(x.Copyroom.Attach(ctx, lead, secret, 0, x.upload("contract.pdf"), false, ""))
	var contract ref.File
	x.must(x.DB.Get(ctx, &contract, "SELECT file_id FROM attachment_version"))
	mine, own := x.pictured()
	x.must(x.Copyroom.Attach(ctx, lead, mine, 0, x.upload("plan.pdf"), false, ""))
	var plan ref.File
	x.must(x.DB.Get(ctx, &plan, "SELECT MAX(file_id) FROM attachment_version JOIN attachment ON attachment.id = attachment_id WHERE piece_id = ?", mine))

	for name, file := range map[string]ref.File{"a picture of another piece": foreign, "a contract of another piece": contract, "a file that is no picture": plan, "nothing at all": 99} {
		names := copy.Change{{Embed: copy.PictureOf(file)}}
		was, seq := x.text(mine)
		_, err := x.Copyroom.EditCopy(ctx, writer, mine, copyroom.CopyEdit{Client: "a " + name, Turn: 1, Base: seq, Change: names})
		if !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "does not belong to this piece") {
			t.Errorf("an edit with %s: %v", name, err)
		}
		_, err = x.Copyroom.EditCopy(ctx, editor, mine, copyroom.CopyEdit{Client: "p " + name, Turn: 1, Base: seq, Change: was.Propose(names, "2.k")})
		if !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "does not belong to this piece") {
			t.Errorf("a proposal with %s: %v", name, err)
		}
		text, err := copy.Change(was).Compose(names)
		x.must(err)
		if _, err := x.Copyroom.SaveCopy(ctx, writer, mine, copyroom.OnNewest, text.JSON()); !refused(err, relay.ErrInput) {
			t.Errorf("a text with %s: %v", name, err)
		}
		if err := x.Copyroom.TakeIn(ctx, writer, mine, append(copy.FromPlain("brought in"), copy.Op{Embed: copy.PictureOf(file)}), false); !refused(err, relay.ErrInput) {
			t.Errorf("a file with %s: %v", name, err)
		}
		if _, err := x.Copyroom.Picture(ctx, lead, mine, file); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("%s is read as a picture of the piece: %v", name, err)
		}
	}
	if _, err := x.Copyroom.Picture(ctx, writer, mine, own); err != nil {
		t.Error(err)
	}
	for _, who := range []ref.Person{outside, stranger} {
		if _, err := x.Copyroom.Picture(ctx, who, mine, own); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("%d sees it: %v", who, err)
		}
	}

	// What stands in the data from before is not brought back, shown or published either.
	x.exec("UPDATE copy SET text = replace(text, ?, ?) WHERE piece_id = ?", `"picture":"`+itoa(own), `"picture":"`+itoa(foreign), mine)
	x.exec("UPDATE copy_edit SET change = replace(change, ?, ?) WHERE piece_id = ?", `"picture":"`+itoa(own), `"picture":"`+itoa(foreign), mine)
	x.Forget()
	_, seq := x.text(mine)
	x.must(x.Copyroom.BringBack(ctx, writer, mine, "e0", false))
	x.must(x.Copyroom.BringBack(ctx, writer, mine, copyroom.Which("e"+itoa(int64(seq))), false))
	if text, _ := x.text(mine); text.Find(foreign) >= 0 || !strings.Contains(text.Plain(), "four words") {
		t.Errorf("brought back is %s", text.JSON())
	}
}

// Another edition of a piece brings the pictures of its copy along, and nothing else of it.
func TestAnotherEditionHasItsPictures(t *testing.T) {
	x := newHouse(t)
	first, picture := x.pictured()
	x.must(x.Copyroom.Attach(ctx, lead, first, 0, x.upload("contract.pdf"), false, ""))
	d, err := x.Planning.Again(ctx, lead, first, true)
	x.must(err)
	second, err := x.Intake.Create(ctx, lead, d)
	x.must(err)
	if text, _ := x.text(second); text.Find(picture) < 0 {
		t.Fatalf("its copy is %s", text.JSON())
	}
	if _, err := x.Copyroom.Picture(ctx, lead, second, picture); err != nil {
		t.Error(err)
	}
	own, err := store.PicturesOf(ctx, x.DB, second)
	if err != nil || len(own) != 1 {
		t.Errorf("it may hold %v, %v", own, err)
	}
}

// A reviewer by private link gets the pictures of the copy, and no file besides, also when
// the copy names one; and looking at the review writes nothing.
func TestAReviewServesOnlyPicturesOfItsPieceAndWritesNothing(t *testing.T) {
	x, p := signing(t, route.Review{})
	picture, err := x.Copyroom.AddPicture(ctx, writer, p, x.upload("mill.png"))
	x.must(err)
	_, seq := x.text(p)
	x.edit(writer, p, "page", 1, seq, copy.Change{{Embed: copy.PictureOf(picture)}})
	other := x.make("12-16")
	foreign, err := x.Copyroom.AddPicture(ctx, lead, other, x.upload("weir.png"))
	x.must(err)
	x.invite(p, "Joan")
	x.pass(writer, p, "draft")
	k := x.linkTo("joan@out.example")

	reviewers := "SELECT * FROM reviewer"
	before, err := x.rows(reviewers)
	x.must(err)
	was := x.everything() + before
	r, err := x.Review.Review(ctx, k)
	x.must(err)
	after, err := x.rows(reviewers)
	x.must(err)
	if x.everything()+after != was {
		t.Error("looking at it wrote something")
	}
	if err := x.Review.Opened(ctx, k, r.Seq+5); !refused(err, relay.ErrInput) {
		t.Errorf("an edit that there is not: %v", err)
	}
	x.must(x.Review.Opened(ctx, k, r.Seq))
	if n := x.count("SELECT COUNT(*) FROM reviewer WHERE opened_at > 0 AND opened_seq = ?", r.Seq); n != 1 {
		t.Error("that it was opened is not noted")
	}
	if _, err := x.Review.ReviewPicture(ctx, k, picture); err != nil {
		t.Error(err)
	}
	x.exec("UPDATE copy SET text = replace(text, ?, ?) WHERE piece_id = ?", `"picture":"`+itoa(picture), `"picture":"`+itoa(foreign), p)
	x.exec("DELETE FROM copy_edit WHERE piece_id = ? AND seq > (SELECT MAX(seq) FROM copy WHERE piece_id = ?)", p, p)
	x.Forget()
	if _, err := x.Review.ReviewPicture(ctx, k, foreign); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("a picture of piece %d is served: %v", other, err)
	}
}

// A page that is up shows the pictures of its piece, and none that are of another.
func TestAPagePublishesOnlyPicturesOfItsPiece(t *testing.T) {
	x := newHouse(t)
	_, foreign := x.pictured()
	id := x.ready("11-25")
	x.exec("UPDATE copy SET text = ? WHERE piece_id = ?", `[{"insert":{"picture":"`+itoa(foreign)+`"}},{"insert":"\nfour words are enough\n"}]`, id)
	x.Forget()
	x.now = x.now.AddDate(0, 0, 2)
	x.must(x.Tick(ctx))
	var body string
	x.must(x.DB.Get(ctx, &body, "SELECT body FROM site_page WHERE piece_id = ?", id))
	if strings.Contains(body, "<img") || !strings.Contains(body, "four words") {
		t.Errorf("the page is %s", body)
	}
	if _, err := x.Copyroom.PagePicture(ctx, id, foreign); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("it is served: %v", err)
	}
	x.must(x.Copyroom.Attach(ctx, lead, id, 0, x.upload("lead.png"), true, "A mill"))
	var leads ref.File
	x.must(x.DB.Get(ctx, &leads, "SELECT file_id FROM attachment_version"))
	if _, err := x.Copyroom.PagePicture(ctx, id, leads); err != nil {
		t.Errorf("its lead picture: %v", err)
	}
}

// Files have numbers that nobody can guess from those they know.
func TestFilesHaveNumbersThatCannotBeGuessed(t *testing.T) {
	x := newHouse(t)
	id := x.drafted("one two three")
	seen := map[ref.File]bool{}
	for range 40 {
		f, err := x.Copyroom.AddPicture(ctx, writer, id, x.upload("mill.png"))
		x.must(err)
		if seen[f] || seen[f-1] || seen[f+1] || f < 1<<40 || f >= 1<<53 {
			t.Errorf("the file has the number %d", f)
		}
		seen[f] = true
	}
}
