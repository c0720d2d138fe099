package newsroom

import (
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/store"
)

type slotKey struct {
	channel ref.Channel
	day     day.Date
}

// Slots gives the publication times of a channel after a moment, in order, for a
// little over a year.
func (b *Setup) Slots(channel ref.Channel, after day.Moment) []day.Moment {
	ch := b.Channel(channel)
	zone := b.Zones[ch.DeskID]
	if zone == nil {
		return nil
	}
	today := after.Date(zone)
	key := slotKey{channel, today}
	all, ok := b.slots.Load(key)
	if !ok {
		all, _ = b.slots.LoadOrStore(key, b.slotsBetween(channel, day.Wall(today, 0, zone)-1, day.Wall(today+DaysAhead, 0, zone)))
	}
	times := all.([]day.Moment)
	first, past := slices.BinarySearch(times, after)
	if past {
		first++
	}
	return times[first:]
}

// SlotsOn gives the publication times of a channel on a date.
func (b *Setup) SlotsOn(channel ref.Channel, d day.Date) []day.Moment {
	zone := b.Zones[b.Channel(channel).DeskID]
	if zone == nil {
		return nil
	}
	return b.slotsBetween(channel, day.Wall(d, 0, zone)-1, day.Wall(d+1, 0, zone)-1)
}

// Morning is when a piece goes out on a day without a slot, in minutes after midnight.
const Morning = 8 * 60

// Minutes gives the time of day at which something goes out on a channel on a date, in
// minutes after midnight: that of its slot, where there is none the usual one.
func (b *Setup) Minutes(channel ref.Channel, on day.Date, usual int) int {
	slots := b.SlotsOn(channel, on)
	if len(slots) == 0 {
		return usual
	}
	at := slots[0].In(b.Zones[b.Channel(channel).DeskID])
	return at.Hour()*60 + at.Minute()
}

// slotsBetween gives the publication times of a channel after a moment and up to
// another, in order.
func (b *Setup) slotsBetween(channel ref.Channel, after, to day.Moment) []day.Moment {
	var out []day.Moment
	for _, s := range b.Reference.Slots {
		if s.ChannelID != channel || s.Retired {
			continue
		}
		times, err := b.TimesOf(s, after, to)
		if err == nil { // a slot is checked before it is stored
			out = append(out, times...)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// TimesOf gives the times of a slot after a moment and up to another, with what its channel
// says of days off.
func (b *Setup) TimesOf(s store.Slot, after, to day.Moment) ([]day.Moment, error) {
	ch := b.Channel(s.ChannelID)
	return day.Slot{Rule: s.Rule, Start: s.Start, At: s.At}.TimesWith(after, to, b.Zones[ch.DeskID], ch.Rests, b.FreeOf(ch.DeskID))
}

// FreeOf gives the days on which a desk has off, and its working days.
func (b *Setup) FreeOf(desk ref.Desk) day.Free {
	off := b.off[desk]
	return day.Free{Calendar: b.Planned[desk].Calendar, Off: func(d day.Date) bool { _, is := off[d]; return is }}
}
