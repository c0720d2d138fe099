package setup

import (
	"net/url"
	"testing"
)

func TestASlotSavedAsItWasShownKeepsItsRule(t *testing.T) {
	for _, x := range []struct{ rule, how, says string }{
		{"FREQ=WEEKLY;BYDAY=MO,TU", "week", "Mon and Tue"},
		{"FREQ=WEEKLY;INTERVAL=2;BYDAY=SU", "week", "Every second Sun"},
		{"FREQ=WEEKLY;INTERVAL=12;BYDAY=SU", "week", "Every 12 weeks on Sun"},
		{"FREQ=MONTHLY;BYMONTHDAY=1,-1", "month", "Day 1, -1 of the month"},
		{"FREQ=WEEKLY;BYDAY=MO;UNTIL=20270101T000000Z", "rule", ""}, // what the form cannot say is not left out
		{"FREQ=WEEKLY;BYDAY=MO;COUNT=3", "rule", ""},
		{"FREQ=WEEKLY;COUNT=3;BYDAY=MO", "rule", ""},
		{"FREQ=MONTHLY;BYMONTHDAY=15;INTERVAL=2", "rule", ""},
		{"FREQ=MONTHLY;BYDAY=MO;BYMONTHDAY=13", "rule", ""},
		{"freq=weekly;byday=mo", "rule", ""},
		{"FREQ=WEEKLY;INTERVAL=60;BYDAY=MO", "rule", ""},
		{"FREQ=DAILY", "rule", ""},
	} {
		if x.how == "rule" {
			x.says = x.rule
		}
		f := formOfRule(x.rule)
		if says := sayRule(x.rule); f.How != x.how || says != x.says {
			t.Errorf("%s is shown as %s, %q", x.rule, f.How, says)
		}
		form := url.Values{"how": {f.How}, "every": {f.Every}, "days": {f.Days}, "rule": {f.Rule}, "start": {"2026-11-23"}, "at": {"09:15"}}
		for _, w := range f.Weekdays {
			if w.Works {
				form.Add("weekday", w.Value)
			}
		}
		if slot, _, err := readSlot(form, 1); err != nil || slot.Rule != x.rule {
			t.Errorf("%s is stored as %s: %v", x.rule, slot.Rule, err)
		}
	}
}
