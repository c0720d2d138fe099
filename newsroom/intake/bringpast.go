package intake

import (
	"errors"
	"fmt"
	"net/url"
	"path"
	"strings"

	"greenbaton/core/bring"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// past reads a row as a piece that went out before it was kept here.
func (r *reader) past(x *BringRow, row bring.Row) {
	if !r.named(x, row) {
		return
	}
	state := strings.ToLower(strings.TrimSpace(row["state"]))
	out, known := r.wentOut(state)
	if state != "" {
		r.states[state]++
	}
	if known && !out {
		x.is(RowBad, "It did not go out: its state is “%s”.", english.Cut(state, 60))
		return
	}
	d := planning.Past{Draft: x.draft, Address: strings.TrimSpace(row["address"]), Summary: strings.TrimSpace(row["summary"])}
	if row["day"] == "" {
		x.is(RowBad, "It says not when it went out.")
		return
	}
	if err := r.pastTime(&d, row); err != nil {
		x.is(RowBad, "%s", err.Error())
		return
	}
	if err := r.extras(&d.Draft, row); err != nil {
		x.is(RowBad, "%s", err.Error())
		return
	}
	if _, err := planning.PastMove(r.b, r.by, d, r.now); err != nil {
		x.is(RowBad, "%s", err.Error())
		return
	}
	says := []string{"went out " + english.Date(d.OutAt.Date(r.b.Zones[r.desk])) + fmt.Sprintf(" %d", d.OutAt.In(r.b.Zones[r.desk]).Year())}
	var unknown string
	if v := strings.TrimSpace(row["writer"]); v != "" {
		switch id, known := r.plan.People[strings.ToLower(v)]; {
		case r.person(&d.Writer, r.b.OnDesk(r.desk), func(p store.Person) []string { return []string{p.Name, p.Initials, p.Mail} })(v):
			says = append(says, "written by "+r.b.Name(d.Writer))
		case known && id == 0: // nobody who is here
			says = append(says, "written by "+english.Cut(v, 60)+", who is not here")
		default:
			unknown = v
		}
	}
	if x.text = row["copy"]; x.text != "" {
		says = append(says, english.Plural(len(strings.Fields(x.text)), "word"))
	}
	x.pastOf = d
	if r.kept(x, d) {
		return
	}
	if x.Says = english.UpperFirst(strings.Join(says, ", ")) + "."; !known {
		x.is(RowClash, "%s Nobody has said whether the state “%s” means that it went out.", x.Says, english.Cut(state, 60))
	} else if unknown != "" {
		x.is(RowClash, "%s Nobody here is called “%s”, so that it would come in without who wrote it.", x.Says, english.Cut(unknown, 60))
	}
}

// wentOut reports whether a state of elsewhere means that a piece went out, as somebody said or as it is
// called, and whether that is known.
func (r *reader) wentOut(state string) (out, known bool) {
	if out, known := r.plan.States[state]; known {
		return out, true
	}
	return bring.WentOut(state)
}

// pastTime reads when a piece went out: at the time of its row, otherwise at that of the channel's slot
// on the day.
func (r *reader) pastTime(d *planning.Past, row bring.Row) error {
	if at, ok := bring.Moment(row["day"]); ok { // a time with its offset, as feeds have it
		d.OutAt = at
		return nil
	}
	if err := r.time(&d.Draft, row); err != nil {
		return err
	}
	d.OutAt, d.GoesOut = d.GoesOut, 0
	return nil
}

// kept says of a piece that went out whether it is here already.
func (r *reader) kept(x *BringRow, d planning.Past) bool {
	key, zone := bring.Same(d.Title), r.b.Zones[r.desk]
	on := d.OutAt.Date(zone)
	same := fmt.Sprintf("%s %s", key, on)
	if d.Address != "" {
		same = d.Address
	}
	if line, ok := r.lines[same]; ok {
		x.is(RowSame, "It stands in row %d already.", line)
		return true
	}
	r.lines[same] = x.Line
	for _, e := range r.pieces[key] {
		if e.Stage == relay.Withdrawn {
			continue
		}
		if d.Address != "" && e.Address == d.Address || e.GoesOut.Date(zone) == on {
			x.is(RowSame, "It is here already, No. %d.", e.Number)
			return true
		}
	}
	return false
}

// bringPast keeps a row that went out, with its copy.
func bringPast(a *newsroom.Command, x *Bringing, r *BringRow) error {
	r.pastOf.Batch = x.ID
	id, err := planning.CreatePast(a, r.pastOf)
	if err != nil || r.text == "" {
		return err
	}
	if a.Newsroom.ReadCopy == nil {
		return errors.New("copies cannot be read here")
	}
	p := pastPictures{a: a, piece: id, files: x.Table.Files, stored: map[string]ref.File{}}
	text, err := a.Newsroom.ReadCopy(r.text, p.store)
	if p.failed != nil {
		return p.failed
	} else if err != nil {
		return newsroom.Invalid("copy", "Its copy cannot be read: %s.", err.Error())
	}
	row, err := store.Piece(a, a.Tx, id)
	if err != nil {
		return err
	}
	return copyroom.SetCopy(a, row, text, "")
}

// inArchive begins the addresses of pictures that came with a page.
const inArchive = "archive:"

// pastPictures are the pictures of a copy that came with it.
type pastPictures struct {
	a      *newsroom.Command
	piece  ref.Piece
	files  map[string][]byte
	stored map[string]ref.File
	failed error
}

// store stores the picture of an address, once for each; what is no picture is left out.
func (p *pastPictures) store(address string) (ref.File, bool) {
	at, ok := strings.CutPrefix(address, inArchive)
	at, err := url.PathUnescape(at)
	if !ok || err != nil || p.files[at] == nil || p.failed != nil {
		return 0, false
	}
	if id := p.stored[at]; id != 0 {
		return id, true
	}
	u, err := copyroom.ReadUpload("copy", path.Base(at), p.files[at])
	if err != nil || !strings.HasPrefix(u.Type, "image/") {
		return 0, false
	}
	id, err := copyroom.AddFile(p.a, *u, p.piece, 0)
	if err == nil {
		err = p.a.Tx.AddPicture(p.a, p.piece, id)
	}
	p.stored[at], p.failed = id, err
	return id, err == nil
}
