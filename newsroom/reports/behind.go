package reports

import (
	"fmt"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
)

// What is a kind of number in a report.
type What string

// The kinds of numbers. Of a bar of the picture by week or month: WentOut (with a fate as Text, or
// all), Comes and WasPlanned. Of a leg of a format, with its key as Text: Took, Over and Rework. Of a
// leg by its name as Text, of a format or of a person: WasRun, CameBack and RunsNow. Of a group of
// those compared, by its key as Text: Compared. Of a week's beginning: ReadyAt.
const (
	WentOut    What = "out"
	Comes      What = "comes"
	WasPlanned What = "planned"
	Took       What = "took"
	Over       What = "over"
	Rework     What = "rework"
	WasRun     What = "ran"
	CameBack   What = "back"
	RunsNow    What = "now"
	Compared   What = "compared"
	ReadyAt    What = "ready"
)

// Behind names a number of a report, of which the pieces that make it are asked for.
type Behind struct {
	What   What
	Format ref.Format
	Person ref.Person
	From   day.Date
	Text   string
}

// String writes it for an address; ReadBehind reads it.
func (b Behind) String() string {
	return fmt.Sprintf("%s.%d.%d.%d.%s", b.What, b.Format, b.Person, b.From, b.Text)
}

// ReadBehind reads what String wrote; of anything else it gives one that no number has.
func ReadBehind(s string) Behind {
	parts := strings.SplitN(s, ".", 5)
	if len(parts) < 5 {
		return Behind{}
	}
	var n [3]int64
	for i := range n {
		n[i], _ = strconv.ParseInt(parts[i+1], 10, 32) // what is no number is that of nothing
	}
	return Behind{What: What(parts[0]), Format: ref.Format(n[0]), Person: ref.Person(n[1]), From: day.Date(n[2]), Text: parts[4]}
}

// Made is a piece that makes a number.
type Made struct {
	*newsroom.Entry
	Times int
}

// made notes that a piece makes a number, where that is the one asked for.
func (t *teller) made(of Behind, e *newsroom.Entry) {
	if t.Asked.Behind.What != of.What || t.Asked.Behind != of {
		return
	}
	if n := len(t.Made); n > 0 && t.Made[n-1].ID == e.ID {
		t.Made[n-1].Times++
		return
	}
	for i := range t.Made {
		if t.Made[i].ID == e.ID {
			t.Made[i].Times++
			return
		}
	}
	t.Made = append(t.Made, Made{Entry: e, Times: 1})
}

// madeBy notes it of a leg's name, by its format and by its person: with the leg named and without.
func (t *teller) madeBy(what What, k ranKey, e *newsroom.Entry) {
	if t.Asked.Behind.What != what {
		return
	}
	t.made(Behind{What: what, Format: k.format, Text: k.leg}, e)
	if k.person != 0 && t.shows(k.person, k.desk) {
		t.made(Behind{What: what, Person: k.person, Text: k.leg}, e)
		t.made(Behind{What: what, Person: k.person}, e)
	}
}
