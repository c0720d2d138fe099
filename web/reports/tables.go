package reports

import (
	"cmp"
	"fmt"
	"net/http"
	"regexp"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/relay"
	"greenbaton/core/report"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/reports"
	"greenbaton/web/kit"
)

// table is what stands behind a picture, as a table of the page and as a file.
type table struct {
	Header []string
	Rows   [][]cell
	CSV    string // its address as a file
}

// cell is one figure of a table, with where it leads.
type cell struct {
	Text, Link string
	Plain      string // as it stands in a file, where that is something else
	Whole      bool   // it stays on one line
}

func words(s ...string) []cell {
	var out []cell
	for _, x := range s {
		out = append(out, cell{Text: x})
	}
	return out
}

// amount is a number that a table keeps apart from how it is read.
func amount(v float64) cell { return cell{Text: figures.Number(v), Plain: fmt.Sprintf("%.4g", v)} }

// behind is a number that leads to the pieces that make it.
func behind(at kit.Address, n int, b reports.Behind) cell {
	if n == 0 {
		return cell{Text: "–", Plain: "0"}
	}
	return cell{Text: fmt.Sprint(n), Link: at.AlsoAt("/reports/behind").With("behind", b.String())}
}

// tables are what the page of reports has, in the order of its pictures.
var tables = []struct {
	key string
	of  func(*newsroom.Setup, *reports.Report, kit.Address) table
}{
	{"weeks", byWeek}, {"people", byPerson}, {"finished", finishedAhead}, {"legs", byLeg}, {"did", howTheyDid}, {"back", sentBack}, {"ahead", slotBySlot}, {"formats", byFormat},
}

func byWeek(_ *newsroom.Setup, r *reports.Report, at kit.Address) table {
	t := table{Header: []string{"From", "To", "Out", "On their day", "Late", "Moved", "To come", "Planned"}}
	for _, w := range r.Weeks {
		of := func(n int, what reports.What, fate report.Fate) cell {
			return behind(at, n, reports.Behind{What: what, From: w.From, Text: string(fate)})
		}
		t.Rows = append(t.Rows, []cell{onDay(w.From), onDay(w.To), of(w.All(), reports.WentOut, ""), of(w.OnDay, reports.WentOut, report.OnDay), of(w.Late, reports.WentOut, report.Late), of(w.Moved, reports.WentOut, report.Moved), of(w.Comes, reports.Comes, ""), of(w.Planned, reports.WasPlanned, "")})
	}
	return t
}

func onDay(d day.Date) cell { return cell{Text: english.Date(d), Plain: d.String(), Whole: true} }

// hours gives an amount of work, in a file as a number of hours.
func hours(minutes int) cell {
	return cell{Whole: true, Text: english.Hours(minutes), Plain: fmt.Sprintf("%.4g", float64(minutes)/60)}
}

func byPerson(b *newsroom.Setup, r *reports.Report, at kit.Address) table {
	t := table{Header: []string{"Who", "Leg", "Passed", "Hours", "Passed again", "With them now"}}
	for _, p := range r.People {
		for _, x := range p.Ran {
			of := reports.Behind{Person: p.Person, Text: x.Leg}
			t.Rows = append(t.Rows, append(words(b.Name(p.Person), x.Leg), ranCells(at, x, of)...))
		}
	}
	return t
}

func byFormat(b *newsroom.Setup, r *reports.Report, at kit.Address) table {
	t := table{Header: []string{"Format", "Leg", "Passed", "Hours", "Passed again", "There now"}}
	for _, f := range r.Formats {
		for _, x := range f.Ran {
			t.Rows = append(t.Rows, append(words(b.Format(f.Format).Name, x.Leg), ranCells(at, x, reports.Behind{Format: f.Format, Text: x.Leg})...))
		}
	}
	return t
}

func ranCells(at kit.Address, x reports.Ran, of reports.Behind) []cell {
	number := func(n int, what reports.What) cell {
		of.What = what
		return behind(at, n, of)
	}
	return []cell{number(x.Passed, reports.WasRun), hours(x.Minutes), number(x.Back, reports.CameBack), number(x.Now, reports.RunsNow)}
}

func finishedAhead(_ *newsroom.Setup, r *reports.Report, at kit.Address) table {
	t := table{Header: []string{"Beginning of", "Finished, not out"}}
	for _, s := range r.Finished {
		t.Rows = append(t.Rows, []cell{onDay(s.Monday), behind(at, s.N, reports.Behind{What: reports.ReadyAt, From: s.Monday})})
	}
	return t
}

func byLeg(_ *newsroom.Setup, r *reports.Report, at kit.Address) table {
	t := table{Header: []string{"Leg", "Allowed", "Runs", "Half within", "Four of five", "Over", "Waiting before", "Runs after sent back", "Half of these within"}}
	for _, l := range r.Legs {
		of := func(n int, what reports.What) cell {
			return behind(at, n, reports.Behind{What: what, Format: l.Format, Text: l.Key})
		}
		again := cell{Text: "–"}
		if l.Rework.N > 0 {
			again = amount(l.Rework.Half)
		}
		t.Rows = append(t.Rows, append(words(l.Name, fmt.Sprint(l.Allowance)), of(l.N, reports.Took), amount(l.Half), amount(l.FourFifth), of(l.Over, reports.Over), amount(l.Waiting.Half), of(l.Rework.N, reports.Rework), again))
	}
	return t
}

func howTheyDid(_ *newsroom.Setup, r *reports.Report, at kit.Address) table {
	c := &r.Did
	t := table{Header: []string{"Group", "Pieces", "Median", "Middle half from", "to", "Median is, by 95 %, from", "to"}}
	for _, g := range c.Groups {
		row := []cell{{Text: c.Names[g.Key]}, behind(at, g.N, reports.Behind{What: reports.Compared, Text: g.Key})}
		switch {
		case g.Few():
			row = append(row, words("too few", "–", "–", "–", "–")...)
		case g.Sure:
			row = append(row, amount(g.Median), amount(g.Q1), amount(g.Q3), amount(g.Lo), amount(g.Hi))
		default:
			row = append(row, amount(g.Median), amount(g.Q1), amount(g.Q3), cell{Text: "too few"}, cell{Text: "–"})
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

func sentBack(_ *newsroom.Setup, r *reports.Report, _ kit.Address) table {
	t := table{Header: []string{"From", "To", "Times", "Why"}}
	for _, x := range r.Back {
		t.Rows = append(t.Rows, words(x.From, x.To, fmt.Sprint(x.N), strings.Join(x.Whys, " · ")))
	}
	return t
}

func slotBySlot(b *newsroom.Setup, r *reports.Report, _ kit.Address) table {
	t := table{Header: []string{"When", "Channel", "What", "How"}}
	for _, w := range r.Ahead {
		for _, s := range w.Slots {
			ch := b.Channel(s.Channel)
			on := s.At.In(b.Zones[ch.DeskID])
			row := []cell{{Text: b.At(s.At, ch.DeskID), Plain: on.Format("2006-01-02 15:04"), Whole: true}, {Text: ch.Name}, {Text: "nothing yet"}, {Text: string(s.Cover)}}
			switch e := s.Entry; {
			case e != nil:
				row[2] = cell{Text: e.Title, Link: fmt.Sprintf("/pieces/%d", e.ID)}
				if !e.Ready() && e.Stage == relay.UnderWay && s.Chance < .995 {
					row[3].Text = fmt.Sprintf("%s, %.0f %%", s.Cover, 100*s.Chance)
				}
			default:
				if s.Comes != "" {
					row[2].Text = s.Comes + ", by itself"
				}
				row[2].Link = "/pieces/new?date=" + on.Format("2006-01-02") + "&time=" + on.Format("15:04") + "&channel=" + kit.Str(s.Channel)
			}
			t.Rows = append(t.Rows, row)
		}
	}
	return t
}

// pieces are those that went out over the span, each with what reports are made of.
func pieces(b *newsroom.Setup, r *reports.Report, _ kit.Address) table {
	t := table{Header: []string{"No.", "Title", "Format", "Channel", "Topic", "Campaign", "Its day", "Went out", "How", "Working days late"}}
	for _, x := range r.Out {
		late := ""
		if x.Fate == report.Late {
			late = fmt.Sprint(x.LateBy)
		}
		t.Rows = append(t.Rows, words(fmt.Sprint(x.Number), x.Title, b.Format(x.FormatID).Name, b.Channel(x.ChannelID).Name, b.Topic(x.TopicID).Name, b.Campaign(x.CampaignID).Name, x.Promise.String(), x.On.String(), string(x.Fate), late))
	}
	return t
}

// sheet gives one of the tables as a file, otherwise the pieces that went out over the span.
func (s *Section) sheet(c *echo.Context) (string, format.Sheet, error) {
	b, r, at, err := s.report(c, "")
	if err != nil {
		return "", format.Sheet{}, err
	}
	name, of := "pieces", pieces
	for _, k := range tables {
		if k.key == c.QueryParam("table") {
			name, of = k.key, k.of
		}
	}
	t := of(b, &r, at)
	out := format.Sheet{Name: english.UpperFirst(name), Header: t.Header}
	for _, row := range t.Rows {
		var cells []format.Cell
		for _, x := range row {
			cells = append(cells, x.file())
		}
		out.Rows = append(out.Rows, cells)
	}
	return fmt.Sprintf("report-%s-%s", name, r.Span.From), out, nil
}

// number is a number as nobody types it by chance.
var number = regexp.MustCompile(`^-?(0|[1-9][0-9]*)(\.[0-9]+)?$`)

// file gives a cell as it stands in a file: what is a number or a day there is one.
func (x cell) file() format.Cell {
	text := cmp.Or(x.Plain, x.Text)
	if d, err := day.ParseDate(text); err == nil {
		return kit.DateCell(d)
	}
	if !number.MatchString(text) {
		return format.Cell{Text: text}
	}
	_, after, _ := strings.Cut(text, ".")
	return format.Cell{Text: text, Number: true, Digits: len(after)}
}

// report gives the report that is asked for, with the pieces behind one of its numbers.
func (s *Section) report(c *echo.Context, behind string) (*newsroom.Setup, reports.Report, kit.Address, error) {
	a, _, at, err := s.asked(c)
	if err != nil {
		return nil, reports.Report{}, at, err
	}
	a.Behind = reports.ReadBehind(behind)
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return nil, reports.Report{}, at, err
	}
	r, err := s.Reports.Of(ctx, kit.Me(c).ID, kit.Here(c), a)
	return b, r, at, err
}

// behindView is the pieces that make a number of a report.
type behindView struct {
	Back, Title, Says string
	Pieces            []madeRow
}

type madeRow struct{ Title, Link, Says, Times string }

// behind shows the pieces that make a number of a report.
func (s *Section) behind(c *echo.Context) error {
	b, r, at, err := s.report(c, c.QueryParam("behind"))
	if err != nil {
		return err
	}
	v := behindView{Back: at.AlsoAt("/reports").With("behind", ""), Title: titleOf(b, &r)}
	times := 0
	for _, m := range r.Made {
		times += m.Times
		x := madeRow{Title: m.Title, Link: fmt.Sprintf("/pieces/%d", m.ID), Says: b.Format(m.FormatID).Name}
		if on := max(m.OutAt, m.GoesOut); on != 0 {
			x.Says += ", " + english.Date(on.Date(b.Zones[m.DeskID]))
		}
		if m.Times > 1 {
			x.Times = english.Number(m.Times) + " times"
		}
		v.Pieces = append(v.Pieces, x)
	}
	if v.Says = english.UpperFirst(english.Count(len(r.Made), "piece")) + "."; times > len(r.Made) {
		v.Says = fmt.Sprintf("%d pieces, %d times in all.", len(r.Made), times)
	}
	return s.Show(c, http.StatusOK, "behind", v.Title, v)
}

// titleOf says what a number counts.
func titleOf(b *newsroom.Setup, r *reports.Report) string {
	of, span := r.Asked.Behind, r.Span.Says()
	whose := b.Format(of.Format).Name
	if of.Person != 0 {
		whose = b.Name(of.Person)
	}
	leg := of.Text
	for _, l := range b.Latest(of.Format).Way.Legs {
		if l.Key == of.Text {
			leg = l.Name
		}
	}
	switch of.What {
	case reports.WentOut:
		if of.Text != "" {
			return fmt.Sprintf("Out from %s, %s", english.Date(of.From), of.Text)
		}
		return "Out from " + english.Date(of.From)
	case reports.Comes:
		return "To come from " + english.Date(of.From)
	case reports.WasPlanned:
		return "Planned from " + english.Date(of.From)
	case reports.ReadyAt:
		return "Finished and not out at the beginning of " + english.Date(of.From)
	case reports.Took:
		return fmt.Sprintf("%s of %s, %s", leg, whose, span)
	case reports.Over:
		return fmt.Sprintf("%s of %s ran over, %s", leg, whose, span)
	case reports.Rework:
		return fmt.Sprintf("%s of %s after it was sent back, %s", leg, whose, span)
	case reports.WasRun:
		return fmt.Sprintf("%s: %s passed, %s", whose, leg, span)
	case reports.CameBack:
		return fmt.Sprintf("%s: %s passed again, %s", whose, leg, span)
	case reports.RunsNow:
		return fmt.Sprintf("%s: %s now", whose, leg)
	case reports.Compared:
		return "Compared: " + r.Did.Names[of.Text]
	}
	return "What a number is made of"
}
