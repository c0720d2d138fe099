package web

import (
	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// formOf gives the route of a format as its editor sends it.
func formOf(t *testing.T, house *rooms.Newsroom, format ref.Format) url.Values {
	t.Helper()
	b, err := house.Setup(ctx)
	if err != nil {
		t.Fatal(err)
	}
	r := b.Latest(format)
	form := url.Values{"base": {fmt.Sprint(r.Version)}}
	for _, l := range r.Way.Legs {
		form.Add("key", l.Key)
		form.Set("name-"+l.Key, l.Name)
		form.Set("role-"+l.Key, l.Role)
		form.Set("usual-"+l.Key, fmt.Sprint(l.Usual))
		form.Set("days-"+l.Key, fmt.Sprint(l.Allowance))
		form.Set("least-"+l.Key, fmt.Sprint(l.Least))
		form.Set("effort-"+l.Key, english.HoursTyped(l.Effort))
		form["after-"+l.Key] = l.After
		form.Set("skip-"+l.Key, string(l.Skip))
		if l.When != "" {
			form.Set("skip-"+l.Key, "when:"+l.When)
			form.Set("is-"+l.Key, l.Is)
		}
		for name, on := range map[string]bool{"overlap-": l.Beside, "words-": l.Words, "proposes-": l.Proposes, "signoff-": l.SignOff} {
			if on {
				form.Set(name+l.Key, "yes")
			}
		}
		form["requires-"+l.Key] = l.Requires
		for _, s := range l.Steps {
			form.Add("step-"+l.Key, s.Text)
			form.Add("stepneed-"+l.Key, map[bool]string{true: "yes"}[s.Must])
			form.Add("steprole-"+l.Key, s.Role)
			form.Add("stepbefore-"+l.Key, map[bool]string{true: fmt.Sprint(s.Before)}[s.Before > 0])
		}
	}
	return form
}

func TestTheFormOfARouteIsReadAsItIsWritten(t *testing.T) {
	house, h := open(t, true)
	lead := visit(t, h).as(1)
	for format := ref.Format(1); format <= 5; format++ {
		form := formOf(t, house, format)
		form.Set("do", "save")
		if _, body := lead.post(fmt.Sprintf("/formats/%d/route", format), form); !strings.Contains(body, "Nothing was changed.") {
			t.Errorf("format %d: saved as it was, it is a new version", format)
		}
	}
}

func TestARouteIsEditedWithoutScripts(t *testing.T) {
	house, h := open(t, true)
	lead := visit(t, h).as(1)
	const path = "/formats/1/route"
	form := formOf(t, house, 1)
	form.Set("do", "add:edit")
	_, body := lead.post(path, form)
	if !strings.Contains(body, `value="New leg"`) || !strings.Contains(body, "13 working days") || !strings.Contains(body, "Not saved yet") {
		t.Error("the leg is not added")
	}
	for _, x := range []struct{ name, field, value, says string }{
		{"negative days", "days-draft", "-1", "Draft: the allowance lies between 0 and 250 working days."},
		{"absurd days", "days-draft", "99999", "Draft: the allowance lies between 0 and 250 working days."},
		{"fractional days", "days-draft", "2.5", "Write the allowance of Draft in working days as a whole number; “2.5” is not one."},
		{"days that read in two ways", "days-draft", "1.200", "“1.200” can be read in two ways: write 1200, or 1.2."},
		{"hours that read in two ways", "effort-draft", "1,5", "“1,5” can be read in two ways: write 1.5, or 15."},
		{"hours that are none", "effort-draft", "lots", "write its effort in hours"},
		{"a circle", "after-brief", "release", "it waits, in a circle, for itself (Brief, then Draft"},
		{"a leg that is not there", "after-draft", "zz", "there is no such leg"},
		{"no role", "role-draft", " ", "say which role runs it"},
		{"a step for a day that is none", "stepbefore-draft", "soon", "“soon” is no number"},
	} {
		bad := formOf(t, house, 1)
		bad.Set(x.field, x.value)
		bad.Set("do", "save")
		res, body := lead.post(path, bad)
		if res.StatusCode != 422 || !strings.Contains(body, x.says) || !strings.Contains(body, `aria-invalid="true"`) && !strings.Contains(body, "btn-brick") && !strings.Contains(body, "legitem faulty") {
			t.Errorf("%s: %d, and not %q", x.name, res.StatusCode, x.says)
		}
		if x.field != "after-brief" && x.field != "after-draft" && x.field != "stepbefore-draft" && !strings.Contains(body, `value="`+x.value+`"`) && x.value != " " {
			t.Errorf("%s: what was typed is gone", x.name)
		}
	}
	form = formOf(t, house, 1)
	form.Set("name-edit", "Line edit")
	form.Set("days-edit", "3")
	form.Set("do", "save")
	res, body := lead.post(path, form)
	if res.Request.URL.Path != "/formats/1/pieces" || !strings.Contains(body, "saved as version 3") || !strings.Contains(body, "runs the same legs, with their new figures") {
		t.Fatalf("%d at %s", res.StatusCode, res.Request.URL.Path)
	}
	if res, body = lead.post(path, form); res.StatusCode != 409 || !strings.Contains(body, "Somebody saved version 3") {
		t.Errorf("an old version is saved over: %d", res.StatusCode)
	}
}

func TestTheDeskIsSetUpWithPlainForms(t *testing.T) {
	house, h := open(t, true)
	lead := visit(t, h).as(1)
	logged := func() (n int) {
		if err := house.DB.Get(ctx, &n, "SELECT COUNT(*) FROM logbook WHERE act = 'set up'"); err != nil {
			t.Fatal(err)
		}
		return n
	}
	before := logged()
	for _, x := range []struct {
		name, path string
		form       url.Values
		says       string
	}{
		{"the desk", "/desks/1", url.Values{"currency": {"GBP"}, "name": {"Millrace"}, "zone": {"Europe/London"}, "country": {"gb"}, "weekday": {"1", "2", "3", "4", "5"}, "margin": {"1"}, "quiet": {"4"}, "no_room": {"1"}, "goal": {"12"}, "pass_by": {"owner"}}, "only the owner and leads"},
		{"a desk without days", "/desks/1", url.Values{"name": {"Millrace"}, "zone": {"Europe/London"}, "quiet": {"4"}, "pass_by": {"owner"}}, "A desk works on at least one weekday"},
		{"a fractional margin", "/desks/1", url.Values{"name": {"Millrace"}, "margin": {"1.5"}}, "Write the margin as a whole number; “1.5” is not one."},
		{"a day off", "/desk/holidays", url.Values{"date": {"2026-12-24"}, "holiday": {"Mill closed"}}, "Mill closed"},
		{"the same day off", "/desk/holidays", url.Values{"date": {"2026-12-24"}, "holiday": {"Again"}}, "is on the list already"},
		{"a working day again", "/desk/holidays", url.Values{"date": {"2026-12-24"}, "do": {"drop"}}, "is a working day again"},
		{"a channel", "/channels/new", url.Values{"name": {"Almanac"}}, "It has no slot yet"},
		{"a slot by weeks", "/channels/6/slots", url.Values{"how": {"week"}, "every": {"2"}, "weekday": {"1", "3"}, "start": {"2026-11-23"}, "at": {"09:15"}}, "Every second Mon and Wed at 09:15"},
		{"a slot by days of the month", "/channels/6/slots", url.Values{"how": {"month"}, "days": {"1, 15"}, "start": {"2026-11-23"}, "at": {"09:15"}}, "Day 1, 15 of the month at 09:15"},
		{"a slot by a rule", "/channels/6/slots", url.Values{"how": {"rule"}, "rule": {"FREQ=MONTHLY;BYDAY=2TU"}, "start": {"2026-11-23"}, "at": {"09:15"}}, "Tue 8 Dec 09:15"},
		{"its dates first", "/channels/6/slots", url.Values{"how": {"rule"}, "rule": {"FREQ=MONTHLY;BYDAY=-1FR"}, "start": {"2026-11-23"}, "at": {"01:30"}, "do": {"sample"}}, "Fri 29 Jan 01:30"},
		{"a rule that is none", "/channels/6/slots", url.Values{"how": {"rule"}, "rule": {"every so often"}, "start": {"2026-11-23"}, "at": {"09:15"}}, "is not understood"},
		{"a slot on no day", "/channels/6/slots", url.Values{"how": {"week"}, "start": {"2026-11-23"}, "at": {"09:15"}}, "Tick at least one weekday."},
		{"a person", "/people/new", url.Values{"name": {"Tegan Moss"}, "mail": {"tegan@millrace.example"}, "access": {"staff"}, "roles": {"Write, pictures"}, "desk": {"1"}, "hours-1": {"7.5"}, "hours-2": {"4"}}, "data-password"},
		{"a person without a mail address", "/people/new", url.Values{"name": {"Tegan Moss"}, "mail": {"tegan"}, "access": {"staff"}, "desk": {"1"}}, "This is not a mail address"},
		{"hours that are none", "/people/12", url.Values{"name": {"Tegan Moss"}, "mail": {"tegan@millrace.example"}, "access": {"staff"}, "desk": {"1"}, "hours-1": {"some"}}, "Write the hours of each day"},
		{"somebody retires", "/people/12", url.Values{"name": {"Tegan Moss"}, "mail": {"tegan@millrace.example"}, "access": {"staff"}, "desk": {"1"}, "retired": {"yes"}}, "Retired: kept for the past"},
		{"a format", "/formats/new", url.Values{"name": {"Obituary"}, "channel": {"1"}, "from": {"400"}, "to": {"700"}}, "Give it its legs"},
		{"a format without a channel", "/formats/new", url.Values{"name": {"Notice"}}, "Choose one of the desk"},
		{"a field", "/formats/1/fields", url.Values{"field": {"0"}, "name": {"Word on the spine"}, "kind": {"one"}, "choices": {"Mill\nBread"}}, "Word on the spine"},
		{"a brief and an outline", "/formats/1/brief", url.Values{"form": {"brief"}, "ask-angle": {"must"}, "help-angle": {"Say it in one line."}, "titled": {"yes"}, "heading": {"", "The mill"}, "advice": {"Open on a place.", ""}, "level": {"2", "3"}}, "Say it in one line."},
		{"an outline with a hole", "/formats/1/brief", url.Values{"form": {"brief"}, "heading": {"The mill", ""}, "advice": {"", "Kept, though it is refused"}, "level": {"2", "2"}}, "Kept, though it is refused"},
		{"a guide", "/formats/1/guide", url.Values{"base": {"2"}, "text": {`[{"insert":"One <b>place</b>.\n"}]`}}, "One &lt;b&gt;place&lt;/b&gt;."},
		{"a guide that is no text", "/formats/1/guide", url.Values{"base": {"3"}, "text": {`[{"delete":1}]`}}, "The guide was not saved"},
		{"a list without choices", "/formats/1/fields", url.Values{"field": {"0"}, "name": {"Spine"}, "kind": {"one"}}, "Write at least two choices"},
	} {
		res, body := lead.post(x.path, x.form)
		if !strings.Contains(body, x.says) {
			t.Errorf("%s: %d at %s, and not %q", x.name, res.StatusCode, res.Request.URL.Path, x.says)
		}
	}
	if n := logged() - before; n != 13 {
		t.Errorf("%d acts of set-up are logged", n)
	}
	var stale int
	if err := house.DB.Get(ctx, &stale, "SELECT COUNT(*) FROM piece WHERE stage = 'running' AND worked_out = 0"); err != nil || stale != 0 {
		t.Errorf("%d pieces stand as they did before: %v", stale, err)
	}
}

func TestWhoHasTwoDesksChoosesAmongThem(t *testing.T) {
	_, h := open(t, true)
	lead := visit(t, h).as(1)
	form := url.Values{"name": {"The miller’s almanac"}, "zone": {"Europe/Dublin"}, "weekday": {"1"}, "quiet": {"3"}, "pass_by": {"holder"}}
	if res, body := lead.post("/desks/new", form); res.Request.URL.Path != "/desk" || !strings.Contains(body, "<h1>The miller’s almanac</h1>") {
		t.Fatalf("%d at %s", res.StatusCode, res.Request.URL.Path)
	}
	if _, body := lead.get("/"); strings.Contains(body, "Six ovens, one village") {
		t.Error("the other desk's pieces are shown")
	}
	if res, _ := lead.get("/formats/1"); res.StatusCode != 404 {
		t.Errorf("a format of the other desk: %d", res.StatusCode)
	}
	if _, body := lead.post("/desk/choose", url.Values{"desk": {"1"}}); !strings.Contains(body, "Six ovens, one village") {
		t.Error("the first desk is not shown again")
	}
	if res, _ := lead.another().as(3).post("/desk/choose", url.Values{"desk": {"2"}}); res.StatusCode != 404 {
		t.Errorf("somebody chose a desk that is not theirs: %d", res.StatusCode)
	}
}

// How far the copy of the data goes stands where leads look after the house; that it has stayed behind is
// said on the page of the desk too.
func TestACopyThatStaysBehindIsSaid(t *testing.T) {
	house, h := open(t, true)
	lead := visit(t, h).as(1)
	for _, x := range []struct {
		name       string
		copied     func() (time.Time, bool)
		kept, desk string // what the pages say
	}{
		{"none", nil, "No copy of the data is kept up", ""},
		{"as the data", func() (time.Time, bool) { return time.Now().Add(-time.Minute), true }, "was as the data is on", ""},
		{"just begun", func() (time.Time, bool) { return time.Now().Add(-time.Minute), false }, "it is being made", ""},
		{"behind", func() (time.Time, bool) { return time.Now().Add(-time.Hour), true }, "has stayed behind since", "has stayed behind since"},
		{"never", func() (time.Time, bool) { return time.Now().Add(-time.Hour), false }, "has stayed behind since", "has stayed behind since"},
	} {
		house.Copied = x.copied
		if _, body := lead.get("/kept"); !strings.Contains(body, x.kept) {
			t.Errorf("%s: the page of what is kept does not say %q", x.name, x.kept)
		}
		if _, body := lead.get("/desk"); strings.Contains(body, "stayed behind") != (x.desk != "") {
			t.Errorf("%s: the page of the desk says otherwise", x.name)
		}
	}
	if _, body := lead.another().as(3).get("/desk"); strings.Contains(body, "stayed behind") {
		t.Error("somebody who is no lead is told")
	}
}

// What could not be delivered is said to leads where they begin their day.
func TestWhatDidNotArriveIsSaid(t *testing.T) {
	house, h := open(t, true)
	lead := visit(t, h).as(1)
	if _, body := lead.get("/"); strings.Contains(body, "Did not arrive") {
		t.Error("it is said of nothing")
	}
	if err := house.DB.Write(ctx, func(tx *store.Tx) error {
		_, err := tx.Exec(ctx, `INSERT INTO outbox (key, kind, piece_id, "to", subject, body, at, next_at, tries) SELECT 'given-' || id, 'mail', id, 'a@b.example', 's', '', ?, ?, ? FROM piece WHERE desk_id = 1 LIMIT 3`, house.Now(), house.Now(), store.MostTries)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if _, body := lead.get("/"); !strings.Contains(body, "Did not arrive") || !strings.Contains(body, "3 messages were given up") {
		t.Error("it is not said to the lead")
	}
	if _, body := lead.another().as(3).get("/"); strings.Contains(body, "Did not arrive") {
		t.Error("it is said to others")
	}
}
