package release

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// DeliverHere brings up what is due on the site that ships with the program, and takes down what
// is not to be there any more.
func (h Room) DeliverHere(ctx context.Context) error {
	h.Paging.Lock()
	defer h.Paging.Unlock()
	return h.deliverAll(ctx, true)
}

// Deliver does the same everywhere else. What fails is noted and tried again later, with growing
// pauses, until it is given up; it may be done twice after a crash, under the same key, but is
// never lost.
func (h Room) Deliver(ctx context.Context) error {
	h.Carrying.Lock()
	defer h.Carrying.Unlock()
	return h.deliverAll(ctx, false)
}

func (h Room) deliverAll(ctx context.Context, here bool) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	due, err := store.DueDeliveries(ctx, h.DB.View(), h.Now())
	if err != nil {
		return err
	}
	down := map[ref.Channel]bool{} // do not take anything just now, and would keep the others waiting
	for _, d := range due {
		if b.Outlets[d.ChannelID].Here() != here || down[d.ChannelID] {
			continue
		}
		done, err := h.deliver(ctx, b, d.ID)
		if err != nil {
			return err
		}
		down[d.ChannelID] = !done && !here
	}
	return nil
}

// deliver brings one piece to one place, or takes it down there, and reports whether that was
// done, or had not to be.
func (h Room) deliver(ctx context.Context, b *newsroom.Setup, id ref.Delivery) (done bool, err error) {
	d, err := store.DeliveryByID(ctx, h.DB.View(), id)
	if errors.Is(err, store.ErrNone) {
		return true, nil
	} else if err != nil {
		return false, err
	}
	now := h.Now()
	if d.Wants == d.Has || d.Wants != 0 && d.At > now { // done with another, or changed meanwhile
		return true, nil
	}
	if held, err := h.heldForLetter(ctx, b, &d); err != nil || held {
		return held, err
	}
	var p *newsroom.Parcel
	if err := newsroom.Guarded(func() (err error) { p, err = h.parcelOf(ctx, b, &d); return err }); err != nil {
		return false, h.failed(ctx, &d, err)
	}
	trying := d.Wants
	if trying == 0 {
		trying = store.Down
	}
	if err := h.DB.Write(ctx, func(t *store.Tx) error { return t.DeliveryTried(ctx, id, trying) }); err != nil {
		return false, err
	}
	if err := h.Step("noted what is tried"); err != nil {
		return false, err
	}
	address := ""
	err = newsroom.Guarded(func() (err error) {
		switch carrier := h.Carriers[p.Outlet.Kind]; {
		case carrier == nil:
			return fmt.Errorf("nothing is there that brings pieces to a channel of the kind %s", p.Outlet.Kind)
		case d.Wants == 0:
			return h.take(ctx, &d, p)
		default:
			if address, err = carrier.Put(ctx, p); err != nil {
				return err
			}
			return h.leave(ctx, &d, p, address)
		}
	})
	if err != nil {
		return false, h.failed(ctx, &d, err)
	}
	if err := h.Step("brought it there"); err != nil {
		return false, err
	}
	if d.Has, d.Address, d.Kind = d.Wants, address, p.Outlet.Kind; d.Has == 0 {
		d.Since, p.Media = 0, map[string]string{}
	} else if d.Since == 0 {
		if d.Since = now; p.Outlet.Here() { // where it is there in the moment in which it goes out
			d.Since = d.At
		}
	}
	media, err := json.Marshal(p.Media)
	if err != nil {
		return false, fmt.Errorf("note where pictures are: %w", err)
	}
	d.Media = string(media)
	if err := h.settled(ctx, d); err != nil {
		return false, err
	}
	return true, h.Step("noted that it is there")
}

// sameWay reports whether a page that is there got there in the way in which it would now.
func sameWay(d *store.Delivery, o release.Outlet) bool {
	return d.Has == 0 || d.Kind == o.Kind || release.Outlet{Kind: d.Kind}.Here() && o.Here()
}

// take takes a page down in the way in which it got there.
func (h Room) take(ctx context.Context, d *store.Delivery, p *newsroom.Parcel) error {
	switch {
	case d.Kind == release.Letter && d.Address == "": // a line of a letter, which was mailed
		return nil
	case sameWay(d, p.Outlet):
		return h.Carriers[p.Outlet.Kind].Take(ctx, p)
	case release.Outlet{Kind: d.Kind}.Here():
		p.Address = d.Address
		return h.Carriers[release.Site].Take(ctx, p)
	}
	return h.tell(ctx, d, "It is to be taken down at %s, where it got in a way that the channel no longer uses: do that by hand. It is at "+d.Address+".")
}

// leave leads readers from where a page was on the shipped site to where it is now, if its
// channel has another outlet since.
func (h Room) leave(ctx context.Context, d *store.Delivery, p *newsroom.Parcel, address string) error {
	slug, ok := strings.CutPrefix(d.Address, "/site/"+p.Channel+"/")
	if sameWay(d, p.Outlet) || !ok {
		return nil
	}
	return h.DB.Write(ctx, func(t *store.Tx) error { return t.WithdrawSitePage(ctx, p.Channel, slug, address, p.Now) })
}

// settled notes what is at a place now. The address of its channel is that of the piece.
func (h Room) settled(ctx context.Context, d store.Delivery) error {
	row, err := store.Piece(ctx, h.DB.View(), d.PieceID)
	if err != nil {
		return err
	}
	if d.Part != store.MainPlace || row.Address == d.Address || row.ChannelID != d.ChannelID {
		if err := h.DB.Write(ctx, func(t *store.Tx) error { return t.DeliveryDone(ctx, d) }); err != nil {
			return err
		}
		h.Events.Send(newsroom.Event{Kind: newsroom.Changed, Pieces: []ref.Piece{row.ID}, Desks: []ref.Desk{row.DeskID}})
		return nil
	}
	return h.Do(ctx, 0, func(a *newsroom.Command) error {
		if err := a.Tx.DeliveryDone(a, d); err != nil {
			return err
		}
		row, err := store.Piece(a, a.Tx, d.PieceID)
		if err != nil {
			return err
		}
		is := row.Piece
		if is.Address = d.Address; is.Stage == relay.Out && !strings.HasPrefix(d.Address, "/") && d.Address != "" {
			if err := a.Log(store.Entry{DeskID: is.DeskID, PieceID: is.ID, Act: "delivered", What: "is at " + d.Address, Version: is.Version}); err != nil {
				return err
			}
		}
		return a.Save(row.Piece, is)
	})
}

// tellAfter is after how many tries it is told that something does not get there.
const tellAfter = 3

// failed notes why something did not get there, and tells whoever owns the piece, and the leads,
// when it goes on and when it is given up.
func (h Room) failed(ctx context.Context, d *store.Delivery, problem error) error {
	if ctx.Err() != nil || errors.Is(problem, newsroom.ErrStopped) {
		return problem
	}
	h.Log.Warn("not delivered", "piece", d.PieceID, "channel", d.ChannelID, "try", d.Tries+1, "problem", problem)
	if err := h.DB.Write(ctx, func(t *store.Tx) error {
		return t.DeliveryFailed(ctx, d.ID, problem.Error(), h.Now()+newsroom.Pause(d.Tries))
	}); err != nil {
		return err
	}
	if d.Tries++; d.Tries != tellAfter && d.Tries != store.MostTries {
		return nil
	}
	says, again := "does not get to", "It is tried again by itself, with growing pauses."
	if d.Wants == 0 {
		says = "cannot be taken down at"
	}
	if d.Tries == store.MostTries {
		again = fmt.Sprintf("It was tried %d times, and is tried again when somebody says so.", d.Tries)
	}
	return h.tell(ctx, d, "It "+says+" %s: "+problem.Error()+". "+again)
}

// tell tells whoever owns a piece, and the leads, of a place; says has room for its name.
func (h Room) tell(ctx context.Context, d *store.Delivery, says string) error {
	return h.Do(ctx, 0, func(a *newsroom.Command) error {
		row, err := store.Piece(a, a.Tx, d.PieceID)
		if err != nil {
			return err
		}
		told := map[ref.Person]bool{row.Owner: true}
		for _, id := range a.Setup.Leads(row.DeskID) {
			told[id] = true
		}
		for _, who := range slices.Sorted(maps.Keys(told)) {
			n := newsroom.NoteTo(who, "undelivered", strings.Replace(says, "%s", a.Setup.Channel(d.ChannelID).Name, 1), "", true)
			n.Link = planning.SheetLink(row.ID) + "#where"
			if err := a.Send(&row.Piece, n); err != nil {
				return err
			}
		}
		return nil
	})
}

// heldForLetter reports whether a line waits for the letter of its day, which is still to go out.
func (h Room) heldForLetter(ctx context.Context, b *newsroom.Setup, d *store.Delivery) (bool, error) {
	if d.Part != store.AlsoPlace || d.Wants == 0 || b.Outlets[d.ChannelID].Kind != release.Letter {
		return false, nil
	}
	zone := b.Zones[b.Channel(d.ChannelID).DeskID]
	date := d.At.Date(zone)
	if h.Now().Date(zone) > date {
		return false, nil
	}
	n, err := store.LettersOn(ctx, h.DB.View(), d.ChannelID, day.Wall(date, 0, zone), day.Wall(date+1, 0, zone))
	return n > 0, err
}

// parcelOf makes the parcel of a delivery.
func (h Room) parcelOf(ctx context.Context, b *newsroom.Setup, d *store.Delivery) (*newsroom.Parcel, error) {
	row, err := store.Piece(ctx, h.DB.View(), d.PieceID)
	if err != nil {
		return nil, err
	}
	p := h.newParcel(b, d.ChannelID, d.PieceID)
	p.Address, p.Maybe = d.Address, d.Trying != 0
	if err := json.Unmarshal([]byte(d.Media), &p.Media); err != nil {
		return nil, fmt.Errorf("where its pictures are: %w", err)
	}
	if !sameWay(d, p.Outlet) {
		p.Address, p.Media = "", map[string]string{}
	}
	id := d.Wants
	if id == 0 {
		id = d.Has
	}
	printing, err := store.PrintingByID(ctx, h.DB.View(), id)
	if err != nil {
		return nil, fmt.Errorf("what is to go there: %w", err)
	}
	p.Key = fmt.Sprintf("piece-%d-channel-%d-printing-%d", d.PieceID, d.ChannelID, id)
	if d.Wants == 0 {
		p.Key += "-down"
	}
	if p.Page, err = h.pageOf(ctx, b, row, printing); err != nil {
		return nil, err
	}
	if d.Part == store.AlsoPlace && d.Line != "" {
		p.Page.Summary = d.Line
	}
	zone := b.Zones[row.DeskID]
	if p.Page.First = row.OutAt.In(zone); d.Since != 0 {
		p.Page.First = d.Since.In(zone)
	}
	if d.Wants == 0 {
		p.Page.At = h.Now().In(zone)
	}
	if p.Page.At.Before(p.Page.First) {
		p.Page.At = p.Page.First
	}
	if p.Outlet.Kind == release.Letter && d.Wants != 0 {
		return p, h.letter(ctx, b, d, p)
	}
	return p, nil
}

func (h Room) newParcel(b *newsroom.Setup, channel ref.Channel, piece ref.Piece) *newsroom.Parcel {
	c := b.Channel(channel)
	return &newsroom.Parcel{
		Outlet: b.Outlets[channel], Channel: c.Slug, To: channel, House: b.Desk(c.DeskID).Name, Base: strings.TrimRight(h.Base, "/"), Now: h.Now(), Media: map[string]string{},
		Open: func(ctx context.Context, file ref.File) (store.File, error) { return h.fileOf(ctx, piece, file) },
	}
}

// fileOf reads a picture or a recording of a piece; newsroom.ErrNotFound if it is not there any more.
func (h Room) fileOf(ctx context.Context, piece ref.Piece, file ref.File) (store.File, error) {
	view := h.DB.View()
	f, err := store.PictureOf(ctx, view, piece, file)
	if errors.Is(err, store.ErrNone) {
		f, err = store.AttachedPicture(ctx, view, piece, file)
	}
	if errors.Is(err, store.ErrNone) {
		f, err = store.Recording(ctx, view, piece, file)
	}
	if errors.Is(err, store.ErrNone) {
		err = newsroom.ErrNotFound
	}
	return f, err
}

// pageOf gives a printing as a page.
func (h Room) pageOf(ctx context.Context, b *newsroom.Setup, row store.Row, printing store.Printing) (newsroom.Page, error) {
	view := h.DB.View()
	var x printed
	var err error
	if printing.Says == "" {
		x, err = printedOf(b, ctx, view, row)
	} else {
		x, err = readPrinted(printing)
	}
	if err != nil {
		return newsroom.Page{}, err
	}
	text, err := copy.Parse(x.Copy)
	if err != nil {
		return newsroom.Page{}, fmt.Errorf("the copy of what goes there: %w", err)
	}
	p := newsroom.Page{
		Slug: x.Slug, Number: row.Number, Piece: row.ID, Title: x.Title, Summary: x.Summary, Author: x.Author, Copy: text, Lead: x.Lead, LeadAlt: x.LeadAlt, Tags: x.Tags,
		Chapters: x.Chapters, Sound: x.Sound, Note: printing.Note, At: printing.At.In(b.Zones[row.DeskID]),
	}
	for _, f := range x.Fields {
		p.Fields = append(p.Fields, newsroom.Said{Name: f.Name, Text: f.Text})
	}
	if p.Related, err = h.linked(ctx, b, x.Related); err != nil {
		return p, err
	}
	p.Next, err = h.linked(ctx, b, x.Next)
	return p, err
}

// linked gives where pieces are, of those that are out.
func (h Room) linked(ctx context.Context, b *newsroom.Setup, ids []ref.Piece) ([]newsroom.Linked, error) {
	var out []newsroom.Linked
	rows, err := store.PiecesByID(ctx, h.DB.View(), ids)
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		if row := rows[id]; row.Stage == relay.Out {
			if at := newsroom.AddressOf(b, h.Base, &row.Piece); at != "" {
				out = append(out, newsroom.Linked{Title: row.Title, Address: at})
			}
		}
	}
	return out, nil
}

// letter makes a parcel a letter: with what it says of other pieces at its end, or of nothing
// else, where the piece goes there beside its own channel.
func (h Room) letter(ctx context.Context, b *newsroom.Setup, d *store.Delivery, p *newsroom.Parcel) error {
	lines, err := store.LinesFor(ctx, h.DB.View(), d.ChannelID, p.Now)
	if err != nil {
		return err
	}
	p.Key, p.Sent = fmt.Sprintf("letter-%d-piece-%d", d.ChannelID, d.PieceID), d.Has != 0
	if d.Part == store.AlsoPlace {
		p.Key, p.Page = fmt.Sprintf("letter-%d-lines-%d-%d", d.ChannelID, d.At, d.ID), newsroom.Page{Piece: d.PieceID, First: p.Page.First, At: p.Page.At}
	}
	if p.Sent { // a correction is not mailed, and takes nothing along
		return nil
	}
	for _, l := range lines {
		row, err := store.Piece(ctx, h.DB.View(), l.PieceID)
		if err != nil {
			return err
		}
		x := newsroom.Line{Title: row.Title, Text: l.Line, Address: newsroom.AddressOf(b, h.Base, &row.Piece), Delivery: l}
		if x.Text == "" {
			x.Text = row.Summary
		}
		p.Lines = append(p.Lines, x)
	}
	return nil
}

// DeliverAgain tries at once what did not get there, for who may send the piece out.
func (h Room) DeliverAgain(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Delivery) error {
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		d, err := h.placeOf(a, piece, id)
		if err != nil {
			return err
		}
		if d.Wants == d.Has {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "It is there already."}
		}
		return a.Tx.DeliverAgain(a, id)
	})
	if err != nil {
		return err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	if d, err := store.DeliveryByID(ctx, h.DB.View(), id); err == nil && b.Outlets[d.ChannelID].Here() {
		return h.DeliverHere(ctx)
	}
	return h.Deliver(ctx)
}

// placeOf reads a place of a piece, for who may send that out.
func (h Room) placeOf(a *newsroom.Command, piece ref.Piece, id ref.Delivery) (store.Delivery, error) {
	row, err := a.Load(newsroom.Order{Act: relay.ActRelease, Piece: piece})
	if err != nil {
		return store.Delivery{}, err
	}
	d, err := store.DeliveryByID(a, a.Tx, id)
	if errors.Is(err, store.ErrNone) || err == nil && d.PieceID != row.ID {
		return d, newsroom.ErrNotFound
	}
	return d, err
}
