package release

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/english"
	"greenbaton/core/find"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/review"
	"greenbaton/store"
)

// Sheet is the release sheet of a piece, with what is missing before it can be scheduled.
type Sheet struct {
	release.Sheet
	Row      store.Row
	Asks     release.Asks
	Picture  store.Attachment   // the lead picture; without an id if there is none
	Sounds   []store.Attachment // the recordings among its files
	Text     copy.Text          // as readers get it
	Proposed int                // changes that are not decided on, and left out of that
	Lacks    []release.Lack
	Stops    []string // what else holds it: legs to be passed, a stale yes
	Near     []Near   // pieces that could go with it, the likeliest first
	Seal     string   // of what would go out
	MaySave  bool
	May      bool // whoever looks may schedule it
	stored   store.ReleaseSheet
}

// Near is a piece that could stand beside another.
type Near struct {
	ID    ref.Piece
	Title string
	Why   string // “alike, of one campaign”
	Out   bool
}

// AsksOf gives what a channel asks of sheets.
func AsksOf(b *newsroom.Setup, channel ref.Channel) release.Asks {
	var a release.Asks
	if json.Unmarshal([]byte(b.Channel(channel).Asks), &a) != nil { // it asks nothing
		return release.Asks{}
	}
	return a
}

// SheetFor gives the release sheet of a piece to those who work on it.
func (h Room) SheetFor(ctx context.Context, who ref.Person, piece ref.Piece) (Sheet, error) {
	row, err := h.See(ctx, who, piece, relay.ActPrepare)
	if err != nil {
		return Sheet{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Sheet{}, err
	}
	s, err := sheetOf(b, ctx, h.DB.View(), row)
	if err != nil {
		return s, err
	}
	w := b.Who(who, row.DeskID)
	s.MaySave = relay.May(relay.ActWrite, w, &row.Piece, nil, "") == nil && !row.Fixed()
	s.May = relay.May(relay.ActSchedule, w, &row.Piece, nil, "") == nil
	all, err := h.Pieces(ctx, h.Now())
	s.near(b, all)
	return s, err
}

// sheetOf reads the sheet of a piece and what it lacks.
func sheetOf(b *newsroom.Setup, ctx context.Context, r store.Reader, row store.Row) (Sheet, error) {
	s := Sheet{Row: row, Asks: AsksOf(b, row.ChannelID)}
	stored, err := store.SheetOf(ctx, r, row.ID)
	if err != nil {
		return s, err
	}
	s.stored = stored
	s.Title, s.Description, s.Slug, s.Tags = row.Title, row.Summary, row.Slug, row.TagList()
	var drafted []string
	for text, into := range map[string]any{stored.Related: &s.Related, stored.Next: &s.Next, stored.Fields: &s.Fields, stored.Drafted: &drafted} {
		if err := json.Unmarshal([]byte(text), into); err != nil && text != "" {
			return s, fmt.Errorf("the release sheet of piece %d: %w", row.ID, err)
		}
	}
	s.Drafted = map[string]bool{}
	for _, part := range drafted {
		s.Drafted[part] = true
	}
	files, err := store.Attachments(ctx, r, row.ID)
	if err != nil {
		return s, err
	}
	if i := slices.IndexFunc(files, func(x store.Attachment) bool { return x.Lead }); i >= 0 {
		s.Picture = files[i]
		s.Lead, s.Alt = true, files[i].Alt
	}
	s.Sounds = sounds(files)
	_, text, _, err := newsroom.Newest(ctx, r, &row)
	if err != nil {
		return s, err
	}
	s.Text, s.Proposed, s.Lacks = text.Clean(), len(text.Proposals()), s.Asks.Lacks(s.Sheet)
	if row.Slug != "" {
		other, err := store.SlugOut(ctx, r, row.ChannelID, row.Slug, &row.Piece)
		if err != nil {
			return s, err
		}
		if other != 0 {
			s.Lacks = append(s.Lacks, release.Lack{Part: "slug", Text: "another piece has its address on " + b.Channel(row.ChannelID).Name})
		}
	}
	if row.Ready() {
		s.Stops, err = review.Stops(b, ctx, r, &row, text)
	} else {
		for i := range row.Legs {
			if l := &row.Legs[i]; !l.Done() {
				s.Stops = append(s.Stops, l.Name+" is to be passed")
			}
		}
	}
	s.Seal = s.seal()
	return s, err
}

// seal is a fingerprint of what would go out.
func (s *Sheet) seal() string {
	words, err := json.Marshal([]any{s.Title, s.Description, s.Row.Slug, s.Row.ChannelID, s.Tags, s.Picture.FileID, s.Alt, s.Related, s.Next, s.Fields, s.Stops})
	if err != nil { // plain values always encode
		return ""
	}
	sum := sha256.Sum256(append(words, s.Text.JSON()...))
	return hex.EncodeToString(sum[:8])
}

// Complete reports whether nothing is missing before it can be scheduled.
func (s *Sheet) Complete() bool { return len(s.Lacks) == 0 && len(s.Stops) == 0 }

// Says gives what is missing, as it goes on after "It waits: ".
func (s *Sheet) Says() []string { return append(slices.Clone(s.Stops), release.Texts(s.Lacks)...) }

// mostNear is how many pieces are offered to go with one.
const mostNear = 8

// near finds the pieces that could go with one: those that share tags, topic, campaign or words
// of the title, and are out or on their way to it on the same desk.
func (s *Sheet) near(b *newsroom.Setup, all []*newsroom.Entry) {
	p := &s.Row.Piece
	words := find.Words(strings.ToLower(p.Title))
	type scored struct {
		Near
		score int
		at    int64
	}
	var list []scored
	for _, e := range all {
		if e.ID == p.ID || e.DeskID != p.DeskID || e.Stage == relay.Withdrawn || e.FromPiece == p.ID && e.Edition > 0 {
			continue
		}
		x := scored{Near: Near{ID: e.ID, Title: e.Title, Out: e.Stage == relay.Out}, at: int64(max(e.OutAt, e.GoesOut))}
		var why []string
		if n := shared(p.TagList(), e.TagList()); n > 0 {
			x.score, why = x.score+4*n, append(why, "shares "+english.Plural(n, "tag"))
		}
		if n := alike(words, find.Words(e.Low)); n > 0 {
			x.score, why = x.score+3*n, append(why, "a title like it")
		}
		if p.CampaignID != 0 && e.CampaignID == p.CampaignID {
			x.score, why = x.score+3, append(why, "of one campaign")
		}
		if p.TopicID != 0 && e.TopicID == p.TopicID {
			x.score, why = x.score+1, append(why, "on one topic")
		}
		chosen := slices.Contains(s.Related, e.ID) || slices.Contains(s.Next, e.ID)
		if x.score < 3 && !chosen {
			continue
		}
		if chosen {
			x.score += 1000
		}
		if x.Why = english.And(why); !x.Out {
			x.Why = strings.TrimSpace(strings.TrimPrefix(x.Why+", not out yet", ", "))
		}
		list = append(list, x)
	}
	slices.SortStableFunc(list, func(x, y scored) int { return cmp.Or(y.score-x.score, cmp.Compare(y.at, x.at)) })
	for _, x := range list {
		if len(s.Near) < mostNear || x.score >= 1000 {
			s.Near = append(s.Near, x.Near)
		}
	}
}

func shared(x, y []string) int {
	n := 0
	for _, a := range x {
		if slices.ContainsFunc(y, func(b string) bool { return strings.EqualFold(a, b) }) {
			n++
		}
	}
	return n
}

// alike counts the words of some length that two titles share.
func alike(x, y []string) int {
	n := 0
	for _, w := range x {
		if len([]rune(w)) > 3 && slices.Contains(y, w) {
			n++
		}
	}
	return n
}

// Typed is a release sheet as somebody sends it.
type Typed struct {
	Title, Description, Slug, Tags, Alt string
	Related, Next                       []ref.Piece
	Fields                              map[string]string
	Keep                                []string // parts that were drafted and are kept now
}

// SaveSheet stores the release sheet of a piece. What somebody changes of what was drafted is
// theirs, and kept with it.
func (h Room) SaveSheet(ctx context.Context, by ref.Person, piece ref.Piece, version int, t Typed) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActWrite, Piece: piece, Version: version})
		if err != nil {
			return err
		}
		s, err := sheetOf(a.Setup, a, a.Tx, was)
		if err != nil {
			return err
		}
		is := was.Piece
		is.Title, is.Summary = strings.TrimSpace(t.Title), strings.TrimSpace(t.Description)
		if is.Slug, err = release.ReadSlug(t.Slug); err != nil {
			return err
		}
		if is.Tags, err = relay.ReadTags(t.Tags); err != nil {
			return err
		}
		if is.Slug != "" {
			other, err := store.SlugTaken(a, a.Tx, is.ChannelID, is.Slug, &is)
			if err != nil {
				return err
			}
			if other != 0 {
				return newsroom.Invalid("slug", "Another piece has this address on %s. Choose another.", a.Setup.Channel(is.ChannelID).Name)
			}
		}
		if err := alt(a, s.Picture, t.Alt); err != nil {
			return err
		}
		if err := s.keep(a, t, is.Summary != was.Summary); err != nil {
			return err
		}
		return planning.SaveFacts(a, was.Piece, is, "the release sheet")
	})
}

// alt stores in words what the lead picture shows.
func alt(a *newsroom.Command, x store.Attachment, says string) error {
	says = strings.TrimSpace(says)
	switch {
	case x.ID == 0 || says == x.Alt:
		return nil
	case len([]rune(says)) > 300:
		return newsroom.Invalid("alt", "Say in up to 300 characters what the picture shows.")
	}
	x.Alt = says
	return a.Tx.SaveAttachment(a, x)
}

// keep stores what the piece itself does not have.
func (s *Sheet) keep(a *newsroom.Command, t Typed, changed bool) error {
	for _, pieces := range [][]ref.Piece{t.Related, t.Next} {
		if len(pieces) > release.MaxPieces {
			return newsroom.Invalid("related", "Choose up to %d pieces.", release.MaxPieces)
		}
		for _, id := range pieces {
			row, err := store.Piece(a, a.Tx, id)
			if err != nil || id == s.Row.ID || relay.May(relay.ActSee, a.Who(row.DeskID), &row.Piece, nil, "") != nil {
				return newsroom.Invalid("related", "One of the pieces is not there, or is this piece itself. Choose among those that are shown.")
			}
		}
	}
	fields := map[string]string{}
	for _, f := range slices.Concat(s.Asks.Fields, release.Announcements) {
		v := strings.TrimSpace(strings.ReplaceAll(t.Fields[f.Key], "\r\n", "\n"))
		if len([]rune(v)) > release.MaxText {
			return newsroom.Invalid("field-"+f.Key, "Keep “%s” under %s characters.", f.Name, english.Number(release.MaxText))
		}
		if f.Kind == release.Chapters {
			if _, err := release.ReadChapters(v); err != nil {
				return err
			}
		}
		if v != "" {
			fields[f.Key] = v
		}
	}
	var drafted []string
	for part := range s.Drafted {
		same := part == description && !changed || part != description && fields[part] == s.Fields[part]
		if same && !slices.Contains(t.Keep, part) {
			drafted = append(drafted, part)
		}
	}
	slices.Sort(drafted)
	row := s.stored
	row.Related, row.Next, row.Fields, row.Drafted = encoded(t.Related, "[]"), encoded(t.Next, "[]"), encoded(fields, "{}"), encoded(drafted, "[]")
	if row == s.stored {
		return nil
	}
	if err := a.Tx.SaveSheet(a, row); err != nil {
		return err
	}
	return a.Log(store.Entry{DeskID: s.Row.DeskID, PieceID: s.Row.ID, Act: "edited", What: "filled in the release sheet", Version: s.Row.Version})
}

// encoded writes plain values, or what stands for none of them.
func encoded(v any, none string) string {
	text, err := json.Marshal(v)
	if err != nil || string(text) == "null" {
		return none
	}
	return string(text)
}

// SaveAsks stores what a channel asks of release sheets, for a lead of its desk.
func (h Room) SaveAsks(ctx context.Context, by ref.Person, channel ref.Channel, asks release.Asks) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	err = h.SetUpAct(ctx, by, b.Channel(channel).DeskID, func(a *newsroom.Command) error {
		c := a.Setup.Channel(channel)
		if c.ID == 0 {
			return newsroom.ErrNotFound
		}
		asks, err := asks.Check()
		if err != nil {
			return err
		}
		was := c.Asks
		if c.Asks = encoded(asks, "{}"); c.Asks == was {
			return nil
		}
		if err := a.Tx.SaveAsks(a, c); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: c.DeskID, Act: "set up", What: "changed what " + c.Name + " asks of release sheets", Before: was, After: c.Asks})
	})
	if err != nil {
		return err
	}
	return h.resettle(ctx, channel)
}
