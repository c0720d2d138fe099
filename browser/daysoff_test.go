package browser

import (
	"os"
	"path/filepath"
	"testing"
)

const absences = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Calendar//EN\r\n" +
	"BEGIN:VEVENT\r\nUID:1\r\nDTSTAMP:20261101T090000Z\r\nDTSTART;VALUE=DATE:20261207\r\nDTEND;VALUE=DATE:20261210\r\nSUMMARY:Moving house\r\nEND:VEVENT\r\n" +
	"BEGIN:VEVENT\r\nUID:2\r\nDTSTAMP:20261101T090000Z\r\nDTSTART;VALUE=DATE:20261217\r\nSUMMARY:Dentist\r\nEND:VEVENT\r\n" +
	"BEGIN:VEVENT\r\nUID:3\r\nDTSTAMP:20261101T090000Z\r\nDTSTART;VALUE=DATE:20261218\r\nTRANSP:TRANSPARENT\r\nSUMMARY:Market day\r\nEND:VEVENT\r\n" +
	"BEGIN:VEVENT\r\nUID:4\r\nDTSTAMP:20261101T090000Z\r\nDTSTART:20261201T090000Z\r\nDTEND:20261201T100000Z\r\nSUMMARY:Call\r\nEND:VEVENT\r\n" +
	"END:VCALENDAR\r\n"

// Somebody brings their days off in from their calendar, after a wrong file; what it comes to is shown
// first, and taken back as one.
func TestDaysOffComeFromACalendar(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	wrong, right := filepath.Join(t.TempDir(), "notes.ics"), filepath.Join(t.TempDir(), "away.ics")
	s.must(os.WriteFile(wrong, []byte("notes"), 0o600))
	s.must(os.WriteFile(right, []byte(absences), 0o600))
	p := s.as(adaeze, 1280)
	p.open("/me")
	p.press("I am away…")
	p.press("From a calendar…")
	p.press("Read it")
	p.see("Choose a file that a calendar program exported")
	p.fill("#address", "http://127.0.0.1/away.ics")
	p.press("Read it")
	p.see("The calendar could not be fetched")
	p.fill("#address", "")
	p.must(p.find("#file").SetFiles([]string{wrong}))
	p.press("Read it")
	p.see("This is no calendar.")
	p.must(p.find("#file").SetFiles([]string{right}))
	p.press("Read it")
	p.see("3 absences lie in the coming year.")
	p.see("Mon 7 Dec to Wed 9 Dec")
	p.see("leaves the calendar free")
	p.see("One event does not last a whole day, and was left out.")
	before := len(s.absences())
	p.press("Enter those ticked…")
	p.see("Takes Mon 7 Dec to Wed 9 Dec off for Adaeze and takes Thu 17 Dec off")
	if len(s.absences()) != before {
		t.Error("they are entered before what follows was seen")
	}
	p.press("Do it")
	if got := len(s.absences()); got != before+2 {
		t.Errorf("%d absences were entered", got-before)
	}
	p.open("/people/2/daysoff")
	p.must(p.find("#file").SetFiles([]string{right}))
	p.press("Read it")
	p.see("entered already")
	p.press("^Undo")
	p.see("take")
	if got := len(s.absences()); got != before {
		t.Errorf("%d absences are left", got-before)
	}
}

func (s *site) absences() []int64 {
	s.t.Helper()
	var out []int64
	s.must(s.Newsroom.DB.Select(ctx, &out, "SELECT id FROM absence WHERE person_id = 2"))
	return out
}
