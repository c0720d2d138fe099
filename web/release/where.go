package release

import (
	"fmt"
	"net/url"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	room "greenbaton/newsroom/release"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// whereView is a place where the piece goes.
type whereView struct {
	Channel, When, State, Tone string
	ID                         ref.Delivery
	Line                       string // what is said of it there
	Address                    string
	Problem                    string
	Main, Also                 bool
}

// where shows where a piece goes, and where it could go too.
func (s *Section) where(b *newsroom.Setup, v *sheetView, places []room.Place, may bool) {
	r := &v.Row
	goes := map[ref.Channel]bool{}
	for _, p := range places {
		x := whereView{ID: p.ID, Channel: b.Channel(p.ChannelID).Name, Line: p.Line, Main: p.ChannelID == r.ChannelID, Also: p.Part == store.AlsoPlace, When: room.SayWhen(b, r, &p.Delivery)}
		goes[p.ChannelID] = p.Part != store.FormerPlace
		if p.Has != 0 {
			x.Address = p.Address
		}
		switch {
		case p.Wants != p.Has && p.Tries > 0:
			x.Problem = english.UpperFirst(p.Problem) + "."
			if x.State, x.Tone = "tried again", "short"; p.GivenUp() {
				x.State = "not there"
			}
		case p.Wants == 0 && p.Has != 0:
			x.State, x.Tone = "being taken down", "noroom"
		case p.Wants != p.Has && p.Has != 0:
			x.State, x.Tone = "being updated", "noroom"
		case p.Has != 0 && p.Kind == release.Letter:
			x.State, x.Tone = "sent", "good"
		case p.Has != 0:
			x.State, x.Tone = "there", "good"
		case p.Wants != 0 && p.At > s.Newsroom.Now():
			x.State, x.Tone = "to come", "plain"
		case p.Wants != 0:
			x.State, x.Tone = "on its way", "noroom"
		case r.Stage == relay.Withdrawn || p.Part == store.FormerPlace:
			x.State, x.Tone = "taken down", "plain"
		case x.Main && r.Scheduled():
			x.State, x.Tone, x.When = "scheduled", "good", v.When
		case x.Main:
			x.State, x.Tone, x.When = "not scheduled", "noroom", v.When
		default:
			x.State, x.Tone = "after that", "plain"
		}
		v.Where = append(v.Where, x)
	}
	if v.MayGo = may && r.Stage != relay.Withdrawn; !v.MayGo {
		return
	}
	for _, c := range b.Channels {
		if c.DeskID == r.DeskID && !c.Retired && c.ID != r.ChannelID && !goes[c.ID] {
			v.Others = append(v.Others, kit.Choice{Key: kit.Str(c.ID), Name: c.Name})
		}
	}
	v.Times = []kit.Choice{{Key: "0", Name: "as soon as it is out"}, {Key: "1", Name: "the day after"}}
	for _, n := range []int{2, 3, 5, 7, 14, 28} {
		v.Times = append(v.Times, kit.Choice{Key: fmt.Sprint(n), Name: fmt.Sprintf("%d days after", n)})
	}
}

// alsoTyped reads another place for a piece from its form: so many days after, or a time.
func alsoTyped(form url.Values, zone *time.Location) (room.Also, error) {
	x := room.Also{Channel: kit.Int[ref.Channel](form, "channel"), Line: form.Get("line")}
	if typed := strings.TrimSpace(form.Get("time")); typed != "" {
		at, err := time.ParseInLocation("2006-01-02T15:04", typed, zone)
		if err != nil {
			return x, kit.Input("days", "Write the day and the time, like 2026-12-24 08:00, or choose days after it is out.")
		}
		x.At = day.MomentOf(at)
		return x, nil
	}
	var err error
	x.Days, err = kit.Whole(form, "days", "days", "the days after it is out", 0)
	return x, err
}
