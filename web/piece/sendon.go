package piece

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

// sendOnView is what sending a piece on to another format would come to.
type sendOnView struct {
	Row           store.Row
	Kind          string
	Desks         []sendOnDesk
	Format        ref.Format
	To, Act       string
	Says          []kit.Sentence
	Was, Is       string
	WasTone, Tone string
	Before, After draw.Strip
	Problem       string
	Field         string
}

// sendOnDesk is a desk with its formats.
type sendOnDesk struct {
	Name    string
	Formats []kit.Option
}

// askSendOn asks to which format a piece is to be sent on, and says what would follow.
func (s *Section) askSendOn(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	return s.showSendOn(c, http.StatusOK, id, kit.Int[ref.Format](c.QueryParams(), "format"), nil)
}

func (s *Section) showSendOn(c *echo.Context, status int, id ref.Piece, format ref.Format, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	formats, row, err := s.Planning.SendOnFormats(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := sendOnView{Row: row, Kind: b.Desk(row.DeskID).Name + ", " + b.Format(row.FormatID).Name, Format: format}
	for _, f := range formats {
		d := b.Desk(f.DeskID).Name
		if n := len(v.Desks); n == 0 || v.Desks[n-1].Name != d {
			v.Desks = append(v.Desks, sendOnDesk{Name: d})
		}
		v.Desks[len(v.Desks)-1].Formats = append(v.Desks[len(v.Desks)-1].Formats, kit.Option{Value: fmt.Sprint(f.ID), Name: f.Name})
	}
	if format != 0 {
		x, err := s.Planning.PreviewSendOn(ctx, kit.Me(c).ID, id, format)
		switch r := kit.RefusalIn(err); {
		case r != nil && refusal == nil:
			status, refusal = kit.StatusOf(r), r
		case r == nil && err != nil:
			return err
		case err == nil:
			v.follows(b, x)
		}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "sendon", "Send on “"+row.Title+"”", v)
}

// follows says what sending on comes to.
func (v *sendOnView) follows(b *newsroom.Setup, x planning.SentOn) {
	before, after := kit.StandingBy(&x.Row.Piece, x.Before), kit.StandingBy(&x.After, x.Then)
	elsewhere := x.Row.DeskID != x.To.DeskID
	v.To, v.Act = "It would become a "+english.LowerFirst(x.To.Name), "Make it a "+english.LowerFirst(x.To.Name)
	if elsewhere {
		to := b.Desk(x.To.DeskID).Name + ", as a " + english.LowerFirst(x.To.Name)
		v.To, v.Act = "It would go to "+to, "Send it on to "+to
	}
	v.Was, v.Is, v.WasTone, v.Tone = newsroom.SayPace(before.Standing), newsroom.SayPace(after.Standing), kit.Tone(before.Standing), kit.Tone(after.Standing)
	v.Before, v.After = draw.NewStrip(b, before, draw.NarrowStrip), draw.NewStrip(b, after, draw.NarrowStrip)
	say := func(tone, format string, args ...any) {
		v.Says = append(v.Says, kit.Sentence{Text: fmt.Sprintf(format, args...), Tone: tone})
	}
	if elsewhere {
		say("plain", "It leaves %s; %s has it from then on, and it goes out on %s.", b.Desk(x.Row.DeskID).Name, b.Desk(x.To.DeskID).Name, b.Channel(x.After.ChannelID).Name)
	}
	if seen := b.SeenAtOnce(x.After.ChannelID); seen != "" && b.Channel(x.After.ChannelID).PartnerID != b.Channel(x.Row.ChannelID).PartnerID {
		say("noroom", "%s", seen)
	}
	if x.Row.GoesOut != 0 && x.After.GoesOut == 0 {
		say("short", "It loses its day, %s, and needs another there.", b.At(x.Row.GoesOut, x.Row.DeskID))
	}
	if x.NewOwner != 0 {
		say("plain", "%s owns it instead of %s.", b.Person(x.NewOwner).Name, b.Name(x.Row.Owner))
	}
	for _, y := range []struct {
		tone, says string
		names      []string
	}{{"plain", "It will also run ", x.Added}, {"plain", "It is past ", x.Past}, {"plain", "It no longer runs ", x.Gone}, {"noroom", "Nobody will have ", x.Open}} {
		if len(y.names) > 0 {
			say(y.tone, "%s.", y.says+english.And(y.names))
		}
	}
	for i := range x.After.Legs {
		l := &x.After.Legs[i]
		if was := x.Row.Leg(l.Key); l.State == relay.Running && (was == nil || was.State != relay.Running) {
			say("plain", "%s begins at once, %s.", l.Name, map[bool]string{true: "and nobody has it", false: "with " + b.Name(l.Holder)}[l.Holder == 0])
		}
	}
	if topic := b.Topic(x.Row.TopicID).Name; elsewhere && topic != "" {
		say("plain", "It loses its topic, %s.", topic)
	}
	if campaign := b.Campaign(x.Row.CampaignID).Name; elsewhere && campaign != "" {
		say("noroom", "It leaves the campaign %s.", campaign)
	}
	if x.Leaves {
		say("short", "You are not of that desk: you will not see it any more.")
	}
}

// sendOn sends a piece on to another format.
func (s *Section) sendOn(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx, format := c.Request().Context(), kit.Int[ref.Format](form, "format")
	x, err := s.Planning.PreviewSendOn(ctx, kit.Me(c).ID, id, format)
	if err == nil {
		err = s.Planning.SendOn(ctx, kit.Me(c).ID, id, format, kit.Version(form))
	}
	to := fmt.Sprintf("/pieces/%d", id)
	if x.Leaves {
		to = "/"
	}
	return s.Answered(c, err, "It is sent on.", to, func(status int, r *relay.Refusal) error { return s.showSendOn(c, status, id, format, r) })
}

// misplacedView are the pieces that were half sent on.
type misplacedView struct {
	Rows    []misplacedRow
	Problem string
}

type misplacedRow struct {
	Row    store.Row
	Is     string
	Should string
	Sees   bool
}

// misplaced lists the pieces of which route, format, channel and desk do not belong together.
func (s *Section) misplaced(c *echo.Context) error { return s.showMisplaced(c, http.StatusOK, "") }

func (s *Section) showMisplaced(c *echo.Context, status int, problem string) error {
	ctx := c.Request().Context()
	all, err := s.Planning.Misplaced(ctx, kit.Me(c).ID)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := misplacedView{Problem: problem}
	for _, m := range all {
		v.Rows = append(v.Rows, misplacedRow{
			Row: m.Row, Sees: relay.May(relay.ActSee, b.Who(kit.Me(c).ID, m.Row.DeskID), &m.Row.Piece, nil, "") == nil,
			Is:     fmt.Sprintf("%s of %s, on %s, with a route of %s", b.Format(m.Row.FormatID).Name, b.Desk(m.Row.DeskID).Name, b.Channel(m.Row.ChannelID).Name, m.To.Name),
			Should: fmt.Sprintf("%s of %s, on %s", m.To.Name, b.Desk(m.Desk).Name, b.Channel(m.Mended.ChannelID).Name),
		})
	}
	return s.Show(c, status, "misplaced", "Half sent on", v)
}

// mendPlace puts a piece where its route belongs.
func (s *Section) mendPlace(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	err = s.Planning.MendPlace(c.Request().Context(), kit.Me(c).ID, kit.Int[ref.Piece](form, "piece"), kit.Version(form))
	return s.Answered(c, err, "It is mended.", "/misplaced", func(status int, r *relay.Refusal) error { return s.showMisplaced(c, status, r.Text) })
}
