package regulars

import (
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/regular"
	"greenbaton/newsroom"
	room "greenbaton/newsroom/regular"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// read reads the form of a regular of a desk.
func read(b *newsroom.Setup, desk ref.Desk, form url.Values) (store.Regular, error) {
	r := store.Regular{ID: kit.Int[ref.Regular](form, "id"), DeskID: desk, Name: form.Get("name"), Title: form.Get("title"), FormatID: kit.Int[ref.Format](form, "format"), ChannelID: kit.Int[ref.Channel](form, "channel"),
		Owner: kit.Int[ref.Person](form, "owner"), TopicID: kit.Int[ref.Topic](form, "topic"), CampaignID: kit.Int[ref.Campaign](form, "campaign"), Brief: kit.Lines(form.Get("brief")), At: -1}
	f := b.Format(r.FormatID)
	for _, x := range []struct {
		into             *int
		key, field, what string
		usual            int
	}{
		{&r.WordsFrom, "least", "words", "the words asked for", f.WordsFrom}, {&r.WordsTo, "most", "words", "the words asked for", f.WordsTo},
		{&r.Ahead, "ahead", "ahead", "the weeks ahead", 4}, {&r.NextN, "n", "n", "the number of the next piece", 1},
	} {
		var err error
		if *x.into, err = kit.Whole(form, x.key, x.field, x.what, x.usual); err != nil {
			return r, err
		}
	}
	if n := form.Get("n"); n != "" && n == form.Get("n-was") {
		r.NextN = room.KeepN
	}
	if clock := strings.TrimSpace(form.Get("at")); clock != "" {
		at, err := day.Minutes(clock)
		if err != nil {
			return r, newsroom.Invalid("at", "Write the time like 08:00, or leave it empty for that of the channel.")
		}
		r.At = at
	}
	people := map[string]ref.Person{}
	for k := range form {
		if leg, ok := strings.CutPrefix(k, "holder-"); ok && kit.Int[ref.Person](form, k) != 0 && kit.Int[ref.Format](form, "planned") == r.FormatID {
			people[leg] = kit.Int[ref.Person](form, k)
		}
	}
	rule, err := readRule(form)
	if err != nil {
		return r, err
	}
	return room.Encoded(r, rule, people)
}

// readRule reads on which days a regular comes.
func readRule(form url.Values) (regular.Rule, error) {
	r := regular.Rule{Kind: regular.Kind(form.Get("kind")), Short: regular.Short(form.Get("short")), Nth: kit.Int[int](form, "nth"), Weekday: time.Weekday(kit.Int[int](form, "wd")), Rests: day.Rest(form.Get("rests"))}
	var err error
	if r.Every, err = kit.Whole(form, "every", "every", "the weeks or months from one to the next", 1); err != nil {
		return r, err
	}
	if r.Kind == regular.Monthly {
		if r.Day, err = kit.Whole(form, "day", "day", "the day of the month", 0); err != nil {
			return r, err
		}
	}
	if r.Kind == regular.Weekly {
		for _, v := range form["weekday"] {
			if i, err := strconv.Atoi(v); err == nil && i >= 0 && i < 7 {
				r.Days[i] = true
			}
		}
	}
	if r.From, err = kit.DateOf(form, "first", "the first day"); err != nil {
		return r, asField(err, "from")
	}
	if r.To, err = kit.DateOf(form, "last", "the last day"); err != nil {
		return r, asField(err, "to")
	}
	switch {
	case form.Get("endless") != "":
		r.To = 0
	case r.To == 0 && r.From != 0:
		r.To = day.NewDate(r.From.Year(), time.December, 31)
	}
	return r, readSingle(form, &r)
}

// readSingle reads the dates that are left out, moved or added.
func readSingle(form url.Values, r *regular.Rule) error {
	for _, v := range form["out"] {
		if d, err := day.ParseDate(v); err == nil {
			r.Out = append(r.Out, d)
		}
	}
	for _, v := range slices.Concat(form["added"], strings.Fields(form.Get("add"))) {
		d, err := day.ParseDate(v)
		if err != nil {
			return newsroom.Invalid("add", "Write the day to add like 2026-12-03.")
		}
		r.Added = append(r.Added, d)
	}
	for k := range maps.Keys(form) {
		key, ok := strings.CutPrefix(k, "move-")
		d, err := day.ParseDate(key)
		if !ok || err != nil || strings.TrimSpace(form.Get(k)) == "" {
			continue
		}
		to, err := kit.DateOf(form, k, "where "+english.Date(d)+" is moved to")
		if err != nil {
			return err
		}
		if r.Moved == nil {
			r.Moved = map[day.Date]day.Date{}
		}
		r.Moved[d] = to
	}
	slices.Sort(r.Out)
	slices.Sort(r.Added)
	r.Out, r.Added = slices.Compact(r.Out), slices.Compact(r.Added)
	return nil
}

// asField gives a refusal for a field of another name.
func asField(err error, field string) error {
	return newsroom.Invalid(field, "%s", err.Error())
}

// typed gives the form of a regular as it is kept.
func typed(r store.Regular) (url.Values, error) {
	rule, err := r.Recurs()
	if err != nil {
		return nil, err
	}
	people, err := r.LegPeople()
	if err != nil {
		return nil, err
	}
	f := url.Values{
		"id": {kit.Str(r.ID)}, "name": {r.Name}, "title": {r.Title}, "format": {kit.Str(r.FormatID)}, "planned": {kit.Str(r.FormatID)}, "channel": {kit.Str(r.ChannelID)}, "owner": {kit.Str(r.Owner)},
		"topic": {kit.Str(r.TopicID)}, "campaign": {kit.Str(r.CampaignID)}, "brief": {r.Brief}, "least": {kit.Str(r.WordsFrom)}, "most": {kit.Str(r.WordsTo)}, "ahead": {kit.Str(r.Ahead)}, "n": {kit.Str(r.NextN)}, "n-was": {kit.Str(r.NextN)}, "seen": {room.Stamp(r)},
		"kind": {string(rule.Kind)}, "every": {kit.Str(rule.Every)}, "short": {string(rule.Short)}, "nth": {kit.Str(rule.Nth)}, "wd": {kit.Str(int(rule.Weekday))}, "rests": {string(rule.Rests)},
		"first": {rule.From.String()}, "last": {rule.To.String()}, "endless": {kit.Yes(rule.To == 0)},
	}
	if r.At >= 0 {
		f.Set("at", fmt.Sprintf("%02d:%02d", r.At/60, r.At%60))
	}
	if rule.Day > 0 {
		f.Set("day", kit.Str(rule.Day))
	}
	for i, is := range rule.Days {
		if is {
			f.Add("weekday", kit.Str(i))
		}
	}
	for _, d := range rule.Out {
		f.Add("out", d.String())
	}
	for _, d := range rule.Added {
		f.Add("added", d.String())
	}
	for key, to := range rule.Moved {
		f.Set("move-"+key.String(), to.String())
	}
	for leg, who := range people {
		f.Set("holder-"+leg, kit.Str(who))
	}
	return f, nil
}
